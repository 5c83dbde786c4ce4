"""A widget that shows an image drawn for its size, or says why there is none."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from blunt_ember.picture.palette import LIGHT, Theme

#: Draws an image (height, width, 4) in RGBA of a width and height, in a theme, at a ratio of pixels.
Drawing = Callable[[int, int, Theme, float], NDArray[np.uint8]]


class DrawnView(QWidget):
    """Paints what a drawing makes, when it is first seen and again in another size."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.theme = LIGHT
        self._drawing: Drawing | None = None
        self._image: QImage | None = None
        self._message = ""

    def show_drawing(self, drawing: Drawing | None, message: str, theme: Theme) -> None:
        """Take another drawing, or a message where there is none."""
        self._drawing, self._message, self.theme = drawing, message, theme
        self._image = None
        self.update()

    def paint_over(self, painter: QPainter) -> None:
        """Paint what lies over the drawing: nothing, unless a kind of view has something."""

    def sizeHint(self) -> QSize:
        """Wish for the size of the design."""
        return QSize(880, 170)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Draw anew in another size."""
        super().resizeEvent(event)
        self._image = None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the drawing, or say why there is none."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        if self._drawing is None:
            painter.setPen(QColor(self.theme.quiet))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._message)
        else:
            if self._image is None:
                ratio = self.devicePixelRatioF()
                pixels = self._drawing(self.width(), self.height(), self.theme, ratio)
                height, width = pixels.shape[:2]
                image = QImage(pixels.tobytes(), width, height, width * 4, QImage.Format.Format_RGBA8888).copy()
                image.setDevicePixelRatio(ratio)
                self._image = image
            painter.drawImage(QPointF(0, 0), self._image)
            self.paint_over(painter)
        painter.end()
