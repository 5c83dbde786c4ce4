"""A handle by which a row of the sheet is dragged to another place among its like."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QLabel, QWidget

from blunt_ember.sentences.parts import Grip


class GripHandle(QLabel):
    """Says where its row is dropped."""

    #: A place of the screen.
    dropped = pyqtSignal(QPoint)

    def __init__(self, part: Grip, parent: QWidget | None = None) -> None:
        super().__init__("⋮", parent)
        self.part = part
        self.setObjectName(f"grip {part.name}")
        self.setProperty("role", "quiet")
        self.setToolTip(f"Drag {part.name} to another place in the order (Alt+Up, Alt+Down)")
        self.setCursor(Qt.CursorShape.OpenHandCursor)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold."""
        self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let go, over another row perhaps."""
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        if event is not None:
            self.dropped.emit(event.globalPosition().toPoint())
