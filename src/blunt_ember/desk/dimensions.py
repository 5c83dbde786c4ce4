"""Dimension lines of a section on the picture: where they run and what they edit."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from blunt_ember.case.case import Case
from blunt_ember.case.display import shown
from blunt_ember.case.editing import parameter_at, value_at
from blunt_ember.case.units import LENGTH
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.picture.view import View

Path = tuple[str | int, ...]
ROW_PIXELS = 22
FIRST_ROW_PIXELS = 20
LABEL_HEIGHT = 18


@dataclass(frozen=True)
class Dimension:
    """A dimension line from ``start`` to ``end`` (pixels) with its label; ``paths`` are the quantities it edits."""

    name: str
    label: str
    text: str
    paths: tuple[Path, ...]
    start: tuple[float, float]
    end: tuple[float, float]
    #: Corners on the body that the witness lines come from.
    witness: tuple[tuple[float, float], tuple[float, float]]
    box: tuple[float, float, float, float]

    @property
    def upright(self) -> bool:
        """Whether the line runs from bottom to top."""
        return self.start[0] == self.end[0]


def dimensions(
    case: Case, geometry: SectionGeometry, view: View, width_of: dict[str, float] | None = None
) -> list[Dimension]:
    """Lay out the widths under the body and the heights on its left, so that no label stands on another.

    ``width_of`` gives the pixels a label needs; equal extents of several regions share one line that edits them all.
    """
    found = []
    low = view.pixels(np.array([[geometry.xs[0], geometry.ys[0]]]))[0]
    for axis in (0, 1):
        rows: list[list[tuple[float, float]]] = []
        for names, span, near in _extents(geometry, axis):
            paths = tuple(("body", "regions", name, "size", axis) for name in names)
            value = case.document.body.regions[names[0]].size[axis]
            label = shown(value.si, LENGTH, 6)
            room = (width_of or {}).get(label, 7.0 * len(label)) + 14
            ends = (
                np.array([[span[0], near], [span[1], near]])
                if axis == 0
                else np.array([[near, span[0]], [near, span[1]]])
            )
            pixels = view.pixels(ends)
            first, last = sorted(pixels[:, axis])
            middle = (first + last) / 2
            need = room if axis == 0 else LABEL_HEIGHT
            taken = (min(first, middle - need / 2) + 1, max(last, middle + need / 2) - 1)
            row = next(
                (r for r, used in enumerate(rows) if all(taken[1] <= a or taken[0] >= b for a, b in used)), len(rows)
            )
            rows += [[]] if row == len(rows) else []
            rows[row].append(taken)
            step = ROW_PIXELS if axis == 0 else max(ROW_PIXELS, room)
            away = FIRST_ROW_PIXELS + row * step
            if axis == 0:
                y = float(low[1]) + away
                start, end = (float(first), y), (float(last), y)
                box = (middle - room / 2, y - LABEL_HEIGHT / 2, room, float(LABEL_HEIGHT))
            else:
                x = float(low[0]) - away
                start, end = (x, float(first)), (x, float(last))
                box = (x - room + 8, middle - LABEL_HEIGHT / 2, room, float(LABEL_HEIGHT))
            corners = sorted((tuple(map(float, corner)) for corner in pixels), key=lambda c: c[axis])
            text = str(value_at(case.data, _typed_path(case, paths[0]), label))
            name = f"{'width' if axis == 0 else 'height'} of {', '.join(names)}"
            found.append(Dimension(name, label, text, paths, start, end, (corners[0], corners[1]), box))  # type: ignore[arg-type]
    return found


def _typed_path(case: Case, path: Path) -> Path:
    parameter = parameter_at(case, path)
    return ("parameters", parameter) if parameter else path


def _extents(geometry: SectionGeometry, axis: int) -> list[tuple[list[str], tuple[float, float], float]]:
    """Group regions of one extent: (names, span along the axis, the edge of the body the line starts from)."""
    groups: dict[tuple[float, float], tuple[list[str], float]] = {}
    for region in geometry.regions:
        span = (region.box[axis], region.box[axis + 2])
        rounded = (round(span[0] / geometry.extent, 9), round(span[1] / geometry.extent, 9))
        names, near = groups.setdefault(rounded, ([], region.box[1 - axis]))
        names.append(region.name)
        groups[rounded] = (names, min(near, region.box[1 - axis]))
    ordered = sorted(groups.values(), key=lambda group: _span(geometry, group[0][0], axis))
    return [(names, _span(geometry, names[0], axis), near) for names, near in ordered]


def _span(geometry: SectionGeometry, name: str, axis: int) -> tuple[float, float]:
    region = next(region for region in geometry.regions if region.name == name)
    return region.box[axis], region.box[axis + 2]
