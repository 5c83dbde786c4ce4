"""What was measured over what a fit computes, and what is left between them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.display import time_kind
from blunt_ember.case.values.unit_sets import UnitSet
from blunt_ember.case.values.units import Kind
from blunt_ember.picture.charts.studies.pointed import StudyPlot, name_axes, with_unit
from blunt_ember.picture.palette import Theme
from blunt_ember.studies.result import StudyDone
from blunt_ember.studies.telling import kinds_of_questions

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


#: Height from which there is room for what is left over, below, pixels.
_TWO_ROWS = 130


class MeasuredOverComputed(StudyPlot):
    """What was ``measured`` (m,) of a question and is ``computed`` (m,), SI, at ``times`` (m,) in s."""

    def __init__(
        self, question: str, kind: Kind, units: UnitSet, times: Floats, measured: Floats, computed: Floats
    ) -> None:
        super().__init__()
        self.question, self.kind, self.units = question, kind, units
        order = np.argsort(times)
        self.times, self.measured, self.computed = times[order], measured[order], computed[order]
        self.title = f"{question}, measured over computed"

    def fill(self, figure: Figure, theme: Theme, width: int, height: int) -> tuple[Axes, Floats]:
        """Draw both over time, and where there is room their difference below."""
        kind, time = self.kind, time_kind(float(self.times[-1]), self.units)
        rows = 2 if height >= _TWO_ROWS else 1
        grid = figure.subplots(rows, 1, sharex=True, squeeze=False, height_ratios=[3, 1][:rows])[:, 0]
        t = self.times * time.factor
        measured, computed = (each * kind.factor - kind.zero for each in (self.measured, self.computed))
        grid[0].plot(t, computed, color=theme.ember, linewidth=3, alpha=0.55, label="computed")
        grid[0].plot(t, measured, color=theme.ink, linestyle="none", marker="x", markersize=5, label="measured")
        grid[0].legend(loc="best", frameon=False, fontsize=8, labelcolor=theme.ink)
        if rows > 1:
            grid[1].axhline(0, color=theme.hairline, linewidth=1)
            grid[1].plot(t, computed - measured, color=theme.teal, linestyle="none", marker=".")
            said = f"computed − measured, {kind.difference or kind.shown}"
            where = {"transform": grid[1].transAxes, "ha": "right", "va": "bottom"}
            grid[1].text(0.995, 1.02, said, fontsize=8, color=theme.quiet, **where)
        name_axes(grid[0], "", with_unit(self.question, kind), theme)
        grid[-1].set_xlabel(f"time, {time.shown}", labelpad=2)
        return grid[0], np.zeros((0, 2))


def measured_of(done: StudyDone, question: str) -> MeasuredOverComputed | None:
    """Return what a log says of a question over what is computed; None where no log was fitted."""
    found = done.result.findings.items()
    rows = [row for called, row in found if "t" in row and called.rsplit(" at ", 1)[0] == question]
    if len(rows) < 2:
        return None
    times, measured, computed = (np.array([row[key] for row in rows]) for key in ("t", "measured", "computed"))
    kind = kinds_of_questions(done.case)[question]
    return MeasuredOverComputed(question, kind, done.case.units, times, measured, computed)
