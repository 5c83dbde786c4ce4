"""Answers over a parameter that was varied, one curve for every value of the others."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.studies import Aim
from blunt_ember.case.values.display import shown
from blunt_ember.case.values.units import Kind
from blunt_ember.immutable import immutable
from blunt_ember.picture.charts.studies.pointed import StudyPlot, name_axes, with_unit
from blunt_ember.picture.palette import Theme
from blunt_ember.studies.result import StudyDone
from blunt_ember.studies.stated_values import answer_value
from blunt_ember.studies.telling import kind_of_parameter, kinds_of_questions

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


#: Curves that are drawn at most.
_MOST = 6


@immutable
class StudyCurve:
    """Answers (p,) in SI with what they may be off by, NaN where that is not known, what is ``expected`` (p,) and what
    may be off of that, over values (p,) of a parameter in SI; ``label`` says what else is varied, ``points`` (p,) which
    points of the study they are."""

    label: str
    points: tuple[int, ...]
    over: Floats
    answers: Floats
    errors: Floats
    expected: Floats
    allowed: Floats


class StudyCurves(StudyPlot):
    """Curves of the answers to a question over a parameter, both with the kind they are shown as; of a target with what
    is aimed at."""

    def __init__(
        self,
        parameter: str,
        parameter_kind: Kind,
        question: str,
        question_kind: Kind,
        curves: tuple[StudyCurve, ...],
        aim: float | None = None,
        found: float | None = None,
    ) -> None:
        super().__init__()
        self.parameter, self.parameter_kind = parameter, parameter_kind
        self.question, self.question_kind = question, question_kind
        self.curves, self.aim, self.found = curves, aim, found
        self.title = f"{question} over {parameter}"

    def fill(self, figure: Figure, theme: Theme, width: int, height: int) -> tuple[Axes, Floats]:
        """Draw the curves."""
        from matplotlib.ticker import MaxNLocator

        over, kind = self.parameter_kind, self.question_kind
        axes = figure.subplots(1, 1)
        colours = (theme.ember, theme.teal, theme.ink, theme.agree, theme.off, theme.quiet)
        drawn = self.curves[:_MOST]
        places, numbers = [], []
        for curve, colour in zip(drawn, colours, strict=False):
            order = np.argsort(curve.over)
            x, y = curve.over[order] * over.factor - over.zero, curve.answers[order] * kind.factor - kind.zero
            label = curve.label or "mesh"
            axes.plot(x, y, color=colour, linewidth=3.0, alpha=0.55, marker="o", markersize=4, label=label)
            within = curve.errors[order] * kind.factor
            told = np.isfinite(within)  # what is not known has no bar, as one of no length would say it is exact
            if told.any():
                at, named = (x[told], y[told], within[told]), "± of the mesh" if curve is drawn[0] else "_"
                axes.errorbar(*at, fmt="none", ecolor=colour, elinewidth=1.2, capsize=3, label=named)
            known = curve.expected[order] * kind.factor - kind.zero
            if np.isfinite(known).any():
                axes.plot(x, known, color=theme.ink, linewidth=0.9, label="expected" if curve is drawn[0] else "_")
                slack = curve.allowed[order] * kind.factor
                named = "tolerance" if curve is drawn[0] else "_"
                axes.fill_between(
                    x, known - slack, known + slack, color=theme.ink, alpha=0.10, linewidth=0, label=named
                )
            places += np.stack([x, y], axis=1).tolist()
            numbers += np.array(curve.points)[order].tolist()
        if self.aim is not None:
            level = self.aim * kind.factor - kind.zero
            axes.axhline(level, color=theme.teal, linewidth=1.2, linestyle=(0, (6, 3)), label="aimed at")
        if self.found is not None:
            axes.axvline(self.found * over.factor - over.zero, color=theme.teal, linewidth=1.0, label="found")
        if len(axes.get_legend_handles_labels()[1]) > 1 or drawn[0].label:
            axes.legend(loc="best", frameon=False, fontsize=8, labelcolor=theme.ink)
        axes.yaxis.set_major_locator(MaxNLocator(nbins=4, min_n_ticks=3))
        said = with_unit(self.question, kind)
        if len(self.curves) > _MOST:
            said += f"   ({_MOST} of {len(self.curves)} curves)"
        name_axes(axes, with_unit(self.parameter, over), said, theme)
        self.numbers = numbers
        return axes, np.array(places)


def curves_of(done: StudyDone, question: str) -> StudyCurves | None:
    """Return the answers to a question over the first parameter that takes several values, a curve for each set of the
    others; None where there are no two points."""
    case, result = done.case, done.result
    if len(result.points) < 2:
        return None
    varied = list(dict.fromkeys(name for point in result.points for name in point))
    first = max(varied, key=lambda name: len({point.get(name) for point in result.points}))
    groups: dict[str, list[int]] = {}
    for place, point in enumerate(result.points):
        others = [
            f"{name} {shown(value, kind_of_parameter(case, name), 3)}" for name, value in point.items() if name != first
        ]
        if first in point:
            groups.setdefault(", ".join(others), []).append(place)
    answers, expected, errors = result.answers(question), result.expected(question), result.errors(question)
    allowed = result.allowed(question)
    if len(groups) > len(result.points) // 2:  # drawn at random: a cloud of points is no curve
        groups = {"": [place for place, point in enumerate(result.points) if first in point]}
    curves = tuple(
        StudyCurve(
            label,
            tuple(places),
            np.array([result.points[place][first] for place in places]),
            *(values[places] for values in (answers, errors, expected, allowed)),
        )
        for label, places in groups.items()
    )
    kinds = kind_of_parameter(case, first), kinds_of_questions(case)[question]
    stated = case.document.studies.get(done.name)
    aim = found = None
    if isinstance(stated, Aim) and stated.question == question:
        aim, found = answer_value(case, question, stated.value), result.found.get(stated.vary)
    return StudyCurves(first, kinds[0], question, kinds[1], curves, aim, found)
