"""Whether an enclosure is a cylinder with flat ends, of which one may be its opening."""

from __future__ import annotations

import numpy as np

from blunt_ember.checks.references.views.catalogue import EnclosureViews
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.section import outlines_of
from blunt_ember.immutable import immutable
from blunt_ember.reference.radiating.view_factors import coaxial_discs

#: What is off by less than this share is not off.
_NEAR = 1e-9


@immutable
class Cylinder:
    """A cylinder of ``radius`` and ``height`` in m, and the rows of its lower end, side and upper end among the
    surfaces of an enclosure, of which the last is the opening."""

    radius: float
    height: float
    rows: tuple[int, int, int]


def cylinder_of(views: EnclosureViews, geometry: BodyGeometry) -> Cylinder | None:
    """Return the cylinder that the surfaces of an enclosure bound, seen from inside, or None."""
    count = len(views.surfaces)
    section = outlines_of(geometry)
    if section is None or not section.turned or count not in (2, 3):
        return None
    places = [section.surfaces[name].segments.reshape(-1, 2) for name in views.surfaces]
    low, high = (np.array([edge(each, axis=0) for each in places]) for edge in (np.min, np.max))
    near = _NEAR * float(high.max())
    upright = np.flatnonzero(high[:, 0] - low[:, 0] <= near)
    if len(upright) != 1:
        return None
    side = int(upright[0])
    radius, bottom, top = float(high[side, 0]), float(low[side, 1]), float(high[side, 1])
    rows = []
    for level in (bottom, top):
        flat = (np.abs(low - [0.0, level]).max(axis=1) <= near) & (np.abs(high - [radius, level]).max(axis=1) <= near)
        rows.append(int(np.flatnonzero(flat)[0]) if flat.any() else count)
    if sorted({*rows, side} - {count}) != list(range(count)) or (rows[0] == rows[1]):
        return None
    height = top - bottom
    own = 2 * np.pi * radius * height - 2 * (np.pi * radius**2 - coaxial_discs(radius, radius, height))
    seen = views.exchanged[side, side]
    # Else it is a post, or something stands in it.
    return Cylinder(radius, height, (rows[0], side, rows[1])) if abs(seen - own) <= _NEAR * own else None
