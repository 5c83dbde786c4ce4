"""Tables in the strip: nodes, cells, surfaces, regions and readings; sorted, filtered, copied, written as CSV."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from blunt_ember.case.values.display import number
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.report.tables.number_tables import TABLES, NumberTable, number_table
from blunt_ember.written_file import write_text

_WAITING = "The tables fill once the case is solved."


class _Model(QAbstractTableModel):
    """A table as Qt asks for it, row by row as they come into view."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.table: NumberTable | None = None

    def take(self, table: NumberTable | None) -> None:
        """Take another table."""
        self.beginResetModel()
        self.table = table
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        """How many rows are shown."""
        return len(self.table.rows) if self.table is not None else 0

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        """How many columns there are."""
        return len(self.table.columns) if self.table is not None else 0

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        """What stands in a cell, and on which side of it."""
        if self.table is None:
            return None
        column = self.table.columns[index.column()]
        if role == Qt.ItemDataRole.DisplayRole:
            return column.text(int(self.table.rows[index.row()]))
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if column.is_number else Qt.AlignmentFlag.AlignLeft
            return int(side | Qt.AlignmentFlag.AlignVCenter)
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        """The headings, and the numbers of the rows."""
        if role != Qt.ItemDataRole.DisplayRole or self.table is None:
            return None
        return self.table.columns[section].title if orientation == Qt.Orientation.Horizontal else str(section + 1)


class _Grid(QTableView):
    """A table whose selection is copied by the usual key."""

    copy_wanted = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Copy, or move on."""
        if event is not None and event.matches(QKeySequence.StandardKey.Copy):
            self.copy_wanted.emit()
        else:
            super().keyPressEvent(event)


class TableView(QWidget):
    """Shows one table at a time."""

    said = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._outcome: Outcome | None = None
        self._made: tuple[Outcome, str, NumberTable] | None = None
        self._order: tuple[int, bool] | None = None
        self.controls = QWidget(self)
        row = QHBoxLayout(self.controls)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self.which = QComboBox(self.controls)
        self.which.setObjectName("which table")
        self.which.setAccessibleName("Table that is shown")
        self.which.addItems(TABLES)
        self.which.activated.connect(self._chosen)
        self.filter = QLineEdit(self.controls)
        self.filter.setObjectName("filter of the table")
        self.filter.setAccessibleName("Filter of the table")
        self.filter.setPlaceholderText("filter: brick, temperature > 400 …")
        self.filter.setToolTip("Words that a cell contains, or comparisons with a column, with 'and' between them")
        self.filter.setMinimumWidth(90)
        self.filter.textChanged.connect(lambda _: self._fill())
        self.copy = QPushButton("copy", self.controls)
        self.copy.setObjectName("copy table")
        self.copy.setToolTip("Put the selected rows, or all, on the clipboard as tab-separated text  (Ctrl+C)")
        self.copy.clicked.connect(self.copy_rows)
        self.write = QPushButton("CSV …", self.controls)
        self.write.setObjectName("export table")
        self.write.setToolTip("Write the rows that are shown to a file, with all digits")
        self.write.clicked.connect(self._export)
        for widget in (self.which, self.filter, self.copy, self.write):
            row.addWidget(widget)
        self.grid = _Grid(self)
        self.grid.setObjectName("table")
        self._model = _Model(self)
        self.grid.setModel(self._model)
        self.grid.setShowGrid(False)
        self.grid.setAlternatingRowColors(True)
        self.grid.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        self.grid.copy_wanted.connect(self.copy_rows)
        numbers = self.grid.verticalHeader()
        if numbers is not None:
            numbers.hide()
            numbers.setDefaultSectionSize(self.fontMetrics().height() + 6)
        header = self.grid.horizontalHeader()
        if header is not None:
            header.setStretchLastSection(False)
            header.setSectionsClickable(True)
            header.setSortIndicatorShown(True)
            header.setSortIndicator(-1, Qt.SortOrder.AscendingOrder)
            header.sectionClicked.connect(self._sort)
        self._empty = QLabel(_WAITING, self)
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._empty.setProperty("role", "quiet")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.grid)
        column.addWidget(self._empty)

    @property
    def table(self) -> NumberTable | None:
        """What is shown."""
        return self._model.table

    def show_outcome(self, outcome: Outcome | None) -> None:
        """Take another outcome; the table follows at the next :meth:`refresh`, at once where there is none."""
        self._outcome = outcome
        if outcome is None:
            self.refresh()

    def refresh(self) -> None:
        """Make the table of the outcome anew."""
        outcome, name = self._outcome, self.which.currentText()
        if outcome is None:
            self._made = None
        elif self._made is None or self._made[0] is not outcome or self._made[1] != name:
            table = number_table(outcome, name)
            self._made = (outcome, name, table) if table is not None else None
        self._fill()

    def copy_rows(self) -> None:
        """Put the selected rows, or all, on the clipboard."""
        selection, clipboard = self.grid.selectionModel(), QGuiApplication.clipboard()
        if self.table is None or clipboard is None:
            return
        rows = sorted(index.row() for index in selection.selectedRows()) if selection is not None else []
        clipboard.setText(self.table.tab_separated(rows or None))
        self.said.emit(f"{number(len(rows) or len(self.table.rows), 7)} rows are on the clipboard")

    def _chosen(self) -> None:
        self._order = None
        self.filter.clear()
        self.refresh()

    def _sort(self, column: int) -> None:
        down = self._order is not None and self._order[0] == column and not self._order[1]
        self._order = (column, down)
        self._fill()

    def _fill(self) -> None:
        """Show the rows that are wished for in their order."""
        header = self.grid.horizontalHeader()
        for widget, seen in ((self.grid, self._made is not None), (self._empty, self._made is None)):
            widget.setVisible(seen)
        if self._made is None:
            solved = self._outcome is not None and self._outcome.solution is not None
            self._empty.setText("This case has none of these." if solved else _WAITING)
            self._model.take(None)
            return
        table = self._made[2]
        try:
            found = table.filtered(self.filter.text())
            said, wrong = f"{number(len(found.rows), 7)} of {number(len(table.rows), 7)} rows", False
        except BluntEmberError as error:
            found, said, wrong = table, str(error), True
        self.filter.setProperty("wrong", wrong)
        style = self.filter.style()
        if style is not None:
            style.polish(self.filter)
        if self._order is not None and self._order[0] < len(found.columns):
            found = found.sorted_by(*self._order)
            order = Qt.SortOrder.DescendingOrder if self._order[1] else Qt.SortOrder.AscendingOrder
            if header is not None:
                header.setSortIndicator(self._order[0], order)
        elif header is not None:
            header.setSortIndicator(-1, Qt.SortOrder.AscendingOrder)
        widths = self._model.columnCount()
        self._model.take(found)
        if widths != len(found.columns):
            self.grid.resizeColumnsToContents()
        self.said.emit(said)

    def _export(self) -> None:
        if self.table is None or self._outcome is None:
            return
        suggestion = f"{self._outcome.case.document.title}, {self.which.currentText()}.csv"
        name, _ = QFileDialog.getSaveFileName(self, "Export the table", suggestion, "Tables (*.csv);;All files (*)")
        if not name:
            return
        path = Path(name) if Path(name).suffix else Path(f"{name}.csv")
        try:
            write_text(self.table.csv(), path)
        except (BluntEmberError, OSError) as error:
            self.said.emit(str(error))
            return
        self.said.emit(f"exported {path}")
