"""Cells that shrink towards lines at which the flux is singular: where those lie, and what the answers gain."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.flow.flow import Flow
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.section_lattice import lattice_of
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.mesh import singular_lines
from blunt_ember.mesh.grading import Axis, places_between, shrinkings, sized
from blunt_ember.mesh.singular_lines import StatedSurfaces


@given(
    st.lists(st.tuples(st.floats(1e-3, 2), st.booleans()), min_size=2, max_size=6),
    st.floats(0.02, 1),
    st.integers(1, 5),
    st.sampled_from([2, 3]),
)
def test_cells_shrink_towards_lines_and_are_even_elsewhere(
    spaces: list[tuple[float, bool]], size: float, times: int, dimension: int
) -> None:
    widths, singular = np.array([width for width, _ in spaces]), np.array([True, *(each for _, each in spaces)])
    lines = np.concatenate([[0.0], np.cumsum(widths)])
    even = np.ceil(widths / size).astype(np.int64)
    (how,) = shrinkings([Axis(widths, singular, even)], size, dimension) or ()
    counts = how.counts(even)
    ends, finer = places_between(lines, counts, how), places_between(lines, times * counts, how)
    assert (np.diff(finer) > 0).all() and np.diff(ends).max() <= size * (1.1 if dimension == 3 else 1 + 1e-9)
    np.testing.assert_allclose(finer[::times], ends, atol=1e-12 * lines[-1])  # finer cells lie within these
    for line, each in zip(lines.tolist(), singular.tolist(), strict=True):
        for beside in (ends[ends > line + 1e-12 * lines[-1]][:2], ends[ends < line - 1e-12 * lines[-1]][::-1][:2]):
            if each and len(beside) == 2:
                assert abs(beside[0] - line) < 0.4 * abs(beside[1] - line)
    plain = how.reach.sum(axis=1) == 0
    for space in np.flatnonzero(plain).tolist():
        own = ends[(ends >= lines[space]) & (ends <= lines[space + 1])]
        np.testing.assert_allclose(np.diff(own), np.diff(own)[0], rtol=1e-6)


def test_where_lines_are_many_no_cell_shrinks() -> None:
    few, many = (Axis(np.ones(n), np.ones(n + 1, dtype=bool), np.ones(n, dtype=np.int64)) for n in (8, 40))
    assert shrinkings([few, few], 1.0, 2) is not None
    assert shrinkings([many, many], 1.0, 2) is None
    found = shrinkings([Axis(np.ones(16), np.ones(17, dtype=bool), np.ones(16, dtype=np.int64))] * 2, 1.0, 2)
    assert found is not None and found[0].as_many == 2


def _block(at: tuple[float, float], size: tuple[float, float], **more: Any) -> dict[str, Any]:
    return {"shape": "rectangle", "at": [f"{x} mm" for x in at], "size": [f"{x} mm" for x in size], **more}


def _case(kind: str, regions: dict[str, Any], **more: Any) -> Case:
    filled = {name: each if each.get("void") else {**each, "material": name} for name, each in regions.items()}
    more = {"materials": {name: {"k": "1 W/(m K)"} for name, each in regions.items() if not each.get("void")}, **more}
    return case_from_data({"format": FORMAT, "body": {"kind": kind, "regions": filled}, **more})


TOP_PART = {"half": {"on": "a.top", "start": ["0 mm", "60 mm"], "end": ["40 mm", "60 mm"]}}
SPOT = {"spot": {"on": "a.top", "within": _block((20, 10), (30, 20))}}
SIDE_PART = {"low": {"on": "a.front", "start": ["0 mm", "0 mm", "0 mm"], "end": ["100 mm", "0 mm", "25 mm"]}}
FILM = {"film": {"h": "9 W/(m² K)", "temperature": "20 °C"}}
PLATE = _block((0, 0), (100, 60))


@pytest.mark.parametrize(
    ("regions", "surfaces", "us", "vs"),
    [
        pytest.param({"a": PLATE}, {}, [], [], id="convex corners alone"),
        pytest.param({"a": PLATE, "b": _block((100, 0), (50, 60))}, {}, [], [], id="layers"),
        pytest.param(
            {"a": PLATE, "b": _block((100, 0), (50, 60))}, {"top": "b.top"}, [100], [60], id="layers that end in a film"
        ),
        pytest.param({"a": PLATE, "b": _block((100, 20), (50, 40))}, {}, [100], [20], id="a step outwards"),
        pytest.param({"a": PLATE, "b": _block((40, 60), (20, 30))}, {}, [40, 60], [60], id="a rib"),
        pytest.param({"a": PLATE, "b": _block((70, 30), (30, 30))}, {}, [70], [30], id="an interface that bends"),
        pytest.param(
            {"a": PLATE, "b": _block((40, 20), (20, 10), void=True)}, {}, [40, 60], [20, 30], id="a hole with corners"
        ),
        pytest.param({"a": PLATE}, TOP_PART, [0, 40], [60], id="a part of a side"),
    ],
)
def test_lines_of_a_section(
    regions: dict[str, Any], surfaces: dict[str, Any], us: list[float], vs: list[float]
) -> None:
    around = [{"on": "b.top", **FILM}] if "top" in surfaces else []
    case = _case("section", regions, surroundings=around, surfaces={} if around else surfaces)
    geometry = Flow().geometry(case)
    assert isinstance(geometry, SectionGeometry)
    lattice = lattice_of(geometry)
    assert lattice is not None
    found = singular_lines.of_section(geometry, lattice, StatedSurfaces.of(case.document))
    for lines, singular, wanted in zip((lattice.us, lattice.vs), found, (us, vs), strict=True):
        np.testing.assert_allclose(lines[singular] * 1000, wanted, atol=1e-9)


@pytest.mark.parametrize(
    ("regions", "surfaces", "us", "vs", "heights"),
    [
        pytest.param({"a": {**PLATE, "z": ["0 mm", "40 mm"]}}, {}, [], [], [], id="a block"),
        pytest.param(
            {"a": {**PLATE, "z": ["0 mm", "40 mm"]}, "b": {**PLATE, "z": ["40 mm", "70 mm"]}}, {}, [], [], [], id="pile"
        ),
        pytest.param(
            {"a": {**PLATE, "z": ["0 mm", "40 mm"]}, "b": {**PLATE, "z": ["40 mm", "70 mm"]}},
            {"front": "b.front"},
            [],
            [0],
            [40],
            id="a pile whose interface ends in a film",
        ),
        pytest.param(
            {"a": {**PLATE, "z": ["0 mm", "40 mm"]}, "b": {**_block((0, 0), (30, 60)), "z": ["40 mm", "70 mm"]}},
            {},
            [30],
            [],
            [40],
            id="a step upwards, alike all along it",
        ),
        pytest.param(
            {"a": {**PLATE, "z": ["0 mm", "40 mm"]}, "b": {**_block((30, 20), (9, 8)), "z": ["40 mm", "70 mm"]}},
            {},
            [30, 39],
            [20, 28],
            [40],
            id="a leg",
        ),
        pytest.param({"a": {**PLATE, "z": ["0 mm", "40 mm"]}}, SPOT, [20, 50], [10, 30], [40], id="a spot"),
        pytest.param({"a": {**PLATE, "z": ["0 mm", "40 mm"]}}, SIDE_PART, [0, 100], [0], [0, 25], id="part of a side"),
    ],
)
def test_lines_of_a_solid(
    regions: dict[str, Any], surfaces: dict[str, Any], us: list[float], vs: list[float], heights: list[float]
) -> None:
    around = [{"on": "b.front", **FILM}] if "front" in surfaces else []
    case = _case("stacked", regions, surroundings=around, surfaces={} if around else surfaces)
    geometry = Flow().geometry(case)
    assert isinstance(geometry, SolidGeometry)
    lattice = lattice_of(geometry.plan)
    assert lattice is not None
    stated = StatedSurfaces.of(case.document)
    found = (*singular_lines.of_plan(geometry, lattice, stated), singular_lines.of_path(geometry, stated))
    every = (lattice.us, lattice.vs, geometry.path.stations)
    for lines, singular, wanted in zip(every, found, (us, vs, heights), strict=True):
        np.testing.assert_allclose(lines[singular] * 1000, wanted, atol=1e-9)


def _motz() -> Case:
    """A plate held over half of its bottom and on its right."""
    parts = {"left half": {"on": "a.bottom", "start": ["-1 m", "0 m"], "end": ["0 m", "0 m"]}}
    asked = [
        {"name": f"T {number}", "temperature": place}
        for number, place in enumerate((["0.1 m", "0 m"], ["0 m", "0.05 m"]))
    ]
    return _case(
        "section",
        {"a": {"shape": "rectangle", "at": ["-1 m", "0 m"], "size": ["2 m", "1 m"]}},
        surfaces=parts,
        surroundings=[{"on": "left half", "temperature": "0 °C"}, {"on": "a.right", "temperature": "500 °C"}],
        questions=asked,
    )


def test_near_the_end_of_a_held_side_the_mesh_nobody_stated_is_exact_to_a_ten_thousandth() -> None:
    """The field of Motz' problem near its singular point: Li, Mathon & Sermer, SIAM J. Numer. Anal. 24 (1987) 487."""
    weights = np.array([401.162453745, 87.655920195, 17.237915079, -8.071215259, 1.440272717, 0.331054886])
    power = np.arange(len(weights)) + 0.5
    exact = [
        float(weights @ (r**power * np.cos(power * angle))) + 273.15 for r, angle in ((0.1, 0.0), (0.05, np.pi / 2))
    ]
    case, flow = _motz(), Flow()
    off = [np.abs(np.subtract(flow.answers(case, flow.solved(case, times)), exact)).max() for times in (1.0, 2.0)]
    assert off[0] < 0.05  # of 500 K
    assert off[1] < off[0] / 6
    for check, value in zip(flow.run(case).checks, exact, strict=True):
        assert check.error is not None
        assert abs(check.value - value) <= check.error


def test_heights_are_as_fine_as_is_said_of_tops_bottoms_and_points() -> None:
    lines = np.array([0.0, 0.05, 0.2])
    counts, ends = sized(lines, np.array([0.05]), np.array([0.001]), 0.02, 0.25, np.array([2, 2]), 1.0)
    steps = np.diff(ends)
    beside = int(counts[0])
    assert steps[beside - 1] < 0.00115 and steps[beside] < 0.00115
    assert (steps < 0.02 * (1 + 1e-9)).all() and steps[-1] > 0.015
    assert (np.abs(np.diff(np.log(steps))) < 0.35).all()  # none is much larger than the one beside it
    np.testing.assert_allclose(
        np.diff(sized(lines, np.array([0.05]), np.array([0.001]), 0.02, 0.25, counts, 2.0)[1])[
            [2 * beside - 1, 2 * beside]
        ],
        0.0005,
        rtol=0.2,
    )


def test_a_mesh_follows_where_heat_passes_and_not_how_much() -> None:
    regions, flow = {"a": PLATE, "b": _block((100, 0), (50, 60))}, Flow()

    def case(*around: dict[str, Any]) -> Case:
        return _case("section", regions, surroundings=[{"on": "a.left", "temperature": "90 °C"}, *around])

    bare, weak = flow.mesh(case(), 1), flow.mesh(case({"on": "b.top", **FILM}), 1)
    assert weak.node_count > bare.node_count
    strong = {"on": "b.top", "film": {"h": "900 W/(m² K)", "temperature": "20 °C"}}
    assert flow.mesh(case(strong), 1) is weak
    assert flow.mesh(case({"on": "b.top", "insulated": True}), 1).node_count == bare.node_count
