"""Efficiencies of fins beside the balance of many slices, which knows nothing of them, and beside a mesh."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from scipy.constants import Stefan_Boltzmann
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


def test_a_ring_that_radiates_is_what_its_slices_balance() -> None:
    """By Newton's method on 4,000 rings, each of one temperature; without emissivity it is a plain ring."""
    h, emissivity, k, t, inner, outer, base, around = 15.0, 0.9, 40.0, 0.002, 0.025, 0.06, 420.0, 300.0
    count = 4000
    edges = np.linspace(inner, outer + t / 2, count + 1)
    between = k * t * edges / np.diff(edges)[0]
    between[0], between[-1] = 2 * between[0], 0.0
    area = edges[1:] ** 2 - edges[:-1] ** 2  # both faces, per radian
    temperature = np.full(count, base)

    def given(at: Floats) -> Floats:
        return area * (h * (at - around) + emissivity * Stefan_Boltzmann * (at**4 - around**4))

    for _ in range(20):
        steeper = area * (h + 4 * emissivity * Stefan_Boltzmann * temperature**3)
        flows = between * np.diff(np.r_[base, temperature, temperature[-1]]) * -1
        left = flows[:-1] - flows[1:] - given(temperature)
        bands = np.stack([np.r_[0, -between[1:-1]], between[:-1] + between[1:] + steeper, np.r_[-between[1:-1], 0]])
        temperature = temperature + solve_banded((1, 1), bands, left)
    found = given(temperature).sum() / given(np.full(count, base)).sum()
    stated = f"{h} W/(m² K), {{}}, {k} W/(m K), {t} m, {inner} m, {outer} m"
    entry = f"ring_radiating({stated.format(emissivity)}, {base} K, {around} K)"
    assert float(evaluate(entry, {}).magnitude) == pytest.approx(found, rel=1e-6)
    plain = f"fin_ring({h} W/(m² K), {k} W/(m K), {t} m, {inner} m, {outer} m)"
    barely = f"ring_radiating({stated.format(1e-12)}, {base} K, {around} K)"
    assert float(evaluate(barely, {}).magnitude) == pytest.approx(float(evaluate(plain, {}).magnitude), rel=1e-8)


def test_fins_on_a_base_are_conductances_beside_each_other() -> None:
    efficiency, count, fin, bare, h, contact, foot = 0.82, 12, 0.013, 0.02, 30.0, 3e-4, 6e-4
    tight = count * h * fin * efficiency + h * bare
    parted = count / (1 / (h * fin * efficiency) + contact / foot) + h * bare
    whole = h * (count * fin + bare)
    stated = f"{efficiency}, {count}, {fin} m², {bare} m²"
    assert float(evaluate(f"fins_on_base({stated})", {}).magnitude) == pytest.approx(tight / whole, rel=1e-12)
    entry = f"fins_on_base_in_contact({stated}, {h} W/(m² K), {contact} m² K/W, {foot} m²)"
    assert float(evaluate(entry, {}).magnitude) == pytest.approx(parted / whole, rel=1e-12)
    with pytest.raises(ExpressionError, match="an efficiency of 1 at most"):
        evaluate(f"fins_on_base(1.2, {count}, {fin} m², {bare} m²)", {})


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
    check = Flow().answered(case).checks[0]
    assert check.value == pytest.approx(check.expected, rel=2e-3)


def test_a_fin_that_is_too_thick_is_no_fin() -> None:
    with pytest.raises(ExpressionError, match=r"fin_straight holds for a fin that is thin enough: h t/k below 0.2"):
        evaluate("fin_straight(900 W/(m² K), 0.5 W/(m K), 4 mm, 60 mm)", {})
    with pytest.raises(ExpressionError, match="and r_1 below r_2"):
        evaluate("fin_ring(30 W/(m² K), 40 W/(m K), 4 mm, 60 mm, 25 mm)", {})
    with pytest.raises(ExpressionError, match=r"h of fin_straight is a .*, not a length"):
        evaluate("fin_straight(30 mm, 40 W/(m K), 4 mm, 60 mm)", {})
