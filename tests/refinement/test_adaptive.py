"""Meshes that follow the error: rods, sections, solids and runs, until every answer is within its tolerance."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.editing.edits import with_value
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.geometry.rod import RodGeometry
from blunt_ember.mesh.rod import graded_rod_mesh
from blunt_ember.refinement.adaptive import adaptive_refinement
from blunt_ember.refinement.trend import RefinementLevel, left_over
from blunt_ember.refinement.uniform import uniform_refinement
from blunt_ember.report.tables.refined import trends


def test_cells_that_follow_the_error_need_far_fewer_nodes() -> None:
    case, flow = family("wall-corner").case(), Flow()
    even = list(uniform_refinement(flow, case, 3))
    limit = trends(even)[0].limit
    following = list(adaptive_refinement(flow, case))
    gaps = [abs(level.values[0] - limit) for level in following]
    assert gaps[-1] < abs(even[-1].values[0] - limit) / 2 and following[-1].nodes < even[-1].nodes / 2
    allowed = case.document.questions[0].tolerance.amount * abs(following[-1].values[0])
    assert gaps[-1] < left_over(following)[0] <= allowed
    offs = [level.off for level in following]
    assert all(later is not None and earlier is not None and later < earlier / 2 for earlier, later in pairwise(offs))


def coarse(name: str, **mesh: object) -> Case:
    return with_value(family(name).case(), ("mesh",), mesh)


def values(levels: list[RefinementLevel], place: int) -> np.ndarray:
    return np.array([level.values[place] for level in levels])


def test_a_plate_whose_corners_jump_needs_fewer_nodes_for_the_same_answer() -> None:
    case, flow = coarse("hot-edge-plate", order=1, size="30 mm"), Flow()
    exact = [check.expected for check in flow.answered(family("hot-edge-plate").case()).checks]
    even, following = list(uniform_refinement(flow, case, 4)), list(adaptive_refinement(flow, case, most_nodes=6_000))
    heat = next(place for place, question in enumerate(case.document.questions) if question.asks == "heat_flow")
    known = exact[heat]
    assert known is not None

    def needed(levels: list[RefinementLevel], share: float) -> int:
        return min((level.nodes for level in levels if abs(level.values[heat] / known - 1) < share), default=10**9)

    assert needed(following, 1e-3) < needed(even, 1e-3) / 2
    # The cells are smallest where the temperature jumps.
    assert all(before.nodes < after.nodes < 4 * before.nodes for before, after in pairwise(following))


def rod_with_a_long_tail() -> Case:
    """Strong film on a thin rod: all happens in the first part of it."""
    return case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"steel": {"k": "16 W/(m K)"}},
            "body": {"kind": "rod", "pieces": {"pin": {"length": "400 mm", "diameter": "2 mm", "material": "steel"}}},
            "surroundings": [
                {"on": "pin.start", "temperature": "500 °C"},
                {"on": "pin.side", "film": {"h": "300 W/(m² K)", "temperature": "20 °C"}},
            ],
            "mesh": {"size": "50 mm", "order": 1, "across": 2},
            "questions": [
                {"name": "root", "heat_flow": "pin.start", "expect": {"exact": "rod"}, "tolerance": "0.1 %"},
                {"name": "near", "temperature": ["9 mm"], "expect": {"exact": "rod"}, "tolerance": "0.5 K"},
            ],
        }
    )


def test_a_rod_is_divided_where_its_flux_bends() -> None:
    case, flow = rod_with_a_long_tail(), Flow()
    exact = [check.expected for check in flow.answered(case).checks]
    following = list(adaptive_refinement(flow, case))
    last = following[-1]
    assert exact[0] is not None and exact[1] is not None
    assert abs(last.values[0] / exact[0] - 1) < 1e-3 and abs(last.values[1] - exact[1]) < 0.5
    even = next(level for level in uniform_refinement(flow, case, 12) if abs(level.values[0] / exact[0] - 1) < 1e-3)
    reached = next(level for level in following if abs(level.values[0] / exact[0] - 1) < 1e-3)
    assert reached.nodes < 0.6 * even.nodes


@pytest.mark.parametrize("order", [1, 2])
def test_the_cells_of_a_graded_rod_have_the_sizes_that_are_wanted(order: int) -> None:
    geometry = Flow().geometry(family("rod-held-tip").case())
    assert isinstance(geometry, RodGeometry)
    length = geometry.length
    places = np.linspace(0, length, 101)[:, None]
    sizes = [(places[:50], length / 200), (places[50:], length / 20)]
    mesh = graded_rod_mesh(geometry, sizes, 4, order)
    ends = np.sort(mesh.points[np.unique(mesh.blocks[0].nodes[:, :2]), 0])
    widths, middles = np.diff(ends), (ends[1:] + ends[:-1]) / 2
    assert ends[0] == 0 and ends[-1] == pytest.approx(length)
    assert set(np.round(geometry.stations, 12)) <= set(np.round(ends, 12))
    assert (widths[middles < 0.45 * length] < 1.01 * length / 200).all()
    far = widths[middles > 0.55 * length]
    assert (far < 1.01 * length / 20).all() and np.median(far) > 0.5 * length / 20
    if order == 2:
        own = mesh.points[mesh.blocks[0].nodes][..., 0]
        np.testing.assert_allclose(own[:, 2], own[:, :2].mean(axis=1))
    assert mesh.surfaces[next(each for each in mesh.surfaces if each.endswith(".end"))].blocks[0].nodes.shape == (1, 1)


def test_a_solid_gets_finer_plans_and_layers() -> None:
    case, flow = coarse("bowl", order=1, size="30 mm"), Flow()
    exact = {check.name: check.expected for check in flow.answered(case).checks}
    following = []
    for level in adaptive_refinement(flow, case, most_nodes=30_000):
        following.append(level)
    assert len(following) >= 3
    loss = values(following, 0)
    assert exact["loss"] is not None
    gaps = np.abs(loss / exact["loss"] - 1)
    assert gaps[-1] < gaps[0] / 3 and all(level.off is not None for level in following)
    assert following[-1].off < following[0].off / 2


def test_a_solid_on_a_lattice_keeps_its_hexahedra_and_never_gets_worse() -> None:
    spot = {"shape": "rectangle", "at": ["60 mm", "50 mm"], "size": ["50 mm", "40 mm"]}
    slab = {"shape": "rectangle", "at": ["0 mm", "0 mm"], "size": ["200 mm", "150 mm"], "z": ["0 mm", "40 mm"]}
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"clay": {"k": "1.5 W/(m K)"}},
            "body": {"kind": "stacked", "regions": {"slab": {**slab, "material": "clay"}}},
            "surfaces": {"spot": {"on": "slab.top", "within": spot}},
            "surroundings": [
                {"on": "spot", "temperature": "300 °C"},
                {"on": "slab.bottom", "film": {"h": "12 W/(m² K)", "temperature": "20 °C"}},
            ],
            "mesh": {"order": 1},
            "questions": [{"name": "loss", "heat_flow": "spot", "tolerance": "0.1 %"}],
        }
    )
    following = list(adaptive_refinement(Flow(), case, most_nodes=40_000))
    assert len(following) >= 3
    # The flow of cells half the size on a mesh of 430 000 nodes, extrapolated.
    gaps = np.abs(values(following, 0) / 34.852 - 1)
    assert (np.diff(gaps) < 0).all() and gaps[-1] < gaps[0] / 4
    assert all(level.cells > 0.5 * level.nodes for level in following)  # hexahedra of one node a cell


def test_of_a_run_the_errors_of_several_instants_count() -> None:
    case = coarse("cooling-wall", order=1, size="20 mm", across=2)
    flow = Flow()
    following = list(adaptive_refinement(flow, case, most_nodes=4_000))
    assert len(following) >= 2 and following[-1].nodes > following[0].nodes
    fine = flow.answered(family("cooling-wall").case())
    middle = next(check for check in fine.checks if check.name == "middle")
    assert middle.expected is not None
    gaps = [abs(level.values[0] - middle.expected) for level in following]
    assert gaps[-1] < gaps[0]


def test_what_cannot_follow_says_why_and_what_to_do(tmp_path: Path) -> None:
    mapped = coarse("plane-wall", cells="quadrilaterals")
    with pytest.raises(BluntEmberError, match="let the cells be of any kind"):
        list(adaptive_refinement(Flow(), mapped))
    from tests.flow.test_error_estimate import bar, cooling_bar
    from tests.mesh.test_halving import tetrahedra

    bar(tmp_path, (2, 1, 1))
    with pytest.raises(BluntEmberError, match="divide every cell instead"):
        next(adaptive_refinement(Flow(), cooling_bar(tmp_path)))
    read = tetrahedra(tmp_path, 1)
    levels = list(uniform_refinement(Flow(), read, 4))
    assert [level.cells for level in levels] == [96 * 8**number for number in range(4)]
    steps = np.abs(np.diff(values(levels, 2)))
    assert steps[1] < steps[0] / 1.7 and steps[2] < steps[1] / 2.7  # on the way to order two
