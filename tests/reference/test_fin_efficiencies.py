"""Efficiencies of fins beside the balance of many slices, which knows nothing of them, and beside a mesh."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from scipy.linalg import solve_banded

from blunt_ember.arrays import Floats
from blunt_ember.case.case import case_from_data
from blunt_ember.case.values.evaluation import evaluate
from blunt_ember.errors import ExpressionError
from blunt_ember.flow.flow import Flow

H, K, T, LENGTH = 30.0, 40.0, 0.004, 0.06
OF_THESE = f"({H} W/(m² K), {K} W/(m K), {T} m, "


#: An area or a perimeter over the places (n,) along a fin.
Profile = Callable[[Floats], Floats]


def sliced(area: Profile, perimeter: Profile, ends: tuple[float, float]) -> float:
    """The efficiency of a fin from a tip to its base, of whose slices each balances what it conducts and gives off."""
    count = 40_000
    edges = np.linspace(*ends, count + 1)
    middle, step = (edges[1:] + edges[:-1]) / 2, np.diff(edges)
    between = K * area(edges) / step[0]
    between[0], between[-1] = 0.0, 2 * between[-1]
    given = H * perimeter(middle) * step
    diagonal = between[1:] + between[:-1] + given
    bands = np.stack([np.r_[0, -between[1:-1]], diagonal, np.r_[-between[1:-1], 0]])
    load = np.zeros(count)
    load[-1] = between[-1]
    return float(given @ solve_banded((1, 1), bands, load) / given.sum())


D, TIP = 0.006, 0.0
PROFILES: dict[str, tuple[Profile, Profile, tuple[float, float]]] = {
    f"fin_straight{OF_THESE}{LENGTH} m)": (lambda x: T + 0 * x, lambda x: 2 + 0 * x, (0.0, LENGTH + T / 2)),
    f"fin_triangular{OF_THESE}{LENGTH} m)": (lambda x: T * x / LENGTH, lambda x: 2 + 0 * x, (TIP, LENGTH)),
    f"fin_parabolic{OF_THESE}{LENGTH} m)": (lambda x: T * (x / LENGTH) ** 2, lambda x: 2 + 0 * x, (TIP, LENGTH)),
    f"fin_ring{OF_THESE}25 mm, 60 mm)": (lambda r: 2 * np.pi * r * T, lambda r: 4 * np.pi * r, (0.060 + T / 2, 0.025)),
    f"pin_straight({H} W/(m² K), {K} W/(m K), {D} m, {LENGTH} m)": (
        lambda x: np.pi / 4 * D**2 + 0 * x,
        lambda x: np.pi * D + 0 * x,
        (0.0, LENGTH + D / 4),
    ),
    f"pin_conical({H} W/(m² K), {K} W/(m K), {D} m, {LENGTH} m)": (
        lambda x: np.pi / 4 * (D * x / LENGTH) ** 2,
        lambda x: np.pi * D * x / LENGTH,
        (TIP, LENGTH),
    ),
    f"pin_parabolic({H} W/(m² K), {K} W/(m K), {D} m, {LENGTH} m)": (
        lambda x: np.pi / 4 * (D * (x / LENGTH) ** 2) ** 2,
        lambda x: np.pi * D * (x / LENGTH) ** 2,
        (TIP, LENGTH),
    ),
}


@pytest.mark.parametrize("formula", PROFILES)
def test_an_efficiency_is_that_of_its_slices(formula: str) -> None:
    area, perimeter, ends = PROFILES[formula]
    if ends[0] > ends[1]:  # from the outer rim inwards
        outer, inner = ends
        found = sliced(lambda x: area(outer - x), lambda x: perimeter(outer - x), (0.0, outer - inner))
    else:
        found = sliced(area, perimeter, ends)
    assert float(evaluate(formula, {}).magnitude) == pytest.approx(found, rel=2e-5)


def test_a_triangular_fin_of_a_mesh_gives_off_what_its_efficiency_says() -> None:
    outline = {
        "shape": "polygon",
        "points": [["0 mm", "-thick/2"], ["l", "0 mm"], ["0 mm", "thick/2"]],
        "material": "a",
    }
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "parameters": {"thick": "4 mm", "l": "60 mm", "h": "30 W/(m² K)", "k": "40 W/(m K)"},
            "materials": {"a": {"k": "k"}},
            "body": {"kind": "section", "depth": "1 m", "regions": {"fin": outline}},
            "surroundings": [
                {"on": "fin.side 3", "temperature": "100 °C"},
                {"on": ["fin.side 1", "fin.side 2"], "film": {"h": "h", "temperature": "20 °C"}},
            ],
            "mesh": {"size": "1 mm", "order": 2},
            "working": {"Q": "fin_triangular(h, k, thick, l)*h*2*sqrt(l^2 + thick^2/4)*1 m*80 K"},
            "questions": [{"name": "given off", "heat_flow": "fin.side 3", "expect": {"working": "Q"}}],
        }
    )
    check = Flow().run(case).checks[0]
    assert check.value == pytest.approx(check.expected, rel=2e-3)


def test_a_fin_that_is_too_thick_is_no_fin() -> None:
    with pytest.raises(ExpressionError, match=r"fin_straight holds for a fin that is thin enough: h t/k below 0.2"):
        evaluate("fin_straight(900 W/(m² K), 0.5 W/(m K), 4 mm, 60 mm)", {})
    with pytest.raises(ExpressionError, match="and r_1 below r_2"):
        evaluate("fin_ring(30 W/(m² K), 40 W/(m K), 4 mm, 60 mm, 25 mm)", {})
    with pytest.raises(ExpressionError, match=r"h of fin_straight is a .*, not a length"):
        evaluate("fin_straight(30 mm, 40 W/(m K), 4 mm, 60 mm)", {})
