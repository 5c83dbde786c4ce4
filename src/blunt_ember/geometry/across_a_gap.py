"""Where a straight line runs through the empty space within a box: along its longer side, where nothing stands."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.section import SectionGeometry

#: Share of the longer side that the line takes, where across the shorter one it may run, and places looked at.
_LONG, _ACROSS, _PLACES = 0.9, (1 / 2, 1 / 3, 2 / 3, 1 / 4, 3 / 4, 1 / 6, 5 / 6), 200

Place = tuple[float, float]


def line_across(section: SectionGeometry, boxes: Sequence[Sequence[float]]) -> tuple[Place, Place] | None:
    """Return the ends in m of a line within the bounds of ``boxes`` (x0, y0, x1, y1), or None where none is free."""
    every = np.array(boxes)
    low, high = every[:, :2].min(axis=0), every[:, 2:].max(axis=0)
    size = high - low
    if not (size > 0).all():
        return None
    along = int(size.argmax())
    margin = (1 - _LONG) / 2 * size[along]
    for share in _ACROSS:
        ends = np.zeros((2, 2))
        ends[:, along] = low[along] + margin, high[along] - margin
        ends[:, 1 - along] = low[1 - along] + share * size[1 - along]
        at = np.linspace(0, 1, _PLACES)[:, None]
        if (section.owner_at(ends[0] + at * (ends[1] - ends[0])) == VOID).all():
            (x0, y0), (x1, y1) = ends.tolist()
            return (x0, y0), (x1, y1)
    return None
