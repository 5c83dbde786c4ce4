"""Answers over a parameter that was varied, one curve for every value of the others."""

from __future__ import annotations

from dataclasses import dataclass

import matplotlib as mpl
import numpy as np
from matplotlib.figure import Figure
from matplotlib.ticker import MaxNLocator

from blunt_ember.arrays import Floats
from blunt_ember.case.values.display import shown
from blunt_ember.case.values.units import Kind
from blunt_ember.picture.charts.charts import chart_style
from blunt_ember.picture.charts.plot import Plot
from blunt_ember.picture.palette import Theme
from blunt_ember.studies.result import StudyDone
from blunt_ember.studies.telling import kind_of_parameter, kinds_of_questions

#: Curves that are drawn at most, and room beside the axes: left, right, bottom, top.
_MOST, _MARGINS = 6, (74, 14, 36, 22)


@dataclass(frozen=True)
class StudyCurve:
    """Answers (p,) in SI, and what is ``expected`` (p,), over values (p,) of a parameter in SI; ``label`` says what
    else is varied."""

    label: str
    over: Floats
    answers: Floats
    expected: Floats


@dataclass(frozen=True)
class StudyCurves:
    """Curves of the answers to a question over a parameter, both with the kind they are shown as."""

    parameter: str
    parameter_kind: Kind
    question: str
    question_kind: Kind
    curves: tuple[StudyCurve, ...]


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
    answers, expected = result.answers(question), result.expected(question)
    if len(groups) > len(result.points) // 2:  # drawn at random: a cloud of points is no curve
        groups = {"": [place for place, point in enumerate(result.points) if first in point]}
    curves = tuple(
        StudyCurve(
            label, np.array([result.points[place][first] for place in places]), answers[places], expected[places]
        )
        for label, places in groups.items()
    )
    return StudyCurves(first, kind_of_parameter(case, first), question, kinds_of_questions(case)[question], curves)


def study_plot(found: StudyCurves) -> Plot:
    """Return the chart of a study over one of its parameters."""
    return lambda figure, width, height, theme: _fill(figure, found, width, height, theme)


def _fill(figure: Figure, found: StudyCurves, width: int, height: int, theme: Theme) -> None:
    over, kind = found.parameter_kind, found.question_kind
    with mpl.rc_context(chart_style(theme)):
        axes = figure.subplots(1, 1)
        colours = (theme.ember, theme.teal, theme.ink, theme.agree, theme.off, theme.quiet)
        for curve, colour in zip(found.curves[:_MOST], colours, strict=False):
            order = np.argsort(curve.over)
            x, y = curve.over[order] * over.factor - over.zero, curve.answers[order] * kind.factor - kind.zero
            axes.plot(
                x, y, color=colour, linewidth=3.0, alpha=0.55, marker="o", markersize=4, label=curve.label or "mesh"
            )
            known = curve.expected[order] * kind.factor - kind.zero
            if np.isfinite(known).any():
                label = "expected" if curve is found.curves[0] else "_"
                axes.plot(x, known, color=theme.ink, linewidth=0.9, label=label)
        if any(curve.label or np.isfinite(curve.expected).any() for curve in found.curves):
            axes.legend(loc="best", frameon=False, fontsize=8, labelcolor=theme.ink)
        axes.yaxis.set_major_locator(MaxNLocator(nbins=4, min_n_ticks=3))
        axes.set_xlabel(f"{found.parameter}, {over.shown}" if over.shown else found.parameter, labelpad=2)
        said = f"{found.question}, {kind.shown}" if kind.shown else found.question
        axes.text(0.0, 1.02, said, transform=axes.transAxes, ha="left", va="bottom", color=theme.quiet)
    left, right, bottom, top = _MARGINS
    low, high = bottom / height, max(1 - top / height, bottom / height + 0.1)
    figure.subplots_adjust(left / width, low, 1 - right / width, high)
