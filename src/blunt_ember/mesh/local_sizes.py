"""Places of a body that have cells of their own size, or so many by hand, put where its mesher looks for them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeVar

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.case_document import LocalSize
from blunt_ember.case.faults.structure_faults import unknown_name
from blunt_ember.case.values.display import shown
from blunt_ember.case.values.units import LENGTH
from blunt_ember.errors import CaseError, Fault
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh_request import MeshRequest
from blunt_ember.mesh.planar.size_field import LocalSizes

MAX_CELLS = 4_000_000


@immutable
class LocalCells:
    """Places of a plan that have cells of their own size, ``dense`` ones all over it, and divisions by hand of its
    surfaces; ``free`` where the sizes are stated, which no lattice can follow; and heights of a stacked body in m with
    cells of their own height."""

    sizes: list[tuple[Floats, float]]
    by_hand: dict[str, int]
    heights: list[tuple[float, float]]
    free: bool = False
    dense: LocalSizes = ()


def local_cells(geometry: SectionGeometry | SolidGeometry, request: MeshRequest) -> LocalCells:
    """Put what is asked of single places on the plan of a body, which a section is itself.

    Raises :class:`CaseError` for a surface there is not, or that cannot be divided so.
    """
    plan, wish, refinement = geometry.plan, request.wish, request.refinement
    sizes: list[tuple[Floats, float]] = []
    by_hand: dict[str, int] = {}
    heights: list[tuple[float, float]] = []
    for number, entry in enumerate(wish.local):
        if entry.at is not None and entry.size is not None:
            place = np.array([[coordinate.si for coordinate in entry.at]])
            _require_large(number, entry.size.si, refinement, float(np.max(np.subtract(plan.high, plan.low))))
            level = geometry.levels_at(place)
            heights += [] if level is None else [(float(level[0]), entry.size.si)]
            sizes.append((geometry.plan_of(place)[0], entry.size.si / refinement))
        for name in (member for stated in entry.surfaces for member in request.members_of(stated)):
            lengths = {each: plan.surfaces[each].length for each in geometry.in_plan(name)}
            if not lengths:
                heights += _at_heights(geometry, name, number, entry)
                continue
            shares = shared_out(entry.divisions, lengths) if entry.divisions is not None else {}
            by_hand.update(shares)
            for each, length in lengths.items():
                size = entry.size.si if entry.size is not None else length / shares[each]
                require_few(2 * length / size * refinement)
                sizes.append((_along(plan, each, size / refinement), size / refinement))
    free = bool(sizes) and any(entry.size is not None for entry in wish.local)
    return LocalCells(sizes, by_hand, heights, free or bool(request.finer), request.finer)


def _at_heights(
    geometry: SectionGeometry | SolidGeometry, name: str, number: int, entry: LocalSize
) -> list[tuple[float, float]]:
    """The heights of a surface that bounds a stacked body below or above, with the size of cells there."""
    where = ("mesh", "local", number)
    if name not in geometry.surfaces:
        raise CaseError((unknown_name((*where, "on"), f"there is no surface '{name}'", name, geometry.surfaces),))
    levels = geometry.levels_of(name)
    if levels is None:
        what = f"'{name}' lies across the turn, whose cells are even; state this on surfaces beside it or at points"
        raise CaseError((Fault((*where, "on"), what),))
    if entry.size is None:
        what = f"'{name}' lies across the sweep; state the 'size' of cells on it, or divide its sides"
        raise CaseError((Fault((*where, "divisions"), what),))
    require_few(2 * (geometry.high[-1] - geometry.low[-1]) / entry.size.si)
    return [(level, entry.size.si) for level in levels]


CutKey = TypeVar("CutKey")
#: Sizes at a point over the extent of the body, as stated, and where cells are divided further.
_LEAST, _LEAST_DIVIDED = 4e-7, 1.5e-7


def shared_out(count: int, lengths: Mapping[CutKey, float]) -> dict[CutKey, int]:
    """Share divisions out among pieces by their lengths, at least one each."""
    left, span = count, sum(lengths.values())
    shares = {}
    for place, (key, length) in enumerate(lengths.items()):
        after = len(lengths) - place - 1
        shares[key] = max(1, min(round(left * length / max(span, 1e-300)), left - after))
        left, span = left - shares[key], span - length
    return shares


def _along(geometry: SectionGeometry, surface: str, size: float) -> Floats:
    """Places along a surface, about two for every cell."""
    curves = geometry.arrangement.curves.take(geometry.surfaces[surface].edges)
    counts = np.ceil(2 * curves.length / size).astype(np.int64) + 1
    owner = np.repeat(np.arange(len(curves)), counts)
    number = np.arange(len(owner)) - np.repeat(np.cumsum(counts) - counts, counts)
    return curves.take(owner).at(number / np.maximum(counts[owner] - 1, 1))


def _require_large(number: int, size: float, refinement: float, extent: float) -> None:
    """Raise :class:`CaseError` for cells so small beside the body that their places lose their digits."""
    least = extent * max(_LEAST, _LEAST_DIVIDED * refinement)
    if size < least:
        where = ("mesh", "local", number, "size")
        what = (
            f"this is less than a millionth of the body, where places lose their digits; state {shown(least, LENGTH)}"
        )
        raise CaseError((Fault(where, f"{what} or more"),))


def require_few(cells: float) -> None:
    """Raise :class:`CaseError` for more cells than a body may have."""
    if cells > MAX_CELLS:
        what = f"this size gives {cells:,.0f} cells, more than the {MAX_CELLS:,} a body may have; state a larger size"
        raise CaseError((Fault(("mesh", "size"), what),))
