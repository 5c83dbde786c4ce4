"""Where what pairs of facets exchange is summed: by patches, and by what their images are."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.immutable import immutable


@immutable
class Into:
    """The first facets are ``looking``, each for a row ``rows`` (p,); all are looked at, for ``columns`` (m,).

    A facet that is looking has the same number in both.
    """

    rows: Ints
    columns: Ints
    shape: tuple[int, int]

    @property
    def looking(self) -> int:
        """How many facets look."""
        return len(self.rows)

    def nothing(self) -> Floats:
        """Return zeros to sum into."""
        return np.zeros(self.shape)

    def add(self, found: Floats, first: Ints, second: Ints, seen: Floats) -> None:
        """Add what pairs of facets exchange, ``first`` of which look; both ways where the other one looks too."""
        np.add.at(found, (self.rows[first], self.columns[second]), seen)
        both = (second < self.looking) & (first != second)
        np.add.at(found, (self.rows[second[both]], self.columns[first[both]]), seen[both])


def every_one(count: int) -> Into:
    """Return a row and a column for each of ``count`` facets."""
    own = np.arange(count)
    return Into(own, own, (count, count))
