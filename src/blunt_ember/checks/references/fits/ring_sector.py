"""A sector of a ring, whose flanks are held or insulated: in ln r and the angle it is a rectangle."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.checks.references.fits.field import generation_of, plain_conductivity, require_no_radiation, side_of
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.section_lattice import Lattice
from blunt_ember.immutable import immutable
from blunt_ember.reference.crosswise.rectangle import RECTANGLE_SOURCE, RectangleSeries
from blunt_ember.reference.side import Side

RING_SECTOR_SOURCE = f"{RECTANGLE_SOURCE}, in ln r and the angle (ibid., sec. 5.4)"
_TURN = 2 * np.pi
_NONE = "the body is no single sector of a ring"


@immutable
class _Bow:
    """−g r²/(4 k): what even heat inside makes of the temperature, K."""

    generation: float
    k: float

    def at(self, r: Floats) -> Floats:
        """Return it at radii in m."""
        return -self.generation * r**2 / (4 * self.k)

    def leaves(self, r: float) -> float:
        """Return the heat that flows outwards with it at a radius, W/m²."""
        return self.generation * r / 2


@immutable
class RingSectorField:
    """From ``inner`` (m) and ``start`` (radians) about a ``centre`` (m) on; ``edges`` of the rectangle by surfaces."""

    rectangle: RectangleSeries
    centre: tuple[float, float]
    inner: float
    outer: float
    start: float
    bow: _Bow
    depth: float
    edges: dict[str, str]
    name: str = "ring-sector"
    source: str = RING_SECTOR_SOURCE

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m."""
        away = points - np.array(self.centre)
        r = np.clip(np.linalg.norm(away, axis=1), self.inner, self.outer)
        angle = np.mod(np.arctan2(away[:, 1], away[:, 0]) - self.start + 1e-9, _TURN) - 1e-9
        places = np.column_stack([np.log(r / self.inner), np.clip(angle, 0, self.rectangle.height)])
        return self.rectangle.temperature_at(places) + self.bow.at(r)

    def heat(self, surface: str) -> float:
        """Heat in W through an edge; NaN where it grows without bound at a corner."""
        if surface not in self.edges:
            return float("nan")
        edge = self.edges[surface]
        arc = {"left": self.inner, "right": -self.outer}.get(edge, 0.0)
        bowed = self.bow.leaves(abs(arc)) * arc * self.rectangle.height
        return (self.rectangle.heat(edge) + bowed) * self.depth


def ring_sector(geometry: SectionGeometry, problem: Problem) -> RingSectorField:
    """Fit a sector of a ring of one material.

    Raises :class:`ReferenceRefusedError` with the reason it does not hold.
    """
    if geometry.turned:
        raise ReferenceRefusedError("the section is turned about an axis")
    lattice = geometry.rings
    if (
        len(geometry.regions) != 1
        or lattice is None
        or len(lattice.us) != 2
        or lattice.centre is None
        or lattice.us[0] <= 0
    ):
        raise ReferenceRefusedError(_NONE)
    inner, outer = lattice.us.tolist()
    start, wide = _angles(lattice)
    k = plain_conductivity(problem, 0)
    bow = _Bow(generation_of(problem).get(0, 0.0), k)
    edges = _edges(geometry, lattice, start, wide)
    sides = {edge: side_of(name, problem) for edge, name in edges.items()}
    require_no_radiation(*sides.values())
    for edge in ("bottom", "top"):
        if sides[edge].h or sides[edge].flux:
            raise ReferenceRefusedError("heat passes a flank that is not held, whose distance from the centre differs")
        if bow.generation and sides[edge].held is not None:
            raise ReferenceRefusedError("heat arises between flanks that are held")
    found = RectangleSeries(
        float(np.log(outer / inner)),
        wide,
        k,
        k,
        0.0,
        _arc(sides["left"], inner, bow, -1.0),
        _arc(sides["right"], outer, bow, 1.0),
        sides["bottom"],
        sides["top"],
    )
    named = {name: edge for edge, name in edges.items()}
    return RingSectorField(found, lattice.centre, inner, outer, start, bow, geometry.depth or 0.0, named)


def _arc(side: Side, r: float, bow: _Bow, outward: float) -> Side:
    """What an arc meets, for what is left besides the bow, per radian."""
    own = float(bow.at(np.array(r)))
    if side.held is not None:
        return Side(held=side.held - own)
    flux = side.flux + outward * bow.leaves(r)
    return Side(flux=flux * r, h=side.h * r, fluid=side.fluid - own if side.h else 0.0)


def _angles(lattice: Lattice) -> tuple[float, float]:
    """Where the sector begins and how wide it is, radians."""
    filled = lattice.owner[0] != VOID
    before = np.roll(filled, 1) if lattice.closed else np.append(False, filled[:-1])
    begins = np.flatnonzero(filled & ~before)
    if len(begins) != 1 or (filled.all() and lattice.closed):
        raise ReferenceRefusedError(_NONE)
    return float(lattice.vs[begins[0]]), float(np.diff(lattice.vs)[filled].sum())


def _edges(geometry: SectionGeometry, lattice: Lattice, start: float, wide: float) -> dict[str, str]:
    """Surfaces by the edge of the rectangle they are."""
    found: dict[str, str] = {}
    for surface in geometry.outer_surfaces:
        places = lattice.coordinates(surface.segments.reshape(-1, 2))
        radius, angle = places[:, 0], np.mod(places[:, 1] - start + 1e-6, _TURN) - 1e-6
        if np.ptp(radius) < 1e-6 * lattice.us[-1]:
            edge = "left" if radius[0] < lattice.us.mean() else "right"
        else:
            edge = "bottom" if angle.mean() < wide / 2 else "top"
        if edge in found:
            raise ReferenceRefusedError("an edge is no single surface")
        found[edge] = surface.name
    if len(found) != 4:
        raise ReferenceRefusedError("an edge is no single surface")
    return found
