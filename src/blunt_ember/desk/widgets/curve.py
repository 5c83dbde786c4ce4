"""A law drawn as a small curve."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPalette, QPen, QPolygonF
from PyQt6.QtWidgets import QToolButton, QWidget

from blunt_ember.case.values.display import number
from blunt_ember.case.values.laws import Table


def paint_curve(painter: QPainter, box: QRectF, xs: Sequence[float], ys: Sequence[float], palette: QPalette) -> None:
    """Draw the points and the straight lines between them into a box."""
    low, high = min(ys), max(ys)
    margin = 0.12 * (high - low) or 0.5 * abs(high) or 1.0
    low, high = low - margin, high + margin

    def at(x: float, y: float) -> QPointF:
        return QPointF(
            box.left() + (x - xs[0]) / (xs[-1] - xs[0]) * box.width(),
            box.bottom() - (y - low) / (high - low) * box.height(),
        )

    painter.setPen(QPen(palette.color(QPalette.ColorRole.Mid), 1))
    painter.drawLine(box.bottomLeft(), box.bottomRight())
    points = [at(x, y) for x, y in zip(xs, ys, strict=True)]
    ember = palette.color(QPalette.ColorRole.Highlight)
    painter.setPen(QPen(ember, 1.6))
    painter.drawPolyline(QPolygonF(points))
    if len(points) <= box.width() / 6:
        painter.setBrush(ember)
        for point in points:
            painter.drawEllipse(point, 1.8, 1.8)


class CurveButton(QToolButton):
    """A table in a sentence: its curve and its size; a click opens it."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._table: Table | None = None
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setProperty("role", "choice")

    def show_table(self, table: Table, text: str) -> None:
        """Draw another table."""
        self._table = table
        self.setText(text)
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        """The curve and the words behind it."""
        self.ensurePolished()
        return QSize(64 + self.fontMetrics().horizontalAdvance(self.text()) + 6, self.fontMetrics().height() + 7)

    def minimumSizeHint(self) -> QSize:
        """The same as wished for."""
        return self.sizeHint()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the curve and the words."""
        if self._table is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_curve(painter, QRectF(3, 3, 54, self.height() - 7), self._table.xs, self._table.ys, self.palette())
        painter.setPen(self.palette().color(QPalette.ColorRole.Text))
        words = self.rect().adjusted(64, 0, 0, 0)
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, self.text())
        if self.hasFocus() or self.underMouse():
            painter.setPen(QPen(self.palette().color(QPalette.ColorRole.Highlight), 1))
            painter.drawLine(64, self.height() - 2, self.width() - 4, self.height() - 2)


class CurveView(QWidget):
    """A table drawn large, with the values at the ends of both axes."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMinimumSize(260, 200)
        self._xs: Sequence[float] = ()
        self._ys: Sequence[float] = ()
        self._names = ("", "")

    def show_points(self, xs: Sequence[float], ys: Sequence[float], names: tuple[str, str]) -> None:
        """Draw other points; ``names`` are those of the axes with their units."""
        self._xs, self._ys, self._names = xs, ys, names
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the curve with its axes."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(58, 22, self.width() - 74, self.height() - 52)
        painter.setPen(self.palette().color(QPalette.ColorRole.PlaceholderText))
        painter.drawText(QPointF(8, 14), self._names[1])
        painter.drawText(
            QRectF(box.left(), box.bottom() + 14, box.width(), 18), Qt.AlignmentFlag.AlignHCenter, self._names[0]
        )
        if len(self._xs) < 2:
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "two rows make a curve")
            return
        for value, place in ((min(self._ys), box.bottom() - 8), (max(self._ys), box.top() + 10)):
            painter.drawText(QRectF(2, place - 9, 50, 18), Qt.AlignmentFlag.AlignRight, number(value, 4))
        for value, left in ((self._xs[0], box.left()), (self._xs[-1], box.right() - 60)):
            side = Qt.AlignmentFlag.AlignLeft if left == box.left() else Qt.AlignmentFlag.AlignRight
            painter.drawText(QRectF(left, box.bottom() + 1, 60, 16), side, number(value, 5))
        paint_curve(painter, box, self._xs, self._ys, self.palette())
