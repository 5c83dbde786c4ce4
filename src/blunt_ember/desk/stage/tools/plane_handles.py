"""Handles on the picture by which the planes through a solid are dragged."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from blunt_ember.arrays import Floats
from blunt_ember.picture.body.view import View
from blunt_ember.picture.look import CutPlane
from blunt_ember.picture.palette import Theme

_RADIUS = 7.0
#: An axis that points nearly at the eye is not dragged along: so few pixels would be its whole length.
_LEAST_PIXELS = 12.0


class PlaneHandles:
    """Knows where the handle of each plane is, and drags the one that is held."""

    def __init__(self, moved: Callable[[int, float], None]) -> None:
        self._moved = moved
        self._planes: tuple[CutPlane, ...] = ()
        self._low, self._high = np.zeros(3), np.ones(3)
        self._held: CutPlane | None = None
        self._grip = 0.0

    def take(self, planes: tuple[CutPlane, ...], low: Floats, high: Floats) -> None:
        """Take the planes of a body between two corners (3,) in m."""
        self._planes, self._low, self._high = planes, low, high

    def places(self, view: View) -> dict[int, QPointF]:
        """Return the pixel of the handle of each plane, by its axis: on the edge of the box nearest to the eye."""
        found = {}
        for plane in self._planes:
            x, y = view.pixels(self._along(view, plane.axis, plane.at)[None])[0]
            found[plane.axis] = QPointF(x, y)
        return found

    def paint(self, painter: QPainter, view: View, theme: Theme) -> None:
        """Paint a handle on each plane, with the line it is dragged along."""
        for axis, at in self.places(view).items():
            ends = [self._along(view, axis, end[axis]) for end in (self._low, self._high)]
            start, stop = view.pixels(np.array(ends))
            painter.setPen(QPen(QColor(theme.ember), 1.2, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(*start), QPointF(*stop))
            painter.setPen(QPen(QColor(theme.paper), 1.5))
            painter.setBrush(QColor(theme.ember))
            painter.drawEllipse(at, _RADIUS, _RADIUS)
            painter.setPen(QColor(theme.paper))
            painter.drawText(at + QPointF(-3.2, 3.6), "xyz"[axis])
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def press(self, place: QPointF, view: View) -> bool:
        """Take hold of the handle at a place of the picture; tell whether there is one."""
        for plane in self._planes:
            gap = self.places(view)[plane.axis] - place
            if np.hypot(gap.x(), gap.y()) <= _RADIUS + 3:
                self._held = plane
                self._grip = plane.at - self._at(plane.axis, place, view)
                return True
        return False

    def move(self, place: QPointF, view: View) -> bool:
        """Drag the plane that is held."""
        if self._held is None:
            return False
        self._moved(self._held.axis, self._at(self._held.axis, place, view) + self._grip)
        return True

    def release(self) -> bool:
        """Let go; tell whether a plane was held."""
        held, self._held = self._held, None
        return held is not None

    def _along(self, view: View, axis: int, at: float) -> Floats:
        """The place (3,) at a coordinate on the edge along an axis that is lowest in the picture."""
        corners = [np.where(np.array(choice), self._high, self._low) for choice in np.ndindex(2, 2, 2)]
        lowest = max(corners, key=lambda corner: float(view.pixels(corner[None])[0, 1]))
        lowest[axis] = at
        return lowest

    def _at(self, axis: int, place: QPointF, view: View) -> float:
        ends = [self._along(view, axis, end[axis]) for end in (self._low, self._high)]
        start, stop = view.pixels(np.array(ends))
        run = stop - start
        length = float(np.hypot(*run))
        if length < _LEAST_PIXELS:
            return float(self._low[axis])
        share = float((np.array([place.x(), place.y()]) - start) @ run) / length**2
        return float(self._low[axis] + share * (self._high[axis] - self._low[axis]))
