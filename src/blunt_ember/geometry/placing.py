"""Stated regions put in their places, with their copies."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.regions import AnyRegion, Disc, HalfPlane, Outline, Polygon, Repeat, Ring, RingSector
from blunt_ember.case.values.display import shown
from blunt_ember.case.values.units import LENGTH
from blunt_ember.errors import CaseError, Fault
from blunt_ember.geometry.curves import self_crossings
from blunt_ember.geometry.primitives import Shape, shape_of

#: Shapes whose reference point is their centre.
_ROUND = (Disc, Ring, RingSector)


def placed_regions(regions: Mapping[str, AnyRegion]) -> list[list[Shape]]:
    """Return the pieces of every region in order, in the coordinates of the body (m)."""
    placed = _placed(regions)
    return [placed[name][1] for name in regions]


def place_of(regions: Mapping[str, AnyRegion], name: str) -> Floats:
    """Return where the reference point of a region stands, (2,) in m."""
    return _placed(regions)[name][0]


def _placed(regions: Mapping[str, AnyRegion]) -> dict[str, tuple[Floats, list[Shape]]]:
    """Where the reference point of every region stands, (2,) in m, and its pieces."""
    done: dict[str, tuple[Floats, list[Shape]]] = {}

    def placed(name: str) -> tuple[Floats, list[Shape]]:
        if name not in done:
            region = regions[name]
            shape = shape_of(region)
            if isinstance(region, Polygon | Outline):
                _require_simple(name, region, shape)
            for number, cut in enumerate(region.cuts or (), start=1):
                shape = _cut(name, shape, cut, f"cut {number}" if len(region.cuts or ()) > 1 else "cut")
            if region.beside and _share_centre(region, regions[region.beside[1]]):
                stands = placed(region.beside[1])[0]
            else:
                stands = _stands(region, shape, placed(region.beside[1])[1] if region.beside else [])
            done[name] = stands, _copies(shape.moved(stands), region.repeat)
        return done[name]

    for name in regions:
        placed(name)
    return done


def _share_centre(region: AnyRegion, other: AnyRegion) -> bool:
    """Whether a region is round and laid about another one that is: both have one centre then, which of a sector is not
    the middle of its box."""
    within = region.beside is not None and region.beside[0] in ("around", "inside")
    return within and isinstance(region, _ROUND) and isinstance(other, _ROUND) and other.repeat is None


def _require_simple(name: str, region: Polygon | Outline, shape: Shape) -> None:
    """Raise :class:`CaseError` for an outline that crosses or touches itself: what is inside is not known then."""
    met = self_crossings(shape.curves)
    if not len(met):
        return
    places = [f"({', '.join(shown(float(at), LENGTH, 4) for at in place)})" for place in met]
    more = f" and at {len(places) - 1} more places" if len(places) > 1 else ""
    sides = ", ".join(dict.fromkeys(shape.sides[place] for place in _sides_at(shape, met[0])))
    what = f"its outline crosses or touches itself at {places[0]}{more}, where {sides} meet; put its points in order"
    key = "points" if isinstance(region, Polygon) else "path"
    raise CaseError((Fault(("body", "regions", name, key), what),))


def _sides_at(shape: Shape, place: Floats) -> list[int]:
    """The numbers of the curves on which a place (2,) in m lies."""
    curves = shape.curves
    share = np.clip(curves.share_of(np.tile(place, (len(curves), 1))), 0, 1)
    away = np.linalg.norm(curves.at(share) - place, axis=1)
    return np.flatnonzero(away <= 1e-8 * max(shape.box[2] - shape.box[0], shape.box[3] - shape.box[1])).tolist()


def _cut(name: str, shape: Shape, cut: HalfPlane, side: str) -> Shape:
    left = shape.clipped(np.array([place.si for place in cut.through]), cut.along.si, side)
    if left is None:
        what = "nothing is left of it: a cut takes all of it away; turn the cut round or move it"
        raise CaseError((Fault(("body", "regions", name, "cuts"), what),))
    return left


def box_of(pieces: list[Shape]) -> tuple[float, float, float, float]:
    """Return the bounding box (x0, y0, x1, y1) of the pieces of a region, m."""
    boxes = np.array([piece.box for piece in pieces])
    x0, y0 = boxes[:, :2].min(axis=0).tolist()
    x1, y1 = boxes[:, 2:].max(axis=0).tolist()
    return x0, y0, x1, y1


def _stands(region: AnyRegion, shape: Shape, other: list[Shape]) -> Floats:
    if region.at is not None:
        return np.array([place.si for place in region.at])
    if region.beside is None:
        return np.zeros(2)
    relation = region.beside[0]
    (x0, y0, x1, y1), (u0, v0, u1, v1) = shape.box, box_of(other)
    if relation in ("around", "inside"):
        return np.array([(u0 + u1) / 2 - (x0 + x1) / 2, (v0 + v1) / 2 - (y0 + y1) / 2])
    return np.array(
        {
            "right_of": (u1 - x0, v0 - y0),
            "left_of": (u0 - x1, v0 - y0),
            "above": (u0 - x0, v1 - y0),
            "below": (u0 - x0, v0 - y1),
        }[relation]
    )


def _copies(shape: Shape, repeat: Repeat | None) -> list[Shape]:
    if repeat is None:
        return [shape]
    if repeat.step is not None:
        step = np.array([place.si for place in repeat.step])
        return [shape.moved(number * step) for number in range(repeat.count)]
    about = np.array([place.si for place in repeat.about]) if repeat.about else np.zeros(2)
    angle = repeat.turn.si if repeat.turn else 0.0
    return [shape.turned(about, number * angle) for number in range(repeat.count)]
