"""Charts drawn by matplotlib into images."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from blunt_ember.arrays import Image
from blunt_ember.case.values.display import number
from blunt_ember.case.values.unit_sets import DEFAULT_UNITS, UnitSet
from blunt_ember.case.values.units import LENGTH, Kind
from blunt_ember.checks.questions.profile import Profile
from blunt_ember.picture.charts.plot import DPI, Plot
from blunt_ember.picture.charts.scale import rest_still
from blunt_ember.picture.palette import Theme

if TYPE_CHECKING:
    from matplotlib.artist import Artist
    from matplotlib.axes import Axes
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure
    from matplotlib.lines import Line2D
    from matplotlib.text import Text


#: Room beside the axes, in pixels: left, right, bottom, top.
LINE_MARGINS = (62, 26, 36, 22)
#: How far below the axes, past their ticks, the axis of distances is named, in points.
_LABEL_BELOW = -17.5
#: How the curves of other lines are told apart.
_STYLES = ("solid", "dashed", "dashdot", "dotted")


class ProfileChart:
    """What is read along a line, the exact curve over the mesh curve and their difference below.

    Axes are kept from one drawing to the next, as making them takes longer than drawing them.
    """

    def __init__(self, figure: Figure | None = None) -> None:
        from matplotlib.figure import Figure

        self._figure = figure or Figure(dpi=DPI)
        self._canvas: FigureCanvasAgg | None = None
        self._made_for: tuple[Theme, str, UnitSet, Kind] | None = None
        self._axes: list[Axes] = []
        self._lines: dict[str, Line2D] = {}
        self._said: Text | None = None
        self._passing: list[Artist] = []
        self._named: list[str] = []

    def draw(
        self,
        profile: Profile,
        width: int,
        height: int,
        theme: Theme,
        pixel_ratio: float = 1.0,
        units: UnitSet = DEFAULT_UNITS,
        beside: Sequence[Profile] = (),
    ) -> Image:
        """Return the chart as (height, width, 4) bytes RGBA, its axes in ``units``; other lines ``beside`` it."""
        from matplotlib.backends.backend_agg import FigureCanvasAgg

        width, height = max(width, 80), max(height, 60)
        # A canvas that stays knows how large texts are that come again.
        canvas = self._canvas = self._canvas or FigureCanvasAgg(self._figure)
        self._figure.set_dpi(DPI * pixel_ratio)
        self._figure.set_size_inches(width / DPI, height / DPI)
        self.fill(profile, width, height, theme, units, beside)
        canvas.draw()  # type: ignore[no-untyped-call]
        return np.array(canvas.buffer_rgba())  # type: ignore[no-untyped-call]

    def fill(
        self, profile: Profile, width: int, height: int, theme: Theme, units: UnitSet, beside: Sequence[Profile] = ()
    ) -> None:
        """Put the curves into the figure, which is so many pixels wide and high."""
        known = profile.source.provenance.value if profile.source is not None and profile.exact is not None else ""
        asked = (theme, known, units, profile.kind)
        if self._made_for != asked:
            self._make(*asked)
            self._made_for = asked
        self._show(profile, theme, units, beside)
        left, right, bottom, top = LINE_MARGINS
        low, high = bottom / height, max(1 - top / height, bottom / height + 0.1)
        self._figure.subplots_adjust(left / width, low, 1 - right / width, high, hspace=0.3)

    def _make(self, theme: Theme, known: str, units: UnitSet, kind: Kind) -> None:
        """Make axes and curves; their data follow. ``known`` says what the mesh is compared with, empty for nothing."""
        import matplotlib as mpl
        from matplotlib.ticker import MaxNLocator
        from matplotlib.transforms import ScaledTranslation

        self._figure.clear()
        self._figure.set_facecolor(theme.paper)
        self._passing = []
        with mpl.rc_context(chart_style(theme)):
            rows, ratios = (2, [3, 1]) if known else (1, [1])
            grid = self._figure.subplots(rows, 1, sharex=True, squeeze=False, height_ratios=ratios)
            self._axes = list(grid[:, 0])
            main = self._axes[0]
            mesh = main.plot([], [], color=theme.ember, linewidth=3.4, alpha=0.55, label="mesh", solid_capstyle="butt")
            self._lines = {"mesh": mesh[0]}
            if known:
                self._lines["exact"] = main.plot([], [], color=theme.ink, linewidth=1.0, label=known)[0]
            main.text(
                -0.008, 1.02, units.of(kind).shown, transform=main.transAxes, ha="right", va="bottom", color=theme.quiet
            )
            main.yaxis.set_major_locator(MaxNLocator(nbins=4, min_n_ticks=3))
            if known:
                self._make_difference(self._axes[1], theme, _of_difference(units.of(kind)))
            self._axes[-1].set_xlabel(f"distance, {units.of(LENGTH).shown}")
        for axes in self._axes:
            below = axes.transAxes + ScaledTranslation(0, _LABEL_BELOW / 72, self._figure.dpi_scale_trans)
            for axis in (axes.xaxis, axes.yaxis):  # one whose label has a place does not look for it at every drawing
                axis.set_label_coords(0.5, 0.0, transform=below)

    def _make_difference(self, axes: Axes, theme: Theme, unit: str) -> None:
        axes.axhline(0, color=theme.hairline, linewidth=1)
        self._lines["difference"] = axes.plot([], [], color=theme.teal, linewidth=1.2)[0]
        axes.set_yticks([0.0], ["0"])
        name_difference(axes, unit, theme)
        self._said = axes.text(
            0.995, 1.02, "", transform=axes.transAxes, ha="right", va="bottom", fontsize=8, color=theme.quiet
        )

    def _show(self, profile: Profile, theme: Theme, units: UnitSet, beside: Sequence[Profile]) -> None:
        length, kind = units.of(LENGTH).factor, units.of(profile.kind)
        x, main = profile.distance * length, self._axes[0]
        self._lines["mesh"].set_data(x, profile.mesh * kind.factor - kind.zero)
        if profile.exact is not None:
            self._lines["exact"].set_data(x, profile.exact * kind.factor - kind.zero)
            self._show_difference(x, (profile.mesh - profile.exact) * kind.factor, _of_difference(kind))
        for artist in self._passing:
            artist.remove()
        self._passing = self._others(main, beside, theme, units)
        main.set_xlim(0, chart_reach(profile, beside) * length)
        main.relim()
        main.set_autoscaley_on(True)  # what stood still before has set its own scale
        main.autoscale_view(scalex=False)
        rest_still(main, np.concatenate([profile.mesh, *(other.mesh for other in beside)]), kind)
        self._lines["mesh"].set_label(f"mesh, {profile.title[:1].lower()}{profile.title[1:]}" if beside else "mesh")
        labels = [str(line.get_label()) for line in main.get_lines() if not str(line.get_label()).startswith("_")]
        if labels != self._named or main.get_legend() is None:
            self._named, columns = labels, len(labels) if beside else 1
            main.legend(loc="best", frameon=False, fontsize=8, labelcolor=theme.ink, ncols=columns)
        ends = [start * length for start, _ in profile.joints[1:]] + [x[-1]]
        for (start, name), end in zip(profile.joints, ends, strict=True):
            if start > 0:
                self._passing.append(main.axvline(start * length, color=theme.hairline, linewidth=1, zorder=0))
            if end - start * length > 0.07 * main.get_xlim()[1]:
                place = (start * length + end) / 2
                self._passing.append(
                    main.text(
                        place,
                        1.02,
                        name,
                        transform=main.get_xaxis_transform(),
                        ha="center",
                        va="bottom",
                        fontsize=8,
                        color=theme.quiet,
                    )
                )

    def _others(self, axes: Axes, beside: Sequence[Profile], theme: Theme, units: UnitSet) -> list[Artist]:
        """Put the curves of other lines into the axes."""
        length = units.of(LENGTH).factor
        drawn: list[Artist] = []
        for place, other in enumerate(beside):
            kind = units.of(other.kind)
            style = _STYLES[place % len(_STYLES)]
            values = other.mesh * kind.factor - kind.zero
            drawn += axes.plot(
                other.distance * length, values, color=theme.teal, linewidth=1.4, linestyle=style, label=other.title
            )
        return drawn

    def _show_difference(self, x: NDArray[np.float64], difference: NDArray[np.float64], unit: str) -> None:
        self._lines["difference"].set_data(x, difference)
        largest = float(np.nanmax(np.abs(difference)))
        limit = max(largest * 1.3, 1e-6)
        self._axes[1].set_ylim(-limit, limit)
        if self._said is not None:
            self._said.set_text(f"mesh − {self._lines['exact'].get_label()}: at most {number(largest, 2)} {unit}")


def chart_reach(profile: Profile, beside: Sequence[Profile]) -> float:
    """Return how far a chart of lines reaches, m: to the end of the longest."""
    return float(max(each.distance[-1] for each in (profile, *beside)))


def profile_plot(profile: Profile, units: UnitSet, beside: Sequence[Profile] = ()) -> Plot:
    """Return the chart of a profile, with those of other lines beside it."""
    return lambda figure, width, height, theme: ProfileChart(figure).fill(profile, width, height, theme, units, beside)


def _of_difference(kind: Kind) -> str:
    return kind.difference or kind.shown


def name_difference(axes: Axes, unit: str, theme: Theme) -> None:
    """Write what a difference is told in beside the top of its axes."""
    text = f"Δ {unit.removeprefix('Δ')}"
    axes.text(-0.008, 1.05, text, transform=axes.transAxes, ha="right", va="center", color=theme.quiet)


def chart_style(theme: Theme) -> dict[Any, Any]:
    """Return the matplotlib settings of a theme."""
    return {
        "font.family": "DejaVu Sans",
        "font.size": 8.5,
        "text.color": theme.ink,
        "axes.labelcolor": theme.quiet,
        "axes.edgecolor": theme.hairline,
        "axes.facecolor": theme.paper,
        "xtick.color": theme.quiet,
        "ytick.color": theme.quiet,
        "axes.spines.top": False,
        "axes.spines.right": False,
        "axes.linewidth": 1.0,
        "axes.unicode_minus": True,
        "axes.formatter.useoffset": False,
    }
