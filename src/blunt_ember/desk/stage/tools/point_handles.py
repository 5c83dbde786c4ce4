"""Points of outlines, polygons and sheets on the picture, to be dragged or given exact coordinates."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.document.regions import Outline, Polygon, Sheet
from blunt_ember.case.editing.edits import parameter_at, value_at, with_typed_value
from blunt_ember.desk.app.current_case import CurrentCase
from blunt_ember.desk.stage.tools.outline_drawing import grid_step, point_at, snapped
from blunt_ember.desk.stage.tools.picture_editor import PictureEditor
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.geometry.primitives import shape_of
from blunt_ember.geometry.section import SectionGeometry, outlines_of
from blunt_ember.immutable import immutable
from blunt_ember.picture.body.view import View
from blunt_ember.picture.palette import Theme

#: Half the side of a handle in pixels, and how near the pointer must be to take it.
HALF = 4.0
HANDLE_REACH = 7.0
#: Pixels within which a dragged point snaps to a corner.
SNAP_REACH = 9.0


@immutable
class PointHandle:
    """A corner of an outline on the picture: ``place`` in m, the paths of its coordinates, and its own origin in m."""

    name: str
    place: tuple[float, float]
    paths: tuple[tuple[str | int, ...], tuple[str | int, ...]]
    origin: tuple[float, float]
    text: str


def handles(case: Case, geometry: SectionGeometry) -> list[PointHandle]:
    """Return the points of polygons, outlines and sheets that can be moved; of copies, those of the first."""
    found = []
    for index, (name, region) in enumerate(case.document.body.regions.items()):
        if not isinstance(region, Polygon | Outline | Sheet) or region.cuts:
            continue
        path: tuple[str | int, ...] = ("body", "regions", name)
        if isinstance(region, Polygon):
            paths = [(*path, "points", number) for number in range(len(region.points))]
        elif isinstance(region, Sheet):
            paths = [(*path, "start"), (*path, "end")]
        else:
            steps = [
                (*path, "path", number, key)
                for number, step in enumerate(region.path)
                for key in ("through", "to")
                if getattr(step, key) is not None
            ]
            paths = [(*path, "start"), *steps]
        own = shape_of(region).curves.start[0]
        origin = geometry.shapes[index][0].curves.start[0] - own
        for number, where in enumerate(paths, start=1):
            quantities = _stated(region, where[3:])
            place = origin + np.array([quantity.si for quantity in quantities])
            both = ((*where, 0), (*where, 1))
            text = ", ".join(_typed(case, each) for each in both)
            label = f"point {number} of {name}"
            found.append(PointHandle(label, (place[0], place[1]), both, (origin[0], origin[1]), text))
    return found


def _stated(region: Polygon | Outline | Sheet, where: tuple[str | int, ...]) -> tuple[Any, Any]:
    here: Any = region
    for part in where:
        here = here[part] if isinstance(part, int) else getattr(here, part)
    return here[0], here[1]


def _typed(case: Case, path: tuple[str | int, ...]) -> str:
    parameter = parameter_at(case, path)
    return str(value_at(case.data, ("parameters", parameter) if parameter else path))


def moved_point(case: Case, handle: PointHandle, texts: tuple[str, str]) -> Case:
    """Return the case with a point at other coordinates, of its own region."""
    for path, text in zip(handle.paths, texts, strict=True):
        case = with_typed_value(case, path, text)
    return case


def dragged(handle: PointHandle, to: Floats) -> tuple[str, str]:
    """Return the coordinates that take a point to a place (2,) in m."""
    return point_at(to - np.array(handle.origin)).texts


def typed_coordinates(text: str) -> tuple[str, str]:
    """Return the two coordinates that were typed; raise :class:`BluntEmberError` for anything else."""
    parts = [part.strip() for part in text.split(",")]
    if len(parts) != 2 or not all(parts):
        raise BluntEmberError(f"'{text}' is no place; type 'x, y' such as '40 mm, 10 mm'")
    return parts[0], parts[1]


class PointMover:
    """Takes points by the mouse: dragged they move, clicked they show their coordinates."""

    def __init__(
        self, picture: QWidget, current: CurrentCase, editor: PictureEditor, tell: Callable[[str], None]
    ) -> None:
        self._picture, self._current, self._editor, self._tell = picture, current, editor, tell
        self._held: PointHandle | None = None
        self._view: View | None = None
        self._pressed = self._to = np.zeros(2)
        self._far = False
        #: The handles on the picture.
        self.found: list[PointHandle] = []

    def paint(self, painter: QPainter, outcome: Outcome | None, view: View, theme: Theme) -> None:
        """Draw the handles of a section, the one that is held where it is now; none without an outcome."""
        outlines = outlines_of(outcome.geometry) if outcome is not None else None
        self.found = []
        if outcome is None or outlines is None:
            return
        self.found = handles(outcome.case, outlines)
        painter.setPen(QPen(QColor(theme.ember), 1.4))
        painter.setBrush(QColor(theme.paper))
        for handle in self.found:
            place = self._to if handle == self._held else np.array(handle.place)
            x, y = view.pixels(place[None])[0].tolist()
            painter.drawRect(int(x - HALF), int(y - HALF), int(2 * HALF), int(2 * HALF))

    def press(self, place: QPointF, view: View) -> bool:
        """Take the handle under a place of the picture; False when there is none."""
        if not self.found:
            return False
        pixels = view.pixels(np.array([handle.place for handle in self.found]))
        away = np.linalg.norm(pixels - np.array([place.x(), place.y()]), axis=1)
        if away.min() > HANDLE_REACH:
            return False
        self._held, self._view, self._far = self.found[int(away.argmin())], view, False
        self._pressed, self._to = np.array([place.x(), place.y()]), np.array(self._held.place)
        return True

    def move(self, place: QPointF, view: View, geometry: SectionGeometry) -> bool:
        """Drag what is held, snapping to corners and the grid; False when nothing is."""
        if self._held is None:
            return False
        pixel = np.array([place.x(), place.y()])
        self._far = self._far or bool(np.linalg.norm(pixel - self._pressed) >= 4)
        corners = geometry.arrangement.points
        others = corners[np.linalg.norm(corners - np.array(self._held.place), axis=1) > 1e-9 * geometry.extent]
        self._to = snapped(view.metres(pixel[None])[0], grid_step(view.scale), others, SNAP_REACH * view.scale)
        self._picture.update()
        return True

    def release(self) -> bool:
        """Let go; False when nothing was held."""
        held, self._held = self._held, None
        if held is None or self._view is None:
            return False
        if self._far:
            texts = dragged(held, self._to)
            why = self._current.edit(f"{held.name} is moved", lambda case: moved_point(case, held, texts))
            self._tell(str(why) if why is not None else "")
            return True
        x, y = self._view.pixels(np.array([held.place]))[0].tolist()

        def change(text: str) -> Callable[[Case], Case]:
            return lambda case: moved_point(case, held, typed_coordinates(text))

        self._editor.open(held.name, held.text, (x - 70, y - 28, 140.0, 18.0), change)
        return True
