"""Facets of a section that follow each other, gathered into patches of an even radiosity where they are many."""

from __future__ import annotations

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.immutable import immutable

#: Facets that turn by less run on, and by less run straight on, radians.
_ON, _STRAIGHT = 0.2, 1e-9
#: How long a patch is at most, as a share of how far the next corner is.
_GRADED = 0.2
#: From this share on they are all alike.
_ALIKE = 10.0


@immutable
class Runs:
    """What is seen in place of facets: straight pieces from ``start`` to ``end``, both (e, 2) in m, the ``owner`` (e,)
    of each among the patches, and the ``patch`` (m,) of every facet.

    Facets of a patch that run straight on are one piece.
    """

    start: Floats
    end: Floats
    owner: Ints
    patch: Ints


def gathered(points: Floats, corners: Ints, surface: Ints, most: int) -> Runs:
    """Return facets with ``corners`` (m, 2) among ``points`` (n, 2) in m, each of a ``surface`` (m,), in about ``most``
    patches at most; every facet is its own where they are fewer."""
    count = len(surface)
    start, end = points[corners[:, 0]], points[corners[:, 1]]
    if count <= most:
        return Runs(start, end, np.arange(count), np.arange(count))
    before, turn = _before(corners, surface, end - start)
    chain, place, loops = _along(before)
    order = np.lexsort((place, chain))
    patch = np.zeros(count, dtype=np.int64)
    patch[order] = _parted(chain[order], loops, np.linalg.norm(end - start, axis=1)[order], most)
    # Of every patch the first facet begins it, and the last one ends it.
    _, begins = np.unique(patch[order], return_index=True)
    begins, ends = order[begins], order[np.append(begins[1:], count) - 1]
    first = np.zeros(count, dtype=bool)
    first[begins] = True
    bent = np.zeros(int(patch.max()) + 1, dtype=bool)
    np.logical_or.at(bent, patch, ~first & (turn > _STRAIGHT))
    begins, ends = begins[~bent], ends[~bent]
    alone = np.flatnonzero(bent[patch])
    return Runs(
        np.concatenate([start[begins], start[alone]]),
        np.concatenate([end[ends], end[alone]]),
        np.concatenate([patch[begins], patch[alone]]),
        patch,
    )


def _parted(chain: Ints, loops: Flags, length: Floats, most: int) -> Ints:
    """The patch (m,) of facets of some ``length`` (m,) in m, in the order of their ``chain`` (m,), some of
    which are ``loops`` (c,).

    Patches become shorter towards the ends of a chain, where radiosities change most: to a share of how far these are.
    """
    end = np.cumsum(length)
    starts = np.flatnonzero(np.diff(chain, prepend=-1))
    stops = np.append(starts[1:], len(chain)) - 1
    own = np.repeat(np.arange(len(starts)), stops - starts + 1)
    middle = end - length / 2
    away = np.minimum(middle - (end - length)[starts][own], end[stops][own] - middle)
    away[loops[chain]] = np.inf
    share, graded = np.full(len(length), np.inf), _GRADED / 2
    while share.sum() + len(starts) > most and graded < _ALIKE:  # steeper where they are too many
        graded *= 2
        share = _shares(length, away, float(end[-1]), graded)
    low, high = 0.0, float(end[-1])
    for _ in range(60):
        long = (low + high) / 2
        fits = _shares(length, away, long, graded).sum() + len(starts) <= most
        low, high = (low, long) if fits else (long, high)
    share = _shares(length, away, high, graded)
    whole = np.cumsum(share)
    number = np.floor(whole - share / 2 - (whole - share)[starts][own]).astype(np.int64)
    _, patch = np.unique(np.column_stack([own, number]), axis=0, return_inverse=True)
    return patch.ravel().astype(np.int64)


def _shares(length: Floats, away: Floats, long: float, graded: float) -> Floats:
    """Which part (m,) of a patch each facet is, where these are at most so ``long``, m."""
    return np.minimum(length / np.minimum(long, graded * away), 1.0)


def _before(corners: Ints, surface: Ints, along: Floats) -> tuple[Ints, Floats]:
    """The facet (m,) that each goes on from, itself where there is none, and by how much (m,) it turns from it."""
    count = len(corners)
    arriving = np.full(int(corners.max()) + 1, -1)
    arriving[corners[:, 1]] = np.arange(count)
    before = arriving[corners[:, 0]]
    known = before >= 0
    angle = np.arctan2(along[:, 1], along[:, 0])
    turn = np.abs((angle - angle[before] + np.pi) % (2 * np.pi) - np.pi)
    goes_on: Flags = known & (surface[before] == surface) & (turn < _ON)
    return np.where(goes_on, before, np.arange(count)), turn


def _along(before: Ints) -> tuple[Ints, Ints, Flags]:
    """The chain (m,) of every facet, and how many stand before it there (m,); and which chains (c,) are loops, which
    are opened at one of them."""
    count = len(before)
    every = np.arange(count)
    graph = coo_array((np.ones(count), (every, before)), shape=(count, count))
    number, chain = connected_components(graph, directed=False)
    begun = np.zeros(number, dtype=bool)
    begun[chain[before == every]] = True
    _, some = np.unique(chain, return_index=True)
    before = before.copy()
    before[some[~begun]] = some[~begun]
    place, back = (before != every).astype(np.int64), before
    for _ in range(int(count).bit_length()):  # twice as far back every time
        place, back = place + place[back], back[back]
    return chain.astype(np.int64), place, ~begun
