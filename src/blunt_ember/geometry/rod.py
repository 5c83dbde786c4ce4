"""The geometry of a rod: pieces one after the other along x."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.document.bodies import Rod
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.regions import RegionGeometry, Surface
from blunt_ember.geometry.space import Along
from blunt_ember.immutable import immutable


@immutable
class RodGeometry(BodyGeometry):
    """``stations`` (p + 1,) in m along x between the pieces; surfaces are sides, the two ends, and the joints."""

    space: Along
    regions: tuple[RegionGeometry, ...]
    surfaces: Mapping[str, Surface]
    low: tuple[float, ...]
    high: tuple[float, ...]
    stations: Floats = field(repr=False)

    @property
    def length(self) -> float:
        """Length of the rod, m."""
        return float(self.stations[-1])

    def owner_at(self, points: Floats) -> Ints:
        """Return the piece each of ``points`` (p, 1) in m lies in, ``VOID`` where there is none."""
        x = points[:, 0]
        piece = np.clip(np.searchsorted(self.stations, x, side="right") - 1, 0, len(self.regions) - 1)
        return np.where((x >= 0) & (x <= self.length), piece, VOID)

    def cuts(self, start: Floats, end: Floats) -> Floats:
        """Return the shares, in order, at which a line from ``start`` to ``end`` (1,) meets an end of a piece."""
        share = (self.stations - start[0]) / (end[0] - start[0])
        return np.sort(share[(share > 1e-9) & (share < 1 - 1e-9)])


def rod_geometry(body: Rod) -> RodGeometry:
    """Line the pieces up and name their surfaces: ``shaft.side``, ``shaft.start``, ``tip.end``, ``shaft|tip``."""
    names, pieces = list(body.pieces), list(body.pieces.values())
    stations = np.concatenate([[0.0], np.cumsum([piece.length.si for piece in pieces])])
    areas = tuple(piece.cross_section for piece in pieces)
    perimeters = tuple(piece.round_about for piece in pieces)
    regions = tuple(
        RegionGeometry(name, (float(stations[i]), 0.0, float(stations[i + 1]), 0.0)) for i, name in enumerate(names)
    )
    last = len(pieces) - 1
    surfaces = {f"{names[0]}.start": Surface(f"{names[0]}.start", (0,), areas[0])}
    for i, (name, piece) in enumerate(zip(names, pieces, strict=True)):
        if perimeters[i] > 0:
            surfaces[f"{name}.side"] = Surface(f"{name}.side", (i,), perimeters[i] * piece.length.si)
    surfaces[f"{names[last]}.end"] = Surface(f"{names[last]}.end", (last,), areas[last])
    for i in range(last):
        joint = f"{names[i]}|{names[i + 1]}"
        surfaces[joint] = Surface(joint, (i, i + 1), min(areas[i], areas[i + 1]))
    return RodGeometry(Along(areas, perimeters), regions, surfaces, (0.0,), (float(stations[-1]),), stations)
