"""Offers back what was not saved when a window ended without being closed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime
from html import escape

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from blunt_ember.desk.app.kept_work import LeftWork


class LeftWorkDialog(QDialog):
    """Lists the cases; each is opened or thrown away, and those left alone are offered again."""

    def __init__(self, found: Sequence[LeftWork], take: Callable[[LeftWork], bool], parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("left work")
        self.setWindowTitle("Work that was not saved")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._take = take
        self._left = len(found)
        column = QVBoxLayout(self)
        one = len(found) == 1
        said = QLabel("The window ended before this was saved:" if one else "Windows ended before these were saved:")
        column.addWidget(said)
        for each in found:
            column.addWidget(self._row(each))
        later = QDialogButtonBox(QDialogButtonBox.StandardButton.Close, self)
        button = later.button(QDialogButtonBox.StandardButton.Close)
        if button is not None:
            button.setText("Later")
        later.rejected.connect(self.reject)
        column.addWidget(later)

    def _row(self, work: LeftWork) -> QWidget:
        row = QWidget(self)
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 6, 0, 6)
        kept = datetime.fromtimestamp(work.kept).strftime("%d %b, %H:%M:%S")
        title, differs = escape(work.case.document.title), escape(work.differs())
        words = QLabel(f"<b>{title}</b>, kept {kept}<br>{differs}", row)
        words.setTextFormat(Qt.TextFormat.RichText)
        words.setWordWrap(True)
        words.setMinimumWidth(380)
        line.addWidget(words, 1)
        for text, chosen in (("Open it", lambda: self._open(work)), ("Throw away", lambda: self._throw(work, row))):
            button = QPushButton(text, row)
            button.setObjectName(f"{text} {work.record.name}")
            button.clicked.connect(chosen)
            line.addWidget(button)
        return row

    def _open(self, work: LeftWork) -> None:
        if self._take(work):
            self.accept()

    def _throw(self, work: LeftWork, row: QWidget) -> None:
        work.forget()
        row.hide()
        self._left -= 1
        if not self._left:
            self.accept()
