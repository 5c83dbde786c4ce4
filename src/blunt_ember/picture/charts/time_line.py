"""The statement as a time line: stages, what holds for a while, and every value that changes, each as a small curve."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.document.every_value import every_value
from blunt_ember.case.document.surroundings import HeatInside, Surrounding
from blunt_ember.case.values.display import in_shown_unit, number, time_kind
from blunt_ember.case.values.laws import PLACE, Law
from blunt_ember.errors import path_text
from blunt_ember.immutable import immutable
from blunt_ember.picture.charts.charts import chart_style
from blunt_ember.picture.charts.history_chart import HISTORY_MARGINS
from blunt_ember.picture.charts.plot import Plot
from blunt_ember.picture.palette import Theme

if TYPE_CHECKING:
    from matplotlib.figure import Figure


_SAMPLES = 400
_MOST_ROWS = 8


@immutable
class Track:
    """A row of the time line from ``begin`` to ``end`` in s: a curve (k,) from 0 to 1 at ``times`` (k,) in s with its
    lowest and highest value in words, or merely a bar."""

    label: str
    begin: float
    end: float
    times: Floats | None = None
    heights: Floats | None = None
    said: str = ""


def tracks(case: Case, end: float, stage_ends: tuple[float, ...] = ()) -> tuple[Track, ...]:
    """Return every row of the time line of a case up to ``end`` in s; ``stage_ends`` where stages ended in a run."""
    clock, document, found = case.document.running_clock, case.document, list[Track]()
    if clock is None:
        return ()
    spans: dict[int, tuple[float, float]] = {}
    begin = 0.0
    for place, stage in enumerate(clock.stages):
        lasts = stage.lasts.si if stage.lasts is not None else end - begin
        stop = stage_ends[place] if place < len(stage_ends) else min(begin + lasts, end)
        spans[place] = (begin, stop)
        found.append(Track(stage.name, begin, stop, said="stage"))
        begin = stop
    entries: list[tuple[tuple[str | int, ...], Surrounding | HeatInside, tuple[float, float]]] = [
        (("surroundings", place), entry, (0.0, end)) for place, entry in enumerate(document.surroundings)
    ]
    entries += [(("heat_inside", place), entry, (0.0, end)) for place, entry in enumerate(document.heat_inside)]
    for number_, stage in enumerate(clock.stages):
        entries += [
            (("clock", "stages", number_, "surroundings", place), entry, spans[number_])
            for place, entry in enumerate(stage.surroundings)
        ]
    for path, entry, (low, high) in entries:
        begin = max(low, entry.after.si if entry.after is not None else low)
        stop = min(high, entry.before.si if entry.before is not None else high)
        name = ", ".join(entry.surfaces if isinstance(entry, Surrounding) else entry.regions) or "heat inside"
        moving = [(where, law) for where, law in every_value(entry) if isinstance(law, Law) and law.follows_time]
        for where, law in moving:
            found.append(_curve(f"{name}: {' '.join(str(part) for part in where)}", law, begin, stop, case))
        if not moving and (entry.after is not None or entry.before is not None or path[0] == "clock"):
            found.append(Track(name, begin, stop, said="holds"))
    for where, value in every_value(document.materials):
        if isinstance(value, Law) and value.follows_time:
            found.append(_curve(path_text(where), value, 0.0, end, case))
    return tuple(found[:_MOST_ROWS])


def _curve(label: str, law: Law, begin: float, end: float, case: Case) -> Track:
    """A value over time, at the origin where it follows the place too and at 20 °C where it follows temperature."""
    t = np.unique(np.concatenate([np.linspace(begin, end, _SAMPLES), [b for b in law.breaks if begin <= b <= end]]))
    where = {name: np.zeros(len(t)) for name in PLACE} | {"t": t, "T": np.full(len(t), 293.15)}
    values = np.nan_to_num(law.at(where))
    low, high = float(values.min()), float(values.max())
    kind = case.units.of(law.kind)
    ends = [number(in_shown_unit(value, kind), 4) for value in (low, high)]
    heights = (values - low) / (high - low) if high > low else np.full(len(t), 0.5)
    return Track(label, begin, end, t, heights, f"{ends[0]} … {ends[1]} {kind.shown}".strip())


def time_line_plot(rows: tuple[Track, ...], end: float, case: Case) -> Plot:
    """Return the time line, its time over the width as in a history."""
    return lambda figure, width, height, theme: _fill(figure, rows, end, case, width, height, theme)


def _fill(
    figure: Figure, rows: tuple[Track, ...], end: float, case: Case, width: int, height: int, theme: Theme
) -> None:
    import matplotlib as mpl

    time = time_kind(end, case.units)
    with mpl.rc_context(chart_style(theme)):
        left, right, bottom, _ = HISTORY_MARGINS
        axes = figure.add_axes((left / width, bottom / height, 1 - (left + right) / width, 1 - (bottom + 8) / height))
        axes.set_xlim(0, end * time.factor)
        axes.set_ylim(len(rows), 0)
        axes.set_yticks([])
        axes.spines["left"].set_visible(False)
        for place, row in enumerate(rows):
            low, high = row.begin * time.factor, row.end * time.factor
            axes.axhline(place + 1, color=theme.hairline, linewidth=0.6)
            axes.fill_betweenx([place + 0.08, place + 0.92], low, high, color=theme.hairline, alpha=0.45, linewidth=0)
            if row.times is not None and row.heights is not None:
                axes.plot(row.times * time.factor, place + 0.86 - 0.72 * row.heights, color=theme.ember, linewidth=1.6)
            words = f"{row.label}   {row.said}" if row.times is not None else row.label
            # What begins late is written before it, where there is room.
            late = low > 0.6 * end * time.factor
            gap = 0.006 * end * time.factor
            axes.text(
                low - gap if late else low + gap,
                place + 0.5,
                words,
                ha="right" if late else "left",
                va="center",
                fontsize=8,
                color=theme.ink,
                bbox={"facecolor": theme.paper, "alpha": 0.75, "pad": 0.8, "linewidth": 0},
            )
        axes.set_xlabel(f"time, {time.shown}", labelpad=2)
