"""Small pictures of cases, for cards and beside the line."""

from __future__ import annotations

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QImage, QPixmap

from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.body.drawn import drawn_box, pose_of
from blunt_ember.picture.body.renderer import BodyRenderer
from blunt_ember.picture.body.view import view_of_box
from blunt_ember.picture.lenses.registry import shade
from blunt_ember.picture.look import Look
from blunt_ember.picture.palette import LIGHT, Theme


class Sketches:
    """Draws small pictures; holds a graphics context from the first one until it is closed."""

    def __init__(self) -> None:
        self.theme: Theme = LIGHT
        self._renderer: BodyRenderer | None = None

    def pixmap(self, outcome: Outcome, lens: str, size: QSize, ratio: float) -> QPixmap:
        """Return a body through a lens, as large as ``size`` at so many dots a point; empty where it has no shape."""
        if outcome.geometry is None:
            return QPixmap()
        self._renderer = self._renderer or BodyRenderer()
        low, high = drawn_box(outcome.geometry)
        view = view_of_box(low, high, size.width(), size.height(), (8, 8, 8, 8), pose_of(outcome.geometry))
        found = shade(outcome, Look(lens, whole_run=False))
        pixels = self._renderer.draw(outcome, lens, found, view, self.theme, ratio)
        height, width = pixels.shape[:2]
        image = QImage(pixels.tobytes(), width, height, width * 4, QImage.Format.Format_RGBA8888).copy()
        image.setDevicePixelRatio(ratio)
        return QPixmap.fromImage(image)

    def close(self) -> None:
        """Give back the graphics context."""
        if self._renderer is not None:
            self._renderer.close()
            self._renderer = None
