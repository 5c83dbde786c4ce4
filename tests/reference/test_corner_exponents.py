"""Exponents of corners beside known ones, beside an eigenvalue problem of many slices, and on a mesh."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.linalg import eigh, eigh_tridiagonal

from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.values.textbook.registry import TEXTBOOK
from blunt_ember.errors import CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family

TURN = np.pi / 180


def sliced(k: tuple[float, ...], angles: tuple[float, ...], held: tuple[bool, bool]) -> float:
    """The least λ of −(k T')' = λ² k T over the angle, by linear elements with masses at their nodes."""
    steps = np.concatenate([np.full(2000, angle / 2000) for angle in angles])
    across = np.repeat(k, 2000)
    stiff, mass = across / steps, across * steps / 2
    diagonal, masses = np.r_[stiff, 0] + np.r_[0, stiff], np.r_[mass, 0] + np.r_[0, mass]
    free = slice(1 if held[0] else 0, -1 if held[1] else None)
    root = np.sqrt(masses[free])
    between = -stiff[1 if held[0] else 0 : len(stiff) - (1 if held[1] else 0)]
    found = eigh_tridiagonal(
        diagonal[free] / root**2, between / (root[1:] * root[:-1]), eigvals_only=True, select="i", select_range=(0, 1)
    )
    return float(np.sqrt(max(found[0] if any(held) else found[1], 0)))


def sliced_all_round(k: tuple[float, ...], angles: tuple[float, ...]) -> float:
    """The same where the last slice meets the first."""
    steps = np.concatenate([np.full(240, angle / 240) for angle in angles])
    across = np.repeat(k, 240)
    stiff, mass = across / steps, across * steps / 2
    own = np.diag(stiff + np.roll(stiff, 1)) - np.diag(stiff[:-1], 1) - np.diag(stiff[:-1], -1)
    own[0, -1] = own[-1, 0] = -stiff[-1]
    return float(np.sqrt(eigh(own, np.diag(mass + np.roll(mass, 1)), eigvals_only=True, subset_by_index=(1, 1))[0]))


ENDINGS = [("_held", (True, True)), ("_insulated", (False, False)), ("_held_insulated", (True, False))]


@pytest.mark.parametrize(("ending", "held"), ENDINGS)
@pytest.mark.parametrize(
    ("k", "angles"),
    [
        ((1, 1), (90, 180)),
        ((1, 30), (90, 180)),
        ((30, 1), (40, 300)),
        ((1, 1e4), (90, 90)),
        ((5, 2), (10, 20)),
        ((1, 1, 1), (90, 30, 100)),
        ((1, 30, 2), (90, 60, 120)),
        ((1e3, 1, 40), (20, 200, 140)),
    ],
)
def test_an_exponent_is_the_least_of_its_slices(
    ending: str, held: tuple[bool, bool], k: tuple[float, ...], angles: tuple[float, ...]
) -> None:
    entry = TEXTBOOK[f"corner{'' if len(k) == 2 else '_of_three'}{ending}"]
    turns = tuple(angle * TURN for angle in angles)
    assert entry(*k, *turns) == pytest.approx(sliced(k, turns, held), rel=1e-5)
    if len(set(k)) == 1:
        expected = np.pi / sum(turns) * (0.5 if held[0] != held[1] else 1)
        assert entry(*k, *turns) == pytest.approx(expected, rel=1e-12)


@pytest.mark.parametrize(
    ("k", "angles"),
    [((1, 1), (90,)), ((1, 30), (90,)), ((1, 1, 1), (90, 60)), ((1, 30, 2), (90, 60)), ((9, 1, 9), (10, 170))],
)
def test_a_point_with_materials_all_round_it_is_the_least_of_its_slices(
    k: tuple[float, ...], angles: tuple[float, ...]
) -> None:
    entry = TEXTBOOK["point_of_two" if len(k) == 2 else "point_of_three"]
    turns = tuple(angle * TURN for angle in angles)
    rest = 2 * np.pi - sum(turns)
    assert entry(*k, *turns) == pytest.approx(sliced_all_round(k, (*turns, rest)), rel=2e-4)
    if len(set(k)) == 1:
        assert entry(*k, *turns) == pytest.approx(1, abs=1e-8)


@pytest.mark.one_in(2)
@pytest.mark.parametrize(
    ("k_dense", "mesh"),
    [
        ("1.9 W/(m K)", {"size": "auto"}),
        ("30 W/(m K)", {"size": "auto"}),
        ("30 W/(m K)", {"size": "9 mm"}),
        ("1.9 W/(m K)", {"size": "4 mm", "order": 1}),
        ("30 W/(m K)", {"size": "1.5 mm"}),
    ],
)
def test_errors_about_a_corner_of_two_materials_hold_what_they_say(k_dense: str, mesh: dict[str, str | int]) -> None:
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
        Flow().answered(case.restated({**case.data, "mesh": tiny}))
