"""Charts drawn by matplotlib into images."""

from __future__ import annotations

from typing import Any

import matplotlib as mpl
import numpy as np
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure
from matplotlib.ticker import MaxNLocator
from numpy.typing import NDArray

from blunt_ember.case.display import ZERO_CELSIUS
from blunt_ember.checks.profile import Profile
from blunt_ember.picture.palette import Theme

Image = NDArray[np.uint8]
#: Points of a figure at 100 dots an inch are close to the pixels of an ordinary screen.
_DPI = 100


class ProfileChart:
    """Temperature along a line, the exact curve over the mesh curve and their difference below."""

    def __init__(self) -> None:
        self._figure = Figure(dpi=_DPI)
        self._canvas = FigureCanvasAgg(self._figure)

    def draw(self, profile: Profile, width: int, height: int, theme: Theme, pixel_ratio: float = 1.0) -> Image:
        """Return the chart as (height, width, 4) bytes RGBA."""
        figure = self._figure
        figure.clear()
        figure.set_dpi(_DPI * pixel_ratio)
        figure.set_size_inches(max(width, 80) / _DPI, max(height, 60) / _DPI)
        figure.set_facecolor(theme.paper)
        compared = profile.exact is not None
        with mpl.rc_context(chart_style(theme)):
            axes = figure.subplots(2 if compared else 1, 1, sharex=True, squeeze=False,
                                   height_ratios=[3, 1] if compared else [1])[:, 0]  # fmt: skip
            self._temperature(axes[0], profile, theme)
            if profile.exact is not None:
                self._difference(axes[1], profile.distance, profile.mesh - profile.exact, theme)
            axes[-1].set_xlabel("distance, mm", labelpad=2)
            axes[0].set_xlim(0, profile.distance[-1] * 1000)
            left, right = 62 / max(width, 80), 1 - 14 / max(width, 80)
            bottom, top = 36 / max(height, 60), 1 - 22 / max(height, 60)
            figure.subplots_adjust(left, bottom, right, max(top, bottom + 0.1), hspace=0.16)
            self._canvas.draw()  # type: ignore[no-untyped-call]
        return np.array(self._canvas.buffer_rgba())  # type: ignore[no-untyped-call]

    @staticmethod
    def _temperature(axes: mpl.axes.Axes, profile: Profile, theme: Theme) -> None:
        x = profile.distance * 1000
        axes.plot(x, profile.mesh - ZERO_CELSIUS, color=theme.ember, linewidth=3.4, alpha=0.55, label="mesh",
                  solid_capstyle="butt")  # fmt: skip
        if profile.exact is not None:
            axes.plot(x, profile.exact - ZERO_CELSIUS, color=theme.ink, linewidth=1.0, label="exact")
        axes.text(-0.008, 1.02, "°C", transform=axes.transAxes, ha="right", va="bottom", color=theme.quiet)
        axes.yaxis.set_major_locator(MaxNLocator(nbins=4, min_n_ticks=3))
        axes.legend(loc="upper right", frameon=False, fontsize=8, labelcolor=theme.ink)
        axes.tick_params(labelbottom=profile.exact is None)
        ends = [start * 1000 for start, _ in profile.joints[1:]] + [x[-1]]
        for (start, name), end in zip(profile.joints, ends, strict=True):
            if start > 0:
                axes.axvline(start * 1000, color=theme.hairline, linewidth=1, zorder=0)
            if end - start * 1000 > 0.07 * x[-1]:
                axes.text((start * 1000 + end) / 2, 1.02, name, transform=axes.get_xaxis_transform(), ha="center",
                          va="bottom", fontsize=8, color=theme.quiet)  # fmt: skip

    @staticmethod
    def _difference(
        axes: mpl.axes.Axes, distance: NDArray[np.float64], difference: NDArray[np.float64], theme: Theme
    ) -> None:
        axes.axhline(0, color=theme.hairline, linewidth=1)
        axes.plot(distance * 1000, difference, color=theme.teal, linewidth=1.2)
        largest = float(np.nanmax(np.abs(difference)))
        limit = max(largest * 1.3, 1e-6)
        axes.set_ylim(-limit, limit)
        axes.set_yticks([0.0])
        axes.set_yticklabels(["0"])
        axes.set_ylabel("Δ, K", rotation=0, labelpad=18, va="center")
        said = f"mesh − exact: at most {largest:.1e} K" if largest < 0.01 else f"mesh − exact: at most {largest:.3g} K"
        axes.text(0.995, 0.95, said, transform=axes.transAxes, ha="right", va="top", fontsize=8, color=theme.quiet)


def chart_style(theme: Theme) -> dict[Any, Any]:
    """Return the matplotlib settings of a theme."""
    return {
        "font.family": "DejaVu Sans", "font.size": 8.5, "text.color": theme.ink, "axes.labelcolor": theme.quiet,
        "axes.edgecolor": theme.hairline, "axes.facecolor": theme.paper, "xtick.color": theme.quiet,
        "ytick.color": theme.quiet, "axes.spines.top": False, "axes.spines.right": False, "axes.linewidth": 1.0,
        "axes.unicode_minus": True, "axes.formatter.useoffset": False,
    }  # fmt: skip
