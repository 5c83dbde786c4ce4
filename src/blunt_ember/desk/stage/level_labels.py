"""The values of the lines between bands, written on the picture where they are seen."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QFontMetricsF, QPainter

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.values.display import in_shown_unit
from blunt_ember.case.values.display import number as figure
from blunt_ember.desk.stage.overlay import paint_tag
from blunt_ember.desk.stage.pointing import Pointer
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.picture.body.flat import drawn_isolines
from blunt_ember.picture.body.isolines import isolines
from blunt_ember.picture.body.view import View
from blunt_ember.picture.lenses.field import Shade
from blunt_ember.picture.palette import Theme

#: Places that are tried for each value, in a plane and on a solid, where each has to be looked at.
_TRIED, _TRIED_ON_SOLID = 12, 5


class LevelLabels:
    """Finds where the values go, once for what is seen from one place."""

    def __init__(self) -> None:
        self._lines: tuple[Shade, Floats, Ints] | None = None
        self._placed: tuple[Shade, View, list[tuple[QRectF, str]]] | None = None

    def paint(
        self,
        painter: QPainter,
        mesh: Mesh,
        shade: Shade,
        view: View,
        pointer: Pointer,
        taken: list[QRectF],
        theme: Theme,
    ) -> None:
        """Write the value of each line nearest to its middle, where it is seen and clear of what is ``taken``."""
        if not shade.bands or mesh.dimension == 1 or (mesh.dimension == 3 and _opened(shade)):
            return
        if self._placed is None or self._placed[0] is not shade or self._placed[1] != view:
            metrics = QFontMetricsF(painter.font())
            self._placed = shade, view, self._found(mesh, shade, view, pointer, metrics, taken)
        for box, text in self._placed[2]:
            paint_tag(painter, box, text, theme.ink, theme)

    def _found(
        self, mesh: Mesh, shade: Shade, view: View, pointer: Pointer, metrics: QFontMetricsF, taken: list[QRectF]
    ) -> list[tuple[QRectF, str]]:
        if self._lines is None or self._lines[0] is not shade:
            self._lines = shade, *(_on_skin(mesh, shade) if mesh.dimension == 3 else drawn_isolines(mesh, shade))
        _, pieces, numbers = self._lines
        found: list[tuple[QRectF, str]] = []
        for number in np.unique(numbers).tolist():
            places = pieces[numbers == number].mean(axis=1)
            pixels = view.pixels(places)
            order = np.argsort(np.linalg.norm(pixels - pixels.mean(axis=0), axis=1))
            tried = order[:: max(1, len(order) // (_TRIED if view.pose is None else _TRIED_ON_SOLID))]
            text = figure(in_shown_unit(float(shade.levels[number]), shade.kind), 4)
            width, height = metrics.horizontalAdvance(text) + 6, metrics.height()
            for place, (x, y) in zip(places[tried], pixels[tried].tolist(), strict=True):
                box = QRectF(x - width / 2, y - height / 2, width, height)
                clear = not any(box.intersects(other) for other in (*taken, *(each for each, _ in found)))
                if clear and (view.pose is None or pointer.sees(mesh, view, place)):
                    found.append((box, text))
                    break
        return found


def _opened(shade: Shade) -> bool:
    return bool(shade.cuts) or (shade.vanish and any(shade.narrowed)) or shade.flow_lines is not None


def _on_skin(mesh: Mesh, shade: Shade) -> tuple[Floats, Ints]:
    """The pieces (n, 2, 3) in m of the lines on the skin of a solid, and the number (n,) of the level of each."""
    every = np.concatenate([block.ravel() for block in shade.values])
    corners, values = [], []
    for part in mesh.skin.parts:
        triangles = CELL_FAMILIES[part.family].triangles
        corners.append(mesh.points[part.nodes[:, triangles]].reshape(-1, 3, 3))
        values.append(every[part.places[:, triangles]].reshape(-1, 3))
    return isolines(np.concatenate(corners), np.concatenate(values), shade.levels)
