"""The recovered heat flux: exact where it can be, and an estimate of the error that is the error."""

from __future__ import annotations

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.fem.assembly import weighted_gradients
from blunt_ember.fem.recovery import recovered
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family
from blunt_ember.mesh.cells.families import CELL_FAMILIES


def first(name: str, order: int, **mesh: object) -> Outcome:
    case = family(name).case()
    case = case.restated({**case.data, "mesh": {**case.data.get("mesh", {}), "order": order, **mesh}})
    return next(outcome for outcome in Flow().outcomes(case) if outcome.checks)


def true_error(outcome: Outcome) -> float:
    """The error of the flux in the norm of the energy, W K, against the slope of the exact field by differences."""
    mesh, solution, exact, problem = outcome.mesh, outcome.solution, outcome.exact_now, outcome.problem
    assert mesh is not None and solution is not None and exact is not None and problem is not None
    step, total = 1e-6 * float(np.ptp(mesh.points, axis=0).max()), 0.0
    for block in mesh.blocks:
        family_of = CELL_FAMILIES[block.family]
        gradients, weights = weighted_gradients(block, mesh, slice(None))
        slope = np.einsum("mqkj,mk->mqj", gradients, solution.temperature[block.nodes])
        places = np.einsum("qk,mkd->mqd", family_of.at_points, mesh.points[block.nodes])
        for region in np.unique(block.region).tolist():
            own, law = block.region == region, problem.conductors[region].k[0]
            assert law.constant is not None
            for axis in range(mesh.dimension):
                offset = np.eye(mesh.dimension)[axis] * step
                flat = places[own].reshape(-1, mesh.dimension)
                known = (exact.temperature(flat + offset, region) - exact.temperature(flat - offset, region)) / (
                    2 * step
                )
                gap = slope[own][..., axis] - known.reshape(weights[own].shape)
                total += law.constant * float((weights[own] * gap**2).sum())
    return total


@pytest.mark.one_in(2)
@pytest.mark.parametrize(
    ("name", "order", "mesh"),
    [
        ("hollow-cylinder", 1, {}),
        ("hollow-cylinder", 2, {}),
        ("hollow-sphere", 2, {}),
        ("ring-sector", 1, {}),
        ("generating-sphere", 2, {}),
        ("plate-generation", 2, {}),
        ("plate-generation", 1, {"cells": "triangles"}),
        ("plate-generation", 2, {"cells": "triangles"}),
        ("generating-cylinder", 1, {"cells": "triangles"}),
        ("rod-film-tip", 1, {}),
        ("rod-film-tip", 2, {}),
        ("pipe-wedge", 1, {}),
        ("pipe-wedge", 2, {}),
    ],
)
def test_the_estimated_error_of_the_flux_is_its_error(name: str, order: int, mesh: dict[str, object]) -> None:
    outcome = first(name, order, **mesh)
    assert outcome.problem is not None and outcome.solution is not None
    found = recovered(outcome.problem, outcome.solution.temperature)
    estimated = np.sqrt(sum(float(block.sum()) for block in found.error))
    # Mapped quadratic cells are more exact than their estimate where the field is not smooth at a corner.
    assert 0.75 < estimated / np.sqrt(true_error(outcome)) < (2.6 if name == "plate-generation" else 1.3)


def test_a_flux_that_is_linear_is_recovered_exactly_and_jumps_only_between_regions() -> None:
    outcome = first("generating-wall", 2)
    assert outcome.problem is not None and outcome.solution is not None and outcome.mesh is not None
    found = recovered(outcome.problem, outcome.solution.temperature)
    assert found.share < 1e-6
    walls = first("composite-wall", 2)
    assert walls.problem is not None and walls.solution is not None and walls.checks
    flux = recovered(walls.problem, walls.solution.temperature).at_nodes
    for block in flux:  # one heat flux through all three layers, whatever they conduct
        np.testing.assert_allclose(block[..., 0], walls.checks[0].value, rtol=1e-6)


@pytest.mark.parametrize("axis", [0, 1, 2])
def test_cells_are_told_along_which_direction_they_are_too_large(axis: int) -> None:
    """Heat that arises in a block between two cold sides bends the field from the one to the other alone."""
    sides = [("left", "right"), ("front", "back"), ("bottom", "top")][axis]
    block = {"shape": "rectangle", "size": ["60 mm", "50 mm"], "at": ["0 mm", "0 mm"], "z": ["0 mm", "40 mm"]}
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"clay": {"k": "1.5 W/(m K)"}},
            "body": {"kind": "stacked", "regions": {"block": {**block, "material": "clay"}}},
            "surroundings": [{"on": f"block.{side}", "temperature": "20 °C"} for side in sides],
            "heat_inside": [{"region": "block", "per_volume": "200 kW/m³"}],
            "mesh": {"order": 1, "size": "10 mm"},
        }
    )
    outcome = next(each for each in Flow().outcomes(case) if each.solution is not None)
    assert outcome.problem is not None and outcome.solution is not None
    found = recovered(outcome.problem, outcome.solution.temperature)
    for error, along in zip(found.error, found.along, strict=True):
        np.testing.assert_allclose(along.sum(axis=1), error, rtol=1e-9)
        assert along[:, axis].sum() > 0.99 * error.sum() > 0
