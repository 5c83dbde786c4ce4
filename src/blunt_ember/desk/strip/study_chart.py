"""The chart of a study, whose points tell what they are and can be taken."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QHelpEvent, QMouseEvent
from PyQt6.QtWidgets import QToolTip, QWidget

from blunt_ember.desk.widgets.drawn_view import DrawnView
from blunt_ember.picture.charts.studies.pointed import StudyPlot
from blunt_ember.picture.palette import Theme


class StudyChartView(DrawnView):
    """Paints a chart of a study; a click near a point takes it, and pointing at it tells what it is."""

    #: The number of the point that was clicked.
    taken = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMouseTracking(True)
        self._told: tuple[str, ...] = ()

    def show_study(self, plot: StudyPlot | None, message: str, theme: Theme, told: tuple[str, ...]) -> None:
        """Take another chart with what is told of every point of its study, or a message where there is none."""
        self._told = told
        self.setAccessibleName(plot.title if plot is not None else "Answers over a parameter")
        self.show_plot(plot, message, theme)

    def point_at(self, x: float, y: float) -> int | None:
        """Return which point of the study stands near a place of the chart."""
        return self.plot.point_near(x, y) if isinstance(self.plot, StudyPlot) else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Show that a point can be taken."""
        if event is not None:
            near = self.point_at(event.position().x(), event.position().y()) is not None
            self.setCursor(Qt.CursorShape.PointingHandCursor if near else Qt.CursorShape.ArrowCursor)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take the point."""
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            number = self.point_at(event.position().x(), event.position().y())
            if number is not None:
                self.taken.emit(number)

    def event(self, event: QEvent | None) -> bool:
        """Tell of the point that is pointed at."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            number = self.point_at(event.pos().x(), event.pos().y())
            QToolTip.showText(event.globalPos(), self._told[number] if number is not None else "", self)
            return True
        return super().event(event)
