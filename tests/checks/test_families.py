"""Every family of curved or singular bodies on finer and finer meshes: observed orders, and what limits them."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.case.editing.edits import with_value
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family


def gap(name: str, question: str, order: int, size: str, cells: str) -> float:
    """Relative deviation of one answer on one mesh."""
    case = with_value(family(name).case(), ("mesh",), {"size": size, "order": order, "cells": cells, "across": 1})
    outcome = Flow().answered(case)
    check = next(check for check in outcome.checks if check.name == question)
    assert check.relative is not None
    return check.relative


#: Family, question, sizes, and the orders expected of linear and of quadratic cells.
STUDIES: dict[str, tuple[str, str, tuple[str, str], tuple[float, float]]] = {
    "pipe: heat": ("hollow-cylinder", "loss per metre", ("12 mm", "6 mm"), (2, 4)),
    "sphere: heat": ("hollow-sphere", "heat in", ("12 mm", "6 mm"), (2, 4)),
    "sector: heat": ("ring-sector", "through", ("60 mm", "30 mm"), (2, 4)),
    # Two temperatures meet in the hot corners: the field jumps there, and a point inside sees it with order 2.
    "plate: point": ("hot-edge-plate", "below the edge", ("20 mm", "10 mm"), (2, 2)),
}


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("name", STUDIES)
def test_mapped_cells_converge_with_the_expected_order(name: str, order: int) -> None:
    made, question, sizes, expected = STUDIES[name]
    coarse, fine = (gap(made, question, order, size, "auto") for size in sizes)
    assert np.log2(coarse / fine) > expected[order - 1] - 0.35


@pytest.mark.parametrize("order", [1, 2])
def test_triangles_converge_in_the_pipe_too(order: int) -> None:
    coarse, fine = (gap("hollow-cylinder", "loss per metre", order, size, "triangles") for size in ("16 mm", "2 mm"))
    assert np.log2(coarse / fine) / 3 > (1.8 if order == 1 else 2.8)


def test_a_mesh_size_that_suits_no_body_is_explained() -> None:
    case = with_value(family("hollow-sphere").case(), ("mesh",), {"size": "0.001 mm"})
    *_, outcome = Flow().outcomes(case)
    assert "state a larger size" in str(outcome.trouble)


def heat_sink(order: int) -> dict[str, Any]:
    return {
        "format": "blunt-ember/1",
        "materials": {"aluminium": {"k": "180 W/(m K)"}},
        "mesh": {"order": order},
        "body": {
            "kind": "section",
            "depth": "60 mm",
            "regions": {
                "base": {"shape": "rectangle", "size": ["52 mm", "5 mm"], "material": "aluminium"},
                "fin": {
                    "shape": "rectangle",
                    "size": ["2 mm", "24 mm"],
                    "at": ["3 mm", "5 mm"],
                    "material": "aluminium",
                    "repeat": {"count": 8, "step": ["6.3 mm", "0 mm"]},
                },
                "screw": {"shape": "disc", "radius": "1.2 mm", "at": ["1.6 mm", "2.5 mm"], "void": True},
            },
        },
        "surroundings": [
            {"on": "base.bottom", "flux": "9 kW/m²"},
            {
                "on": ["fin.left", "fin.right", "fin.top", "base.top"],
                "film": {"h": "32 W/(m² K)", "temperature": "24 °C"},
            },
        ],
        "questions": [
            {"name": "hottest", "highest": "base.bottom"},
            {"name": "in", "heat_flow": "base.bottom"},
            {"name": "fins", "heat_flow": "base|fin"},
        ],
    }


@pytest.mark.parametrize("order", [1, 2])
def test_a_heat_sink_with_a_hole_balances_and_is_near_the_lumped_answer(order: int) -> None:
    outcome = Flow().answered(case_from_data(heat_sink(order)))
    hottest, heat, through = (check.value for check in outcome.checks)
    assert heat == pytest.approx(9000 * 0.052 * 0.060, rel=1e-12)
    wetted = (8 * (2 * 0.024 + 0.002) + 0.052 - 8 * 0.002) * 0.060
    lumped = 297.15 + heat / (32 * wetted)
    assert lumped < hottest < lumped + 6
    assert 0.8 * heat < through < heat
    assert outcome.ledger is not None
    assert outcome.ledger.relative < 1e-9
    assert outcome.unstated == ("base.left", "base.right", "base.screw")
