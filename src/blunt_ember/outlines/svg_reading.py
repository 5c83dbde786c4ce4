"""Drawings in SVG: paths of lines and circular arcs, rectangles, circles and polygons.

Reading follows SVG 1.1 (W3C): y counts downward there and upward here. An element is a region by its own id, or by that
of the group it lies in.
"""

from __future__ import annotations

from io import StringIO
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np
import svgelements

from blunt_ember.outlines.loops import Circle, Drawing, DrawingError, DrawingLayer, Stroke

#: Millimetres in each unit, and in a pixel, of which CSS has 96 to the inch.
_PHYSICAL = {"mm": 1.0, "cm": 10.0, "in": 25.4, "pt": 25.4 / 72, "pc": 25.4 / 6}
_PIXEL = 25.4 / 96
_KINDS = {
    "Rect": "rectangle",
    "SimpleLine": "line",
    "Polyline": "line",
    "Polygon": "polygon",
    "Path": "path",
    "Circle": "circle",
    "Ellipse": "ellipse",
}
_LOOSE = "outline"
#: What the readers of XML and SVG raise where a file breaks off, or an attribute is no number.
_BROKEN = (OSError, ElementTree.ParseError, ValueError, TypeError, AttributeError, ArithmeticError, LookupError)


def read_svg(path: Path) -> Drawing:
    """Return what a drawing holds; its unit is mm, or None where its size is not stated in a unit.

    Raises :class:`DrawingError` that names the element at fault.
    """
    try:
        root = ElementTree.parse(path).getroot()
        scale = _millimetres(root)
        drawing = svgelements.SVG.parse(StringIO(_plain(root)), reify=True)
        layers = _layers(drawing, scale or 1.0)
    except RecursionError as error:
        raise DrawingError(f"{path.name} cannot be read as SVG: its groups are nested too deep") from error
    except _BROKEN as error:
        raise DrawingError(f"{path.name} cannot be read as SVG: {error or type(error).__name__}") from error
    return Drawing(tuple(layers), "mm" if scale is not None else None, {})


def _layers(drawing: Any, size: float) -> list[DrawingLayer]:
    """What the elements hold, ``size`` being the length of 1."""
    strokes: dict[str, list[Stroke]] = {}
    circles: dict[str, list[Circle]] = {}
    for number, element in enumerate(drawing.elements(), start=1):
        if not isinstance(element, svgelements.Shape):
            continue
        layer = str(element.id or f"part {number}")
        name = f"{_KINDS.get(type(element).__name__, 'shape')} '{layer}'"
        if isinstance(element, svgelements.Circle | svgelements.Ellipse):
            rx, ry = float(element.implicit_rx), float(element.implicit_ry)
            if abs(rx - ry) > 1e-9 * max(rx, ry):
                raise DrawingError(f"{name} is an ellipse; outlines are made of lines and circular arcs")
            centre = element.implicit_center
            place = (size * float(centre.x), -size * float(centre.y))
            circles.setdefault(layer, []).append(Circle(place, size * rx, name))
        else:
            drawn = _strokes(svgelements.Path(element), size, name)
            if not element.id and drawn and np.abs(np.subtract(drawn[0].start, drawn[-1].end)).max() > 0:
                layer = _LOOSE  # lines without a name are parts of one outline, or of several
            strokes.setdefault(layer, []).extend(drawn)
    return [
        DrawingLayer(layer, tuple(strokes.get(layer, ())), tuple(circles.get(layer, ())))
        for layer in dict.fromkeys([*strokes, *circles])
    ]


def _millimetres(root: ElementTree.Element) -> float | None:
    """Return the millimetres that 1 in the drawing stands for, None where its width is in no unit."""
    width = str(root.get("width", "")).strip()
    unit = next((unit for unit in _PHYSICAL if width.endswith(unit)), None)
    if unit is None:
        return None
    box = str(root.get("viewBox", "")).replace(",", " ").split()
    span = float(box[2]) if len(box) == 4 else float(width.removesuffix(unit)) * _PHYSICAL[unit] / _PIXEL
    if not (np.isfinite(span) and span > 0):
        raise DrawingError(f"its viewBox '{root.get('viewBox')}' has no width; state one, or leave it out")
    return float(width.removesuffix(unit)) * _PHYSICAL[unit] / span


def _plain(root: ElementTree.Element) -> str:
    """The drawing in its own coordinates, with the id of a group on what has none in it."""
    for attribute in ("width", "height", "viewBox"):
        root.attrib.pop(attribute, None)

    def name(element: ElementTree.Element, known: str) -> None:
        known = element.get("id", known)
        if known and "id" not in element.attrib:
            element.set("id", known)
        for child in element:
            name(child, known)

    for child in root:
        name(child, "")
    return ElementTree.tostring(root, encoding="unicode")


def _strokes(path: Any, size: float, name: str) -> list[Stroke]:
    def place(point: Any) -> tuple[float, float]:
        return size * float(point.x), -size * float(point.y)

    strokes = []
    for segment in path:
        if isinstance(segment, svgelements.Move):
            continue
        if isinstance(segment, svgelements.Line | svgelements.Close):
            start, end = place(segment.start), place(segment.end)
            if np.hypot(start[0] - end[0], start[1] - end[1]) > 1e-9 * (abs(end[0]) + abs(end[1]) + 1e-30):
                strokes.append(Stroke(start, end, None, name))
        elif isinstance(segment, svgelements.Arc):
            rx, ry = float(segment.rx), float(segment.ry)
            if abs(rx - ry) > 1e-6 * max(rx, ry):
                raise DrawingError(f"{name} holds an elliptical arc; outlines are made of lines and circular arcs")
            # Whole turns are written as one arc by some programs: halves have a place between their ends.
            quarter = [place(segment.point(share)) for share in (0.0, 0.25, 0.5, 0.75, 1.0)]
            strokes.append(Stroke(quarter[0], quarter[2], quarter[1], name))
            strokes.append(Stroke(quarter[2], quarter[4], quarter[3], name))
        else:
            kind = {"QuadraticBezier": "a quadratic Bézier curve", "CubicBezier": "a cubic Bézier curve"}
            said = kind.get(type(segment).__name__, type(segment).__name__)
            raise DrawingError(f"{name} holds {said}; outlines are made of lines and circular arcs")
    return strokes
