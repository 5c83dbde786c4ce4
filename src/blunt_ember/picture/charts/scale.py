"""The scale of a chart about curves that do not change."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.units import TEMPERATURE, Kind

if TYPE_CHECKING:
    from matplotlib.axes import Axes


#: What changes by less than this share of its size stands still: round-off would fill the scale, in numbers too long
#: to be read.
_STILL, _STILL_TEMPERATURE = 1e-5, 1e-6


def rest_still(axes: Axes, values: Floats, kind: Kind) -> None:
    """Widen the scale about ``values`` in SI that stand still: of temperatures to 1 K each way, else to a tenth."""
    known = values[np.isfinite(values)]
    size = float(np.abs(known).max()) if len(known) else 0.0
    warm = kind.dimension == TEMPERATURE.dimension
    if not len(known) or np.ptp(known) >= (_STILL_TEMPERATURE if warm else _STILL) * size > 0:
        return
    shown = known * kind.factor - kind.zero
    middle = float(shown.min() + shown.max()) / 2
    reach = 1.15 if warm else 0.1 * abs(middle) or 1.0
    axes.set_ylim(middle - reach, middle + reach)
