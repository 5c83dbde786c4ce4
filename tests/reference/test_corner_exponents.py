"""Exponents of corners beside known ones, beside an eigenvalue problem of many slices, and on a mesh."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.linalg import eigh_tridiagonal

from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.values.textbook.registry import TEXTBOOK
from blunt_ember.errors import CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family

TURN = np.pi / 180


def sliced(k: tuple[float, float], angles: tuple[float, float], held: tuple[bool, bool]) -> float:
    """The least λ of −(k T')' = λ² k T over the angle, by linear elements with masses at their nodes."""
    counts = [2000, 2000]
    steps = np.concatenate([np.full(n, angle / n) for n, angle in zip(counts, angles, strict=True)])
    across = np.concatenate([np.full(n, each) for n, each in zip(counts, k, strict=True)])
    stiff, mass = across / steps, across * steps / 2
    diagonal, masses = np.r_[stiff, 0] + np.r_[0, stiff], np.r_[mass, 0] + np.r_[0, mass]
    free = slice(1 if held[0] else 0, -1 if held[1] else None)
    root = np.sqrt(masses[free])
    between = -stiff[1 if held[0] else 0 : len(stiff) - (1 if held[1] else 0)]
    found = eigh_tridiagonal(
        diagonal[free] / root**2, between / (root[1:] * root[:-1]), eigvals_only=True, select="i", select_range=(0, 1)
    )
    return float(np.sqrt(max(found[0] if any(held) else found[1], 0)))


@pytest.mark.parametrize(
    ("name", "held"),
    [("corner_held", (True, True)), ("corner_insulated", (False, False)), ("corner_held_insulated", (True, False))],
)
@pytest.mark.parametrize(
    ("k", "angles"),
    [((1, 1), (90, 180)), ((1, 30), (90, 180)), ((30, 1), (40, 300)), ((1, 1e4), (90, 90)), ((5, 2), (10, 20))],
)
def test_an_exponent_is_the_least_of_its_slices(
    name: str, held: tuple[bool, bool], k: tuple[float, float], angles: tuple[float, float]
) -> None:
    angles = angles[0] * TURN, angles[1] * TURN
    assert TEXTBOOK[name](*k, *angles) == pytest.approx(sliced(k, angles, held), rel=1e-5)
    if k[0] == k[1]:
        expected = np.pi / sum(angles) * (0.5 if held[0] != held[1] else 1)
        assert TEXTBOOK[name](*k, *angles) == pytest.approx(expected, rel=1e-12)


@pytest.mark.parametrize("mesh", [{"size": "auto"}, {"size": "9 mm"}, {"size": "4 mm", "order": 1}, {"size": "1.5 mm"}])
@pytest.mark.parametrize("k_dense", ["1.9 W/(m K)", "30 W/(m K)"])
def test_errors_about_a_corner_of_two_materials_hold_what_they_say(mesh: dict[str, str | int], k_dense: str) -> None:
    """The finest is told by larger cells."""
    case = with_value(family("edge-of-two-bricks").case(), ("parameters", "k_dense"), k_dense)
    for check in Flow().run(case.restated({**case.data, "mesh": mesh})).checks:
        assert abs(check.value - check.expected) <= check.error, check.name


def test_cells_too_small_beside_the_body_are_refused_with_the_least_size() -> None:
    case = family("edge-of-two-bricks").case()
    tiny = {**case.data["mesh"], "local": [{"at": ["0 mm", "0 mm"], "size": "R*1e-8"}]}
    with pytest.raises(
        CaseError, match=r"mesh.local\[0\].size: this is less than a millionth of the body.*state .* mm or more"
    ):
        Flow().run(case.restated({**case.data, "mesh": tiny}))
