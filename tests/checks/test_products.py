"""Heat of bodies that cool from all sides: what passes each side, at an instant and in all, beside the balance."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.checks.references.fits.in_time.products import ProductInTime
from blunt_ember.flow.flow import Flow

HELD: dict[str, Any] = {"temperature": "20 °C"}


def film(h: float) -> dict[str, Any]:
    return {"film": {"h": f"{h} W/(m² K)", "temperature": "20 °C"}}


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
}


@pytest.mark.parametrize("name", BODIES)
def test_the_sides_give_off_what_the_body_loses(name: str) -> None:
    kind, size, further, sides = BODIES[name]
    region = {"shape": "rectangle", "at": ["0 mm", "0 mm"], "size": size, "material": "clay", **further}
    passed = [{"name": f"passed {side}", "heat_passed": f"a.{side}"} for side in sides]
    now = [{"name": f"loss {side}", "heat_flow": f"a.{side}"} for side in sides]
    outcome = Flow(curves=False).run(
        case_from_data(
            {
                "format": "blunt-ember/1",
                "materials": {"clay": {"k": "0.6 W/(m K)", "density": "1500 kg/m³", "c": "900 J/(kg K)"}},
                "body": {"kind": kind, "regions": {"a": region}},
                "surroundings": [{"on": f"a.{side}", **what} for side, what in sides.items()],
                "clock": {"start": "150 °C", "end": "12 min"},
                "questions": [*passed, *now, {"name": "stored", "heat_stored": "body"}],
            }
        )
    )
    exact = outcome.exact
    assert isinstance(exact, ProductInTime)
    for check in outcome.checks:
        assert check.expected is not None and check.error is not None and check.deviation is not None
        assert check.verdict == "agrees" and abs(check.deviation) <= check.error + 1e-9 * abs(check.value), check.name
    known = np.array([check.expected for check in outcome.checks], dtype=float)
    assert known[: len(sides)].sum() == pytest.approx(known[-1], rel=2e-7)
    for number, side in enumerate(sides):  # what flows is how fast what has passed grows, early and late
        for t in (5.0, 720.0, 4e4):
            before, after = (exact.at(t * (1 + step)).passed(f"a.{side}") for step in (-1e-3, 1e-3))
            flow = exact.at(t).heat(f"a.{side}")
            assert (after - before) / (2e-3 * t) == pytest.approx(flow, rel=1e-4, abs=1e-9 * abs(known[number]))
    assert exact.at(1e9).passed("a.nothing") != exact.at(1e9).passed("a.nothing"), "of what is no side nothing is said"
