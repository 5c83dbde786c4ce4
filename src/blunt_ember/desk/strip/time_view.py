"""A chart whose width is the time of a run: shows the instant that is seen, and a click goes to another one."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from blunt_ember.desk.widgets.drawn_view import DrawnView
from blunt_ember.picture.charts.history_chart import HISTORY_MARGINS
from blunt_ember.picture.charts.plot import Plot
from blunt_ember.picture.palette import Theme


class TimeView(DrawnView):
    """Paints a chart and a cursor over it."""

    time_chosen = pyqtSignal(float)

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self._end, self._now = 0.0, 0.0

    @property
    def cursor_time(self) -> float:
        """Time in s that the cursor stands at."""
        return self._now

    def show_chart(self, plot: Plot | None, end: float, message: str, theme: Theme) -> None:
        """Take another chart, that ends at a time in s, or a message where there is none."""
        self._end = end
        self.show_plot(plot, message, theme)

    def show_now(self, t: float) -> None:
        """Put the cursor at a time in s."""
        self._now = t
        self.update()

    def paint_over(self, painter: QPainter) -> None:
        """Paint the cursor."""
        if self._end <= 0:
            return
        left, right, bottom, top = HISTORY_MARGINS
        x = left + (self.width() - left - right) * min(self._now / self._end, 1.0)
        painter.setPen(QPen(QColor(self.theme.teal), 1.4, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(x, top - 6), QPointF(x, self.height() - bottom))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Go to the time that is clicked."""
        self._choose(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Follow the pointer while it drags."""
        self._choose(event)

    def _choose(self, event: QMouseEvent | None) -> None:
        if event is None or self._end <= 0:
            return
        left, right, _, _ = HISTORY_MARGINS
        share = (event.position().x() - left) / max(self.width() - left - right, 1)
        self.time_chosen.emit(self._end * min(max(share, 0.0), 1.0))
