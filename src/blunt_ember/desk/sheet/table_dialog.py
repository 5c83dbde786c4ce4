"""A table of values, typed or pasted from a spreadsheet, beside its curve."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from blunt_ember.case.editing.edits import value_at, with_value
from blunt_ember.case.values.display import in_shown_unit
from blunt_ember.case.values.laws import VARIABLE_KINDS, law_of
from blunt_ember.case.values.tables import Cells, is_table, pasted_cells, stated_table, usual_units
from blunt_ember.case.values.units import Kind
from blunt_ember.desk.app.current_case import CurrentCase
from blunt_ember.desk.widgets.curve import CurveView
from blunt_ember.errors import DataPath, ExpressionError, path_text

_SPARE_ROWS = 2


class TableDialog(QDialog):
    """Edits the table at a path of the case; the curve and what is wrong follow every key."""

    def __init__(
        self,
        current: CurrentCase,
        path: DataPath,
        kind: Kind,
        variables: Sequence[str],
        cells: Cells,
        over: str,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._current, self._path, self._kind = current, path, kind
        self.setObjectName("table dialog")
        self.setWindowTitle(f"Table of {kind.name.removeprefix('a ').removeprefix('an ')}: {path_text(path)}")
        self.resize(760, 430)
        self.over = QComboBox(self)
        self.over.setObjectName("over")
        self.over.addItems(list(variables))
        self.over.setCurrentText(over)
        self.units = (QLineEdit(cells.units[0], self), QLineEdit(cells.units[1], self))
        self.table = QTableWidget(0, 2, self)
        self.table.setObjectName("cells")
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.AllEditTriggers)
        header = self.table.horizontalHeader()
        if header is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.installEventFilter(self)
        self.curve = CurveView(self)
        self.fault = QLabel(self)
        self.fault.setProperty("role", "fault")
        self.fault.setWordWrap(True)
        self.buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel, self
        )
        self._lay_out()
        self._fill(cells)
        self.table.itemChanged.connect(self._changed)
        self.over.currentTextChanged.connect(self._changed)
        for unit in self.units:
            unit.textChanged.connect(self._changed)
        self.buttons.accepted.connect(self._commit)
        self.buttons.rejected.connect(self.reject)
        self._changed()

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        usual = usual_units(self.over.currentText(), self._kind)
        top.addWidget(QLabel("Over", self))
        top.addWidget(self.over)
        for unit, example, which in zip(self.units, usual, ("first", "second"), strict=True):
            unit.setPlaceholderText(example or "no unit")
            unit.setMaximumWidth(96)
            unit.setObjectName(f"unit of the {which} column")
            top.addWidget(QLabel(f"plain numbers of the {which} column in", self))
            top.addWidget(unit)
        middle = QHBoxLayout()
        left = QVBoxLayout()
        left.addWidget(self.table, 1)
        hint = QLabel(
            "Paste two columns from a spreadsheet with Ctrl+V; a heading such as T [°C] gives the unit.", self
        )
        hint.setProperty("role", "quiet")
        hint.setWordWrap(True)
        left.addWidget(hint)
        remove = QPushButton("Remove the row", self)
        remove.setObjectName("remove row")
        remove.clicked.connect(self._remove_row)
        left.addWidget(remove)
        middle.addLayout(left, 1)
        middle.addWidget(self.curve, 1)
        layout = QVBoxLayout(self)
        layout.addLayout(top)
        layout.addLayout(middle, 1)
        layout.addWidget(self.fault)
        layout.addWidget(self.buttons)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Take two columns that are pasted into the table."""
        if watched is self.table and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            clipboard = QApplication.clipboard()
            if event.matches(QKeySequence.StandardKey.Paste) and clipboard is not None and is_table(clipboard.text()):
                self.paste(clipboard.text())
                return True
        return super().eventFilter(watched, event)

    def paste(self, text: str) -> None:
        """Replace the cells by two columns of a text."""
        cells = pasted_cells(text)
        for unit, found in zip(self.units, cells.units, strict=True):
            if found:
                unit.setText(found)
        self._fill(cells)
        self._changed()

    def _fill(self, cells: Cells) -> None:
        self.table.blockSignals(True)
        self.table.setRowCount(0)
        self.table.setRowCount(len(cells.rows) + _SPARE_ROWS)
        for row, texts in enumerate(cells.rows):
            for column, text in enumerate(texts):
                self.table.setItem(row, column, QTableWidgetItem(text))
        self.table.blockSignals(False)

    def _remove_row(self) -> None:
        self.table.removeRow(self.table.currentRow())
        self._changed()

    def cells(self) -> Cells:
        """Return what is typed, rows that are empty left out."""
        rows = []
        for row in range(self.table.rowCount()):
            items = [self.table.item(row, column) for column in (0, 1)]
            texts = [item.text().strip() if item is not None else "" for item in items]
            if any(texts):
                rows.append((texts[0], texts[1]))
        return Cells(tuple(rows), (self.units[0].text().strip(), self.units[1].text().strip()))

    def _changed(self) -> None:
        over = self.over.currentText()
        x_kind = VARIABLE_KINDS[over]
        self.table.setHorizontalHeaderLabels([f"{over}", self._kind.name.removeprefix("a ").removeprefix("an ")])
        case = self._current.case
        cells = self.cells()
        if len(cells.rows) + 1 > self.table.rowCount():
            self.table.setRowCount(len(cells.rows) + _SPARE_ROWS)
        ok = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        try:
            law = law_of(stated_table(cells, over), self._kind, case.parameters if case else {}, frozenset([over]))
        except ExpressionError as error:
            self.fault.setText(str(error))
            self.curve.show_points((), (), ("", ""))
            if ok is not None:
                ok.setEnabled(False)
            return
        self.fault.setText("")
        if ok is not None:
            ok.setEnabled(True)
        assert law.table is not None
        names = (
            f"{over}  [{x_kind.shown}]" if x_kind.shown else over,
            f"[{self._kind.shown}]" if self._kind.shown else "",
        )
        self.curve.show_points(
            [in_shown_unit(x, x_kind) for x in law.table.xs],
            [in_shown_unit(y, self._kind) for y in law.table.ys],
            names,
        )

    def _commit(self) -> None:
        table = stated_table(self.cells(), self.over.currentText())
        case = self._current.case
        before = value_at(case.data, self._path) if case is not None else None
        if isinstance(before, dict) and "between" in before:  # how it goes from row to row is kept
            table["between"] = before["between"]
        why = self._current.edit(f"table at {path_text(self._path)}", lambda case: with_value(case, self._path, table))
        if why is None:
            self.accept()
        else:
            self.fault.setText(str(why))
