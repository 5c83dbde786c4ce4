"""Curves over the time of a run: what was asked, with the exact curve over it and the difference below."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.display import number, time_kind
from blunt_ember.case.values.unit_sets import UnitSet
from blunt_ember.case.values.units import Kind
from blunt_ember.checks.source import Source
from blunt_ember.immutable import immutable
from blunt_ember.picture.charts.charts import chart_style, name_difference
from blunt_ember.picture.charts.plot import Plot
from blunt_ember.picture.charts.scale import rest_still
from blunt_ember.picture.palette import Theme

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


#: Room beside the axes, in pixels: left, right, bottom, top.
HISTORY_MARGINS = (74, 26, 36, 22)

#: So many curves are named in two rows, as the chart is low.
_IN_COLUMNS = 3


@immutable
class Curve:
    """``values`` (k,) in SI under a ``label``."""

    label: str
    values: Floats


@immutable
class Level:
    """A ``value`` in SI that stands over the whole time, under a ``label``."""

    label: str
    value: float


@immutable
class TimeCurves:
    """Curves of one kind at ``times`` (k,) in s, an ``exact`` one (m,) at ``exact_times`` (m,), ends of stages in s
    with the names of the stages, and ``levels`` to compare with."""

    kind: Kind
    times: Floats
    curves: tuple[Curve, ...]
    exact_times: Floats
    exact: Floats | None = None
    source: Source | None = None
    stages: tuple[tuple[float, str], ...] = ()
    levels: tuple[Level, ...] = ()

    @property
    def known(self) -> str:
        """What the mesh is compared with, in a word."""
        return self.source.provenance.value if self.source is not None else "expected"


def laid_over(name: str, curves: TimeCurves, others: Mapping[str, TimeCurves]) -> TimeCurves:
    """Return the curve of a name with ``others`` of its kind in one chart, all under their names."""
    if not others:
        return curves
    every = {name: curves, **others}
    return replace(curves, curves=tuple(Curve(each, own.curves[0].values) for each, own in every.items()))


def history_plot(curves: TimeCurves, units: UnitSet) -> Plot:
    """Return the chart; time runs over the width between the :data:`HISTORY_MARGINS`."""
    return lambda figure, width, height, theme: _fill(figure, curves, units, width, height, theme)


def _fill(figure: Figure, curves: TimeCurves, units: UnitSet, width: int, height: int, theme: Theme) -> None:
    import matplotlib as mpl
    from matplotlib.ticker import MaxNLocator

    kind, time = curves.kind, time_kind(float(curves.times[-1]), units)
    shown = [each.values * kind.factor - kind.zero for each in curves.curves]
    compared = curves.exact is not None
    with mpl.rc_context(chart_style(theme)):
        rows, ratios = (2, [3, 1]) if compared else (1, [1])
        grid = figure.subplots(rows, 1, sharex=True, squeeze=False, height_ratios=ratios)
        main = grid[0, 0]
        t = curves.times * time.factor
        colours = (theme.ember, theme.ink, theme.teal)
        strokes = ("-", "--", ":")
        for place, (curve, values) in enumerate(zip(curves.curves, shown, strict=True)):
            plain = len(shown) == 1
            main.plot(
                t,
                values,
                color=colours[place % 3],
                linestyle=strokes[place // 3 % 3],
                linewidth=3.4 if plain else 1.6,
                alpha=0.55 if plain else 1.0,
                label=curve.label,
            )
        if curves.exact is not None:
            exact = curves.exact * kind.factor - kind.zero
            main.plot(curves.exact_times * time.factor, exact, color=theme.ink, linewidth=1.0, label=curves.known)
            _difference(grid[1, 0], curves, theme, time.factor)
            main.tick_params(axis="x", length=0)  # what is said of the difference stands there
        for level in curves.levels:
            main.axhline(
                level.value * kind.factor - kind.zero,
                color=theme.teal,
                linewidth=1.2,
                linestyle=(0, (6, 3)),
                label=level.label,
            )
        main.text(-0.008, 1.02, kind.shown, transform=main.transAxes, ha="right", va="bottom", color=theme.quiet)
        main.yaxis.set_major_locator(MaxNLocator(nbins=4, min_n_ticks=3))
        named = len(curves.curves) + len(curves.levels) + int(compared)
        columns = 1 if named < _IN_COLUMNS else (named + 1) // 2
        main.legend(loc="best", frameon=False, fontsize=8, labelcolor=theme.ink, ncols=columns)
        for end, name in curves.stages:
            main.axvline(end * time.factor, color=theme.hairline, linewidth=1, zorder=0)
            main.text(
                end * time.factor,
                1.02,
                f"{name} ends",
                transform=main.get_xaxis_transform(),
                ha="right",
                va="bottom",
                fontsize=8,
                color=theme.quiet,
            )
        grid[-1, 0].set_xlabel(f"time, {time.shown}", labelpad=2)
        main.set_xlim(0, t[-1])
        levels = np.array([level.value for level in curves.levels])
        rest_still(main, np.concatenate([*(each.values for each in curves.curves), levels]), kind)
    left, right, bottom, top = HISTORY_MARGINS
    low, high = bottom / height, max(1 - top / height, bottom / height + 0.1)
    figure.subplots_adjust(left / width, low, 1 - right / width, high, hspace=0.3)


def _difference(axes: Axes, curves: TimeCurves, theme: Theme, factor: float) -> None:
    assert curves.exact is not None
    at = np.searchsorted(curves.times, curves.exact_times)
    gap = (curves.curves[0].values[np.clip(at, 0, len(curves.times) - 1)] - curves.exact) * curves.kind.factor
    unit = curves.kind.difference or curves.kind.shown
    axes.axhline(0, color=theme.hairline, linewidth=1)
    axes.plot(curves.exact_times * factor, gap, color=theme.teal, linewidth=1.2)
    known = gap[np.isfinite(gap)]
    largest = float(np.abs(known).max()) if len(known) else 0.0
    limit = max(largest * 1.3, 1e-12)
    axes.set_ylim(-limit, limit)
    axes.set_yticks([0.0], ["0"])
    name_difference(axes, unit, theme)
    axes.text(
        0.995,
        1.02,
        f"mesh − {curves.known}: at most {number(largest, 2)} {unit}",
        transform=axes.transAxes,
        ha="right",
        va="bottom",
        fontsize=8,
        color=theme.quiet,
    )
