"""The strip under the stage: curves along a line and over time, and the time slider."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from blunt_ember.case.places import Line
from blunt_ember.case.unit_sets import DEFAULT_UNITS, UnitSet
from blunt_ember.checks.profile import Profile, main_axis, profile_on
from blunt_ember.checks.reading_line import ReadingLine, laid, through_middle
from blunt_ember.desk.drawn_view import DrawnView
from blunt_ember.desk.elided_label import ElidedLabel
from blunt_ember.desk.refinement_view import RefinementView
from blunt_ember.desk.time_bar import TimeBar
from blunt_ember.desk.time_view import TimeView
from blunt_ember.fem.run import Run
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.outcome import Outcome
from blunt_ember.picture.history_chart import draw_history
from blunt_ember.picture.palette import LIGHT, Theme
from blunt_ember.picture.run_curves import time_curves
from blunt_ember.picture.time_line import draw_time_line, tracks

if TYPE_CHECKING:
    from blunt_ember.picture.charts import ProfileChart


class ChartView(DrawnView):
    """Paints the chart of a profile."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._chart: ProfileChart | None = None
        self._profile: Profile | None = None

    @property
    def profile(self) -> Profile | None:
        """The curves shown."""
        return self._profile

    def show_profile(self, profile: Profile | None, message: str, theme: Theme, units: UnitSet = DEFAULT_UNITS) -> None:
        """Take other curves, or a message where there are none."""
        self._profile = profile
        if profile is None:
            self.show_drawing(None, message, theme)
            return
        exact = " and exact" if profile.exact is not None else ""
        self.setAccessibleName(f"{profile.title}: temperature on the mesh{exact}")

        def drawn(width: int, height: int, theme: Theme, ratio: float) -> NDArray[np.uint8]:
            self._chart = self._chart or _new_chart()
            return self._chart.draw(profile, width, height, theme, ratio, units)

        self.show_drawing(drawn, "", theme)


def _new_chart() -> ProfileChart:
    """Import matplotlib only when the first curve is there to be drawn, when the window is already in use."""
    from blunt_ember.picture import charts

    return charts.ProfileChart()


def _compared_with(profile: Profile) -> str:
    """What the second curve is."""
    if not profile.source:
        return "no exact solution is known for this case"
    return profile.source if profile.source.startswith("working") else f"exact: {profile.source}"


#: The picture shows every instant that is scrubbed over; the curve, which takes longer to draw, follows so much later.
CURVE_MS = 200
#: What the strip can show.
VIEWS = ("along a line", "over time", "time line", "refinement")


class Strip(QWidget):
    """Curves along a line and over time, the time line of what changes, and the time slider."""

    #: Whether the picture is to be coloured over the range of the whole run.
    range_chosen = pyqtSignal(bool)
    frame_chosen = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._outcome: Outcome | None = None
        self._theme = LIGHT
        self._axis: int | None = None
        self._curve = ""
        #: The line that is read, with the mesh and the axis it was laid along.
        self._line: tuple[Mesh, object, ReadingLine] | None = None
        #: The name of the question whose line is read along; none for the line through the middle.
        self._asked_line = ""
        self._just_opened = True
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 6)
        layout.setSpacing(4)
        layout.addLayout(self._top_row())
        self.chart = ChartView(self)
        self.history = TimeView("Curves over time", self)
        self.time_line = TimeView("Time line of what changes", self)
        self._pages = QStackedWidget(self)
        self.refinement = RefinementView(self)
        for page in (self.chart, self.history, self.time_line, self.refinement):
            self._pages.addWidget(page)
        layout.addWidget(self._pages, 1)
        self.time_bar = TimeBar(self)
        self.time_bar.hide()
        self.time_bar.frame_chosen.connect(self.frame_chosen)
        self.time_bar.range_chosen.connect(self.range_chosen)
        for view in (self.history, self.time_line):
            view.time_chosen.connect(self.time_bar.go_to)
        layout.addWidget(self.time_bar)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._refresh)
        self.choose_view("along a line")

    def _top_row(self) -> QHBoxLayout:
        top = QHBoxLayout()
        self._views = QButtonGroup(self)
        for number, view in enumerate(VIEWS):
            button = QPushButton(view, self)
            button.setCheckable(True)
            button.setObjectName(f"view {view}")
            button.clicked.connect(lambda _, view=view: self.choose_view(view))
            self._views.addButton(button, number)
            top.addWidget(button)
        top.addSpacing(14)
        self._buttons = QButtonGroup(self)
        for axis, words in enumerate(("through in x", "through in y", "through in z")):
            button = QPushButton(words, self)
            button.setCheckable(True)
            button.setToolTip(f"Temperature along {'xyz'[axis]}, through the middle of the body")
            button.clicked.connect(lambda _, axis=axis: self._choose(axis))
            self._buttons.addButton(button, axis)
            top.addWidget(button)
        self.lines = QComboBox(self)
        self.lines.setObjectName("lines")
        self.lines.setAccessibleName("Line that is read along")
        self.lines.setToolTip("Lines that questions are asked of; draw one on the picture with Ctrl and a drag")
        self.lines.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.lines.activated.connect(self._choose_line)
        top.addWidget(self.lines)
        self.curves = QComboBox(self)
        self.curves.setObjectName("curves over time")
        self.curves.setAccessibleName("What is drawn over time")
        self.curves.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.curves.activated.connect(self._choose_curve)
        top.addWidget(self.curves)
        self._source = ElidedLabel(self)
        top.addWidget(self._source, 1)
        return top

    @property
    def view(self) -> str:
        """Which of :data:`VIEWS` is shown."""
        return VIEWS[self._pages.currentIndex()]

    def choose_view(self, view: str) -> None:
        """Show another of :data:`VIEWS`."""
        self._pages.setCurrentIndex(VIEWS.index(view))
        button = self._views.button(VIEWS.index(view))
        if button is not None:
            button.setChecked(True)
        self._refresh()

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self._refresh()

    def show_outcome(self, outcome: Outcome | None) -> None:
        """Take another outcome; the curves follow right after the picture."""
        known = self._outcome
        self._outcome = outcome
        self.chart.setEnabled(True)
        if outcome is None:
            self._axis = None
            self._curve = ""
            self._just_opened = True
        self.refinement.show_outcome(outcome)
        run, before = (each.run if each is not None else None for each in (outcome, known))
        if run is not before:
            self._take_run(run)
        if (
            known is None or outcome is None or outcome.solution is not known.solution or outcome.trouble
            or outcome.case.units != known.case.units or outcome.histories is not known.histories
        ):  # fmt: skip
            self._soon.start(0)

    def show_frame(self, outcome: Outcome) -> None:
        """Take another instant of the run shown."""
        self._outcome = outcome
        for view in (self.history, self.time_line):
            view.show_now(outcome.t)
        if self.view == "along a line" and not self._soon.isActive():
            self._soon.start(CURVE_MS)

    def _take_run(self, run: Run | None) -> None:
        """Another run, or none, as while a new one is computed."""
        runs = self._outcome is not None and self._outcome.case.document.running_clock is not None
        self.time_bar.setVisible(run is not None)
        if run is not None and self._outcome is not None:
            self.time_bar.show_times(run.fields.times, self._outcome.case.units)
            for view in (self.history, self.time_line):
                view.show_now(float(run.times[-1]))
        if not runs and self.view not in ("along a line", "refinement"):
            self.choose_view("along a line")

    def _choose(self, axis: int) -> None:
        self._axis = axis
        self._refresh()

    def _choose_line(self, place: int) -> None:
        self._asked_line = self.lines.itemText(place) if place > 0 else ""
        self._refresh()

    def _offer_lines(self, outcome: Outcome | None) -> None:
        """Offer the lines that questions are asked of."""
        asked = outcome.case.document.questions if outcome is not None else ()
        names = [question.name for question in asked if isinstance(question.target, Line)]
        shown = [self.lines.itemText(number) for number in range(1, self.lines.count())]
        if names != shown:
            self.lines.clear()
            self.lines.addItems(["through the middle", *names])
            # A line that was just drawn is the one to be seen; those of a case that is opened are not.
            new = [name for name in names if name not in shown]
            drawn = new[-1] if len(new) == 1 and not self._just_opened else ""
            self._asked_line = drawn or (self._asked_line if self._asked_line in names else "")
        self._just_opened = self._just_opened and outcome is None
        self.lines.setCurrentText(self._asked_line or "through the middle")
        self.lines.setVisible(bool(names))

    def _choose_curve(self, place: int) -> None:
        self._curve = self.curves.itemText(place)
        self._refresh()

    def _refresh(self) -> None:
        self._soon.stop()
        outcome = self._outcome
        runs = outcome is not None and outcome.case.document.running_clock is not None
        for button in self._views.buttons():
            button.setVisible(runs or button.text() in ("along a line", "refinement"))
        along = self.view == "along a line"
        dimension = outcome.mesh.dimension if outcome is not None and outcome.mesh is not None else 1
        for number, each in enumerate(self._buttons.buttons()):
            each.setVisible(along and number < dimension)
        self.curves.setVisible(self.view == "over time")
        self._offer_lines(outcome if along else None)
        self._source.say("")
        if along:
            self._show_profile(outcome)
        elif self.view == "over time":
            self._show_history(outcome)
        elif self.view == "time line":
            self._show_time_line(outcome)

    def _show_profile(self, outcome: Outcome | None) -> None:
        if outcome is None or outcome.solution is None or outcome.geometry is None or outcome.mesh is None:
            self.chart.show_profile(
                None, "The curve through the body appears here once the case is solved.", self._theme
            )
            return
        temperature = outcome.solution.temperature
        axis = (
            self._axis
            if self._axis is not None and self._axis < outcome.mesh.dimension
            else main_axis(outcome.geometry, outcome.mesh, temperature)
        )
        if outcome.run is not None:
            self._axis = axis  # from one instant to the next it stays
        button = self._buttons.button(axis)
        if button is not None:
            button.setChecked(True)
        asked = next((each for each in outcome.case.document.questions if each.name == self._asked_line), None)
        target = asked.target if asked is not None and isinstance(asked.target, Line) else None
        wanted: object = target if target is not None else axis
        for each in self._buttons.buttons():
            each.setVisible(each.isVisibleTo(self) and target is None)
        if self._line is None or self._line[0] is not outcome.mesh or self._line[1] != wanted:
            if target is not None:
                members = outcome.case.document.members_asked(target)
                line = laid(target, f"Along {self._asked_line}", members, outcome.geometry, outcome.mesh, "line")
            else:
                line = through_middle(axis, outcome.geometry, outcome.mesh)
            self._line = (outcome.mesh, wanted, line)
        profile = profile_on(self._line[2], temperature, outcome.exact_now)
        self._source.say(_compared_with(profile))
        self.chart.show_profile(profile, "", self._theme, outcome.case.units)

    def _show_history(self, outcome: Outcome | None) -> None:
        if outcome is None or outcome.run is None:
            self.history.show_chart(None, 0.0, "Curves over time appear here once the clock has run.", self._theme)
            return
        choices = time_curves(outcome)
        self.curves.clear()
        self.curves.addItems(list(choices))
        chosen = self._curve if self._curve in choices else next(iter(choices))
        self.curves.setCurrentText(chosen)
        curves, units = choices[chosen], outcome.case.units
        own = curves.source.startswith("working") or not curves.source
        self._source.say(curves.source if own else f"exact: {curves.source}")
        self.history.show_chart(
            lambda width, height, theme, ratio: draw_history(curves, width, height, theme, ratio, units),
            float(curves.times[-1]), "", self._theme,
        )  # fmt: skip

    def _show_time_line(self, outcome: Outcome | None) -> None:
        case = outcome.case if outcome is not None else None
        end = _end_of(outcome)
        rows = tracks(case, end, outcome.run.stage_ends if outcome and outcome.run else ()) if case and end else ()
        if case is None or not rows:
            self.time_line.show_chart(None, 0.0, "Nothing that is stated changes with time.", self._theme)
            return
        self.time_line.show_chart(
            lambda width, height, theme, ratio: draw_time_line(rows, end, case, width, height, theme, ratio),
            end, "", self._theme,
        )  # fmt: skip


def _end_of(outcome: Outcome | None) -> float:
    """The end of a run in s, or where it is expected before it is known."""
    if outcome is None:
        return 0.0
    if outcome.run is not None:
        return float(outcome.run.times[-1])
    clock = outcome.case.document.running_clock
    if clock is None:
        return 0.0
    lasts = [stage.lasts.si for stage in clock.stages if stage.lasts is not None]
    if clock.end is not None or lasts:
        return clock.end.si if clock.end is not None else sum(lasts)
    return outcome.scales.suggested_end or 0.0 if outcome.scales is not None else 0.0
