"""A field laid over the picture, for a dimension or a point."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QToolTip, QWidget

from blunt_ember.case.case import Case
from blunt_ember.case.values.spellings import with_unit_of
from blunt_ember.desk.app.current_case import CurrentCase
from blunt_ember.errors import BluntEmberError, ExpressionError

#: From what was typed to the edit it stands for.
Change = Callable[[str], Callable[[Case], Case]]


class DimensionEditor(QLineEdit):
    """A field laid over a dimension on the picture."""

    cancelled = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Esc leaves the dimension as it was."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.cancelled.emit()
            return
        super().keyPressEvent(event)


class PictureEditor:
    """Opens a field, makes an edit of what is typed into it, and keeps it open with the reason when that is refused."""

    def __init__(self, picture: QWidget, current: CurrentCase) -> None:
        self._picture, self._current = picture, current
        self._field: DimensionEditor | None = None
        self._before = ""
        self._change: Change = lambda text: lambda case: case

    def open(self, name: str, text: str, box: tuple[float, float, float, float], change: Change) -> None:
        """Open a field over a box (left, top, width, height) in pixels."""
        self.close()
        left, top, width, height = box
        field = DimensionEditor(text, self._picture)
        field.setObjectName("dimension editor")
        field.setAccessibleName(name)
        wide = max(width + 24, 76)
        field.setGeometry(round(max(2.0, left + width / 2 - wide / 2)), round(top) - 3, round(wide), round(height) + 6)
        field.setAlignment(Qt.AlignmentFlag.AlignCenter)
        field.selectAll()
        field.returnPressed.connect(self._commit)
        field.editingFinished.connect(self._commit)
        field.cancelled.connect(self.close)
        self._field, self._before, self._change = field, text, change
        field.show()
        field.setFocus()

    def close(self) -> None:
        """Take the field away."""
        field, self._field = self._field, None
        if field is not None:
            field.hide()
            field.deleteLater()
            self._picture.setFocus()

    def _commit(self) -> None:
        field = self._field
        if field is None:
            return
        text = field.text().strip()
        if text == self._before:
            self.close()
            return
        why: BluntEmberError | None
        try:
            text = with_unit_of(text, self._before)
            why = self._current.edit(f"{field.accessibleName()}: {text}", self._change(text))
        except ExpressionError as error:
            why = error
        if why is None:
            self.close()
            return
        field.setProperty("wrong", True)
        field.setToolTip(str(why))
        style = field.style()
        if style is not None:
            style.unpolish(field)
            style.polish(field)
        QToolTip.showText(field.mapToGlobal(QPoint(0, field.height())), str(why), field)
