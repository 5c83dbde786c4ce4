"""A thin strip of a section, and places along its two long sides."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.geometry.arrangement import Arrangement
from blunt_ember.immutable import immutable

#: Nodes nearer to a corner than this share of the next step are left out, and shares that differ by less are one.
_NEAR, _SAME = 0.4, 1e-9
#: Where along a strip it is looked how thick it is.
_LOOKED_AT = np.linspace(0, 0.95, 20)
_KEYS = ("low", "high", "back", "edge")


@immutable
class Strip:
    """A part of a ``region`` between two ``long`` sides, each a chain of edges run through in one direction (where it
    is against the edge, ``back``), and the two ``short`` edges from the first to the second, at the start and end; none
    where it goes all round."""

    region: int
    long: tuple[Ints, Ints]
    back: tuple[Flags, Flags]
    short: tuple[int, ...]


@immutable
class Piece:
    """An ``edge`` of a long side: from share ``low`` to ``high`` of it, run through ``back`` to front or not."""

    edge: int
    low: float
    high: float
    back: bool

    def along(self, shares: Sequence[Floats]) -> Floats:
        """Where the divisions of the edge lie along the side."""
        return np.sort(self.places(shares[self.edge]))

    def places(self, share: Floats) -> Floats:
        """Return shares of the side from ``share`` (n,) of the edge."""
        return self.low + (self.high - self.low) * (1 - share if self.back else share)

    def shares_of(self, places: Floats) -> Floats:
        """Return the divisions of the edge at ``places`` along the side, without those that are near its ends."""
        own = (places - self.low) / (self.high - self.low)
        own = own[(own > _SAME) & (own < 1 - _SAME)]
        if len(own):
            step = np.diff(own, prepend=0.0, append=1.0)
            whole = float(np.median(step))
            own = own[(own > _NEAR * min(whole, 1.0)) & (1 - own > _NEAR * min(whole, 1.0))]
        found = np.concatenate([[0.0], own, [1.0]])
        return np.sort(1 - found) if self.back else found


def side_of(plan: Arrangement, strip: Strip, which: int) -> list[Piece]:
    """Return the pieces of one of the two long sides."""
    edges = strip.long[which]
    ends = np.concatenate([[0.0], np.cumsum(plan.curves.length[edges])]) / plan.curves.length[edges].sum()
    back: list[bool] = strip.back[which].tolist()
    pairs = zip(edges.tolist(), pairwise(ends.tolist()), back, strict=True)
    return [Piece(edge, low, high, against) for edge, (low, high), against in pairs]


def places_on(plan: Arrangement, side: Sequence[Piece], places: Floats) -> Floats:
    """Return the points (n, 2) in m at ``places`` (n,) along a side."""
    number = np.clip(np.searchsorted([each.high for each in side], places), 0, len(side) - 1)
    low, high, back, edge = (np.array([getattr(each, key) for each in side])[number] for key in _KEYS)
    share = (places - low) / (high - low)
    return plan.curves.take(edge).at(np.where(back, 1 - share, share))


def thickness_along(plan: Arrangement, strip: Strip) -> Floats:
    """Return how thick a strip is at places all along it, (n,) in m."""
    near, far = (places_on(plan, side_of(plan, strip, which), _LOOKED_AT) for which in (0, 1))
    return np.asarray(np.linalg.norm(near - far, axis=1))
