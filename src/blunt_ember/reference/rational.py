"""Steady heat in a plane body of one material by rational functions: a method that knows nothing of meshes.

T = Re f − g |z|²/(4k), f a polynomial, poles that crowd exponentially towards every corner from outside, for each hole
a logarithm and powers about a place in it, and an angle about each corner at which held temperatures jump; least
squares fit it to what every edge states. So a singular corner costs as little as a smooth one: Gopal & Trefethen, SIAM
J. Numer. Anal. 57 (2019) 2074, and PNAS 116 (2019) 10223; holes by the logarithmic conjugation theorem, Axler (1986),
Amer. Math. Monthly 93, 246.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import lstsq
from shapely import Polygon, distance, points

from blunt_ember.arrays import Floats
from blunt_ember.errors import ReferenceRefusedError

RATIONAL_SOURCE = "rational functions fitted to the edges, Gopal & Trefethen (2019)"
Complexes = NDArray[np.complex128]
#: How fast poles crowd towards a corner.
_CROWDING = 4.0
#: Places on an edge for every pole at one of its ends.
_PER_POLE = 6
#: Fewest places on an edge.
_FEWEST = 40
#: Poles at each corner and degrees that are tried, and how many weights are looked for at most.
_TRIED = ((10, 12), (20, 18), (40, 22), (60, 36))
_MOST_WEIGHTS = 1_600


@dataclass(frozen=True)
class Edge:
    """An edge of the outline, part of the surface ``name``, the body on its left: ``at`` shares (p,) from 0 to 1 are
    its places (p,), ``way`` its direction there, of ``length`` in m.

    It is ``held`` at temperatures in K at places, or meets a fluid by ``h`` W/(m² K), and ``drive`` W/m² would come in
    at a temperature of 0.
    """

    name: str
    at: Callable[[Floats], Complexes]
    way: Callable[[Floats], Complexes]
    length: float
    held: Callable[[Complexes], Floats] | None
    h: Callable[[Complexes], Floats]
    drive: Callable[[Complexes], Floats]


@dataclass(frozen=True)
class Corner:
    """A ``place`` where two ``edges`` meet at an angle ``inside`` the body, the one before it first; ``outward`` halves
    what is outside, and the held temperature falls by ``jump`` K from the one to the other."""

    place: complex
    outward: complex
    inside: float
    jump: float
    edges: tuple[Edge, Edge]

    @property
    def clear(self) -> float:
        """How far a place on the way outward is from both edges, over how far from the corner."""
        return float(np.sin(min((2 * np.pi - self.inside) / 2, np.pi / 2)))


@dataclass(frozen=True)
class Outline:
    """Closed ``loops`` of edges, the first the outer one, of a body of conductivity ``k`` W/(m K) in which
    ``generation`` W/m³ arises evenly."""

    loops: tuple[tuple[Edge, ...], ...]
    k: float
    generation: float

    @cached_property
    def corners(self) -> tuple[Corner, ...]:
        """Where edges meet at an angle, or what they state changes."""
        found = []
        for loop in self.loops:
            for place, edge in enumerate(loop):
                before, start = loop[place - 1], edge.at(np.zeros(1))
                onward, back = edge.way(np.zeros(1))[0], -before.way(np.ones(1))[0]
                inside = float(np.angle(back / onward) % (2 * np.pi))
                jump = 0.0
                if edge.held is not None and before.held is not None:
                    jump = float((before.held(start) - edge.held(start))[0])
                    jump = jump if abs(jump) > 1e-9 * abs(float(edge.held(start)[0])) else 0.0
                if edge.name != before.name or abs(inside - np.pi) > 1e-6 or jump:
                    outward = -onward * np.exp(0.5j * inside)
                    found.append(Corner(complex(start[0]), complex(outward), inside, jump, (before, edge)))
        return tuple(found)

    @cached_property
    def _filled(self) -> Polygon:
        """About what it fills, for finding what lies outside."""
        rings = []
        for loop in self.loops:
            z = np.concatenate([edge.at(np.linspace(0, 1, 33)[:-1]) for edge in loop])
            rings.append(np.column_stack([z.real, z.imag]))
        return Polygon(rings[0], rings[1:])

    @cached_property
    def reaches(self) -> Floats:
        """How far (c,) poles may stand off each corner, m, so that none comes near another edge."""
        found = []
        for corner in self.corners:
            away = self.size * 0.7 ** np.arange(24)
            places = corner.place + corner.outward * away
            far = distance(self._filled, points(places.real, places.imag)) > 0.4 * away * corner.clear
            # All nearer ones must be clear too.
            clear = np.logical_and.accumulate(far[::-1])[::-1]
            found.append(float(away[clear][0]) if clear.any() else float(away[-1]))
        return np.array(found)

    @cached_property
    def middle(self) -> complex:
        """About the middle of it."""
        low_x, low_y, high_x, high_y = self._filled.bounds
        return complex(low_x + high_x, low_y + high_y) / 2

    @cached_property
    def size(self) -> float:
        """Half its diagonal, m."""
        low_x, low_y, high_x, high_y = self._filled.bounds
        return float(np.hypot(high_x - low_x, high_y - low_y)) / 2

    @cached_property
    def holes(self) -> Complexes:
        """A place in every hole."""
        return np.array([np.mean([edge.at(np.array([0.25, 0.75])) for edge in loop]) for loop in self.loops[1:]])


@dataclass(frozen=True)
class RationalField:
    """What fits an outline with ``poles`` at each corner, and polynomials of a ``degree``."""

    outline: Outline
    poles: int
    degree: int

    @cached_property
    def _poles(self) -> tuple[Complexes, Floats]:
        """Places of the poles (q,), and what each is scaled by."""
        number = np.arange(1, self.poles + 1)
        near = np.exp(_CROWDING * (np.sqrt(number) - np.sqrt(self.poles)))
        corners = self.outline.corners
        away = self.outline.reaches[:, None] * near
        outward = np.array([corner.outward for corner in corners])
        places = np.array([corner.place for corner in corners])[:, None] + outward[:, None] * away
        return places.ravel(), away.ravel()

    def _basis(self, z: Complexes) -> tuple[Complexes, Complexes]:
        """The functions (p, n) and their derivatives at places (p,)."""
        places, sizes = self._poles
        apart = 1 / (z[:, None] - places)
        parts, slopes = [sizes * apart], [-sizes * apart**2]
        scaled = (z - self.outline.middle) / self.outline.size
        powers = scaled[:, None] ** np.arange(self.degree + 1)
        parts.append(powers)
        slopes.append(np.zeros_like(powers))
        slopes[-1][:, 1:] = powers[:, :-1] * np.arange(1, self.degree + 1) / self.outline.size
        for hole, loop in zip(self.outline.holes, self.outline.loops[1:], strict=True):
            reach = min(float(np.abs(edge.at(np.linspace(0, 1, 33)) - hole).min()) for edge in loop)
            inverse = (reach / (z - hole))[:, None] ** np.arange(1, self.degree + 1)
            parts.append(inverse)
            slopes.append(-inverse * np.arange(1, self.degree + 1) / (z - hole)[:, None])
        return np.hstack(parts), np.hstack(slopes)

    def _rows(self, z: Complexes) -> tuple[Floats, Floats, Floats]:
        """What (p, m) real weights make of the temperature, and of its slopes along x and y."""
        values, slopes = self._basis(z)
        real = [values.real, -values.imag]
        along, up = [slopes.real, -slopes.imag], [-slopes.imag, -slopes.real]
        for hole in self.outline.holes:
            away = z - hole
            real.append(np.log(np.abs(away) / self.outline.size)[:, None])
            along.append((1 / away).real[:, None])
            up.append(-(1 / away).imag[:, None])
        return np.hstack(real), np.hstack(along), np.hstack(up)

    def _jumps(self, z: Complexes) -> tuple[Floats, Complexes]:
        """What (p,) the angles about corners at which held temperatures jump make of the temperature, and its slopes
        along x and y as one number."""
        value, slope = np.zeros(len(z)), np.zeros(len(z), dtype=complex)
        for corner in self.outline.corners:
            if corner.jump:
                away = (z - corner.place) / -corner.outward
                value += corner.jump / corner.inside * np.angle(away)
                slope += corner.jump / corner.inside * 1j / (z - corner.place).conj()
        return value, slope

    def _places(self, shift: float = 0.0) -> list[tuple[Edge, Floats]]:
        """Shares of every edge, crowding to its ends as poles do."""
        found = []
        for loop in self.outline.loops:
            for edge in loop:
                count = max(_FEWEST, _PER_POLE * self.poles)
                steps = (np.arange(count) + 0.5 + shift) / count
                # From e^-24 of the edge at both ends to even steps between them.
                t = 12 * np.sinh(2.2 * (2 * steps - 1)) / np.sinh(2.2)
                found.append((edge, 1 / (1 + np.exp(-2 * t))))
        return found

    def _equations(self, edge: Edge, share: Floats) -> tuple[Floats, Floats]:
        """What an edge demands (p, m), and of what amount: in K on a held one, elsewhere in W/m² by its length over k,
        fading towards corners, where a flux may be infinite."""
        outline, z, way = self.outline, edge.at(share), edge.way(share)
        value, along, up = self._rows(z)
        bent = outline.generation / (4 * outline.k)
        from_middle = z - outline.middle
        jumped, leaning = self._jumps(z)
        if edge.held is not None:
            return value, edge.held(z) + bent * np.abs(from_middle) ** 2 - jumped
        normal = -1j * way  # the body is on the left
        slope = along * normal.real[:, None] + up * normal.imag[:, None]
        h, weight = edge.h(z), np.minimum(share, 1 - share) * edge.length / outline.k
        given = edge.drive(z) + h * (bent * np.abs(from_middle) ** 2 - jumped)
        given = given - outline.k * (leaning * normal.conj()).real
        given = given + outline.k * 2 * bent * (from_middle * normal.conj()).real
        return (outline.k * slope + h[:, None] * value) * weight[:, None], given * weight

    @cached_property
    def _weights(self) -> Floats:
        rows, right = zip(*(self._equations(edge, share) for edge, share in self._places()), strict=True)
        matrix = np.vstack(rows)
        scale = np.maximum(np.linalg.norm(matrix, axis=0), 1e-300)
        found, *_ = lstsq(matrix / scale, np.concatenate(right), cond=1e-14, lapack_driver="gelsy")
        return np.asarray(found / scale)

    def misses(self) -> float:
        """By how much what the edges demand is missed between the places it was fitted at, K."""
        worst = 0.0
        for edge, share in self._places(0.37):
            row, right = self._equations(edge, share)
            worst = max(worst, float(np.abs(row @ self._weights - right).max()))
        return worst

    def temperature_at(self, places: Floats) -> Floats:
        """Return the temperature in K at places (p, 2) in m."""
        z = places[:, 0] + 1j * places[:, 1]
        bent = self.outline.generation / (4 * self.outline.k) * np.abs(z - self.outline.middle) ** 2
        return np.asarray(self._rows(z)[0] @ self._weights + self._jumps(z)[0] - bent)

    def heat_in(self, edge: Edge) -> float:
        """Return the heat in W/m that enters through an edge: what the conjugate of f gains along it.

        NaN beside a corner at which held temperatures jump, where it grows without bound.
        """
        outline = self.outline
        if any(corner.jump and edge in corner.edges for corner in outline.corners):
            return float("nan")
        z = edge.at(np.array([0.0, 1.0]))
        values, _ = self._basis(z)
        half = values.shape[1]
        gained = (values[1] - values[0]).imag @ self._weights[:half]
        gained += (values[1] - values[0]).real @ self._weights[half : 2 * half]
        for corner in outline.corners:
            if corner.jump:  # the conjugate of the angle is less the logarithm of how far it is
                far = np.abs(z - corner.place)
                gained -= corner.jump / corner.inside * float(np.log(far[1] / far[0]))
        for hole, weight in zip(outline.holes, self._weights[2 * half :], strict=True):
            turned = np.angle(edge.at(np.linspace(0, 1, 65)) - hole)
            gained += weight * float(np.unwrap(turned)[-1] - turned[0])
        share, weights = np.polynomial.legendre.leggauss(32)
        away = edge.at((1 + share) / 2) - outline.middle
        swept = (away * (-1j * edge.way((1 + share) / 2)).conj()).real @ weights * edge.length / 2
        # ∂T/∂n is ∂v/∂s, v being the conjugate and the body on the left.
        return float(outline.k * gained - outline.generation / 2 * swept)


def fitted(outline: Outline, wanted: float) -> tuple[RationalField, float]:
    """Return a field whose misses on the edges, and changes inside from fewer poles to more, are at most ``wanted`` K,
    and what they are.

    Raises :class:`ReferenceRefusedError` where so many poles as fit do not get there.
    """
    before: Floats | None = None
    seen = _inside(outline)
    for poles, degree in _TRIED:
        if 2 * (poles * len(outline.corners) + degree * (1 + len(outline.holes))) > _MOST_WEIGHTS:
            break
        found = RationalField(outline, poles, degree)
        values = found.temperature_at(seen)
        if before is not None:
            error = max(found.misses(), float(np.abs(values - before).max()))
            if error <= wanted:
                return found, error
        before = values
    raise ReferenceRefusedError("the edges are too many, or too curved, for rational functions")


def _inside(outline: Outline) -> Floats:
    """Places (p, 2) near the edges, in the body."""
    found = []
    for loop in outline.loops:
        for edge in loop:
            share = np.array([0.02, 0.2, 0.5, 0.8])
            z = edge.at(share) + 1j * edge.way(share) * 1e-3 * edge.length
            found.append(np.column_stack([z.real, z.imag]))
    return np.vstack(found)
