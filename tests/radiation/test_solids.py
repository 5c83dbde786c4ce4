"""What facets of solids see of each other, against the catalogue, closed bodies, and each other."""

from __future__ import annotations

from itertools import pairwise, product
from typing import Any

import numpy as np
import pytest

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.case import case_from_data
from blunt_ember.errors import CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.seen.enclosing import ENCLOSING_FAMILIES
from blunt_ember.radiation.solid import views
from blunt_ember.radiation.solid.exchange import exchange_in_space
from blunt_ember.radiation.solid.patches import grouped_into_patches
from blunt_ember.radiation.solid.polygons import exchange_of, polygons
from blunt_ember.radiation.solid.sight import BoxedSight, Sight, TracedSight


def rectangle(start: list[float], along: list[float], across: list[float]) -> Floats:
    """Corners (1, 4, 3); the normal is along × across."""
    a, u, v = (np.array(each, dtype=float) for each in (start, along, across))
    return np.array([[a, a + u, a + u + v, a + v]])


def box(low: Floats, high: Floats, number: int, inside: bool) -> tuple[Floats, Ints]:
    """Facets (m, 4, 3) of a box that look inside or outside, ``number`` each way on every side, and their sides."""
    corners, side = [], []
    steps = [np.linspace(low[axis], high[axis], number + 1) for axis in range(3)]
    for axis, end in product(range(3), (0, 1)):
        u, v = (axis + 1) % 3, (axis + 2) % 3
        for i, j in product(range(number), range(number)):
            facet = np.full((4, 3), (low, high)[end][axis])
            facet[:, u] = [steps[u][i], steps[u][i + 1], steps[u][i + 1], steps[u][i]]
            facet[:, v] = [steps[v][j], steps[v][j], steps[v][j + 1], steps[v][j + 1]]
            corners.append(facet if (end == 0) == inside else facet[::-1])
            side.append(2 * axis + end)
    return np.array(corners), np.array(side)


def triangles(corners: Floats) -> Floats:
    return np.concatenate([corners[:, :3], corners[:, [0, 2, 3]]])


def test_facing_rectangles_are_those_of_the_catalogue_over_any_gap() -> None:
    """Howell C-11; the nearer they are the more of the whole they see."""
    for gap in (0.02, 0.3, 1.0, 7.0):
        lower, upper = rectangle([0, 0, 0], [2, 0, 0], [0, 1, 0]), rectangle([0, 0, gap], [0, 1, 0], [2, 0, 0])
        x, y = 2 / gap, 1 / gap
        a, b = np.sqrt(1 + x**2), np.sqrt(1 + y**2)
        logs = 0.5 * np.log(a**2 * b**2 / (1 + x**2 + y**2))
        arcs = x * b * np.arctan(x / b) + y * a * np.arctan(y / a) - x * np.arctan(x) - y * np.arctan(y)
        expected = 2 / (np.pi * x * y) * (logs + arcs)
        found = exchange_of(polygons(lower), polygons(upper))[0] / 2
        assert found == pytest.approx(expected, rel=1e-7), gap


@pytest.mark.parametrize("below", [0.0, 0.7])
def test_an_upright_rectangle_sees_the_floor_with_what_of_it_stands_above(below: float) -> None:
    """Howell C-14, with a common edge, exactly; what reaches below the floor sees nothing of it."""
    w, h = 2.0, 0.6
    floor, wall = rectangle([0, 0, 0], [w, 0, 0], [0, 1, 0]), rectangle([0, 0, -below], [0, 1, 0], [0, 0, h + below])
    v, u = np.hypot(h, w), 1 + w**2 + h**2
    logs = np.log((1 + w**2) * (1 + h**2) / u)
    logs += w**2 * np.log(w**2 * u / ((1 + w**2) * v**2)) + h**2 * np.log(h**2 * u / ((1 + h**2) * v**2))
    expected = (w * np.arctan(1 / w) + h * np.arctan(1 / h) - v * np.arctan(1 / v) + logs / 4) / (np.pi * w)
    both = exchange_of(polygons(floor), polygons(wall))[0], exchange_of(polygons(wall), polygons(floor))[0]
    assert np.array(both) / w == pytest.approx(np.full(2, expected), rel=1e-10)


def test_triangles_that_close_a_body_see_all_of_each_other() -> None:
    """The faces of a tetrahedron, with common edges at sharp angles."""
    points = np.array([[0, 0, 0], [1, 0.1, 0], [0.3, 0.9, 0.1], [0.4, 0.3, 0.7]])
    faces = polygons(points[[[0, 1, 2, 2], [0, 3, 1, 1], [1, 3, 2, 2], [0, 2, 3, 3]]])
    assert (np.einsum("fk,fk->f", points.mean(axis=0) - faces.middle, faces.normal) > 0).all()
    first, second = np.nonzero(~np.eye(4, dtype=bool))
    seen = np.bincount(first, exchange_of(faces.some(first), faces.some(second)))
    assert seen / faces.area == pytest.approx(np.ones(4), abs=1e-7)


@pytest.mark.parametrize("most", [10_000, 150])
def test_a_room_with_a_block_in_it_closes_however_facets_are_gathered(most: int) -> None:
    """What the block sees is the room alone, and the room sees as much of the block as the other way round."""
    walls, side = box(np.zeros(3), np.ones(3), 7, inside=True)
    block, its = box(np.full(3, 0.3), np.array([0.7, 0.6, 0.8]), 4, inside=False)
    corners, surface = np.concatenate([walls, block]), np.concatenate([side, its + 6])
    shapes = polygons(corners)
    patch = grouped_into_patches(shapes.middle, shapes.normal, surface, most)
    exchange = exchange_in_space(shapes, patch, triangles(corners), int(patch.max()) + 1)
    area = np.bincount(patch, shapes.area)
    assert len(area) <= most
    lacking = 1 - exchange.sum(axis=1) / area
    assert np.sqrt(np.mean(lacking**2)) < 0.004
    assert np.abs(lacking).max() < 0.03
    own = np.zeros(len(area), dtype=np.int64)
    own[patch] = surface
    whole = (np.arange(12)[:, None] == own).astype(float)
    between = whole @ exchange @ whole.T
    assert between[6:, 6:] == pytest.approx(np.zeros((6, 6)), abs=1e-12)
    assert between[6:].sum() == pytest.approx(shapes.area[surface >= 6].sum(), rel=2e-3)


def test_a_plate_between_two_plates_leaves_what_rays_by_chance_find() -> None:
    """A square half way between two larger ones: a million rays, and a bound of four of their deviations."""
    far, half = 0.5, 0.35
    steps = np.linspace(-0.5, 0.5, 9)
    squares = [(a, b) for a, b in product(pairwise(steps), repeat=2)]
    lower = [rectangle([a[0], b[0], 0], [np.ptp(a), 0, 0], [0, np.ptp(b), 0])[0] for a, b in squares]
    upper = [rectangle([a[0], b[0], far], [0, np.ptp(b), 0], [np.ptp(a), 0, 0])[0] for a, b in squares]
    plate = rectangle([-half / 2, -half / 2, far / 2], [half, 0, 0], [0, half, 0])
    shapes = polygons(np.array(lower + upper))
    found = exchange_in_space(shapes, np.arange(128), triangles(plate), 128)[:64, 64:].sum()
    random = np.random.default_rng(7)
    start, end = random.random((2, 1_000_000, 2)) - 0.5
    square = ((end - start) ** 2).sum(axis=1) + far**2
    passed = (np.abs((start + end) / 2) > half / 2).any(axis=1)
    seen = passed * far**2 / (np.pi * square**2)
    assert found == pytest.approx(seen.mean(), abs=4 * seen.std() / 1000 + 2e-4)


@pytest.mark.parametrize("number", [4, 60, 3000])
def test_rays_are_stopped_by_the_same_triangles_with_and_without_the_kernel(number: int) -> None:
    random = np.random.default_rng(number)
    shapes = random.random((number, 1, 3)) + 0.3 / np.sqrt(number) * random.standard_normal((number, 3, 3))
    start, end = random.random((2, 4000, 3))
    pytest.importorskip("embreex")
    sights: list[Sight] = [TracedSight(shapes), BoxedSight(shapes)]
    traced, boxed = (each.blocked(start, end) for each in sights)
    assert traced.any() and not traced.all()
    assert np.mean(traced != boxed) < 1e-3  # single precision decides otherwise at the edge of a triangle


def solved(data: dict[str, Any]) -> Outcome:
    return Flow().run(case_from_data(data))


def answered(data: dict[str, Any]) -> Outcome:
    """The outcome before errors are estimated."""
    return Flow().answered(case_from_data(data))


def setting(**more: Any) -> dict[str, Any]:
    """The setting chamber with a block of ware in its middle, whole or, ``half``, cut through its middle."""
    data: dict[str, Any] = {**next(each for each in ENCLOSING_FAMILIES if each.name == "setting-chamber").data}
    half = more.pop("half")
    kiln, chamber = (dict(data["body"]["regions"][name]) for name in ("kiln", "chamber"))
    ware: dict[str, Any] = {
        "shape": "rectangle",
        "size": ["120 mm", "100 mm"],
        "at": ["wall + wide/2 - 60 mm", "220 mm"],
    }
    ware = {**ware, "z": ["190 mm", "270 mm"], "material": "light brick"}
    if half:
        ware["cuts"] = [{"through": ["60 mm", "0 mm"], "along": "-90 deg"}]
    else:
        kiln.pop("cuts")
        data["enclosures"] = {"chamber": {"faces": [{"void": "chamber"}]}}
        films: dict[str, Any] = data["surroundings"][1]
        data["surroundings"] = [data["surroundings"][0], {**films, "on": [*films["on"], "kiln.right"]}]
    questions = [
        {"name": "loss", "heat_flow": "kiln.bottom"},
        {"name": "ware", "mean": "ware.top"},
        {"name": "past it", "view_factor": "kiln.chamber bottom", "to": "kiln.chamber top"},
    ]
    regions = {"kiln": kiln, "chamber": chamber, "ware": ware}
    return {**data, "body": {"kind": "stacked", "regions": regions}, "questions": questions, **more}


def test_half_a_chamber_in_a_mirror_is_half_of_the_whole() -> None:
    """The ware in it is found from the void, the face it is cut at is none, and all balances."""
    whole, half = answered(setting(half=False)), answered(setting(half=True))
    assert set(half.problem.enclosed) >= {"ware.top", "ware.left"}
    assert not {"ware.cut", "kiln.cut"} & set(half.problem.enclosed)
    loss, ware, past = zip(*([check.value for check in each.checks] for each in (whole, half)), strict=True)
    assert loss[1] == pytest.approx(loss[0] / 2, rel=1e-3)
    assert ware[1] == pytest.approx(ware[0], abs=1.0)
    assert past[1] == pytest.approx(past[0], rel=5e-3)
    for each in (whole, half):
        assert abs(each.ledger.relative) < 1e-9
        net = sum(row.heat for row in each.ledger.rows if row.statement == "in chamber")
        assert net == pytest.approx(0, abs=1e-6 * loss[0])


def test_a_quarter_of_a_ball_in_a_shell_sees_the_rest_in_two_mirrors() -> None:
    """Spheres by flat facets, closed: the layers in series are found, and the answers lie within their errors."""
    data = next(each for each in ENCLOSING_FAMILIES if each.name == "ball-in-shell").data
    body = {"kind": "turned solid", "angle": "90 deg", "regions": data["body"]["regions"]}
    enclosures = {"saggar": {**data["enclosures"]["saggar"], "mirrors": ["ball.first cut", "ball.last cut"]}}
    outcome = solved({**data, "body": body, "enclosures": enclosures, "mesh": {"size": "30 mm", "across": 1}})
    for check in outcome.checks:
        assert abs(check.value - check.expected) <= check.error + 1e-9, check.name
        assert check.relative < 0.01
    assert outcome.problem.enclosures[0].chamber.open_area == 0


def test_what_stands_on_the_axis_of_a_turned_void_is_found_in_it() -> None:
    """The pot in the room of a turned kiln, whose facets at the axis have two corners in one place."""

    def square(wide: str, high: str, z: str, **more: Any) -> dict[str, Any]:
        return {"shape": "rectangle", "size": [wide, high], "at": ["0 mm", z], **more}

    regions = {
        "kiln": square("200 mm", "240 mm", "0 mm", material="brick"),
        "room": square("120 mm", "160 mm", "40 mm", void=True),
        "pot": square("50 mm", "60 mm", "90 mm", material="brick"),
    }
    data = {
        "format": "blunt-ember/1",
        "materials": {"brick": {"k": "1 W/(m K)", "emissivity": "0.8"}},
        "surroundings": [{"on": "kiln.right", "temperature": "900 °C"}, {"on": "kiln.top", "temperature": "60 °C"}],
        "heat_inside": [{"region": "pot", "per_volume": "50 kW/m³"}],
        "enclosures": {"room": {"faces": [{"void": "room"}]}},
        "mesh": {"size": "80 mm", "across": 1, "order": 1},
        "questions": [{"name": "hot", "mean": "pot"}, {"name": "lost", "heat_flow": "kiln.top"}],
    }
    plane, turned = (
        answered({**data, "body": body})
        for body in (
            {"kind": "turned section", "regions": regions},
            {"kind": "turned solid", "angle": "360 deg", "regions": regions},
        )
    )
    assert set(turned.problem.enclosed) >= {"pot.top", "pot.bottom", "pot.right"}
    for check, other in zip(turned.checks, plane.checks, strict=True):
        assert check.value == pytest.approx(other.value, rel=2e-2)  # few cells


@pytest.mark.parametrize(
    ("mirrors", "message"),
    [
        ("kiln.cut", "looks at nothing; take it out of the faces"),
        ("kiln.chamber left", "the body lies on both sides of 'kiln.chamber left'"),
        ("kiln.lid", "there is no surface 'kiln.lid'"),
        (["kiln.cut", "kiln.left"], "at right angles to each other"),
    ],
)
def test_what_is_no_mirror_says_why(mirrors: Any, message: str) -> None:
    data = setting(half=True)
    data["enclosures"] = {"chamber": {"faces": [{"void": "chamber"}], "mirrors": mirrors}}
    if "looks" in message:
        data["enclosures"]["chamber"]["faces"] = [{"void": "chamber"}, {"on": "ware.cut"}]
    with pytest.raises(CaseError, match=message):
        answered(data)


def test_a_slice_of_a_channel_that_repeats_has_no_end() -> None:
    """An endless square channel: sides see each other as infinite strips do, √2 − 1 across (Howell C-1)."""

    def bar(x: float, y: float, wide: float, high: float, z: float, top: float) -> dict[str, Any]:
        place = {"at": [f"{x} mm", f"{y} mm"], "size": [f"{wide} mm", f"{high} mm"], "z": [f"{z} mm", f"{top} mm"]}
        return {"shape": "rectangle", **place, "material": "brick"}

    regions = {
        "front": bar(0, 0, 50, 10, 0, 40),
        "back": bar(0, 50, 50, 10, 0, 40),
        "floor": bar(0, 10, 50, 40, -10, 0),
        "lid": bar(0, 10, 50, 40, 40, 50),
    }
    sides = ["front.back", "back.front", "floor.top", "lid.bottom"]
    outcome = answered(
        {
            "format": "blunt-ember/1",
            "materials": {"brick": {"k": "1 W/(m K)", "emissivity": "0.8"}},
            "body": {"kind": "stacked", "regions": regions},
            "surroundings": [
                {"on": "front.front", "temperature": "800 °C"},
                {"on": "back.back", "temperature": "100 °C"},
            ],
            "enclosures": {"channel": {"faces": [{"on": sides}], "repeats": ["front.left", "front.right"]}},
            "mesh": {"size": "10 mm", "order": 1},
            "questions": [{"name": "across", "view_factor": "front.back", "to": "back.front"}],
        }
    )
    seen = outcome.problem.enclosures[0].chamber
    assert seen.open_area == 0
    assert outcome.checks[0].value == pytest.approx(np.sqrt(2) - 1, rel=1e-3)
    assert seen.between()[0] / seen.areas()[0] == pytest.approx([0, 2**0.5 - 1, 1 - 0.5**0.5, 1 - 0.5**0.5], abs=3e-4)


def test_a_tighter_question_has_finer_patches(monkeypatch: pytest.MonkeyPatch) -> None:
    """Asked to 0.01 % there are twice as many of them as when it is asked to 0.5 %."""
    monkeypatch.setattr(views, "MOST_PATCHES", 100)
    data = setting(half=False)
    counts = []
    for tolerance in ("0.5 %", "0.01 %"):
        data["questions"] = [{**data["questions"][0], "tolerance": tolerance}]
        problem = answered(data).problem
        counts.append(len(problem.enclosures[0].chamber.area))
    assert counts[0] < 120 and counts[1] == pytest.approx(2 * counts[0], rel=0.15)
