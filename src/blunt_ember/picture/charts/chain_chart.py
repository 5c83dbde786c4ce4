"""A chain of resistances drawn to scale: as on paper, with the mesh beside it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.display import in_shown_unit, number, shown, shown_difference
from blunt_ember.case.values.unit_sets import UnitSet
from blunt_ember.case.values.units import TEMPERATURE
from blunt_ember.checks.references.series_path import Link, SeriesPath
from blunt_ember.picture.charts.charts import chart_style
from blunt_ember.picture.charts.plot import Plot
from blunt_ember.picture.palette import Theme

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


#: Room beside the chain, in pixels: left, right; and the heights of its rows from the top as shares.
_LEFT, _RIGHT = 16, 16
_WIRE, _BOX = 0.45, 0.15
#: Width of a letter of the small text, and of the gap between two texts, in pixels.
_LETTER, _GAP = 6.2, 16.0
#: Two values differ where their change is more than this share of the drop over the whole chain.
_SAME = 5e-4


def chain_plot(path: SeriesPath, units: UnitSet) -> Plot:
    """Return the chart of a chain: each resistance as wide as it is large, with its drop above, and the temperatures
    where they meet below."""
    return lambda figure, width, height, theme: _fill(figure, path, units, width, height, theme)


def _fill(figure: Figure, path: SeriesPath, units: UnitSet, width: int, height: int, theme: Theme) -> None:
    import matplotlib as mpl
    from matplotlib.patches import Rectangle

    with mpl.rc_context(chart_style(theme)):
        axes = figure.add_axes((0, 0, 1, 1))
        axes.set_axis_off()
        axes.set_xlim(0, width)
        axes.set_ylim(1, 0)
        sizes = np.array([abs(link.resistance) for link in path.links])
        room = width - _LEFT - _RIGHT
        ends = _LEFT + room * np.concatenate([[0.0], np.cumsum(sizes) / sizes.sum()])
        axes.plot([_LEFT, width - _RIGHT], [_WIRE, _WIRE], color=theme.quiet, linewidth=1.0, zorder=1)
        for link, low, high in zip(path.links, ends[:-1], ends[1:], strict=True):
            colour = theme.tints[0] if link.name in ("contact",) or "film" in link.name else theme.field
            axes.add_patch(
                Rectangle(
                    (low + 1, _WIRE - _BOX / 2),
                    max(high - low - 2, 1.5),
                    _BOX,
                    facecolor=colour,
                    edgecolor=theme.ink,
                    linewidth=1.0,
                    zorder=2,
                )
            )
        _links(axes, path, ends, units, width, theme)
        _junctions(axes, path, ends, units, width, theme)


def _links(axes: Axes, path: SeriesPath, ends: Floats, units: UnitSet, width: int, theme: Theme) -> None:
    kind = units.of(path.resistance_kind)
    texts = [_said(link, path, units) for link in path.links]
    middles = (ends[1:] + ends[:-1]) / 2
    for text, at, middle in zip(texts, _apart(middles, texts, width), middles, strict=True):
        axes.plot([middle, at], [_WIRE - _BOX / 2 - 0.01, 0.295], color=theme.hairline, linewidth=1.0, zorder=0)
        for row, line in enumerate(text):
            axes.text(
                at,
                0.06 + 0.09 * row,
                line,
                ha="center",
                va="center",
                fontsize=8,
                color=theme.quiet if row else theme.ink,
                fontweight="normal" if row else "bold",
            )
    heat = units.of(path.heat_kind)
    total = f"R in all {shown(path.total, kind, 5)}, heat {shown(path.heat, heat, 6)}"
    mesh = f"on the mesh {shown(path.mesh_heat, heat, 6)}"
    axes.text(width - _RIGHT, 0.975, f"{total}, {mesh}", ha="right", va="bottom", fontsize=8, color=theme.ink)


def _said(link: Link, path: SeriesPath, units: UnitSet) -> list[str]:
    kind = units.of(path.resistance_kind)
    drop = shown_difference(link.drop, units.of(TEMPERATURE), 4)
    lines = [link.name, f"R {shown(link.resistance, kind, 4)}", f"ΔT {drop}"]
    whole = abs(path.junctions[0].temperature - path.junctions[-1].temperature)
    if abs(link.mesh_drop - link.drop) > _SAME * whole:
        lines[2] += f", mesh {shown_difference(link.mesh_drop, units.of(TEMPERATURE), 4)}"
    return lines


def _junctions(axes: Axes, path: SeriesPath, ends: Floats, units: UnitSet, width: int, theme: Theme) -> None:
    kind, texts = units.of(TEMPERATURE), []
    for junction in path.junctions:
        lines = [junction.name, shown(junction.temperature, kind, 6)]
        if junction.mesh is not None:
            lines.append(f"mesh {number(in_shown_unit(junction.mesh, kind), 6)}")
        texts.append(lines)
    for text, at, end in zip(texts, _apart(ends, texts, width), ends, strict=True):
        axes.plot([end], [_WIRE], "o", color=theme.ink, markersize=4, zorder=3)
        axes.plot([end, at], [_WIRE + _BOX / 2 + 0.01, 0.605], color=theme.hairline, linewidth=1.0, zorder=0)
        for row, line in enumerate(text):
            axes.text(
                at,
                0.65 + 0.08 * row,
                line,
                ha="center",
                va="center",
                fontsize=7.5 if row == 0 else 8,
                color=(theme.quiet, theme.ink, theme.ember)[row],
            )


def _apart(wanted: Floats, texts: list[list[str]], width: float) -> Floats:
    """Return places (t,) near those that are wanted at which texts do not run into each other nor out of the chart."""
    half = np.array([max(len(line) for line in text) * _LETTER / 2 for text in texts])
    gaps = half[1:] + half[:-1] + _GAP
    least = np.concatenate([[0.0], np.cumsum(gaps)])
    free = width - _LEFT / 2 - half[-1] - half[0] - _LEFT / 2
    if least[-1] > free > 0:  # there is not room for all: they share what there is
        least *= free / least[-1]
    # The nearest places in order with those distances: pool those that would overlap (isotonic regression).
    pools: list[tuple[float, int]] = []
    for value in (wanted - least).tolist():
        pools.append((value, 1))
        while len(pools) > 1 and pools[-2][0] > pools[-1][0]:
            (a, n), (b, m) = pools[-2], pools[-1]
            pools[-2:] = [((a * n + b * m) / (n + m), n + m)]
    shift = np.concatenate([[value] * count for value, count in pools])
    low, high = _LEFT / 2 + half[0], width - _LEFT / 2 - half[-1] - least[-1]
    return np.clip(shift, low, max(high, low)) + least
