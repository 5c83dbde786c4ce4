"""Parts of surfaces with names of their own: outlines cut where a part begins and ends."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.document.case_document import SurfacePart
from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.errors import CaseError, Fault
from blunt_ember.geometry.arrangement import Arrangement
from blunt_ember.geometry.curves import Curves, joined

PartsByName = Mapping[str, SurfacePart]
#: How far from a surface a place may be stated that is meant to lie on it, as a share of the body.
_OFF = 1e-3


def part_fault(name: str, key: str, what: str) -> CaseError:
    """Return the error for a part of a surface that cannot be."""
    return CaseError((Fault(("surfaces", name, key), what),))


def require_surface(name: str, part: SurfacePart, known: Sequence[str]) -> None:
    """Raise :class:`CaseError` when a part is stated on a surface that is not there."""
    if part.on not in known:
        raise part_fault(name, "on", f"there is no surface '{part.on}'{nearest(part.on, known)}")


def cut_at(
    plan: Arrangement, edges: Ints, name: str, ends: Mapping[str, Floats], extent: float
) -> tuple[Arrangement, Ints]:
    """Return the arrangement with some of its ``edges`` cut at the ``ends`` of a part, by key, each (2,) in m.

    The edges between the ends come with it. Raises :class:`CaseError` for an end that lies off the edges.
    """
    chosen = edges.tolist()
    for key, place in ends.items():
        curves = plan.curves.take(np.array(chosen))
        places = np.tile(place, (len(chosen), 1))
        share = np.clip(curves.share_of(places), 0.0, 1.0)
        away = np.linalg.norm(curves.at(share) - place, axis=1)
        nearest_edge = int(away.argmin())
        if away[nearest_edge] > _OFF * extent:
            where = ", ".join(f"{coordinate:.6g} m" for coordinate in place.tolist())
            raise part_fault(name, key, f"({where}) does not lie on the surface")
        at, slack = float(share[nearest_edge]), 1e-9 * extent / float(curves.length[nearest_edge])
        if slack < at < 1 - slack:
            plan = _cut(plan, chosen[nearest_edge], at)
            chosen.append(len(plan.start) - 1)
    within = _between(plan, np.array(chosen), *ends.values())
    if not len(within):
        raise part_fault(name, "end", "nothing of the surface lies between its start and its end")
    return plan, within


def _cut(plan: Arrangement, edge: int, share: float) -> Arrangement:
    """Cut one edge; its second piece comes last."""
    whole = plan.curves.take(np.array([edge]))
    corner = whole.at(np.array([share]))
    first = Curves(whole.start, corner, whole.centre, whole.sweep * share)
    second = Curves(corner, whole.end, whole.centre, whole.sweep * (1 - share))
    before, after = plan.curves.take(np.arange(edge)), plan.curves.take(np.arange(edge + 1, len(plan.start)))
    new = len(plan.points)
    start, end = np.append(plan.start, new), np.append(plan.end, plan.end[edge])
    end[edge] = new
    return Arrangement(
        np.concatenate([plan.points, corner]),
        start,
        end,
        joined([before, first, after, second]),
        np.append(plan.left, plan.left[edge]),
        np.append(plan.right, plan.right[edge]),
        (*plan.side, plan.side[edge]),
    )


def _between(plan: Arrangement, edges: Ints, start: Floats, end: Floats) -> Ints:
    """Return the edges between two places: along a straight run from one to the other, on an arc counter-clockwise."""
    curves = plan.curves.take(edges)
    middle = curves.at(np.full(len(edges), 0.5))
    along = end - start
    share = ((middle - start) @ along) / max(float(along @ along), 1e-300)

    def angle(places: Floats) -> Floats:
        away = places - curves.centre
        return np.arctan2(away[:, 1], away[:, 0])

    turn = 2 * np.pi
    first = angle(np.tile(start, (len(edges), 1)))
    sweep = (angle(np.tile(end, (len(edges), 1))) - first) % turn
    round_ = (angle(middle) - first) % turn < np.where(sweep < 1e-9, turn, sweep)
    return edges[np.where(curves.is_arc, round_, (share > 0) & (share < 1))]
