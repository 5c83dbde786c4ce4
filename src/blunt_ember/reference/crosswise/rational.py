"""Steady heat in a plane body by rational functions: a method that knows nothing of meshes.

In each region T = Re f − g |z|²/(4k), f a polynomial, poles that crowd exponentially towards every corner from outside,
for each hole a logarithm and powers about a place in it, and an angle about each corner at which held temperatures
jump; least squares fit all of them to what every edge states, and to each other where regions meet. So a singular
corner costs as little as a smooth one: Gopal & Trefethen, SIAM J. Numer. Anal. 57 (2019) 2074, and PNAS 116 (2019)
10223; holes by the logarithmic conjugation theorem, Axler (1986), Amer. Math. Monthly 93, 246.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from shapely import Polygon, distance, points

from blunt_ember.arrays import Floats
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.immutable import immutable
from blunt_ember.reference.crosswise.demands import Demand, least_squares

RATIONAL_SOURCE = "rational functions fitted to the edges, Gopal & Trefethen (2019)"
Complexes = NDArray[np.complex128]
#: How fast poles crowd towards a corner.
_CROWDING = 4.0
#: Places on an edge for every pole at one of its ends.
_PER_POLE = 4
#: Fewest places on an edge that crowd to its ends, and those that are spread evenly besides.
_FEWEST, _EVENLY = 40, 60
#: Up to how far from an edge, over its length, another part of the same region makes a slot of what is between, how it
#: is looked for, and poles in it for each width of it.
_ACROSS, _RAYS, _STEPS, _IN_A_SLOT = 1.5, 9, 60, 4
#: Poles at each corner and degrees that are tried, and how many weights are looked for at most.
_TRIED = ((8, 10), (14, 14), (20, 18), (30, 22), (44, 26))
_MOST_WEIGHTS = 1_900
#: How small weights are wished for, beside what the edges demand of functions of size one: those that are nearly alike
#: are held apart by it.
_TRACE = 1e-14


@immutable
class Edge:
    """An edge of the outline, part of the surface ``name``, the body on its left: ``at`` shares (p,) from 0 to 1 are
    its places (p,), ``way`` its direction there, of ``length`` in m.

    It is ``held`` at temperatures in K at places, or meets a fluid by ``h`` W/(m² K), and ``drive`` W/m² would come in
    at a temperature of 0; or ``beyond`` it lies another region, by its number, behind a ``resistance`` in m² K/W.
    """

    name: str
    at: Callable[[Floats], Complexes]
    way: Callable[[Floats], Complexes]
    length: float
    held: Callable[[Complexes], Floats] | None
    h: Callable[[Complexes], Floats]
    drive: Callable[[Complexes], Floats]
    beyond: int | None = None
    resistance: float = 0.0


@immutable
class Corner:
    """A ``place`` where two edges meet at an angle ``inside`` the region; ``outward`` halves what is outside."""

    place: complex
    outward: complex
    inside: float

    @property
    def clear(self) -> float:
        """How far a place on the way outward is from both edges, over how far from the corner."""
        return float(np.sin(min((2 * np.pi - self.inside) / 2, np.pi / 2)))


@immutable
class Outline:
    """Closed ``loops`` of edges, the first the outer one, of a region of conductivity ``k`` W/(m K) in which
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
                if edge.name != before.name or abs(inside - np.pi) > 1e-6:
                    outward = -onward * np.exp(0.5j * inside)
                    found.append(Corner(complex(start[0]), complex(outward), inside))
        return tuple(found)

    @cached_property
    def filled(self) -> Polygon:
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
            far = distance(self.filled, points(places.real, places.imag)) > 0.4 * away * corner.clear
            # All nearer ones must be clear too.
            clear = np.logical_and.accumulate(far[::-1])[::-1]
            found.append(float(away[clear][0]) if clear.any() else float(away[-1]))
        return np.array(found)

    @cached_property
    def slots(self) -> tuple[Complexes, Floats]:
        """Places (q,) along the middle of what is narrow outside, and how near (q,) its sides are, m: what passes its
        sides differs, which no pole at its ends can say."""
        places, near = [np.zeros(0, dtype=complex)], [np.zeros(0)]
        for edge in (edge for loop in self.loops for edge in loop):
            share = (np.arange(_RAYS) + 0.5) / _RAYS
            start, away = edge.at(share), -1j * edge.way(share)
            steps = edge.length * _ACROSS * (np.arange(_STEPS) + 1) / _STEPS
            along = start[:, None] + away[:, None] * steps
            hit = distance(self.filled, points(along.real, along.imag)) == 0
            across = np.where(hit.any(axis=1), steps[hit.argmax(axis=1)], np.inf)
            narrow = float(across.min())
            if np.isfinite(narrow):
                count = int(np.ceil(_IN_A_SLOT * edge.length / narrow))
                share = (np.arange(count) + 0.5) / count
                wide = np.interp(share, (np.arange(_RAYS) + 0.5) / _RAYS, np.minimum(across, edge.length * _ACROSS))
                places.append(edge.at(share) - 1j * edge.way(share) * 0.45 * wide)
                near.append(0.45 * wide)
        found, clear = np.concatenate(places), np.concatenate(near)
        outside = distance(self.filled, points(found.real, found.imag)) > 0.3 * clear
        return found[outside], clear[outside]

    @cached_property
    def middle(self) -> complex:
        """About the middle of it."""
        low_x, low_y, high_x, high_y = self.filled.bounds
        return complex(low_x + high_x, low_y + high_y) / 2

    @cached_property
    def size(self) -> float:
        """Half its diagonal, m."""
        low_x, low_y, high_x, high_y = self.filled.bounds
        return float(np.hypot(high_x - low_x, high_y - low_y)) / 2

    @cached_property
    def holes(self) -> Complexes:
        """A place in every hole, whatever its shape: a pole in the region itself would be a source of its own."""
        inside = (Polygon(ring).representative_point() for ring in self.filled.interiors)
        return np.array([complex(place.x, place.y) for place in inside], dtype=complex)


@immutable
class _Functions:
    """What the temperature of a region is made of: ``poles`` at each corner, polynomials of a ``degree``, and angles
    about the corners that are ``torn``."""

    outline: Outline
    poles: int
    degree: int
    torn: tuple[Corner, ...]

    @cached_property
    def _poles(self) -> tuple[Complexes, Floats]:
        """Places of the poles (q,), and what each is scaled by."""
        number = np.arange(1, self.poles + 1)
        near = np.exp(_CROWDING * (np.sqrt(number) - np.sqrt(self.poles)))
        corners = self.outline.corners
        away = self.outline.reaches[:, None] * near
        outward = np.array([corner.outward for corner in corners])
        places = np.array([corner.place for corner in corners])[:, None] + outward[:, None] * away
        others, near_others = self.outline.slots
        return np.concatenate([places.ravel(), others]), np.concatenate([away.ravel(), near_others])

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

    def rows(self, z: Complexes) -> tuple[Floats, Floats, Floats]:
        """What (p, m) real weights make of the temperature, and of its slopes along x and y."""
        values, slopes = self._basis(z)
        real = [values.real, -values.imag]
        along, up = [slopes.real, -slopes.imag], [-slopes.imag, -slopes.real]
        for hole in self.outline.holes:
            away = z - hole
            real.append(np.log(np.abs(away) / self.outline.size)[:, None])
            along.append((1 / away).real[:, None])
            up.append(-(1 / away).imag[:, None])
        for corner in self.torn:
            with np.errstate(divide="ignore", invalid="ignore"):  # at the corner itself it has none
                slope = 1j / (z - corner.place).conj()
            real.append(np.angle((z - corner.place) / -corner.outward)[:, None])
            along.append(slope.real[:, None])
            up.append(slope.imag[:, None])
        return np.hstack(real), np.hstack(along), np.hstack(up)

    def bent(self, z: Complexes) -> tuple[Floats, Complexes]:
        """What (p,) generation takes off the temperature, and off its slopes along x and y as one number."""
        bend, away = self.outline.generation / (4 * self.outline.k), z - self.outline.middle
        return bend * np.abs(away) ** 2, 2 * bend * away

    def flux(self, edge: Edge, share: Floats) -> tuple[Floats, Floats, Floats]:
        """The temperature (p, m) and the flux k ∂T/∂n (p, m) on an edge, n pointing out, and what generation takes off
        the flux (p,)."""
        z, normal = edge.at(share), -1j * edge.way(share)  # the region is on the left
        value, along, up = self.rows(z)
        slope = along * normal.real[:, None] + up * normal.imag[:, None]
        return value, self.outline.k * slope, self.outline.k * (self.bent(z)[1] * normal.conj()).real

    def gained(self, edge: Edge, weights: Floats) -> float:
        """∫ k ∂T/∂n ds of an edge that ends at no torn corner: what the conjugate of f gains along it, W/m."""
        outline = self.outline
        values, _ = self._basis(edge.at(np.array([0.0, 1.0])))
        half = values.shape[1]
        gained = (values[1] - values[0]).imag @ weights[:half]
        gained += (values[1] - values[0]).real @ weights[half : 2 * half]
        along = edge.at(np.linspace(0, 1, 65))
        for hole, weight in zip(outline.holes, weights[2 * half :], strict=False):
            turned = np.angle(along - hole)
            gained += weight * float(np.unwrap(turned)[-1] - turned[0])
        for corner, weight in zip(self.torn, weights[2 * half + len(outline.holes) :], strict=True):
            far = np.abs(along[[0, -1]] - corner.place)  # the conjugate of an angle is less the logarithm of how far
            gained -= weight * float(np.log(far[1] / far[0]))
        share, rule = np.polynomial.legendre.leggauss(32)
        away = edge.at((1 + share) / 2) - outline.middle
        swept = (away * (-1j * edge.way((1 + share) / 2)).conj()).real @ rule * edge.length / 2
        # ∂T/∂n is ∂v/∂s, v being the conjugate and the region on the left.
        return float(outline.k * gained - outline.generation / 2 * swept)


@immutable
class RationalField:
    """What fits the ``outlines`` of all regions with ``poles`` at each corner, and polynomials of a ``degree``."""

    outlines: tuple[Outline, ...]
    poles: int
    degree: int

    @cached_property
    def _torn(self) -> Complexes:
        """Places (t,) at which held temperatures jump."""
        ends = [
            (complex(edge.at(np.array([end]))[0]), float(edge.held(edge.at(np.array([end])))[0]))
            for outline in self.outlines
            for loop in outline.loops
            for edge in loop
            if edge.held is not None
            for end in (0.0, 1.0)
        ]
        found: list[complex] = []
        for place, held in ends:
            near = [other for at, other in ends if abs(at - place) < 1e-9 * self.outlines[0].size]
            if max(near) - min(near) > 1e-9 * abs(held) and place not in found:
                found.append(place)
        return np.array(found, dtype=complex)

    def _is_torn(self, place: complex) -> bool:
        return bool((np.abs(self._torn - place) < 1e-9 * self.outlines[0].size).any())

    @cached_property
    def _parts(self) -> tuple[_Functions, ...]:
        return tuple(
            _Functions(
                outline,
                self.poles,
                self.degree,
                tuple(corner for corner in outline.corners if self._is_torn(corner.place)),
            )
            for outline in self.outlines
        )

    def _places(self, shift: float = 0.0) -> list[tuple[int, Edge, Floats]]:
        """The region and the shares of every edge, once, crowding to its ends as poles do."""
        count = max(_FEWEST, _PER_POLE * self.poles)
        steps = (np.arange(count) + 0.5 + shift) / count
        # From e^-24 of the edge at both ends to even steps between them.
        t = 12 * np.sinh(2.2 * (2 * steps - 1)) / np.sinh(2.2)
        even = (np.arange(_EVENLY) + 0.5 + shift) / _EVENLY
        share = np.sort(np.concatenate([1 / (1 + np.exp(-2 * t)), even]))
        return [
            (number, edge, share)
            for number, outline in enumerate(self.outlines)
            for loop in outline.loops
            for edge in loop
            if edge.beyond is None or number < edge.beyond
        ]

    def _demanded(self, number: int, edge: Edge, share: Floats) -> list[Demand]:
        """What an edge demands of the weights of the regions at it: in K where it is held; elsewhere in W/m² by its
        length over k, fading towards corners, where a flux may be infinite."""
        part = self._parts[number]
        z = edge.at(share)
        value, flux, lost = part.flux(edge, share)
        bent = part.bent(z)[0]
        far = np.minimum(share, 1 - share) * edge.length
        if edge.beyond is None:
            if edge.held is not None:
                return [Demand({number: value}, edge.held(z) + bent)]
            h, weight = edge.h(z), far / part.outline.k
            rows = (flux + h[:, None] * value) * weight[:, None]
            return [Demand({number: rows}, (edge.drive(z) + h * bent + lost) * weight)]
        other = self._parts[edge.beyond]
        # Seen from the other side n points the same way, so that its flux is what comes in.
        beyond, onward, taken = other.flux(edge, share)
        least = (far / (far + edge.resistance * part.outline.k) if edge.resistance else np.ones(len(z)))[:, None]
        weight = (far / np.sqrt(part.outline.k * other.outline.k))[:, None]
        meeting = {number: (value + edge.resistance * flux) * least, edge.beyond: -beyond * least}
        passing = {number: flux * weight, edge.beyond: -onward * weight}
        return [
            Demand(meeting, (bent + edge.resistance * lost - other.bent(z)[0]) * least[:, 0]),
            Demand(passing, (lost - taken) * weight[:, 0]),
        ]

    @cached_property
    def _weights(self) -> list[Floats]:
        """Those of every region."""
        demands = [demand for each in self._places() for demand in self._demanded(*each)]
        if not all(each.is_finite for each in demands):
            raise ReferenceRefusedError("what is stated on an edge has no value somewhere on it")
        sizes = [part.rows(np.array([part.outline.middle + part.outline.size]))[0].shape[1] for part in self._parts]
        return least_squares(demands, sizes, _TRACE)

    def misses(self) -> float:
        """By how much what the edges demand is missed between the places it was fitted at, K."""
        demands = (demand for each in self._places(0.37) for demand in self._demanded(*each))
        return max(float(np.abs(each.missed(self._weights)).max()) for each in demands)

    def temperature_at(self, places: Floats, number: int | None = None) -> Floats:
        """Return the temperature in K at places (p, 2) in m, in one region if its ``number`` is given."""
        if number is None and len(self.outlines) > 1:
            where = points(places)
            owner = np.argmin([distance(outline.filled, where) for outline in self.outlines], axis=0)
        else:
            owner = np.full(len(places), number or 0)
        result = np.empty(len(places))
        for own in np.unique(owner).tolist():
            part, chosen = self._parts[own], owner == own
            z = places[chosen, 0] + 1j * places[chosen, 1]
            result[chosen] = part.rows(z)[0] @ self._weights[own] - part.bent(z)[0]
        return result

    def heat_in(self, number: int, edge: Edge) -> float:
        """Return the heat in W/m that enters a region through an edge of it; NaN beside a corner at which held
        temperatures jump, where it grows without bound."""
        if any(self._is_torn(complex(end)) for end in edge.at(np.array([0.0, 1.0]))):
            return float("nan")
        return self._parts[number].gained(edge, self._weights[number])


def fitted(
    outlines: tuple[Outline, ...], wanted: float, go_on: Callable[[], None] = lambda: None
) -> tuple[RationalField, RationalField, float]:
    """Return a field whose misses on the edges, and changes inside from fewer poles to more, are at most ``wanted`` K,
    the one with fewer poles, and what they are; ``go_on`` is called between tries, and may raise to end them.

    Raises :class:`ReferenceRefusedError` where so many poles as fit do not get there.
    """
    tried = [each for each in _TRIED if _weights_of(outlines, *each) <= _MOST_WEIGHTS]
    fewer: RationalField | None = None
    before: list[Floats] = []
    seen = [_inside(outline) for outline in outlines]
    for poles, degree in tried if len(tried) > 1 else ():  # one alone tells no error
        go_on()
        found = RationalField(outlines, poles, degree)
        values = [found.temperature_at(places, number) for number, places in enumerate(seen)]
        if fewer is not None:
            changes = (np.abs(now - was).max() for now, was in zip(values, before, strict=True))
            error = max(found.misses(), *map(float, changes))
            if error <= wanted:
                return found, fewer, error
        fewer, before = found, values
    raise ReferenceRefusedError("the edges are too many, or too curved, for rational functions")


def _weights_of(outlines: tuple[Outline, ...], poles: int, degree: int) -> int:
    """How many weights there are in all."""
    counts = (poles * len(each.corners) + degree * len(each.loops) + len(each.slots[0]) for each in outlines)
    return 2 * sum(counts)


def _inside(outline: Outline) -> Floats:
    """Places (p, 2) near the edges, in the region."""
    found = []
    for loop in outline.loops:
        for edge in loop:
            share = np.array([0.02, 0.2, 0.5, 0.8])
            z = edge.at(share) + 1j * edge.way(share) * 1e-3 * edge.length
            found.append(np.column_stack([z.real, z.imag]))
    return np.vstack(found)
