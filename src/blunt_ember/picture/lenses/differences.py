"""How far the answer is off: the estimated error of the flux, and differences to exact and kept answers."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.units import HEAT_FLUX, TEMPERATURE_DIFFERENCE
from blunt_ember.checks.references.working_field import source_of
from blunt_ember.fem.recovery import recovered
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.lenses.field import Field, ends_of, reach_of
from blunt_ember.picture.lenses.lens import Lens


def _gap(outcome: Outcome, part: str) -> tuple[Floats, ...] | None:
    """Temperature of the mesh less that of an exact field, or of an answer that was kept, at the nodes of the cells."""
    mesh, solution, exact = outcome.mesh, outcome.solution, outcome.exact_now
    assert mesh is not None and solution is not None
    if part == _KEPT:
        return None if outcome.kept is None else outcome.kept.less(mesh, solution.temperature)
    if exact is None:
        return None
    gaps = []
    for block in mesh.blocks:
        known = np.empty(block.nodes.shape)
        for region in block.present:
            own = block.region == region
            nodes, back = np.unique(block.nodes[own], return_inverse=True)
            known[own] = exact.temperature(mesh.points[nodes], region)[back].reshape(known[own].shape)
        gaps.append(solution.temperature[block.nodes] - known)
    return tuple(gaps)


def _error(outcome: Outcome, part: str) -> Field | None:
    mesh, solution, problem = outcome.mesh, outcome.solution, outcome.problem
    assert mesh is not None and solution is not None and problem is not None
    units = outcome.case.units
    if part == "estimated":
        found = recovered(problem, solution.temperature, outcome.t)
        spread = tuple(
            np.broadcast_to(missed[:, None], block.nodes.shape)
            for missed, block in zip(found.missed, mesh.blocks, strict=True)
        )
        ends = ends_of(spread)[0], reach_of(spread)
        return Field("Error of heat flux", units.of(HEAT_FLUX), spread, ends, positive=True)
    gap = _gap(outcome, part)
    if gap is None:
        return None
    size = tuple(np.abs(block) for block in gap)
    kind = units.of(TEMPERATURE_DIFFERENCE)
    return Field("Error of temperature", kind, size, (0.0, reach_of(gap)), positive=True)


def _difference(outcome: Outcome, part: str) -> Field | None:
    gap = _gap(outcome, part)
    if gap is None:
        return None
    far = reach_of(gap)
    return Field(part, outcome.case.units.of(TEMPERATURE_DIFFERENCE), gap, (-far, far), signed=True)


def _error_parts(outcome: Outcome) -> tuple[str, ...]:
    exact = outcome.exact_now
    return ("estimated", f"against {source_of(exact).provenance.value}") if exact is not None else ("estimated",)


def _difference_parts(outcome: Outcome) -> tuple[str, ...]:
    exact = outcome.exact_now
    known = (f"mesh − {source_of(exact).provenance.value}",) if exact is not None else ()
    return (*known, *((_KEPT,) if outcome.kept is not None else ()))


_KEPT = "now − kept"
ERROR_LENS = Lens("Error", _error, _error_parts)
DIFFERENCE_LENS = Lens("Difference", _difference, _difference_parts, wants_parts=True)
