"""An outline while it is drawn: points placed one after the other, by clicks or by what is typed."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.evaluation import Value, quantity_si
from blunt_ember.case.values.units import ANGLE, LENGTH
from blunt_ember.errors import BluntEmberError
from blunt_ember.geometry.curves import Curves, joined, lines, self_crossings
from blunt_ember.geometry.primitives import arc_through
from blunt_ember.immutable import immutable

KnownValues = Mapping[str, Value]


@immutable
class DrawnPoint:
    """A place in m, and its two coordinates as they go into the case."""

    place: tuple[float, float]
    texts: tuple[str, str]


@immutable
class DrawnPiece:
    """The way to a point: straight, or an arc ``through`` another."""

    to: DrawnPoint
    through: DrawnPoint | None = None


@immutable
class OutlineDrawing:
    """Every step gives a new drawing. ``bow`` tells that the next piece is an arc, ``through`` its middle."""

    start: DrawnPoint | None = None
    pieces: tuple[DrawnPiece, ...] = ()
    bow: bool = False
    through: DrawnPoint | None = None

    @property
    def last(self) -> DrawnPoint | None:
        """Where the next piece begins."""
        return self.pieces[-1].to if self.pieces else self.start

    @property
    def points(self) -> list[DrawnPoint]:
        """All points so far, that of a begun arc too."""
        points = [self.start] if self.start is not None else []
        points += [point for piece in self.pieces for point in (piece.through, piece.to) if point is not None]
        return points + ([self.through] if self.through is not None else [])

    def with_point(self, point: DrawnPoint) -> OutlineDrawing:
        """Return the drawing with one more point; one on the last changes nothing."""
        if self.start is None:
            return replace(self, start=point)
        known = self.through or self.last
        if known is not None and np.allclose(point.place, known.place, rtol=0, atol=1e-12):
            return self
        if self.bow and self.through is None:
            return replace(self, through=point)
        return replace(self, pieces=(*self.pieces, DrawnPiece(point, self.through)), bow=False, through=None)

    def with_bow(self) -> OutlineDrawing:
        """Return the drawing with the next piece an arc, or straight again."""
        return self if self.start is None else replace(self, bow=not self.bow, through=None)

    def taken_back(self) -> OutlineDrawing:
        """Return the drawing without its last point."""
        if self.through is not None:
            return replace(self, through=None)
        if self.pieces:
            return replace(self, pieces=self.pieces[:-1], bow=False)
        return OutlineDrawing()

    def crossed(self, then: DrawnPoint | None = None) -> Floats:
        """Return the places (k, 2) in m at which the outline crosses itself, the piece to a point that may come next,
        or the one that closes it, among it."""
        parts: list[Curves] = []
        before = self.start
        pieces = (*self.pieces, *([DrawnPiece(then, self.through)] if then is not None else []))
        for piece in pieces:
            assert before is not None
            start, to = np.array(before.place), np.array(piece.to.place)
            if np.linalg.norm(to - start) > 0 and piece.through is None:
                parts.append(lines(np.array([start, to])).take(np.array([0])))
            elif np.linalg.norm(to - start) > 0 and piece.through is not None:
                parts.append(arc_through(start, np.array(piece.through.place), to))
            before = piece.to
        if not parts:
            return np.zeros((0, 2))
        closed = bool(np.allclose(parts[0].start[0], parts[-1].end[-1], rtol=0, atol=1e-12))
        return self_crossings(joined(parts), closed)

    def region(self) -> dict[str, Any]:
        """Return the region as a case states it; raise :class:`BluntEmberError` when it has too few points, or crosses
        itself."""
        pieces = self.pieces
        if self.start is not None and len(pieces) == 1 and pieces[0].through is not None:
            pieces = (*pieces, DrawnPiece(self.start))  # a bow and its chord
        if self.start is None or len(pieces) < 2:
            raise BluntEmberError("an outline needs three points at least, or an arc; place more of them")
        if len(replace(self, pieces=pieces, through=None).crossed(self.start)):
            raise BluntEmberError("the outline crosses itself where it is marked; Backspace takes points back")
        steps = [
            {"to": list(piece.to.texts), **({"through": list(piece.through.texts)} if piece.through else {})}
            for piece in pieces
        ]
        return {"shape": "outline", "start": list(self.start.texts), "path": steps}


def point_at(place: Floats) -> DrawnPoint:
    """Return a point whose coordinates are written in mm."""
    x, y = (f"{coordinate * 1000 + 0.0:.9g} mm" for coordinate in np.round(place, 12).tolist())
    return DrawnPoint((float(place[0]), float(place[1])), (x, y))


def typed_point(text: str, last: DrawnPoint | None, towards: Floats | None, names: KnownValues) -> DrawnPoint:
    """Return the point that was typed: ``x, y``; ``length at angle`` from the last; or a length towards the pointer.

    Raises :class:`BluntEmberError` that says what can be typed.
    """
    how = "type 'x, y' such as '40 mm, 10 mm', or a length and an angle such as '25 mm at 30°'"
    if "," in text or ";" in text:
        # A comma within a number has no space behind it.
        apart = re.split(r";|,\s+", text)
        parts = [part.strip() for part in (apart if len(apart) == 2 else text.split(","))]
        if len(parts) != 2:
            raise BluntEmberError(f"'{text}' is no place; {how}")
        x, y = (quantity_si(part, LENGTH, names) for part in parts)
        return DrawnPoint((x, y), (parts[0], parts[1]))
    if last is None:
        raise BluntEmberError("the first point has nothing to be measured from; type 'x, y' such as '40 mm, 10 mm'")
    length_text, *angle_text = re.split(r"\bat\b", text, maxsplit=1)
    length = quantity_si(length_text.strip(), LENGTH, names)
    if angle_text:
        angle = quantity_si(angle_text[0].strip(), ANGLE, names)
    elif towards is not None and np.linalg.norm(towards - last.place) > 0:
        away = towards - np.array(last.place)
        angle = float(np.arctan2(away[1], away[0]))
    else:
        raise BluntEmberError(f"say which way: {how}")
    return point_at(np.array(last.place) + length * np.array([np.cos(angle), np.sin(angle)]))


def snapped(place: Floats, step: float, corners: Floats, reach: float) -> Floats:
    """Return the corner (c, 2) within ``reach`` (m) of a place, or else the nearest place of a grid of ``step`` (m)."""
    if len(corners):
        away = np.linalg.norm(corners - place, axis=1)
        if away.min() <= reach:
            return corners[away.argmin()]
    return np.round(place / step) * step


def grid_step(scale: float, least_pixels: float = 12.0) -> float:
    """Return a round step in m that takes at least some pixels at ``scale`` metres a pixel."""
    least = scale * least_pixels
    size = 10.0 ** np.floor(np.log10(least))
    return float(size * next(nice for nice in (1, 2, 5, 10) if nice * size >= least * (1 - 1e-9)))
