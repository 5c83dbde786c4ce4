"""A label that cuts its text where there is no room for it; the whole of it is its tool tip."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QLabel, QSizePolicy, QWidget

#: Width in pixels below which it is not drawn together.
_LEAST = 40


class ElidedLabel(QLabel):
    """Takes what room is left; a name on the left side loses its middle, as both its ends tell it from others."""

    def __init__(self, parent: QWidget | None = None, named: bool = False, left: bool = False) -> None:
        super().__init__(parent)
        self.setProperty("role", "strong" if named else "quiet")
        self._cut = Qt.TextElideMode.ElideMiddle if named else Qt.TextElideMode.ElideRight
        self._side = Qt.AlignmentFlag.AlignLeft if named or left else Qt.AlignmentFlag.AlignRight
        across = QSizePolicy.Policy.Preferred if named else QSizePolicy.Policy.Ignored
        self.setSizePolicy(across, QSizePolicy.Policy.Preferred)

    def minimumSizeHint(self) -> QSize:
        """Give way to what stands beside it."""
        return QSize(_LEAST, super().minimumSizeHint().height())

    def say(self, text: str) -> None:
        """Show a text."""
        self.setText(text)
        self.setToolTip(text)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint as much as there is room for."""
        painter = QPainter(self)
        painter.setPen(self.palette().windowText().color())
        cut = self.fontMetrics().elidedText(self.text(), self._cut, self.width())
        painter.drawText(self.rect(), self._side | Qt.AlignmentFlag.AlignVCenter, cut)
        painter.end()
