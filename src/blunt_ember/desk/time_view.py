"""A chart whose width is the time of a run: shows the instant that is seen, and a click goes to another one."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from blunt_ember.picture.history_chart import MARGINS, Image
from blunt_ember.picture.palette import LIGHT, Theme

#: Draws a chart of a width and height in a theme at a ratio of pixels.
Drawing = Callable[[int, int, Theme, float], Image]


class TimeView(QWidget):
    """Paints a chart, drawn when it is first seen, and a cursor over it."""

    time_chosen = pyqtSignal(float)

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self._drawing: Drawing | None = None
        self._image: QImage | None = None
        self._theme = LIGHT
        self._message = ""
        self._end, self._now = 0.0, 0.0

    @property
    def cursor_time(self) -> float:
        """Time in s that the cursor stands at."""
        return self._now

    def show_drawing(self, drawing: Drawing | None, end: float, message: str, theme: Theme) -> None:
        """Take another chart, that ends at a time in s, or a message where there is none."""
        self._drawing, self._end, self._message, self._theme = drawing, end, message, theme
        self._image = None
        self.update()

    def show_now(self, t: float) -> None:
        """Put the cursor at a time in s."""
        self._now = t
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Draw anew in another size."""
        super().resizeEvent(event)
        self._image = None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the chart with the cursor, or say why there is none."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self._theme.paper))
        if self._drawing is None:
            painter.setPen(QColor(self._theme.quiet))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._message)
            painter.end()
            return
        if self._image is None:
            ratio = self.devicePixelRatioF()
            pixels = self._drawing(self.width(), self.height(), self._theme, ratio)
            height, width = pixels.shape[:2]
            image = QImage(pixels.tobytes(), width, height, width * 4, QImage.Format.Format_RGBA8888).copy()
            image.setDevicePixelRatio(ratio)
            self._image = image
        painter.drawImage(QPointF(0, 0), self._image)
        if self._end > 0:
            left, right, bottom, top = MARGINS
            x = left + (self.width() - left - right) * min(self._now / self._end, 1.0)
            painter.setPen(QPen(QColor(self._theme.teal), 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, top - 6), QPointF(x, self.height() - bottom))
        painter.end()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Go to the time that is clicked."""
        self._choose(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Follow the pointer while it drags."""
        self._choose(event)

    def _choose(self, event: QMouseEvent | None) -> None:
        if event is None or self._end <= 0 or self._drawing is None:
            return
        left, right, _, _ = MARGINS
        share = (event.position().x() - left) / max(self.width() - left - right, 1)
        self.time_chosen.emit(self._end * min(max(share, 0.0), 1.0))
