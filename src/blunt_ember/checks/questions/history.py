"""What a question reads at every instant of a run, with the exact curve where one is known."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.units import Kind
from blunt_ember.checks.source import Source
from blunt_ember.immutable import immutable

#: Instants at which exact curves are evaluated at most.
_MOST_EXACT = 240


@immutable
class History:
    """``values`` (k,) in SI at the instants of the run; ``exact`` (m,) at ``exact_times`` (m,) in s, some of them."""

    name: str
    kind: Kind
    values: Floats
    exact_times: Floats
    exact: Floats | None
    source: Source | None


def thinned(times: Floats, most: int = _MOST_EXACT) -> Floats:
    """Return the first, the last and evenly many of the instants between."""
    if len(times) <= most:
        return times
    return times[np.unique(np.linspace(0, len(times) - 1, most).astype(int))]
