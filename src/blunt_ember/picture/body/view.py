"""Where the eye is: which piece of the plane a picture shows."""

from __future__ import annotations

from dataclasses import replace
from itertools import product

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.immutable import immutable
from blunt_ember.picture.body.pose import Pose


@immutable
class View:
    """``width`` × ``height`` pixels about ``centre`` (m), at ``scale`` metres a pixel; pixel rows count downward.

    With a ``pose`` the plane of the picture is the one that faces the eye, and places in space are looked at in it.
    """

    width: int
    height: int
    centre: tuple[float, float]
    scale: float
    pose: Pose | None = None

    def flat(self, points: Floats) -> Floats:
        """Return places in the plane of the picture (n, 2), m, of places (n, 2) or in space (n, 3)."""
        return points @ self.pose.axes[:2].T if self.pose is not None and points.shape[1] == 3 else points

    def nearness(self, points: Floats) -> Floats:
        """Return how near to the eye places in space (n, 3) are, (n,) in m."""
        assert self.pose is not None
        return points @ self.pose.axes[2]

    def pixels(self, points: Floats) -> Floats:
        """Return the pixels (n, 2) of places (n, 2), or in space (n, 3), in m."""
        away = (self.flat(points) - np.array(self.centre)) / self.scale
        return np.array([self.width, self.height]) / 2 + away * np.array([1, -1])

    def metres(self, pixels: Floats) -> Floats:
        """Return the places (n, 2) of the plane of the picture, in m, under pixels (n, 2)."""
        away = (pixels - np.array([self.width, self.height]) / 2) * np.array([1, -1])
        return np.array(self.centre) + away * self.scale

    def zoomed(self, factor: float, about: tuple[float, float]) -> View:
        """Return the view enlarged by ``factor`` with the pixel ``about`` staying on its place."""
        fixed = self.metres(np.array([about]))[0]
        centre = fixed + (np.array(self.centre) - fixed) / factor
        return replace(self, centre=(float(centre[0]), float(centre[1])), scale=self.scale / factor)

    def moved(self, right: float, down: float) -> View:
        """Return the view with the picture dragged by so many pixels."""
        x, y = self.centre
        return replace(self, centre=(x - right * self.scale, y + down * self.scale))

    def turned(self, around: float, above: float, about: Floats) -> View:
        """Return the view with the eye moved by so many radians, the place ``about`` (3,) staying in the picture."""
        assert self.pose is not None
        pose = self.pose.turned(around, above)
        shift = about @ pose.axes[:2].T - about @ self.pose.axes[:2].T
        x, y = self.centre
        return replace(self, pose=pose, centre=(float(x + shift[0]), float(y + shift[1])))

    def resized(self, width: int, height: int) -> View:
        """Return the view in a frame of another size, the same scale about the same centre."""
        return replace(self, width=width, height=height)

    def sharper(self, ratio: float) -> View:
        """Return the same piece of the plane in ``ratio`` times as many pixels."""
        return replace(
            self, width=round(self.width * ratio), height=round(self.height * ratio), scale=self.scale / ratio
        )


def view_of_box(
    low: Floats, high: Floats, width: int, height: int, margins: tuple[int, int, int, int], pose: Pose | None = None
) -> View:
    """Return the view that shows the box ``low``…``high`` (m) inside margins (left, top, right, bottom) in pixels."""
    if pose is not None:
        corners = np.array(list(product(*zip(low, high, strict=True)))) @ pose.axes[:2].T
        low, high = corners.min(axis=0), corners.max(axis=0)
    left, top, right, bottom = margins
    free = np.maximum([width - left - right, height - top - bottom], 20)
    size = np.maximum(high - low, 1e-12)
    scale = float((size / free).max())
    middle = (low + high) / 2
    shift = np.array([right - left, top - bottom]) / 2 * scale * np.array([1, 1])
    return View(width, height, (float(middle[0] + shift[0]), float(middle[1] + shift[1])), scale, pose)
