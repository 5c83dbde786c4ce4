"""Refinement in the strip: a table of finer and finer meshes, and what the answers tend to."""

from __future__ import annotations

from collections.abc import Callable
from tempfile import TemporaryDirectory

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from blunt_ember.case.case import Case
from blunt_ember.case.values.units import Kind
from blunt_ember.desk.solver.child_process import ChildProcess
from blunt_ember.flow.outcome import Outcome
from blunt_ember.refinement.server import serve_levels
from blunt_ember.refinement.trend import RefinementLevel
from blunt_ember.report.tables.refined import refined_rows, summed_up

_HINT = "Solve on finer and finer meshes: which order is seen, what each answer tends to, and how far off it may be."


class RefinementView(QWidget):
    """Starts and stops a refinement of the case that is seen; its table is copied as text."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._outcome: Outcome | None = None
        self._case: Case | None = None
        self._follows = False
        self._kinds: tuple[Kind, ...] = ()
        self.levels: list[RefinementLevel] = []
        self._process: ChildProcess | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.divide = self._button(row, "divide every cell", "Halve the cells again and again", self._divide)
        finer = "Make cells finer where the answers need it, until every one of them is within its tolerance"
        self.follow = self._button(row, "follow the error", finer, self._follow)
        self.stop = self._button(row, "stop", "End the refinement; what was found stays", self.end)
        self.copy = self._button(row, "copy as text", "Put the table on the clipboard", self._copy)
        self.said = QLabel(_HINT, self)
        self.said.setProperty("role", "quiet")
        self.said.setWordWrap(True)  # what it says takes no room from the sheet
        self.said.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        row.addWidget(self.said, 1)
        column.addLayout(row)
        self.table = QTableWidget(self)
        self.table.setObjectName("refinement table")
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        for header in (self.table.verticalHeader(), self.table.horizontalHeader()):
            if header is not None:
                header.setVisible(False)
        column.addWidget(self.table, 1)
        self._show_buttons()

    def show_outcome(self, outcome: Outcome | None) -> None:
        """Take another outcome; what was found of another case is no longer shown."""
        self._outcome = outcome
        if outcome is None or outcome.case is not self._case:
            self.end()
            self._case, self.levels, self._kinds = None, [], ()
            self.said.setText(_HINT)
            self._fill()
        self._show_buttons()

    def found_of(self, outcome: Outcome) -> tuple[list[RefinementLevel], tuple[Kind, ...]]:
        """Return the meshes of a finished refinement by halves, and the kinds of the answers; none of another case."""
        known = outcome.case is self._case and not self.running and not self._follows and bool(self._kinds)
        return (self.levels, self._kinds) if known else ([], ())

    def end(self) -> None:
        """End a refinement that is under way."""
        if self._process is not None:
            self._process.end()
            self._process = None
            self._scratch.cleanup()
            self.said.setText("stopped" if self.levels else _HINT)
        self._show_buttons()

    @property
    def running(self) -> bool:
        """Whether a refinement is under way."""
        return self._process is not None

    def _divide(self) -> None:
        self._start(False)

    def _follow(self) -> None:
        self._start(True)

    def _start(self, follow_error: bool) -> None:
        if self._outcome is None:
            return
        self.end()
        self._case, self._follows, self.levels, self._kinds = self._outcome.case, follow_error, [], ()
        self._scratch = TemporaryDirectory(prefix="blunt-ember-", ignore_cleanup_errors=True)
        arguments = dict(self._case.data), self._case.folder, follow_error, self._scratch.name
        self._process = ChildProcess(serve_levels, arguments, "refinement", self)
        self._process.said.connect(self._receive)
        self._process.lost.connect(lambda: self._receive("the refinement ended unexpectedly"))
        self.said.setText("refining …")
        self._fill()
        self._show_buttons()

    def _receive(self, news: object) -> None:
        if isinstance(news, RefinementLevel):
            self.levels.append(news)
            self.said.setText(f"refining … {len(self.levels)} meshes so far")
            self._fill()
        elif isinstance(news, str):
            self.end()
            self.said.setText(news or summed_up(self.levels, self._follows))
        elif isinstance(news, tuple):
            self._kinds = news

    def _fill(self) -> None:
        rows = refined_rows(self._case, self._kinds, self.levels, self._follows) if self._case and self.levels else []
        self.table.setRowCount(len(rows))
        self.table.setColumnCount(max((len(row) for row in rows), default=0))
        for number, row in enumerate(rows):
            for column, text in enumerate(row):
                item = QTableWidgetItem(text)
                item.setTextAlignment(
                    Qt.AlignmentFlag.AlignVCenter
                    | (Qt.AlignmentFlag.AlignRight if column else Qt.AlignmentFlag.AlignLeft)
                )
                self.table.setItem(number, column, item)
        self.table.resizeColumnsToContents()
        self.table.resizeRowsToContents()

    def _copy(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None and self._case is not None:
            rows = refined_rows(self._case, self._kinds, self.levels, self._follows)
            clipboard.setText("\n".join("\t".join(row) for row in rows))

    def _show_buttons(self) -> None:
        ready = self._outcome is not None and self._outcome.solution is not None
        self.divide.setEnabled(ready and not self.running)
        self.follow.setEnabled(ready and not self.running)
        self.stop.setVisible(self.running)
        self.copy.setVisible(bool(self.levels))

    def _button(self, row: QHBoxLayout, text: str, tip: str, do: Callable[[], None]) -> QPushButton:
        button = QPushButton(text, self)
        button.setObjectName(text)
        button.setToolTip(tip)
        button.clicked.connect(do)
        row.addWidget(button)
        return button
