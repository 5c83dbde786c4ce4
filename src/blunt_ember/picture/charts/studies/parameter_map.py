"""Answers over two parameters that were crossed, as a map."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.values.display import number
from blunt_ember.case.values.units import Kind
from blunt_ember.picture.charts.studies.pointed import StudyPlot, name_axes, with_unit
from blunt_ember.picture.palette import Theme
from blunt_ember.studies.result import StudyDone
from blunt_ember.studies.telling import kind_of_parameter, kinds_of_questions

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


#: Cells of a map on which there is room for their numbers, pixels.
_WIDE, _HIGH = 46, 15


class ParameterMap(StudyPlot):
    """Answers (a, b) over the values (a,) of one parameter and those (b,) of another, and which points of the study
    they are, −1 for none; in the units that are shown."""

    margins = (74, 48, 36, 22)

    def __init__(
        self,
        parameters: tuple[str, str],
        kinds: tuple[Kind, Kind],
        question: str,
        kind: Kind,
        values: tuple[Floats, Floats],
    ) -> None:
        super().__init__()
        self.parameters, self.kinds, self.question, self.kind = parameters, kinds, question, kind
        self.values = values
        self.answers = np.full((len(values[0]), len(values[1])), np.nan)
        self.points: Ints = np.full(self.answers.shape, -1)
        self.title = f"{question} over {parameters[0]} and {parameters[1]}"

    def fill(self, figure: Figure, theme: Theme, width: int, height: int) -> tuple[Axes, Floats]:
        """Draw the map, each value in the middle of its cell."""
        from matplotlib.colors import LinearSegmentedColormap

        axes = figure.subplots(1, 1)
        x, y = (each * kind.factor - kind.zero for each, kind in zip(self.values, self.kinds, strict=True))
        shades = LinearSegmentedColormap.from_list("answers", [theme.paper, theme.ember])
        colours = shades.with_extremes(bad=theme.hairline)
        image = axes.pcolormesh(_edges(x), _edges(y), np.ma.masked_invalid(self.answers.T), cmap=colours)
        bar = figure.colorbar(image, ax=axes, pad=0.01, fraction=0.04)
        bar.ax.tick_params(labelsize=8)
        room = width / len(x) > _WIDE and height / len(y) > _HIGH
        for (row, column), value in np.ndenumerate(self.answers):
            if room and np.isfinite(value):
                at, text = (float(x[row]), float(y[column])), number(float(value), 4)
                axes.text(*at, text, ha="center", va="center", fontsize=8, color=theme.ink)
        name_axes(axes, with_unit(self.parameters[0], self.kinds[0]), with_unit(self.question, self.kind), theme)
        axes.set_ylabel(with_unit(self.parameters[1], self.kinds[1]))
        there = self.points >= 0
        grid = np.stack(np.meshgrid(x, y, indexing="ij"), axis=-1)
        self.numbers = self.points[there].tolist()
        return axes, grid[there]


def map_of(done: StudyDone, question: str) -> ParameterMap | None:
    """Return the map of the answers to a question; None where there are no two parameters with two values at least,
    crossed with each other."""
    case, result = done.case, done.result
    varied = list(dict.fromkeys(name for point in result.points for name in point))
    if len(varied) != 2 or any(len(point) != 2 for point in result.points):
        return None
    columns = [np.array([point[name] for point in result.points]) for name in varied]
    values, places = zip(*(np.unique(column, return_inverse=True) for column in columns), strict=True)
    if min(len(each) for each in values) < 2 or 2 * len(result.points) < len(values[0]) * len(values[1]):
        return None
    kind = kinds_of_questions(case)[question]
    kinds = kind_of_parameter(case, varied[0]), kind_of_parameter(case, varied[1])
    found = ParameterMap((varied[0], varied[1]), kinds, question, kind, (values[0], values[1]))
    found.answers[places] = result.answers(question) * kind.factor - kind.zero
    found.points[places] = np.arange(len(result.points))
    return found


def _edges(middles: Floats) -> Floats:
    """The edges (n + 1,) of cells about values (n,)."""
    between = (middles[1:] + middles[:-1]) / 2
    return np.concatenate([[2 * middles[0] - between[0]], between, [2 * middles[-1] - between[-1]]])
