"""Points of outlines and polygons on the picture, to be dragged or given exact coordinates."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QColor, QPainter, QPen

from blunt_ember.case.case import Case
from blunt_ember.case.editing import parameter_at, value_at, with_typed_value
from blunt_ember.case.regions import Outline, Polygon
from blunt_ember.desk.outline_drawing import point_at
from blunt_ember.errors import BluntEmberError
from blunt_ember.geometry.curves import Floats
from blunt_ember.geometry.primitives import shape_of
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.picture.palette import Theme
from blunt_ember.picture.view import View

#: Half the side of a handle in pixels, and how near the pointer must be to take it.
HALF = 4.0
REACH = 7.0


@dataclass(frozen=True)
class PointHandle:
    """A corner of an outline on the picture: ``place`` in m, the paths of its coordinates, and its own origin in m."""

    name: str
    place: tuple[float, float]
    paths: tuple[tuple[str | int, ...], tuple[str | int, ...]]
    origin: tuple[float, float]
    text: str


def handles(case: Case, geometry: SectionGeometry) -> list[PointHandle]:
    """Return the points of polygons and outlines that can be moved; of copies, those of the first."""
    found = []
    for index, (name, region) in enumerate(case.document.body.regions.items()):
        if not isinstance(region, Polygon | Outline) or region.cuts:
            continue
        path: tuple[str | int, ...] = ("body", "regions", name)
        if isinstance(region, Polygon):
            paths = [(*path, "points", number) for number in range(len(region.points))]
        else:
            steps = [(*path, "path", number, key) for number, step in enumerate(region.path)
                     for key in ("through", "to") if getattr(step, key) is not None]  # fmt: skip
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


def _stated(region: Polygon | Outline, where: tuple[str | int, ...]) -> tuple[Any, Any]:
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


def handle_at(found: list[PointHandle], view: View, place: QPointF) -> PointHandle | None:
    """Return the handle under a place of the picture."""
    if not found:
        return None
    pixels = view.pixels(np.array([handle.place for handle in found]))
    away = np.linalg.norm(pixels - np.array([place.x(), place.y()]), axis=1)
    return found[int(away.argmin())] if away.min() <= REACH else None


def paint_handles(painter: QPainter, found: list[PointHandle], moved: tuple[PointHandle, Floats] | None, view: View,
                  theme: Theme) -> None:  # fmt: skip
    """Draw the handles, the one that is being ``moved`` where it is now."""
    painter.setPen(QPen(QColor(theme.ember), 1.4))
    painter.setBrush(QColor(theme.paper))
    for handle in found:
        place = moved[1] if moved is not None and moved[0] == handle else np.array(handle.place)
        x, y = view.pixels(place[None])[0].tolist()
        painter.drawRect(int(x - HALF), int(y - HALF), int(2 * HALF), int(2 * HALF))
