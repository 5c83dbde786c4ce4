"""Studies in the strip: those the case states, and a sweep of one parameter that is asked for here."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from shutil import rmtree
from tempfile import mkdtemp
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.values.display import shown
from blunt_ember.desk.solver.child_process import ChildProcess
from blunt_ember.desk.solver.scratch import SCRATCH
from blunt_ember.desk.strip.study_chart import StudyChartView
from blunt_ember.errors import BluntEmberError
from blunt_ember.picture.charts.studies.pointed import StudyPlot
from blunt_ember.picture.charts.studies.ways import charts_of
from blunt_ember.picture.palette import LIGHT, Theme
from blunt_ember.process_mark import own_mark
from blunt_ember.studies.result import StudyDone, StudyResult
from blunt_ember.studies.running.pace import Pace
from blunt_ember.studies.running.server import serve_study
from blunt_ember.studies.telling import findings_table, found_lines, kind_of_parameter, result_table, write_study

_HINT = "Vary a parameter and see every answer as a curve over it; a click on a row puts that case on the desk."
#: What a study that is asked for here is called in the case that does it.
_QUICK = "sweep"
_SWEEP = "sweep of "
#: From which to which share of its value a parameter is swept when nothing else is typed.
_FROM, _TO = 0.5, 2.0
#: Letters there is room for in what is chosen of a study.
_LETTERS = 9


class StudyView(QWidget):
    """Starts and stops a study of the case that is seen; its points are shown as a curve and as a table."""

    #: A row was taken: the case whose parameters it has.
    point_taken = pyqtSignal(object)
    #: So many cases are done, of so many.
    progressed = pyqtSignal(int, int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk: Case | None = None
        self._path: Path | None = None
        self._case: Case | None = None
        self._process: ChildProcess | None = None
        self._scratch = ""
        self._pace = Pace()
        #: How many cases are done, of how many; of an unknown number 0.
        self.progress = (0, 0)
        self._theme = LIGHT
        self.result: StudyResult | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.which = QComboBox(self)
        self.which.setObjectName("which study")
        self.which.setAccessibleName("Study that is done")
        self.which.activated.connect(self._chosen)
        self.start = self._field("study from", "First value of the parameter, such as 5 W/(m² K)")
        self.end_value = self._field("study to", "Last value of the parameter")
        self.count = QSpinBox(self)
        self.count.setObjectName("study count")
        self.count.setRange(2, 999)
        self.count.setValue(9)
        self.count.setToolTip("How many values")
        self.errors = QCheckBox("±", self)
        self.errors.setObjectName("study errors")
        self.errors.setToolTip("Solve every case again on other cells: what the mesh may have each answer off by")
        self.errors.setChecked(True)
        self.run = self._button("run", "Solve the case with every value", self._start)
        self.stop = self._button("stop", "End the study; what was found is kept", self.end)
        self.question = self._choice("study question", "Answer that is drawn", self._draw)
        self.way = self._choice("study way", "How it is drawn", self._draw)
        self.copy = self._button("copy as text", "Put the table on the clipboard", self._copy)
        self.save = self._button("save …", "Write the table as CSV, or all that was found as JSON", self._save)
        self._words = [QLabel(word, self) for word in ("from", "to", "in")]
        asked = (self._words[0], self.start, self._words[1], self.end_value, self._words[2], self.count, self.errors)
        for widget in (self.which, *asked, self.run, self.stop):
            row.addWidget(widget)
        self._of_sweep = asked
        self.said = QLabel(_HINT, self)
        self.said.setProperty("role", "quiet")
        self.said.setWordWrap(True)
        self.said.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        row.addWidget(self.said, 1)
        column.addLayout(row)
        both = QHBoxLayout()
        self.chart = StudyChartView(self)
        self.chart.taken.connect(self._take)
        self.table = QTableWidget(self)
        self.table.setObjectName("study table")
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        self.table.cellClicked.connect(lambda number, _: self._take_row(number))
        numbers = self.table.verticalHeader()
        if numbers is not None:
            numbers.setVisible(False)
            numbers.setDefaultSectionSize(20)
        beside = QVBoxLayout()
        beside.setSpacing(4)
        found = QHBoxLayout()
        found.setSpacing(6)
        for widget in (self.question, self.way, self.copy, self.save):
            found.addWidget(widget)
        found.addStretch(1)
        beside.addLayout(found)
        beside.addWidget(self.table, 1)
        both.addWidget(self.chart, 3)
        both.addLayout(beside, 2)
        column.addLayout(both, 1)
        self._show_state()

    def _choice(self, name: str, tip: str, do: Callable[[], None]) -> QComboBox:
        choice = QComboBox(self)
        choice.setObjectName(name)
        choice.setAccessibleName(tip)
        choice.setToolTip(tip)
        choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        choice.setMinimumContentsLength(_LETTERS)
        choice.activated.connect(lambda _: do())
        return choice

    def _field(self, name: str, tip: str) -> QLineEdit:
        field = QLineEdit(self)
        field.setObjectName(name)
        field.setToolTip(tip)
        field.setAccessibleName(tip)
        field.setMaximumWidth(110)
        field.returnPressed.connect(self._start)
        return field

    def _button(self, text: str, tip: str, do: Callable[[], None]) -> QPushButton:
        button = QPushButton(text, self)
        button.setObjectName(f"study {text}")
        button.setToolTip(tip)
        button.clicked.connect(lambda: do())
        return button

    @property
    def running(self) -> bool:
        """Whether a study is under way."""
        return self._process is not None

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self._draw()

    def show_case(self, case: Case, path: Path | None) -> None:
        """Take the case that is on the desk, and its file, beside which results are kept; what was found of the case
        before stays to be looked at, and is marked."""
        self._path = path
        if case is self._desk:
            return
        self._desk = case
        self._offer(case)
        if self.result is not None and case is not self._case and not self.running:
            self.said.setText("of the case as it was; run it again for the case as it is")
        self._show_state()

    def forget(self) -> None:
        """Leave what was found, as another body of work is on the desk."""
        self.end()
        self._desk = self._case = self.result = None
        self.start.clear()
        self.end_value.clear()
        self.said.setText(_HINT)
        self._fill()

    def _offer(self, case: Case) -> None:
        """Offer the studies of a case, and its parameters."""
        before = self.which.currentText()
        offered = [*case.document.studies, *(f"{_SWEEP}{name}" for name in case.document.parameters)]
        if offered != [self.which.itemText(place) for place in range(self.which.count())]:
            self.which.clear()
            self.which.addItems(offered)
            self.which.setCurrentText(before)
        typing = self.start.hasFocus() or self.end_value.hasFocus()
        if self.which.currentText() != before or not (self.start.text() or typing):
            self._chosen()

    def _chosen(self) -> None:
        """Propose a range about the value that the chosen parameter has."""
        case, parameter = self._desk, self._parameter
        if case is not None and parameter:
            kind, value = kind_of_parameter(case, parameter), float(case.parameters[parameter].magnitude)
            span = sorted((_FROM * value, _TO * value))
            if kind.zero:  # of a temperature half the kelvin say nothing
                span = [value - 50, value + 50]
            self.start.setText(shown(span[0], kind))
            self.end_value.setText(shown(span[1], kind))
        self._show_state()

    @property
    def _parameter(self) -> str:
        """The parameter of the sweep that is chosen; empty where a study of the case is."""
        text = self.which.currentText()
        return text.removeprefix(_SWEEP) if text.startswith(_SWEEP) else ""

    def do(self, name: str) -> None:
        """Do the study of a name, which the case states."""
        self.which.setCurrentText(name)
        self._chosen()
        self._start()

    def _start(self) -> None:
        if self._desk is None or not self.which.currentText():
            return
        self.end()
        case, name = self._desk, self.which.currentText()
        if self._parameter:
            ends = {"start": self.start.text(), "end": self.end_value.text(), "count": self.count.value()}
            stated: dict[str, Any]
            name, stated = _QUICK, {"kind": "sweep", "vary": {self._parameter: ends}}
            stated |= {"errors": True} if self.errors.isChecked() else {}
            try:
                case = with_value(case, ("studies",), {_QUICK: stated})
            except BluntEmberError as error:
                self.said.setText(str(error))
                return
        self._case, self._study, self._name, self.result = self._desk, case, name, None
        arguments = dict(case.data), case.folder, name, str(self._results())
        self._process = ChildProcess(serve_study, arguments, "study", self, has_children=True)
        self._process.said.connect(self._receive)
        self._process.lost.connect(lambda: self._receive("the study ended unexpectedly"))
        self._pace, self.progress = Pace(), (0, 0)
        self.said.setText("solving …")
        self._fill()
        self._show_state()

    def _results(self) -> Path:
        """Where rows are kept: beside the file, of a case that has none as long as the window is there."""
        if self._path is not None:
            return self._path.with_suffix(".results")
        if not self._scratch:
            self._scratch = mkdtemp(prefix=f"{SCRATCH}{own_mark()}-")
        return Path(self._scratch, "studies.results")

    def leave(self) -> None:
        """End what is under way, and take away what was kept of cases that have no file."""
        self.end()
        if self._scratch:
            rmtree(self._scratch, ignore_errors=True)
            self._scratch = ""

    def _receive(self, news: object) -> None:
        if isinstance(news, StudyResult):
            self.result = news
            self.question.clear()
            self.question.addItems([question.name for question in self._study.document.questions])
            self._fill()
        elif isinstance(news, tuple):
            done, of = news
            self.progress = done, of
            self.said.setText(self._pace.told(done, of))
            self.progressed.emit(done, of)
        elif isinstance(news, str):
            self.end()
            lines = found_lines(self._study, self.result) if self.result is not None else []
            self.said.setText(news or "; ".join(lines) or f"{len(self.result.points) if self.result else 0} cases")

    def end(self) -> None:
        """End a study that is under way."""
        if self._process is not None:
            self._process.end()
            self._process = None
            if self.result is None:
                done, of = self.progress
                kept = f"{done:,} of {of:,} cases are kept" if of else "what was solved is kept"
                self.said.setText(f"stopped; {kept}: run goes on from there")
        self._show_state()

    def _fill(self) -> None:
        """Show the points and what was found, and draw them."""
        rows: list[tuple[str, ...]] = []
        if self.result is not None:
            rows = findings_table(self._study, self.result) or result_table(self._study, self.result)
        self._points_shown = self.result is not None and not self.result.findings
        self.table.setColumnCount(len(rows[0]) if rows else 0)
        self.table.setRowCount(max(len(rows) - 1, 0))
        if rows:
            self.table.setHorizontalHeaderLabels(list(rows[0]))
        for number, row in enumerate(rows[1:]):
            for place, text in enumerate(row):
                item = QTableWidgetItem(text)
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(number, place, item)
        self.table.resizeColumnsToContents()
        self._draw()
        self._show_state()

    def _draw(self) -> None:
        question, way = self.question.currentText(), self.way.currentText()
        charts: dict[str, StudyPlot] = {}
        told: tuple[str, ...] = ()
        if self.result is not None and question:
            charts = charts_of(StudyDone(self._study, self._name, self.result), question)
            if self._points_shown:
                heads, *rows = result_table(self._study, self.result)
                told = tuple("\n".join(f"{head} {cell}" for head, cell in zip(heads, row, strict=True)) for row in rows)
        if list(charts) != [self.way.itemText(place) for place in range(self.way.count())]:
            self.way.clear()
            self.way.addItems(list(charts))
            self.way.setCurrentText(way)
        self.way.setVisible(len(charts) > 1)
        nothing = "" if self.result is None or charts else "what was found stands in the table"
        message = nothing or (_HINT if self.result is None else "")
        self.chart.show_study(charts.get(self.way.currentText()), message, self._theme, told)

    @property
    def done(self) -> StudyDone | None:
        """The study that is shown, if it is of the case on the desk."""
        if self.result is None or self._case is not self._desk:
            return None
        return StudyDone(self._study, self._name, self.result)

    def _take_row(self, row: int) -> None:
        if self._points_shown:
            self._take(row)

    def _take(self, number: int) -> None:
        if self.result is not None and number < len(self.result.points):
            self.point_taken.emit(self.result.points[number])

    def _save(self) -> None:
        if self.result is None:
            return
        suggestion = f"{self._study.document.title}, {self._name}.csv"
        folder = self._path.parent if self._path is not None else Path()
        kinds = "Table (*.csv);;All that was found (*.json)"
        name, _ = QFileDialog.getSaveFileName(self, "Save study", str(folder / suggestion), kinds)
        if not name:
            return
        path = Path(name) if Path(name).suffix else Path(f"{name}.csv")
        try:
            write_study(StudyDone(self._study, self._name, self.result), path)
        except (BluntEmberError, OSError) as error:
            self.said.setText(str(error))
        else:
            self.said.setText(f"saved {path}")

    def _copy(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None and self.result is not None:
            rows = [*findings_table(self._study, self.result), *result_table(self._study, self.result)]
            clipboard.setText("\n".join("\t".join(row) for row in rows))

    def _show_state(self) -> None:
        self.run.setEnabled(not self.running and self.which.count() > 0)
        self.stop.setVisible(self.running)
        for widget in self._of_sweep:
            widget.setVisible(bool(self._parameter))
        for found in (self.question, self.copy, self.save, self.table):
            found.setVisible(self.result is not None)
        if self.result is None:
            self.way.hide()
