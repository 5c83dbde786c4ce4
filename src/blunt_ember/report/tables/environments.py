"""What couples the environments of a case, and what of each a temperature is made of, as rows for tables."""

from __future__ import annotations

from contextlib import suppress

import numpy as np

from blunt_ember.case.document.questions.transmittance import PointTransmittanceQuestion, TransmittanceQuestion
from blunt_ember.case.values.units import AREA, CONDUCTANCE, CONDUCTANCE_PER_LENGTH, FILM_COEFFICIENT, LENGTH, NUMBER
from blunt_ember.checks.environments import EnvironmentCoupling, UncoupledError, environment_coupling
from blunt_ember.checks.point_transmittance import FlatWall, flat_wall
from blunt_ember.checks.questions.probes import probe_of
from blunt_ember.checks.transmittance import Wall, undisturbed_walls
from blunt_ember.flow.outcome import Outcome
from blunt_ember.report.tables.radiation import Values, Words


def coupling_rows(outcome: Outcome) -> tuple[list[Words], list[Values]]:
    """Return a row for every pair of environments with their coefficient, of a section per metre as well; nothing where
    there are none."""
    found = coupling_of(outcome)
    if found is None:
        return [], []
    pairs = [(one, other) for one in range(len(found.names)) for other in range(one + 1, len(found.names))]
    values = np.array([found.coefficients[pair] for pair in pairs])
    words: list[Words] = [
        ("environment", [found.names[one] for one, _ in pairs]),
        ("and", [found.names[other] for _, other in pairs]),
    ]
    columns: list[Values] = [("coefficient", CONDUCTANCE, values)]
    depth = outcome.mesh.space.depth if outcome.mesh is not None else None
    if depth is not None:
        columns.append(("per metre", CONDUCTANCE_PER_LENGTH, values / depth))
    return words, columns


def weight_rows(outcome: Outcome) -> tuple[list[Words], list[Values]]:
    """Return a row for every temperature that is asked for with the weight of each environment in it."""
    found, mesh, geometry = coupling_of(outcome), outcome.mesh, outcome.geometry
    if found is None or mesh is None or geometry is None:
        return [], []
    names, rows = [], []
    for place, question in enumerate(outcome.case.document.questions):
        if len(question.readings) != 1 or question.condition is not None or question.readings[0].how not in _LINEAR:
            continue
        path = ("questions", place, question.asks)
        probe = probe_of(question.readings[0], outcome.case.document, mesh, geometry, path)
        names.append(question.name)
        rows.append([probe(weights) for weights in found.weights])
    if not rows:
        return [], []
    table = np.array(rows)
    return [("question", names)], [(name, NUMBER, table[:, place]) for place, name in enumerate(found.names)]


def wall_rows(outcome: Outcome) -> tuple[list[Words], list[Values]]:
    """Return a row for every wall that a linear transmittance counts as undisturbed, with what it passes per metre."""
    problem = outcome.problem
    if problem is None or outcome.run is not None:
        return [], []
    found: list[tuple[str, str, Wall]] = []
    for question in outcome.case.document.questions:
        if isinstance(question, TransmittanceQuestion):
            try:
                walls = undisturbed_walls(problem, question.transmittance, question.to, question.lengths)
            except UncoupledError:
                continue
            found += [(question.name, ", ".join(wall.layers), wall) for wall in walls]
    if not found:
        return [], []
    words: list[Words] = [("question", [each[0] for each in found]), ("wall of", [each[1] for each in found])]
    every = [each[2] for each in found]
    columns: list[Values] = [
        ("U-value", FILM_COEFFICIENT, np.array([wall.u_value for wall in every])),
        ("length", LENGTH, np.array([wall.length for wall in every])),
        ("passes", CONDUCTANCE_PER_LENGTH, np.array([wall.passed for wall in every])),
    ]
    return words, columns


def flat_wall_rows(outcome: Outcome) -> tuple[list[Words], list[Values]]:
    """Return a row for every wall that a point transmittance is counted beside, with what it passes."""
    problem = outcome.problem
    if problem is None or outcome.run is not None:
        return [], []
    found: list[tuple[str, FlatWall]] = []
    for question in outcome.case.document.questions:
        if isinstance(question, PointTransmittanceQuestion):
            with suppress(UncoupledError):
                found.append((question.name, flat_wall(problem, question.point_transmittance, question.to)))
    if not found:
        return [], []
    walls = [wall for _, wall in found]
    words: list[Words] = [
        ("question", [name for name, _ in found]),
        ("wall of", [", ".join(wall.layers) for wall in walls]),
    ]
    columns: list[Values] = [
        ("U-value", FILM_COEFFICIENT, np.array([wall.u_value for wall in walls])),
        ("area", AREA, np.array([wall.area for wall in walls])),
        ("passes", CONDUCTANCE, np.array([wall.passed for wall in walls])),
    ]
    return words, columns


#: Readings that are a mean of temperatures.
_LINEAR = ("temperature", "mean")


def coupling_of(outcome: Outcome) -> EnvironmentCoupling | None:
    """Return what couples the environments of a steady outcome; None where nothing does."""
    if outcome.problem is None or outcome.solution is None or outcome.run is not None:
        return None
    if not outcome.case.document.environments:
        return None
    try:
        return environment_coupling(outcome.problem, outcome.solution.temperature)
    except UncoupledError:
        return None
