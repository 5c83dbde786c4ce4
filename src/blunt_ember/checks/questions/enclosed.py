"""What questions read of the surfaces of enclosures: once of a steady solution, else at every kept field of a run."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.enclosures import OPENING
from blunt_ember.case.document.places import SurfaceNames
from blunt_ember.case.document.questions.question import RadiatedHow
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.fem.radiated import Radiated


def radiation_of(solved: SolvedField, surface: SurfaceNames, how: RadiatedHow) -> Floats:
    """Return what a surface emits, receives …, W (k,)."""

    def read(found: Radiated, own: list[int]) -> float:
        return float(found.of(how)[own].sum())

    return _read(solved, (surface,), read)


def view_factor_of(solved: SolvedField, first: str, second: str) -> Floats:
    """Return a view factor (k,); NaN from an opening that is not there."""

    def read(found: Radiated, own: list[int], other: list[int]) -> float:
        area = float(found.areas[own].sum())
        return float(found.seen[np.ix_(own, other)].sum()) / area if area > 0 else float("nan")

    return _read(solved, (first, second), read)


def exchanged_of(solved: SolvedField, first: str, second: str) -> Floats:
    """Return the net heat radiated from one surface to another, W (k,)."""

    def read(found: Radiated, own: list[int], other: list[int]) -> float:
        return float(found.exchanged[np.ix_(own, other)].sum())

    return _read(solved, (first, second), read)


def _read(solved: SolvedField, names: tuple[SurfaceNames, ...], read: Callable[..., float]) -> Floats:
    members = [(name,) if name == OPENING else solved.document.members_of(name) for name in names]
    values = []
    for enclosures in solved.radiated:
        known = [each for each in enclosures if all(_holds(each, name) for own in members for name in own)]
        values.append(read(known[0], *([known[0].place(name) for name in own] for own in members)) if known else np.nan)
    return np.array(values)


def _holds(found: Radiated, name: str) -> bool:
    return name == OPENING or name in found.surfaces
