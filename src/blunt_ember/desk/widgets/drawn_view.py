"""A widget that shows a chart drawn for its size, or says why there is none."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QSize, Qt, QTimer
from PyQt6.QtGui import QColor, QImage, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from blunt_ember.picture.charts.plot import Plot, charts_imported, image_of
from blunt_ember.picture.palette import LIGHT, Theme

#: How often it is looked whether what draws charts is there, ms.
_LOOKED_MS = 10


class DrawnView(QWidget):
    """Paints a chart, when it is first seen and again in another size."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.theme = LIGHT
        #: What is shown, to be written to a file too; None where a message stands.
        self.plot: Plot | None = None
        self._image: QImage | None = None
        self._message = ""

    def show_plot(self, plot: Plot | None, message: str, theme: Theme) -> None:
        """Take another chart, or a message where there is none."""
        self.plot, self._message, self.theme = plot, message, theme
        self._image = None
        self.update()

    def drawn(self, plot: Plot, width: int, height: int, ratio: float) -> NDArray[np.uint8]:
        """Return the image (height, width, 4) in RGBA of a chart, with ``ratio`` pixels for each."""
        return image_of(plot, width, height, self.theme, ratio)

    def paint_over(self, painter: QPainter) -> None:
        """Paint what lies over the chart: nothing, unless a kind of view has something."""

    def sizeHint(self) -> QSize:
        """Wish for the size of the design."""
        return QSize(880, 170)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Draw anew in another size."""
        super().resizeEvent(event)
        self._image = None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the chart, or say why there is none."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        if self.plot is None:
            self._say(painter, self._message)
        elif self._image is None and not charts_imported().done():
            # What else is painted is seen meanwhile, and what is typed is taken.
            self._say(painter, "The chart is on its way …")
            QTimer.singleShot(_LOOKED_MS, self.update)
        else:
            if self._image is None:
                ratio = self.devicePixelRatioF()
                pixels = self.drawn(self.plot, self.width(), self.height(), ratio)
                height, width = pixels.shape[:2]
                image = QImage(pixels.tobytes(), width, height, width * 4, QImage.Format.Format_RGBA8888).copy()
                image.setDevicePixelRatio(ratio)
                self._image = image
            painter.drawImage(QPointF(0, 0), self._image)
            self.paint_over(painter)
        painter.end()

    def _say(self, painter: QPainter, message: str) -> None:
        painter.setPen(QColor(self.theme.quiet))
        wrapped = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
        painter.drawText(self.rect().adjusted(20, 0, -20, 0), wrapped, message)
