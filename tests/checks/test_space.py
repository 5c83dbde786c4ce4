"""Exact solutions in rods and solids: found, refused with the reason, and converged to with the expected order."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.case.editing.edits import with_value
from blunt_ember.checks.references.exact_field import exact_field
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family
from blunt_ember.reference.along.rod_chain import RodChain, RodPiece
from blunt_ember.reference.side import Side


def gap(name: str, question: str, mesh: dict[str, Any]) -> float:
    outcome = Flow().answered(with_value(family(name).case(), ("mesh",), mesh))
    check = next(check for check in outcome.checks if check.name == question)
    assert check.relative is not None
    return check.relative


#: Family, question, coarse and fine cells, and the orders expected of linear and quadratic ones.
STUDIES: dict[str, tuple[str, tuple[str, str], tuple[float, float]]] = {
    "rod-film-tip": ("heat of the rod", ("14 mm", "7 mm"), (2, 4)),
    "rod-very-long": ("root", ("30 mm", "15 mm"), (2, 4)),
    "pipe-wedge": ("through the brick", ("30 mm", "15 mm"), (2, 4)),
    # The inner edge of a bend is a corner into the body of 270°: the heat converges with twice 2/3.
    "wall-corner": ("loss", ("40 mm", "20 mm"), (4 / 3, 4 / 3)),
}


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("name", STUDIES)
def test_rods_solids_and_corners_converge_with_the_expected_order(name: str, order: int) -> None:
    question, sizes, expected = STUDIES[name]
    coarse, fine = (gap(name, question, {"size": size, "order": order, "across": 1}) for size in sizes)
    assert abs(math.log2(coarse / fine) - expected[order - 1]) < 0.35


def solved(body: dict[str, Any], surroundings: list[dict[str, Any]]) -> Outcome:
    case = {
        "format": "blunt-ember/1",
        "materials": {"a": {"k": "1 W/(m K)"}, "b": {"k": "4 W/(m K)"}},
        "body": body,
        "surroundings": surroundings,
        "mesh": {"order": 1},
    }
    return Flow().answered(case_from_data(case))


def test_a_pile_in_any_order_is_a_wall_with_its_signs() -> None:
    """The upper level is stated first, so heat from first to second region flows downward."""
    levels = {"upper": {"z": ["20 mm", "50 mm"], "material": "a"}, "lower": {"z": ["0 mm", "20 mm"], "material": "b"}}
    outcome = solved(
        {"kind": "stacked", "regions": {"p": {"shape": "disc", "radius": "60 mm", "levels": levels}}},
        [{"on": "p.upper.top", "temperature": "90 °C"}, {"on": "p.lower.bottom", "temperature": "20 °C"}],
    )
    assert outcome.exact is not None and outcome.exact.name == "composite-wall"
    heat = 70 / (0.03 / 1 + 0.02 / 4) * math.pi * 0.06**2
    assert outcome.exact.heat("p.upper|p.lower") == pytest.approx(heat, rel=1e-12)
    assert outcome.exact.heat("p.lower.bottom") == pytest.approx(-heat, rel=1e-12)
    assert outcome.exact.temperature(np.array([[0.01, 0.02, 0.02]])) == pytest.approx(293.15 + 70 * 0.005 / 0.035)
    assert outcome.exact.heat("p.upper.rim") == 0.0


def test_a_solution_that_does_not_hold_says_why() -> None:
    turned = {
        "kind": "turned solid",
        "angle": "90 deg",
        "regions": {"w": {"shape": "rectangle", "at": ["1 m", "0 m"], "size": ["1 m", "1 m"], "material": "a"}},
    }
    ends = [{"on": "w.left", "temperature": "0 °C"}, {"on": "w.right", "temperature": "9 °C"}]
    fitting = solved(turned, ends)
    assert fitting.exact is not None and fitting.exact.name == "hollow-cylinder"
    leaking = solved(turned, [*ends, {"on": "w.last cut", "film": {"h": "5 W/(m² K)", "temperature": "0 °C"}}])
    assert leaking.exact is None
    assert leaking.geometry is not None and leaking.problem is not None and fitting.problem is not None
    for name, words in (("hollow-cylinder", "as in any section"), ("rod", "for rods"), ("sphere", "there is no exact")):
        with pytest.raises(ReferenceRefusedError, match=words):
            exact_field(name, leaking.geometry, leaking.problem)
    rod = Flow().answered(family("rod-held-tip").case())
    assert rod.geometry is not None and rod.problem is not None
    with pytest.raises(ReferenceRefusedError, match="is 'rod'"):
        exact_field("plane-wall", rod.geometry, rod.problem)


def test_a_chain_that_nothing_anchors_or_that_is_held_along_is_refused() -> None:
    piece = RodPiece(1.0, 1e-4, 0.04, 20.0, Side(flux=3.0))
    with pytest.raises(ReferenceRefusedError, match="any temperature would do"):
        RodChain((piece,), Side(), Side(flux=2.0))
    with pytest.raises(ReferenceRefusedError, match="held at a temperature"):
        RodChain((RodPiece(1.0, 1e-4, 0.04, 20.0, Side(held=300.0)),), Side(held=280.0), Side())


def test_the_waves_of_a_rod_are_those_of_the_books() -> None:
    """Incropera table 3.4, all four tips, by hand: 1 m of 1 cm² with 4 cm round, k 40, h 10."""
    m, excess = math.sqrt(10 * 0.04 / (40 * 1e-4)), 80.0
    root = 40 * 1e-4 * m * excess
    share = 10 / (m * 40)
    tips = {
        Side(): math.tanh(m),
        Side(held=320.0): (math.cosh(m) - 20 / 80) / math.sinh(m),
        Side(h=10.0, fluid=300.0): (math.sinh(m) + share * math.cosh(m)) / (math.cosh(m) + share * math.sinh(m)),
    }
    for tip, expected in tips.items():
        chain = RodChain((RodPiece(1.0, 1e-4, 0.04, 40.0, Side(h=10.0, fluid=300.0)),), Side(held=380.0), tip)
        assert chain.heat_along(0, 0.0) == pytest.approx(root * expected, rel=1e-12)
    long = RodChain((RodPiece(90.0, 1e-4, 0.04, 40.0, Side(h=10.0, fluid=300.0)),), Side(held=380.0), Side())
    assert long.heat_along(0, 0.0) == pytest.approx(root, rel=1e-12)
    assert long.temperature_at(np.array([0.05]))[0] == pytest.approx(300 + 80 * math.exp(-m * 0.05), rel=1e-12)
