"""The strip: curves along a line and over time, what changes when, refinement, resistances, tables, the time slider."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QPushButton, QSizePolicy, QStackedWidget, QVBoxLayout, QWidget

from blunt_ember.checks.references.series_path import SeriesPath, series_path
from blunt_ember.desk.strip.history_view import HistoryView
from blunt_ember.desk.strip.line_view import LineView, ProfileView
from blunt_ember.desk.strip.refinement_view import RefinementView
from blunt_ember.desk.strip.study_view import StudyView
from blunt_ember.desk.strip.table_view import TableView
from blunt_ember.desk.strip.time_bar import TimeBar
from blunt_ember.desk.strip.time_view import TimeView
from blunt_ember.desk.widgets.drawn_view import DrawnView
from blunt_ember.desk.widgets.elided_label import ElidedLabel
from blunt_ember.desk.widgets.flow_layout import FlowLayout
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.transient.recorded.run import Run
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.charts.chain_chart import chain_plot
from blunt_ember.picture.charts.plot import Plot
from blunt_ember.picture.charts.time_line import time_line_plot, tracks
from blunt_ember.picture.palette import LIGHT, Theme

#: The picture shows every instant that is scrubbed over; the curve, which takes longer to draw, follows so much later.
CURVE_MS = 200
#: The picture of another answer is painted before its curve is laid.
_AFTER_PICTURE_MS = 8
#: What the strip can show; the second and third only of a clock that runs.
VIEWS = ("along a line", "over time", "time line", "refinement", "resistances", "table", "study")
_OF_TIME = VIEWS[1:3]


class Strip(QWidget):
    """Shows one view at a time, each with its own controls beside the row of views."""

    #: Whether the picture is to be coloured over the range of the whole run.
    range_chosen = pyqtSignal(bool)
    frame_chosen = pyqtSignal(int)
    #: The place (d,) in m that is read on the curve, or None.
    place_pointed = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._outcome: Outcome | None = None
        self._theme = LIGHT
        self.path: SeriesPath | None = None
        self._pages = QStackedWidget(self)
        self.line = LineView(self._pages)
        self.history = HistoryView(self._pages)
        self.time_line = TimeView("Time line of what changes", self._pages)
        self.refinement = RefinementView(self._pages)
        self.chain = DrawnView(self._pages)
        self.chain.setAccessibleName("Resistances in series")
        self.tables = TableView(self._pages)
        self.study = StudyView(self._pages)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 6)
        layout.setSpacing(4)
        layout.addWidget(self._top_row())
        for page in (self.line, self.history, self.time_line, self.refinement, self.chain, self.tables, self.study):
            self._pages.addWidget(page)
        layout.addWidget(self._pages, 1)
        self.time_bar = TimeBar(self)
        self.time_bar.hide()
        self.time_bar.frame_chosen.connect(self.frame_chosen)
        self.time_bar.range_chosen.connect(self.range_chosen)
        for view in (self.history, self.time_line):
            view.time_chosen.connect(self.time_bar.go_to)
        layout.addWidget(self.time_bar)
        self.line.place_pointed.connect(self.place_pointed)
        for each in (self.line, self.tables, self.history):
            each.said.connect(self._say)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._refresh)
        self.choose_view("along a line")

    def _top_row(self) -> QWidget:
        holder = QWidget(self)
        top = FlowLayout(holder, spacing=6, indent=0)
        self._views = QButtonGroup(self)
        for number, view in enumerate(VIEWS):
            button = QPushButton(view, holder)
            button.setCheckable(True)
            button.setObjectName(f"view {view}")
            button.setToolTip(f"Show in the strip: {view}  (Alt+Shift+{number + 1})")
            button.clicked.connect(lambda _, view=view: self.choose_view(view))
            self._views.addButton(button, number)
            top.addWidget(button)
        for controls in (self.line.controls, self.history.controls, self.tables.controls):
            top.addWidget(controls)
        self._source = ElidedLabel(holder)
        self._source.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        top.addWidget(self._source)
        return holder

    @property
    def chart(self) -> ProfileView:
        """The curve along a line."""
        return self.line.chart

    @property
    def view(self) -> str:
        """Which of :data:`VIEWS` is shown."""
        return VIEWS[self._pages.currentIndex()]

    @property
    def plot(self) -> Plot | None:
        """The chart that is shown, to be written to a file; None where none is."""
        page = self._pages.currentWidget()
        seen = page.chart if isinstance(page, LineView | StudyView) else page
        return seen.plot if isinstance(seen, DrawnView) else None

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
        self.line.show_theme(theme)
        self.study.set_theme(theme)
        self._refresh()

    def show_outcome(self, outcome: Outcome | None) -> None:
        """Take another outcome; the curves follow right after the picture."""
        known = self._outcome
        self._take(outcome)
        self.refinement.show_outcome(outcome)
        run, before = (each.run if each is not None else None for each in (outcome, known))
        if run is not before:
            self._take_run(run)
        if (
            known is None
            or outcome is None
            or outcome.solution is not known.solution
            or outcome.trouble
            or outcome.case.units != known.case.units
            or outcome.histories is not known.histories
            or (outcome.checks is not known.checks and self.view == "table")
        ):
            self._soon.start(_AFTER_PICTURE_MS)

    def show_frame(self, outcome: Outcome) -> None:
        """Take another instant of the run shown."""
        self._take(outcome)
        for view in (self.history, self.time_line):
            view.show_now(outcome.t)
        if self.view in ("along a line", "table") and not self._soon.isActive():
            self._soon.start(CURVE_MS)

    def _say(self, text: str) -> None:
        """Say beside the controls what is shown; without anything to say it takes no room."""
        self._source.say(text)
        self._source.setVisible(bool(text))

    def _take(self, outcome: Outcome | None) -> None:
        self._outcome = outcome
        self.line.show_outcome(outcome)
        self.tables.show_outcome(outcome)

    def _take_run(self, run: Run | None) -> None:
        """Another run, or none, as while a new one is computed."""
        runs = self._outcome is not None and self._outcome.case.document.running_clock is not None
        self.time_bar.setVisible(run is not None)
        if run is not None and self._outcome is not None:
            self.time_bar.show_times(run.fields.times, self._outcome.case.units)
            for view in (self.history, self.time_line):
                view.show_now(float(run.times[-1]))
        if not runs and self.view in _OF_TIME:
            self.choose_view("along a line")

    def _refresh(self) -> None:
        self._soon.stop()
        outcome, view = self._outcome, self.view
        runs = outcome is not None and outcome.case.document.running_clock is not None
        for button in self._views.buttons():
            button.setVisible(runs or button.text() not in _OF_TIME)
        self.line.controls.setVisible(view == "along a line")
        self.history.controls.setVisible(view == "over time")
        self.tables.controls.setVisible(view == "table")
        self._say("")
        if view == "along a line":
            self.line.refresh()
        elif view == "over time":
            self.history.refresh(outcome, self._theme)
        elif view == "time line":
            self._show_time_line(outcome)
        elif view == "resistances":
            self._show_chain(outcome)
        elif view == "table":
            self.tables.refresh()

    def _show_time_line(self, outcome: Outcome | None) -> None:
        case = outcome.case if outcome is not None else None
        end = _end_of(outcome)
        rows = tracks(case, end, outcome.run.stage_ends if outcome and outcome.run else ()) if case and end else ()
        if case is None or not rows:
            self.time_line.show_chart(None, 0.0, "Nothing that is stated changes with time.", self._theme)
            return
        self.time_line.show_chart(time_line_plot(rows, end, case), end, "", self._theme)

    def _show_chain(self, outcome: Outcome | None) -> None:
        self.path = None
        if outcome is None or outcome.solution is None or outcome.problem is None:
            self.chain.show_plot(None, "The chain of resistances appears here once the case is solved.", self._theme)
            return
        try:
            if outcome.run is not None:
                raise ReferenceRefusedError("the clock runs, so what passes one layer does not pass the next")
            self.path = series_path(outcome.exact, outcome.problem, outcome.solution.temperature, outcome.heat_now)
        except ReferenceRefusedError as reason:
            self.chain.show_plot(None, f"No chain of resistances: {reason}.", self._theme)
            return
        self._say(self.path.source)
        self.chain.show_plot(chain_plot(self.path, outcome.case.units), "", self._theme)


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
