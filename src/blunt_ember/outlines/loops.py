"""Lines and arcs of a drawing chained into closed outlines, and outlines made into regions of a case."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from blunt_ember.case.document.parts import check_name
from blunt_ember.errors import BluntEmberError
from blunt_ember.geometry.primitives import arc_through
from blunt_ember.immutable import immutable
from blunt_ember.tree_of_places import tree_of

DrawingPoint = tuple[float, float]


class DrawingError(BluntEmberError):
    """A drawing cannot be read, or holds something that is no outline of lines and arcs."""


@immutable
class Stroke:
    """A line from ``start`` to ``end``, or the arc between them ``through`` a third place; ``entity`` names it."""

    start: DrawingPoint
    end: DrawingPoint
    through: DrawingPoint | None
    entity: str

    def reversed(self) -> Stroke:
        """The same the other way round."""
        return Stroke(self.end, self.start, self.through, self.entity)


@immutable
class Circle:
    """A full circle."""

    centre: DrawingPoint
    radius: float
    entity: str


@immutable
class DrawingLayer:
    """What a drawing holds under one name: strokes in any order, and circles."""

    name: str
    strokes: tuple[Stroke, ...]
    circles: tuple[Circle, ...]


@immutable
class Drawing:
    """Its layers, the unit it is drawn in (None where it does not say), and how many entities of each kind were left
    out, as they draw no outline."""

    layers: tuple[DrawingLayer, ...]
    unit: str | None
    left_out: Mapping[str, int]


Loop = list[Stroke]
#: Strokes of a drawing, and its farthest place in its own unit, at most: beyond that nothing is told apart.
_MOST_STROKES, _FARTHEST = 200_000, 1e9


def chained_outlines(strokes: Sequence[Stroke], tolerance: float) -> list[Loop]:
    """Put strokes in order into closed loops; raise :class:`DrawingError` for one that leads nowhere."""
    if not strokes:
        return []
    starts, ends = (np.array([getattr(stroke, key) for stroke in strokes]) for key in ("start", "end"))
    tree = tree_of(np.concatenate([starts, ends]))
    free = np.ones(len(strokes), dtype=bool)
    loops = []
    for first in range(len(strokes)):
        if not free[first]:
            continue
        free[first] = False
        loop = [strokes[first]]
        while not _meet(loop[-1].end, loop[0].start, tolerance):
            here = loop[-1].end
            near = sorted(place for place in tree.query_ball_point(here, tolerance, p=np.inf))
            found = next((place for place in near if free[place % len(strokes)]), None)
            if found is None:
                where = f"({here[0]:.6g}, {here[1]:.6g})"
                raise DrawingError(f"{loop[-1].entity} ends at {where}, where nothing goes on: close the outline there")
            number = found % len(strokes)
            free[number] = False
            loop.append(strokes[number] if found < len(strokes) else strokes[number].reversed())
        loops.append(loop)
    return loops


def _require_sound(layers: Sequence[DrawingLayer]) -> None:
    """Raise :class:`DrawingError` for what is too much or too far, or no number at all."""
    count = sum(len(layer.strokes) for layer in layers)
    if count > _MOST_STROKES:
        raise DrawingError(f"the drawing holds {count:,} lines and arcs; {_MOST_STROKES:,} can be read")
    for layer in layers:
        for each in layer.strokes:
            places = (*each.start, *each.end, *(each.through or ()))
            if not (np.abs(places) <= _FARTHEST).all():
                raise DrawingError(f"{each.entity} has a place that is no number or lies beyond {_FARTHEST:.0e}")
        for circle in layer.circles:
            if not (np.abs((*circle.centre, circle.radius)) <= _FARTHEST).all() or circle.radius <= 0:
                raise DrawingError(f"{circle.entity} has a radius or centre that no circle has")


def _meet(a: DrawingPoint, b: DrawingPoint, tolerance: float) -> bool:
    return abs(a[0] - b[0]) <= tolerance and abs(a[1] - b[1]) <= tolerance


def regions_of(layers: Sequence[DrawingLayer], unit: str) -> dict[str, dict[str, Any]]:
    """Return regions as a case states them, with ``unit`` as the name of the drawing's unit of length.

    A layer is a region, the largest first; outlines inside its largest one are holes of it, those beside it further
    regions.
    """
    _require_sound(layers)
    extent = max(
        [abs(c) for layer in layers for s in layer.strokes for c in (*s.start, *s.end)]
        + [abs(c) + circle.radius for layer in layers for circle in layer.circles for c in circle.centre],
        default=0.0,
    )
    if extent == 0.0:
        raise DrawingError("the drawing holds no lines, arcs or circles")
    drawn: list[tuple[str, list[tuple[float, Any, Loop | Circle]]]] = []
    for layer in layers:
        shapes: list[tuple[float, Any, Loop | Circle]] = []
        for loop in chained_outlines(layer.strokes, 1e-6 * extent):
            polygon = np.array([point for stroke in loop for point in _points(stroke)])
            shapes.append((abs(_signed_area(polygon)), polygon, loop))
        for circle in layer.circles:
            turn = np.linspace(0, 2 * np.pi, 49)[:-1]
            polygon = np.array(circle.centre) + circle.radius * np.column_stack([np.cos(turn), np.sin(turn)])
            shapes.append((np.pi * circle.radius**2, polygon, circle))
        shapes.sort(key=lambda shape: -shape[0])
        if shapes:  # strokes without a length leave nothing
            drawn.append((layer.name, shapes))
    made: dict[str, dict[str, Any]] = {}
    # A hole cuts whatever comes before it, so what lies in a hole must come after.
    for layer_name, shapes in sorted(drawn, key=lambda entry: -entry[1][0][0]):
        solid: list[Any] = []
        for _, polygon, shape in shapes:
            inside = sum(_inside(outer, polygon[0]) for outer in solid) % 2 == 1
            name = _free(layer_name, made, "hole" if inside else "")
            made[name] = {**_region(shape, unit), **({"void": True} if inside else {})}
            solid.append(polygon)
    return made


def _points(stroke: Stroke) -> list[DrawingPoint]:
    """Places along a stroke, close enough to measure by, without its end."""
    if stroke.through is None:
        return [stroke.start]
    curves = arc_through(*(np.array(place) for place in (stroke.start, stroke.through, stroke.end)))
    shares = np.arange(8) / 8
    places = [curves.take(np.full(8, number)).at(shares) for number in range(len(curves))]
    return [(float(x), float(y)) for x, y in np.concatenate(places)]


def _signed_area(polygon: Any) -> float:
    x, y = polygon.T
    return float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y) / 2)


def _inside(polygon: Any, place: Any) -> bool:
    """Tell whether a place lies in a polygon, by crossings of a ray."""
    a, b = polygon, np.roll(polygon, -1, axis=0)
    spans = (a[:, 1] > place[1]) != (b[:, 1] > place[1])
    with np.errstate(divide="ignore", invalid="ignore"):
        x = a[:, 0] + (place[1] - a[:, 1]) / (b[:, 1] - a[:, 1]) * (b[:, 0] - a[:, 0])
    return bool((spans & (x > place[0])).sum() % 2)


def _free(name: str, taken: dict[str, Any], kind: str) -> str:
    stem = "".join(sign if sign.isalnum() or sign in "-_" else " " for sign in f"{name} {kind}")
    stem = " ".join(stem.split())[:50]
    try:
        check_name(stem)
    except Exception:  # a name of our own in the place of one that cannot be
        stem = f"part {kind}".strip()
    names = [stem, *(f"{stem} {number}" for number in range(2, len(taken) + 3))]
    return next(candidate for candidate in names if candidate not in taken)


def _region(shape: Loop | Circle, unit: str) -> dict[str, Any]:
    def place(point: DrawingPoint) -> list[str]:
        return [f"{coordinate + 0.0:.12g} {unit}" for coordinate in np.round(point, 12).tolist()]

    if isinstance(shape, Circle):
        return {"shape": "disc", "radius": f"{shape.radius:.12g} {unit}", "at": place(shape.centre)}
    steps = []
    for number, stroke in enumerate(shape):
        last = number == len(shape) - 1
        end = shape[0].start if last else stroke.end
        if last and stroke.through is None:
            continue  # the way back to the start goes without saying
        steps.append({"to": place(end), **({"through": place(stroke.through)} if stroke.through else {})})
    return {"shape": "outline", "start": place(shape[0].start), "path": steps}
