"""How an uncertain answer is spread, with its percentiles."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.display import shown
from blunt_ember.case.values.units import Kind
from blunt_ember.picture.charts.studies.pointed import StudyPlot, name_axes, with_unit
from blunt_ember.picture.palette import Theme
from blunt_ember.studies.result import StudyDone
from blunt_ember.studies.telling import kinds_of_questions

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


#: Bars at least and at most.
_FEWEST, _MOST = 6, 40
#: By how much of the height one percentile is named below the one before, and where of the width names go to the left.
_LOWER, _RIGHT = 0.13, 0.75


class Histogram(StudyPlot):
    """Answers (p,) in SI and the percentiles of them by what they are called, shown as a kind."""

    def __init__(self, question: str, kind: Kind, answers: Floats, percentiles: dict[str, float]) -> None:
        super().__init__()
        self.question, self.kind, self.answers, self.percentiles = question, kind, answers, percentiles
        self.title = f"spread of {question}"

    def fill(self, figure: Figure, theme: Theme, width: int, height: int) -> tuple[Axes, Floats]:
        """Draw it."""
        axes, kind = figure.subplots(1, 1), self.kind
        values = self.answers * kind.factor - kind.zero
        bars = int(np.clip(np.sqrt(len(values)), _FEWEST, _MOST))
        axes.hist(values, bins=bars, color=theme.ember, alpha=0.55, edgecolor=theme.paper)
        low, high = axes.get_xlim()
        for place, (name, si) in enumerate(self.percentiles.items()):
            at = si * kind.factor - kind.zero
            axes.axvline(at, color=theme.ink, linewidth=1.1, linestyle=(0, (4, 2)))
            left = at > low + _RIGHT * (high - low)
            axes.annotate(
                f"{name}: {shown(si, kind, 4)}",
                (at, 0.98 - _LOWER * place),
                (-4 if left else 4, 0),
                xycoords=axes.get_xaxis_transform(),
                textcoords="offset points",
                ha="right" if left else "left",
                va="top",
                fontsize=8,
                color=theme.ink,
            )
        axes.set_ylim(0, axes.get_ylim()[1] * 1.35)
        name_axes(axes, with_unit(self.question, kind), f"of {len(values)} cases", theme)
        return axes, np.zeros((0, 2))


def histogram_of(done: StudyDone, question: str) -> Histogram | None:
    """Return the histogram of an uncertain answer; None where it has no percentiles or does not vary."""
    found = done.result.findings.get(question, {})
    percentiles = {key: value for key, value in found.items() if key.endswith(" %") and not key.startswith("±")}
    answers = done.result.answers(question)
    answers = answers[np.isfinite(answers)]
    if not percentiles or len(answers) < 2 or not np.ptp(answers) > 0:
        return None
    return Histogram(question, kinds_of_questions(done.case)[question], answers, percentiles)
