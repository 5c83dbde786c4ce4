"""What an answer follows from, the strongest parameter first: slopes of a sensitivity, shares of a variance."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.display import number
from blunt_ember.picture.charts.studies.pointed import StudyPlot, name_axes
from blunt_ember.picture.palette import Theme
from blunt_ember.studies.result import StudyDone
from blunt_ember.studies.telling import kinds_of_questions, step_of

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


#: Bars that are drawn at most, and room for each, pixels.
_MOST, _EACH = 12, 14
#: Room for the name of a bar, pixels.
_NAME = 140


class RankedBars(StudyPlot):
    """``sizes`` (b,) of what is named in ``labels`` (b,), with what each is known within where that is known."""

    margins = (14, 14, 36, 22)

    def __init__(self, title: str, unit: str, labels: list[str], sizes: Floats, within: Floats) -> None:
        super().__init__()
        order = np.argsort(-np.abs(np.nan_to_num(sizes)))
        self.title, self.unit = title, unit
        self.labels = [labels[place] for place in order]
        self.sizes, self.within = sizes[order], within[order]

    def fill(self, figure: Figure, theme: Theme, width: int, height: int) -> tuple[Axes, Floats]:
        """Draw as many as there is room for, those that count most."""
        axes = figure.subplots(1, 1)
        count = min(_MOST, len(self.labels), max((height - 58) // _EACH, 2))
        places = np.arange(count)
        sizes, within = self.sizes[:count], np.nan_to_num(self.within[:count])
        colours = [theme.ember if size >= 0 else theme.teal for size in sizes]
        axes.barh(places, sizes, height=0.66, color=colours, alpha=0.7)
        told = np.isfinite(self.within[:count])
        if told.any():
            at = sizes[told], places[told], None, within[told]
            axes.errorbar(*at, fmt="none", ecolor=theme.ink, elinewidth=1, capsize=2)
        for place, label, size, slack in zip(places, self.labels, sizes, within, strict=False):
            side = 1 if size >= 0 else -1
            axes.annotate(
                f"{label}  {number(float(size), 3)}",
                (size + side * slack, place),
                (4 * side, 0),
                textcoords="offset points",
                ha="left" if side > 0 else "right",
                va="center",
                fontsize=8,
                color=theme.ink,
            )
        axes.axvline(0, color=theme.hairline, linewidth=1)
        low, high = min(float(np.nanmin(sizes - within)), 0.0), max(float(np.nanmax(sizes + within)), 0.0)
        room = width - self.margins[0] - self.margins[1]
        sides = (_NAME if low < 0 else 0, _NAME if high > 0 else 0)
        each = (high - low + 1e-300) / max(room - sum(sides), 0.2 * room)
        axes.set_xlim(low - each * sides[0], high + each * sides[1])
        axes.set_ylim(count - 0.5, -0.5)
        axes.set_yticks([])
        left_out = len(self.labels) - count
        more = f"   ({left_out} smaller ones are left out)" if left_out else ""
        name_axes(axes, self.unit, self.title + more, theme)
        return axes, np.zeros((0, 2))


def slopes_of(done: StudyDone, question: str) -> RankedBars | None:
    """Return what one per cent of every parameter, of a temperature one kelvin, changes of an answer."""
    found = done.result.findings.get(question)
    if not found or not np.isfinite(list(found.values())).any():
        return None
    kind = kinds_of_questions(done.case)[question]
    steps = {name: step_of(done.case, name) for name in found}
    sizes = np.array([found[name] * steps[name][1] * kind.factor for name in found])
    labels = [f"{steps[name][0]} {name}" for name in found]
    unit = kind.difference or kind.shown
    return RankedBars(f"what changes {question}", unit, labels, sizes, np.full(len(sizes), np.nan))


def shares_of(done: StudyDone, question: str) -> RankedBars | None:
    """Return the shares of the variance of an answer, with others where they are known; None where there are none."""
    found = done.result.findings.get(question, {})
    head = "with others " if any(key.startswith("with others ") for key in found) else "share of "
    shares = {key.removeprefix(head): value for key, value in found.items() if key.startswith(head)}
    if not shares:
        return None
    within = np.array([found.get(f"± {head}{name}", np.nan) for name in shares])
    said = "with all they do together" if head == "with others " else "by straight lines"
    title = f"shares of the variance of {question}, {said}"
    return RankedBars(title, "%", list(shares), 100 * np.array(list(shares.values())), 100 * within)
