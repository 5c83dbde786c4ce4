"""A sentence that can be clicked, in as many lines as the width there is asks for."""

from __future__ import annotations

from PyQt6.QtCore import QRect, QSize, Qt
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QStyle, QStyleOptionToolButton, QStylePainter, QToolButton, QWidget

#: What is kept free beside the text, pixels, and the least width it is set in.
_MARGIN, _LEAST = 4, 120


class WrappedLink(QToolButton):
    """A button that shows its text as a link, wrapped."""

    def __init__(self, text: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setText(text)
        self.setProperty("role", "link")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        policy = QSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def hasHeightForWidth(self) -> bool:
        """The height follows from the width."""
        return True

    def heightForWidth(self, width: int) -> int:
        """Return the height the lines need at a width."""
        self.ensurePolished()
        room = QRect(0, 0, max(width - 2 * _MARGIN, 1), 10_000)
        return self.fontMetrics().boundingRect(room, Qt.TextFlag.TextWordWrap, self.text()).height() + 2 * _MARGIN

    def sizeHint(self) -> QSize:
        """Wish for little width, and the height that goes with what there is."""
        return QSize(_LEAST, self.heightForWidth(max(self.width(), _LEAST)))

    def minimumSizeHint(self) -> QSize:
        """One line."""
        return QSize(_LEAST, self.fontMetrics().height() + 2 * _MARGIN)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the frame of the style without its text, then the text in lines."""
        painter, option = QStylePainter(self), QStyleOptionToolButton()
        self.initStyleOption(option)
        text, option.text = self.text(), ""
        painter.drawComplexControl(QStyle.ComplexControl.CC_ToolButton, option)
        font = painter.font()
        font.setUnderline(self.underMouse())
        painter.setFont(font)
        painter.setPen(self.palette().buttonText().color())
        room = self.rect().adjusted(_MARGIN, _MARGIN, -_MARGIN, -_MARGIN)
        painter.drawText(room, Qt.TextFlag.TextWordWrap, text)
