"""Drawings in DXF: closed lines, arcs, circles and polylines, one layer a region."""

from __future__ import annotations

import logging
from collections import Counter
from pathlib import Path
from typing import Any

import numpy as np
from ezdxf import units
from ezdxf.filemanagement import readfile
from ezdxf.lldxf.const import DXFError
from ezdxf.math import bulge_to_arc

from blunt_ember.outlines.loops import Circle, Drawing, DrawingError, DrawingLayer, Stroke

# What its reader repairs is no news for the analyst: what is left out is told by us.
logging.getLogger("ezdxf").addHandler(logging.NullHandler())

#: Units of DXF headers by our names; 0 says nothing.
_UNITS = {units.IN: "in", units.FT: "ft", units.MM: "mm", units.CM: "cm", units.M: "m", units.DM: "dm", units.YD: "yd"}


#: What only says something about a drawing, and curves that may be a part of an outline but cannot be followed.
_WORDS = ("POINT", "TEXT", "MTEXT", "DIMENSION", "HATCH")
_CURVES = ("SPLINE", "ELLIPSE", "POLYLINE", "INSERT", "MLINE", "HELIX", "REGION", "BODY", "3DSOLID", "3DFACE", "MESH")


def read_dxf(path: Path) -> Drawing:
    """Return what a drawing holds.

    Raises :class:`DrawingError` that names the entity at fault.
    """
    try:
        drawing = readfile(path)
        entities = list(drawing.modelspace())
    except Exception as error:  # its reader lets anything through when a file breaks off
        raise DrawingError(f"{path.name} cannot be read as DXF: {error or 'it breaks off'}") from error
    strokes: dict[str, list[Stroke]] = {}
    circles: dict[str, list[Circle]] = {}
    left_out: Counter[str] = Counter()
    for entity in entities:
        kind = entity.dxftype()
        if kind in _WORDS:
            continue
        if kind not in ("CIRCLE", "LINE", "ARC", "LWPOLYLINE", *_CURVES):
            left_out[kind] += 1
            continue
        layer = str(entity.dxf.layer)
        name = f"{kind} #{entity.dxf.handle} on layer '{layer}'"
        try:
            if kind == "CIRCLE":
                centre = entity.dxf.center
                circles.setdefault(layer, []).append(Circle((centre.x, centre.y), float(entity.dxf.radius), name))
            else:
                strokes.setdefault(layer, []).extend(_strokes(entity, name))
        except (
            DXFError,
            AttributeError,
            TypeError,
            ValueError,
            ArithmeticError,
            LookupError,
        ) as error:  # it lacks what it draws
            raise DrawingError(f"{name} cannot be read: {error or type(error).__name__}; draw it anew") from error
    layers = tuple(
        DrawingLayer(layer, tuple(strokes.get(layer, ())), tuple(circles.get(layer, ())))
        for layer in dict.fromkeys([*strokes, *circles])
    )
    return Drawing(layers, _UNITS.get(drawing.units), left_out)


def _strokes(entity: Any, name: str) -> list[Stroke]:
    kind = entity.dxftype()
    if kind == "LINE":
        a, b = entity.dxf.start, entity.dxf.end
        return [Stroke((a.x, a.y), (b.x, b.y), None, name)]
    if kind == "ARC":
        centre, radius = entity.dxf.center, float(entity.dxf.radius)
        start = np.radians(entity.dxf.start_angle)
        sweep = np.radians((entity.dxf.end_angle - entity.dxf.start_angle) % 360.0)
        return [_arc((centre.x, centre.y), radius, start, sweep, name)]
    if kind == "LWPOLYLINE":
        points = [(float(x), float(y), float(bulge)) for x, y, bulge in entity.get_points("xyb")]
        return _polyline(points, bool(entity.closed), name)
    if kind == "POLYLINE" and entity.is_2d_polyline:
        places = [(v.dxf.location.x, v.dxf.location.y, float(v.dxf.bulge)) for v in entity.vertices]
        return _polyline(places, bool(entity.is_closed), name)
    raise DrawingError(f"{name} is no line, arc, circle or flat polyline; turn it into these, or remove it")


def _arc(centre: tuple[float, float], radius: float, start: float, sweep: float, name: str) -> Stroke:
    def at(angle: float) -> tuple[float, float]:
        return centre[0] + radius * float(np.cos(angle)), centre[1] + radius * float(np.sin(angle))

    return Stroke(at(start), at(start + sweep), at(start + sweep / 2), name)


def _polyline(points: list[tuple[float, float, float]], closed: bool, name: str) -> list[Stroke]:
    ends = [*points[1:], *points[:1]] if closed else points[1:]
    strokes = []
    for (x, y, bulge), (u, v, _) in zip(points, ends, strict=False):
        if (x, y) == (u, v):
            continue
        if bulge == 0.0:
            strokes.append(Stroke((x, y), (u, v), None, name))
            continue
        centre, start, end, radius = bulge_to_arc((x, y), (u, v), bulge)
        middle = start + ((end - start) % (2 * np.pi)) / 2
        through = (centre.x + radius * float(np.cos(middle)), centre.y + radius * float(np.sin(middle)))
        strokes.append(Stroke((x, y), (u, v), through, name))
    return strokes
