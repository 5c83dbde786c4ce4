"""Bodies that settle from all sides, between surroundings of one temperature or several.

What passes each side, at an instant and in all, beside the balance and the mesh; where both hold, two series agree.
"""

from __future__ import annotations

import pickle
from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.values.laws import constant_law
from blunt_ember.case.values.units import TEMPERATURE
from blunt_ember.checks.references.fits.in_time.products import ProductInTime
from blunt_ember.checks.references.fits.in_time.rods import RodInTime
from blunt_ember.checks.references.fits.in_time.settling import SettlingInTime, settling_in_time
from blunt_ember.checks.references.fits.in_time.timing import Timing
from blunt_ember.flow.flow import Flow
from blunt_ember.reference.crosswise.grid import grid_of

HELD: dict[str, Any] = {"temperature": "20 °C"}
FLUX: dict[str, Any] = {"flux": "300 W/m²"}


def film(h: float, fluid: int = 20) -> dict[str, Any]:
    return {"film": {"h": f"{h} W/(m² K)", "temperature": f"{fluid} °C"}}


#: Kind of body, size, what else its region says, and what its sides meet.
BODIES: dict[str, tuple[str, list[str], dict[str, Any], dict[str, dict[str, Any]]]] = {
    "bar": ("section", ["60 mm", "40 mm"], {}, {"left": film(20), "right": film(60), "top": film(10)}),
    "bar, partly held": ("section", ["60 mm", "40 mm"], {}, {"left": HELD, "right": film(60), "bottom": HELD}),
    "roller": ("turned section", ["30 mm", "50 mm"], {}, {"right": HELD, "top": film(60), "bottom": film(5)}),
    "block": (
        "stacked",
        ["60 mm", "50 mm"],
        {"z": ["0 mm", "40 mm"]},
        {"left": film(20), "back": HELD, "top": film(3)},
    ),
    "block, two faces in wool": (
        "stacked",
        ["60 mm", "50 mm"],
        {"z": ["0 mm", "40 mm"]},
        {"left": film(20), "top": film(60)},
    ),
    "bar between several": (
        "section",
        ["60 mm", "40 mm"],
        {},
        {"left": film(20), "right": film(60, 50), "top": film(10, 0), "bottom": FLUX},
    ),
    "bar on a plate": ("section", ["60 mm", "40 mm"], {}, {"bottom": HELD, "right": film(60, 80), "top": film(10)}),
    "roller between several": (
        "turned section",
        ["30 mm", "50 mm"],
        {},
        {"right": film(60, 60), "top": HELD, "bottom": film(20)},
    ),
    "sleeve": (
        "turned section",
        ["30 mm", "50 mm"],
        {"at": ["12 mm", "0 mm"]},
        {"left": HELD, "right": film(25, 90), "top": FLUX},
    ),
    "block on a plate": (
        "stacked",
        ["60 mm", "50 mm"],
        {"z": ["0 mm", "40 mm"]},
        {"left": film(20, 70), "bottom": HELD, "top": film(3)},
    ),
    "pillar": (
        "stacked",
        [],
        {"z": ["0 mm", "40 mm"], "shape": "disc", "radius": "25 mm"},
        {"rim": film(20, 70), "bottom": HELD, "top": FLUX},
    ),
    "rod": ("rod", [], {}, {"start": HELD, "side": film(15, 60), "end": film(30)}),
    "rod, cooled along it alone": ("rod", [], {}, {"side": film(15, 60)}),
}


#: Those whose surroundings have one temperature.
ALIKE = ("bar", "bar, partly held", "roller", "block", "block, two faces in wool")


def stated(name: str, **more: Any) -> Case:
    kind, size, further, sides = BODIES[name]
    region = {
        "shape": "rectangle",
        "at": ["0 mm", "0 mm"],
        "material": "clay",
        **({"size": size} if size else {}),
        **further,
    }
    piece = {"length": "90 mm", "diameter": "12 mm", "material": "clay"}
    passed = [{"name": f"passed {side}", "heat_passed": f"a.{side}"} for side in sides]
    now = [{"name": f"loss {side}", "heat_flow": f"a.{side}"} for side in sides]
    return case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"clay": {"k": "0.6 W/(m K)", "density": "1500 kg/m³", "c": "900 J/(kg K)"}},
            "body": {"kind": kind, **({"pieces": {"a": piece}} if kind == "rod" else {"regions": {"a": region}})},
            "surroundings": [{"on": f"a.{side}", **what} for side, what in sides.items()],
            "clock": {"start": "150 °C", "end": "12 min"},
            "mesh": {"size": "9 mm", "across": 2} if kind == "stacked" else {},
            "questions": [*passed, *now, {"name": "stored", "heat_stored": "a"}, {"name": "mean", "mean": "body"}],
            **more,
        }
    )


@pytest.mark.one_in(2)
@pytest.mark.parametrize("name", [name for name in BODIES if name not in ALIKE and "rod" not in name])
def test_places_on_a_grid_and_places_anywhere_are_read_alike(name: str) -> None:
    outcome = Flow(curves=False).answered(stated(name))
    exact, mesh = outcome.exact, outcome.mesh
    assert isinstance(exact, SettlingInTime) and mesh is not None
    rng = np.random.default_rng(8)
    anywhere = mesh.points[mesh.blocks[0].nodes[:40]].mean(axis=1) + rng.normal(0, 1e-4, (40, mesh.dimension))
    lines = [np.unique(each)[:5] for each in anywhere.T]
    grid = np.stack(np.meshgrid(*lines, indexing="ij"), axis=-1).reshape(-1, len(lines))
    assert grid_of(exact.still.places(anywhere)) is None
    for places in (anywhere, grid):
        for field in (exact.still, exact.at(200.0)):
            alone = np.array([field.temperature(place[None])[0] for place in places])
            assert field.temperature(places) == pytest.approx(alone, abs=1e-9)


@pytest.mark.one_in(2)
@pytest.mark.parametrize("name", BODIES)
def test_the_sides_give_off_what_the_body_loses(name: str) -> None:
    sides = BODIES[name][3]
    outcome = Flow(curves=False).run(stated(name))
    exact = outcome.exact
    assert isinstance(exact, RodInTime if "rod" in name else ProductInTime if name in ALIKE else SettlingInTime)
    for check in outcome.checks:
        assert check.expected is not None and check.error is not None and check.deviation is not None
        # A held side that meets another fluid at its edge draws heat that cells of the usual size miss a share of.
        assert abs(check.deviation) <= check.error + 1e-6 * abs(check.value), check
    sent = pickle.loads(pickle.dumps(exact))  # as it goes to the window
    assert sent.at(700.0).stored() == exact.at(700.0).stored()
    begun = exact.at(0.0)
    assert begun.stored() == 0 and all(begun.passed(f"a.{side}") == 0 for side in sides)
    middle = np.array([[0.03, 0.02, 0.02][: 3 if BODIES[name][0] == "stacked" else 1 if "rod" in name else 2]])
    np.testing.assert_allclose(begun.temperature(middle), 423.15, rtol=1e-12)
    known = np.array([check.expected for check in outcome.checks], dtype=float)
    assert known[: len(sides)].sum() == pytest.approx(known[-2], rel=2e-7)
    for number, side in enumerate(sides):  # what flows is how fast what has passed grows, early and late
        for t in (20.0, 720.0, 4e4):
            before, after = (exact.at(t * (1 + step)).passed(f"a.{side}") for step in (-1e-3, 1e-3))
            flow = exact.at(t).heat(f"a.{side}")
            assert (after - before) / (2e-3 * t) == pytest.approx(flow, rel=1e-4, abs=1e-9 * abs(known[number]))
    if "rod" not in name:  # of what is no side nothing is said
        assert np.isnan([exact.at(1e9).passed("a.nothing"), exact.at(1e9).heat("a.nothing")]).all()


@pytest.mark.one_in(2)
@pytest.mark.parametrize("name", ALIKE)
def test_two_series_tell_the_same_where_both_hold(name: str) -> None:
    flow, case = Flow(curves=False), stated(name)
    outcome = flow.answered(case)
    product = outcome.exact
    assert outcome.problem is not None and outcome.geometry is not None and outcome.mesh is not None
    timing = Timing(constant_law(423.15, TEMPERATURE), {}, True, 720.0, None)
    settling = settling_in_time(outcome.geometry, outcome.problem, timing)
    assert isinstance(product, ProductInTime)
    points = outcome.mesh.points[:: max(1, outcome.mesh.node_count // 40)]
    for t in (30.0, 720.0, 5e3):
        one, other = product.at(t), settling.at(t)
        np.testing.assert_allclose(other.temperature(points), one.temperature(points), rtol=1e-9)
        for side in BODIES[name][3]:
            assert other.heat(f"a.{side}") == pytest.approx(one.heat(f"a.{side}"), rel=1e-7)
            assert other.passed(f"a.{side}") == pytest.approx(one.passed(f"a.{side}"), rel=1e-6)
        assert other.stored() == pytest.approx(one.stored(), rel=1e-7)
