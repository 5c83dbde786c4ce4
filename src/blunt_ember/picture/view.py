"""Where the eye is: which piece of the plane a picture shows."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class View:
    """``width`` × ``height`` pixels about ``centre`` (m), at ``scale`` metres a pixel; pixel rows count downward."""

    width: int
    height: int
    centre: tuple[float, float]
    scale: float

    def pixels(self, points: Floats) -> Floats:
        """Return the pixels (n, 2) of places (n, 2) in m."""
        away = (points - np.array(self.centre)) / self.scale
        return np.array([self.width, self.height]) / 2 + away * np.array([1, -1])

    def metres(self, pixels: Floats) -> Floats:
        """Return the places (n, 2) in m under pixels (n, 2)."""
        away = (pixels - np.array([self.width, self.height]) / 2) * np.array([1, -1])
        result: Floats = np.array(self.centre) + away * self.scale
        return result

    def zoomed(self, factor: float, about: tuple[float, float]) -> View:
        """Return the view enlarged by ``factor`` with the pixel ``about`` staying on its place."""
        fixed = self.metres(np.array([about]))[0]
        centre = fixed + (np.array(self.centre) - fixed) / factor
        return replace(self, centre=(float(centre[0]), float(centre[1])), scale=self.scale / factor)

    def moved(self, right: float, down: float) -> View:
        """Return the view with the picture dragged by so many pixels."""
        x, y = self.centre
        return replace(self, centre=(x - right * self.scale, y + down * self.scale))

    def resized(self, width: int, height: int) -> View:
        """Return the view in a frame of another size, the same scale about the same centre."""
        return replace(self, width=width, height=height)

    def sharper(self, ratio: float) -> View:
        """Return the same piece of the plane in ``ratio`` times as many pixels."""
        return replace(
            self, width=round(self.width * ratio), height=round(self.height * ratio), scale=self.scale / ratio
        )


def fitted(low: Floats, high: Floats, width: int, height: int, margins: tuple[int, int, int, int]) -> View:
    """Return the view that shows the box ``low``…``high`` (m) inside margins (left, top, right, bottom) in pixels."""
    left, top, right, bottom = margins
    free = np.maximum([width - left - right, height - top - bottom], 20)
    size = np.maximum(high - low, 1e-12)
    scale = float((size / free).max())
    middle = (low + high) / 2
    shift = np.array([right - left, top - bottom]) / 2 * scale * np.array([1, 1])
    return View(width, height, (float(middle[0] + shift[0]), float(middle[1] + shift[1])), scale)
