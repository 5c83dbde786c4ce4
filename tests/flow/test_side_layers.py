"""Rods whose cells are longer than the layer in which their sides bring them to what they meet: exact beside meshes."""

from __future__ import annotations

import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.checks.verdict import Check
from blunt_ember.flow.flow import Flow


def rod(size: float, order: int) -> Case:
    """A rod that is held at one end and heated in its cooler half, 1/m = 1.9 mm in the warmer and 6 mm in that."""
    material = {"k": "0.9 W/(m K)", "density": "2000 kg/m³", "c": "800 J/(kg K)"}
    piece = {"area": "1 cm²", "perimeter": "40 mm", "material": "m"}
    return case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"m": material},
            "body": {
                "kind": "rod",
                "pieces": {"warm": {**piece, "length": "120 mm"}, "cool": {**piece, "length": "90 mm"}},
            },
            "surroundings": [
                {"on": "warm.start", "temperature": "38 °C"},
                {"on": "warm.side", "film": {"h": "630 W/(m² K)", "temperature": "337 °C"}},
                {"on": "cool.side", "film": {"h": "60 W/(m² K)", "temperature": "245 °C"}},
                {"on": "cool.end", "film": {"h": "9 W/(m² K)", "temperature": "20 °C"}},
            ],
            "heat_inside": [{"region": "warm", "per_volume": "60 kW/m³"}],
            "mesh": {"size": f"{size} mm", "order": order},
            "questions": [
                {"name": "hottest", "highest": "body"},
                {"name": "held", "heat_flow": "warm.start"},
                {"name": "taken", "heat_flow": "cool.end"},
                *({"name": f"at {x}", "temperature": [f"{x} mm"]} for x in (3, 8, 40, 117, 124, 150)),
            ],
        }
    )


@pytest.mark.parametrize("order", [1, 2])
def test_the_error_holds_however_long_the_cells_are(order: int) -> None:
    """Linear ones of 30 mm say 414 °C for the hottest, where the fluid has 337 °C."""
    for size in (30, 20, 12, 7, 3):
        for check in Flow(curves=False).run(rod(size, order)).checks:
            assert check.deviation is not None and check.error is not None, check
            assert abs(check.deviation) <= check.error + 1e-9 * abs(check.value), (size, check)


def test_so_does_that_of_a_time_at_which_a_film_still_acted() -> None:
    """After 29 minutes it has come to rest beside it; at the end nothing acts at the side any more."""

    def answered(size: float, order: int) -> tuple[Check, ...]:
        data = {**rod(size, order).data, "clock": {"start": "245 °C", "end": "31 min"}}
        warm, *rest = data["surroundings"][1:]
        data["surroundings"] = [data["surroundings"][0], {**warm, "before": "30 min"}, *rest]
        del data["heat_inside"]
        data["questions"] = [
            {"name": f"at {x}", "temperature": [f"{x} mm"], "time": "29 min"} for x in (3, 8, 13, 40, 117)
        ]
        return Flow(curves=False).run(case_from_data(data)).checks

    for found, exact in zip(answered(24, 1), answered(0.7, 2), strict=True):
        assert found.error is not None and exact.error is not None
        assert abs(found.value - exact.value) <= found.error + exact.error, found
