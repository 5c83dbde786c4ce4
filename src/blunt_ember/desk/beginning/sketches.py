"""Small pictures of cases as the interface shows them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QSize
from PyQt6.QtGui import QImage, QPixmap

from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.palette import LIGHT, Theme
from blunt_ember.picture.small_picture import SmallPictures


class Sketches:
    """Draws small pictures; holds a graphics context from the first one until it is closed."""

    def __init__(self) -> None:
        self.theme: Theme = LIGHT
        self._pictures = SmallPictures()

    def pixmap(self, outcome: Outcome, lens: str, size: QSize, ratio: float) -> QPixmap:
        """Return a body through a lens, as large as ``size`` at so many dots a point; empty where it has no shape."""
        pixels = self._pictures.of(outcome, lens, (size.width(), size.height()), ratio, self.theme)
        return QPixmap() if pixels is None else QPixmap.fromImage(image_of_pixels(pixels, ratio))

    def close(self) -> None:
        """Give back the graphics context."""
        self._pictures.close()


def image_of_pixels(pixels: NDArray[np.uint8], ratio: float) -> QImage:
    """Return pixels (h, w, 4) as an image of so many dots a point."""
    height, width = pixels.shape[:2]
    image = QImage(pixels.tobytes(), width, height, width * 4, QImage.Format.Format_RGBA8888).copy()
    image.setDevicePixelRatio(ratio)
    return image
