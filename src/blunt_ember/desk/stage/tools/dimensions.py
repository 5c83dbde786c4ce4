"""Dimension lines of a section on the picture: where they run and what they edit."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.document.bodies import Body, Rod
from blunt_ember.case.document.regions import AnyRegion, Disc, Rectangle, RegularPolygon, Ring, RingSector
from blunt_ember.case.editing.edits import parameter_at, value_at
from blunt_ember.case.values.display import shown
from blunt_ember.case.values.quantity import Quantity
from blunt_ember.case.values.units import LENGTH
from blunt_ember.errors import DataPath
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.rod import RodGeometry
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.immutable import immutable
from blunt_ember.picture.body.drawn import drawing_of
from blunt_ember.picture.body.view import View

Pixel = tuple[float, float]
ROW_PIXELS = 22
FIRST_ROW_PIXELS = 20
LABEL_HEIGHT = 18


@immutable
class DimensionLine:
    """A dimension line from ``start`` to ``end`` (pixels) with its label; ``paths`` are the quantities it edits."""

    name: str
    label: str
    text: str
    paths: tuple[DataPath, ...]
    start: Pixel
    end: Pixel
    #: Corners on the body that the witness lines come from; none for a radius, which starts at its centre.
    witness: tuple[Pixel, ...]
    #: Left, top, width and height of the label.
    box: tuple[float, float, float, float]

    @property
    def upright(self) -> bool:
        """Whether the line runs from bottom to top."""
        return self.start[0] == self.end[0]


def stated_lengths(region: AnyRegion) -> dict[str, tuple[DataPath, Quantity]]:
    """Return the lengths a region is stated by, as name → (path below the region, quantity)."""
    match region:
        case Rectangle():
            return {"width": (("size", 0), region.size[0]), "height": (("size", 1), region.size[1])}
        case Disc() | RegularPolygon():
            return {"radius": (("radius",), region.radius)}
        case Ring() | RingSector():
            outer = {"outer radius": (("outer",), region.outer)}
            inner = region.inner
            found: dict[str, tuple[DataPath, Quantity]] = {**outer}
            if inner is not None:
                found["inner radius"] = (("inner",), inner)
            return found
        case _:
            return {}


def every_length(body: Body) -> list[Quantity]:
    """Return the lengths of a body that may be shown on the picture."""
    found = [quantity for region in body.regions.values() for _, quantity in stated_lengths(region).values()]
    for region in body.regions.values():
        spans = [region.z, *(level.z for level in (region.levels or {}).values())]
        found += [place for span in spans if span is not None for place in span]
    return found + body.lengths


def dimensions(
    case: Case, geometry: BodyGeometry, view: View, label_widths: Mapping[str, float]
) -> list[DimensionLine]:
    """Lay out widths under the body, heights on its left and radii from their centres; edges of a solid along it.

    No label of a width or height stands on another; equal extents of several regions share one line that edits them
    all. ``label_widths`` gives the pixels each label needs.
    """
    if type(geometry) not in DIMENSIONS:
        return []
    return DIMENSIONS[type(geometry)](case, case.document.body, geometry, view, label_widths)


def _of_section(
    case: Case, body: Body, geometry: SectionGeometry, view: View, label_widths: Mapping[str, float]
) -> list[DimensionLine]:
    """Widths, heights and radii."""
    found = []
    for axis in (0, 1):
        found += _straight(axis, case, geometry, view, label_widths)
    return found + _radial(case, geometry, view, label_widths)


def _of_rod(
    case: Case, body: Rod, geometry: RodGeometry, view: View, label_widths: Mapping[str, float]
) -> list[DimensionLine]:
    """Lengths under the pieces, diameters across their middles."""
    half = drawing_of(geometry).half_heights
    assert half is not None
    found = []
    for number, (name, piece) in enumerate(body.pieces.items()):
        x0, x1 = geometry.stations[number : number + 2].tolist()
        lines = [("length", piece.length, [(x0, -half.max()), (x1, -half.max())], FIRST_ROW_PIXELS)]
        if piece.diameter is not None:
            x = x0 + 0.25 * (x1 - x0)
            lines.append(("diameter", piece.diameter, [(x, -half[number]), (x, half[number])], 0))
        for key, quantity, ends, away in lines:
            first, last = (_pixel(place + np.array([0, away])) for place in view.pixels(np.array(ends)))
            witness = tuple(_pixel(place) for place in view.pixels(np.array(ends))) if away else ()
            path = ("body", "pieces", name, key)
            found.append(along(f"{key} of {name}", case, path, quantity, (first, last), witness, label_widths))
    return found


def along(
    name: str,
    case: Case,
    path: DataPath,
    quantity: Quantity,
    ends: tuple[Pixel, Pixel],
    witness: tuple[Pixel, ...],
    label_widths: Mapping[str, float],
    is_height: bool = False,
) -> DimensionLine:
    """Return a dimension with its label in the middle of its line; that of a height over zero stands at its end."""
    label = shown(quantity.si, case.units.of(LENGTH), 6)
    room = label_widths.get(label, 7.0 * len(label)) + 14
    x, y = (ends[0][0] + ends[1][0]) / 2, (ends[0][1] + ends[1][1]) / 2
    if is_height:
        (x, y), label, room = ends[1], f"z {label}", room + 12
    box = (x - room / 2, y - LABEL_HEIGHT / 2, room, float(LABEL_HEIGHT))
    return DimensionLine(
        name, label, _typed(case, path, shown(quantity.si, case.units.of(LENGTH), 6)), (path,), *ends, witness, box
    )


def _straight(
    axis: int, case: Case, geometry: SectionGeometry, view: View, label_widths: Mapping[str, float]
) -> list[DimensionLine]:
    low = view.pixels(np.array([geometry.low]))[0]
    rows: list[list[tuple[float, float]]] = []
    found = []
    for names, span, near in _extents(case, geometry, axis):
        key, quantity = stated_lengths(case.document.body.regions[names[0]])["width" if axis == 0 else "height"]
        label = shown(quantity.si, case.units.of(LENGTH), 6)
        room = label_widths.get(label, 7.0 * len(label)) + 14
        ends = [[span[0], near], [span[1], near]] if axis == 0 else [[near, span[0]], [near, span[1]]]
        pixels = view.pixels(np.array(ends))
        first, last = sorted(pixels[:, axis].tolist())
        middle = (first + last) / 2
        need = room if axis == 0 else LABEL_HEIGHT
        taken = (min(first, middle - need / 2) + 1, max(last, middle + need / 2) - 1)
        row = _free_row(rows, taken)
        away = FIRST_ROW_PIXELS + row * (ROW_PIXELS if axis == 0 else max(ROW_PIXELS, room))
        if axis == 0:
            y = float(low[1]) + away
            start, end = (first, y), (last, y)
            box = (middle - room / 2, y - LABEL_HEIGHT / 2, room, float(LABEL_HEIGHT))
        else:
            x = float(low[0]) - away
            left = x - room + 8
            if left < 4 and row:  # no room beside the body: within the region
                x = float(pixels[:, 0].min()) + FIRST_ROW_PIXELS
                left = x - 8
            start, end = (x, first), (x, last)
            box = (max(left, 4.0), middle - LABEL_HEIGHT / 2, room, float(LABEL_HEIGHT))
        corners = sorted((_pixel(corner) for corner in pixels), key=lambda corner: corner[axis])
        paths = tuple(("body", "regions", name, *key) for name in names)
        name = f"{'width' if axis == 0 else 'height'} of {', '.join(names)}"
        found.append(DimensionLine(name, label, _typed(case, paths[0], label), paths, start, end, tuple(corners), box))
    return found


def _free_row(rows: list[list[tuple[float, float]]], taken: tuple[float, float]) -> int:
    for number, used in enumerate(rows):
        if all(taken[1] <= low or taken[0] >= high for low, high in used):
            used.append(taken)
            return number
    rows.append([taken])
    return len(rows) - 1


def _radial(
    case: Case, geometry: SectionGeometry, view: View, label_widths: Mapping[str, float]
) -> list[DimensionLine]:
    found: list[DimensionLine] = []
    for index, (name, region) in enumerate(case.document.body.regions.items()):
        radii = {what: entry for what, entry in stated_lengths(region).items() if "radius" in what}
        curves = geometry.shapes[index][0].curves
        arcs = curves.take(curves.is_arc)
        for what, (key, quantity) in radii.items():
            centre = arcs.centre[0] if len(arcs) else (curves.start.min(axis=0) + curves.start.max(axis=0)) / 2
            angle = np.radians(28 + 34 * len(found))
            if isinstance(region, RingSector):
                share = (len(found) % 3 + 1) / 4
                angle = region.start.si + share * (region.end.si - region.start.si)
            rim = centre + quantity.si * np.array([np.cos(angle), np.sin(angle)])
            start, end = (_pixel(place) for place in view.pixels(np.stack([centre, rim])))
            label = shown(quantity.si, case.units.of(LENGTH), 6)
            room = label_widths.get(label, 7.0 * len(label)) + 14
            x, y = start[0] + 0.62 * (end[0] - start[0]), start[1] + 0.62 * (end[1] - start[1])
            path = ("body", "regions", name, *key)
            box = (x - room / 2, y - LABEL_HEIGHT / 2, room, float(LABEL_HEIGHT))
            found.append(
                DimensionLine(f"{what} of {name}", label, _typed(case, path, label), (path,), start, end, (), box)
            )
    return found


def _pixel(place: np.typing.NDArray[np.float64]) -> Pixel:
    return float(place[0]), float(place[1])


def _typed(case: Case, path: DataPath, label: str) -> str:
    parameter = parameter_at(case, path)
    return str(value_at(case.data, ("parameters", parameter) if parameter else path, label))


def _extents(case: Case, geometry: SectionGeometry, axis: int) -> list[tuple[list[str], tuple[float, float], float]]:
    """Group rectangles of one extent: (names, span along the axis, the edge of the body the line starts from)."""
    groups: dict[tuple[float, float], tuple[list[str], tuple[float, float], float]] = {}
    for index, region in enumerate(geometry.regions):
        if not isinstance(case.document.body.regions[region.name], Rectangle):
            continue
        box = geometry.shapes[index][0].box
        span = (box[axis], box[axis + 2])
        rounded = (round(span[0] / geometry.extent, 9), round(span[1] / geometry.extent, 9))
        names, first, near = groups.setdefault(rounded, ([], span, box[1 - axis]))
        names.append(region.name)
        groups[rounded] = (names, first, min(near, box[1 - axis]))
    return sorted(groups.values(), key=lambda group: group[1])


#: Pixels between an edge of a solid and the dimension along it.
_BESIDE_EDGE = 17


def _of_solid(
    case: Case, body: Body, geometry: SolidGeometry, view: View, label_widths: Mapping[str, float]
) -> list[DimensionLine]:
    """Lay dimensions along the edges of the boxes of rectangles, as far as none stands on another."""
    found: list[DimensionLine] = []
    turned = not geometry.path.straight
    for name, region in body.regions.items():
        if not isinstance(region, Rectangle):
            continue
        place = next(known for known in geometry.regions if known.name.partition(".")[0] == name)
        x0, y0, x1, y1 = place.box
        path: DataPath = ("body", "regions", name)
        edges: list[tuple[str, DataPath, Quantity, list[tuple[float, float, float]]]] = []
        if turned:
            edges.append(("width", (*path, "size", 0), region.size[0], [(x0, y0, 0.0), (x1, y0, 0.0)]))
            edges.append(("height", (*path, "size", 1), region.size[1], [(x1, y0, 0.0), (x1, y1, 0.0)]))
        else:
            spans: dict[DataPath, tuple[Quantity, Quantity] | None] = (
                {("z",): region.z}
                if region.levels is None
                else {("levels", level, "z"): entry.z for level, entry in region.levels.items()}
            )
            heights = [place.si for span in spans.values() if span is not None for place in span]
            low = min(heights)
            edges.append(("width", (*path, "size", 0), region.size[0], [(x0, y0, low), (x1, y0, low)]))
            edges.append(("depth", (*path, "size", 1), region.size[1], [(x1, y0, low), (x1, y1, low)]))
            for where, span in spans.items():
                if span is not None:
                    ends = [(x0, y0, span[0].si), (x0, y0, span[1].si)]
                    edges.append(
                        ("top" if len(where) == 1 else f"top of {where[1]}", (*path, *where, 1), span[1], ends)
                    )
        for what, key, quantity, places in edges:
            dimension = _along_edge(f"{what} of {name}", case, key, quantity, np.array(places), view, label_widths)
            if not any(_overlap(dimension.box, other.box) for other in found):
                found.append(dimension)
    return found


def _along_edge(
    name: str,
    case: Case,
    path: DataPath,
    quantity: Quantity,
    places: Floats,
    view: View,
    label_widths: Mapping[str, float],
) -> DimensionLine:
    """Return a dimension beside an edge: below one that runs across the picture, left of one that runs up it."""
    pixels = view.pixels(places)
    run = pixels[1] - pixels[0]
    length = float(np.linalg.norm(run))
    across = np.array([-run[1], run[0]]) / max(length, 1e-9)
    upright = abs(run[1]) > 2 * abs(run[0])
    outward = across if (across[0] < 0 if upright else across[1] > 0) else -across
    shifted = pixels + _BESIDE_EDGE * outward
    ends = (_pixel(shifted[0]), _pixel(shifted[1]))
    witness = tuple(_pixel(place) for place in pixels)
    is_height = path[-2:] == ("z", 1)
    return along(name, case, path, quantity, ends, witness, label_widths, is_height)


def _overlap(one: tuple[float, float, float, float], other: tuple[float, float, float, float]) -> bool:
    return all(one[axis] < other[axis] + other[axis + 2] and other[axis] < one[axis] + one[axis + 2] for axis in (0, 1))


#: What lays out the dimensions of a body, by its geometry; others have none that could be edited.
DIMENSIONS: Mapping[type[BodyGeometry], Callable[[Case, Any, Any, View, Mapping[str, float]], list[DimensionLine]]] = (
    MappingProxyType({SectionGeometry: _of_section, SolidGeometry: _of_solid, RodGeometry: _of_rod})
)
