"""What facets see of each other, before it is closed."""

from __future__ import annotations

from dataclasses import dataclass

from blunt_ember.arrays import Floats, Ints


@dataclass(frozen=True)
class Views:
    """Areas times view factors ``exchange`` (p, p) in m² of patches, and their ``size`` (p,) in m² as flat as they are
    seen; ``patch`` (m,) is that of every facet.

    Where ``ends_meet``, patches leave no gap between each other, and below the ``least`` share of all that is seen
    there is no opening.
    """

    exchange: Floats
    size: Floats
    patch: Ints
    least: float
    ends_meet: bool
