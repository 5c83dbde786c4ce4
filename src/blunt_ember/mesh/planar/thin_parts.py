"""Which parts of a section are thin strips: with four corners, two of whose sides are very short beside the others, or
between two loops that are everywhere near each other."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.geometry.arrangement import VOID, Arrangement
from blunt_ember.mesh.planar.strips import Strip, thickness_along

#: How many times longer than wide a strip is, at least, and how much finer than other cells it would be meshed.
_SLENDER, _FINER = 60.0, 8.0
#: Sides that turn by less go on, radians.
_STRAIGHT_ON = 0.2
#: How much thicker than its ends a strip may be.
_BULGING = 3.0


def strips_of(plan: Arrangement, wide: float) -> tuple[Strip, ...]:
    """Return the strips of an arrangement that are thinner than ``wide`` in m, of regions that have no other parts."""
    found: list[Strip] = []
    for region in np.unique(np.concatenate([plan.left, plan.right])).tolist():
        if region == VOID:
            continue
        parts: list[Strip] = []
        loops = list(_loops(plan, region))
        ring = _ring(plan, region, loops, wide) if len(loops) == 2 else None
        if ring is not None:
            found.append(ring)
            continue
        for loop in loops:
            strip = _strip(plan, region, loop, wide)
            if strip is None:
                break
            parts.append(strip)
        else:
            found += parts
    return tuple(found)


def tips_of(plan: Arrangement, strips: Sequence[Strip]) -> list[tuple[Floats, float]]:
    """Return the ends (2, 2) in m of strips that something is bonded to, each with its length: heat crowds there."""
    found = []
    for strip in strips:
        sides = np.concatenate(strip.long)
        if strip.short and ((plan.left[sides] != VOID) & (plan.right[sides] != VOID)).any():
            ends = [np.array([plan.start[edge], plan.end[edge]]) for edge in strip.short]
            found += [
                (plan.points[corners], float(plan.curves.length[edge]))
                for corners, edge in zip(ends, strip.short, strict=True)
            ]
    return found


def thinner_than(size: float, across: float) -> float:
    """Return how thin in m a strip is that cells of a ``size``, with so many ``across`` it, are far too large for."""
    return size * across / _FINER


def _strip(plan: Arrangement, region: int, loop: list[tuple[int, bool]], wide: float) -> Strip | None:
    """The strip that a loop of edges bounds, each with whether it is run through backwards; or None."""
    edges, back, sharp = _corners(plan, loop)
    corners = np.flatnonzero(sharp)
    if len(corners) != 4:
        return None
    edges, back = np.roll(edges, -corners[0]), np.roll(back, -corners[0])
    ends = np.append(corners - corners[0], len(edges))
    sides = [np.arange(low, high) for low, high in pairwise(ends.tolist())]
    length = [float(plan.curves.length[edges[side]].sum()) for side in sides]
    if length[0] < length[1]:
        sides, length = sides[1:] + sides[:1], length[1:] + length[:1]
    thick, slender = max(length[1], length[3]), min(length[0], length[2])
    if len(sides[1]) != 1 or len(sides[3]) != 1 or slender < _SLENDER * thick or thick >= wide:
        return None
    first, second = sides[0], sides[2][::-1]
    found = Strip(
        region,
        (edges[first], edges[second]),
        (back[first], ~back[second]),
        (int(edges[sides[3]][0]), int(edges[sides[1]][0])),
    )
    return found if thickness_along(plan, found).max() < _BULGING * thick else None


def _ring(plan: Arrangement, region: int, loops: Sequence[list[tuple[int, bool]]], wide: float) -> Strip | None:
    """The strip between two loops that turn nowhere sharply and begin at about one place; or None."""
    chains = []
    for loop in loops:
        if _corners(plan, loop)[2].any():
            return None
        chains.append((np.array([edge for edge, _ in loop]), np.array([back for _, back in loop])))
    (first, first_back), (second, second_back) = chains
    second, second_back = second[::-1], ~second_back[::-1]
    start = _starts(plan, first[:1], first_back[:1])[0]
    nearest = int(np.linalg.norm(_starts(plan, second, second_back) - start, axis=1).argmin())
    second, second_back = np.roll(second, -nearest), np.roll(second_back, -nearest)
    found = Strip(region, (first, second), (first_back, second_back), ())
    across = thickness_along(plan, found)
    length = min(float(plan.curves.length[side].sum()) for side in found.long)
    if across.max() >= min(wide, length / _SLENDER) or across.max() > _BULGING * across.min():
        return None
    return found


def _starts(plan: Arrangement, edges: Ints, back: Flags) -> Floats:
    """Where edges (n,) begin that are run through in a direction, (n, 2) in m."""
    return np.asarray(plan.points[np.where(back, plan.end[edges], plan.start[edges])])


def _corners(plan: Arrangement, loop: Sequence[tuple[int, bool]]) -> tuple[Ints, Flags, Flags]:
    """The edges of a loop, which of them are run through backwards, and where it turns before one."""
    edges = np.array([edge for edge, _ in loop])
    back = np.array([against for _, against in loop])
    curves = plan.curves.take(edges)
    leaving = np.where(back[:, None], -curves.direction(np.ones(len(edges))), curves.direction(np.zeros(len(edges))))
    arriving = np.where(back[:, None], -curves.direction(np.zeros(len(edges))), curves.direction(np.ones(len(edges))))
    before = np.roll(arriving, 1, axis=0)
    across = before[:, 0] * leaving[:, 1] - before[:, 1] * leaving[:, 0]
    turn = np.abs(np.arctan2(across, (before * leaving).sum(axis=1)))
    return edges, back, turn > _STRAIGHT_ON


def _loops(plan: Arrangement, region: int) -> Iterator[list[tuple[int, bool]]]:
    """The loops of edges round the parts of a region, which lies on their left, each edge with whether it is run
    through backwards."""
    own = [(int(edge), False) for edge in np.flatnonzero(plan.left == region)]
    own += [(int(edge), True) for edge in np.flatnonzero(plan.right == region)]
    leaving: dict[int, list[tuple[int, bool]]] = {}
    for edge, back in own:
        leaving.setdefault(int(plan.end[edge] if back else plan.start[edge]), []).append((edge, back))
    left = set(own)
    for first in own:
        if first not in left:
            continue
        loop = [first]
        left.discard(first)
        while True:
            edge, back = loop[-1]
            there = int(plan.start[edge] if back else plan.end[edge])
            after = [each for each in leaving.get(there, ()) if each in left]
            if not after:
                break
            loop.append(after[0])
            left.discard(after[0])
        yield loop
