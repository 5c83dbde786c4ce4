"""A label that cuts its text where there is no room for it; the whole of it is its tool tip."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QLabel, QSizePolicy, QWidget


class ElidedLabel(QLabel):
    """Takes what room is left."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setProperty("role", "quiet")
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def say(self, text: str) -> None:
        """Show a text."""
        self.setText(text)
        self.setToolTip(text)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint as much as there is room for."""
        painter = QPainter(self)
        painter.setPen(self.palette().windowText().color())
        cut = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, cut)
        painter.end()
