"""A chart that knows where on it the points of a study stand, so that one can be taken."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.units import Kind
from blunt_ember.picture.charts.charts import chart_style
from blunt_ember.picture.charts.plot import DPI
from blunt_ember.picture.palette import Theme

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


#: Room beside the axes, in pixels: left, right, bottom, top.
MARGINS = (74, 14, 36, 22)
#: How near to a place one must point to take it, pixels.
_NEAR = 14.0


class StudyPlot:
    """Fills a figure; ``places`` (p, 2) are where its points stand then, in pixels from the upper left, and ``numbers``
    (p,) which points of the study they are."""

    #: What one reads off it, for those who do not see it.
    title = "study"
    margins = MARGINS

    def __init__(self) -> None:
        self.places: Floats = np.zeros((0, 2))
        self.numbers: Sequence[int] = ()

    def __call__(self, figure: Figure, width: int, height: int, theme: Theme) -> None:
        """Fill a figure of a width and a height in pixels."""
        import matplotlib as mpl

        with mpl.rc_context(chart_style(theme)):
            axes, at = self.fill(figure, theme, width, height)
        left, right, bottom, top = self.margins
        low, high = bottom / height, max(1 - top / height, bottom / height + 0.1)
        figure.subplots_adjust(left / width, low, 1 - right / width, high, hspace=0.3)
        if len(at):
            axes.get_xlim(), axes.get_ylim()  # limits are found when they are asked for
            pixels = np.asarray(axes.transData.transform(at)) * (DPI / figure.dpi)
            self.places = np.stack([pixels[:, 0], height - pixels[:, 1]], axis=1)

    def fill(self, figure: Figure, theme: Theme, width: int, height: int) -> tuple[Axes, Floats]:
        """Draw; return axes and where the points (p, 2) of :attr:`numbers` stand in their units."""
        raise NotImplementedError

    def point_near(self, x: float, y: float) -> int | None:
        """Return which point of the study stands near a place in pixels, the nearest one."""
        if not len(self.places):
            return None
        away = np.hypot(*(self.places - [x, y]).T)
        nearest = int(np.nanargmin(away)) if np.isfinite(away).any() else -1
        return self.numbers[nearest] if nearest >= 0 and away[nearest] <= _NEAR else None


def name_axes(axes: Axes, over: str, said: str, theme: Theme) -> None:
    """Say under the axes what they run over, and above them what is drawn."""
    axes.set_xlabel(over, labelpad=2)
    axes.text(0.0, 1.02, said, transform=axes.transAxes, ha="left", va="bottom", color=theme.quiet)


def with_unit(name: str, kind: Kind) -> str:
    """Return a name with the unit its values are shown in."""
    return f"{name}, {kind.shown}" if kind.shown else name
