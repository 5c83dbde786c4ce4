"""Straight fins along x or y of a plane section, and annular fins in a turned one."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.checks.references.fits.field import Idealised, plain_conductivity, side_of, single_rectangle
from blunt_ember.checks.references.fits.layered import flat_ends
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.section_lattice import Lattice
from blunt_ember.immutable import immutable
from blunt_ember.reference.along.fins import ANNULAR_SOURCE, STRAIGHT_SOURCE, AnnularFin, StraightFin, require_thin
from blunt_ember.reference.along.radiating_chain import RADIATING_CHAIN_SOURCE, RadiatingChain, as_film, ring_piece
from blunt_ember.reference.along.rod_chain import RodPiece
from blunt_ember.reference.side import Side


@immutable
class FinField(Idealised):
    """A fin along ``axis`` from ``origin`` (m), towards + or − by ``sign``; annular when it turns."""

    fin: StraightFin | AnnularFin | RadiatingChain
    axis: int
    origin: float
    sign: float
    #: Heat in W entering through the base and the tip.
    through: dict[str, float]
    name: str
    source: str

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m."""
        return self.fin.temperature_at(self.sign * (points[:, self.axis] - self.origin))

    def heat(self, surface: str) -> float:
        """Heat in W through base or tip; that over the sides is not told apart."""
        return self.through.get(surface, float("nan"))


def straight_fin(geometry: SectionGeometry, problem: Problem) -> FinField:
    """Fit a straight fin; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    lattice = single_rectangle(geometry)
    if geometry.turned or geometry.depth is None:
        raise ReferenceRefusedError("a straight fin is a plane section")
    reasons = []
    for axis in (0, 1):
        ends = flat_ends(axis, (lattice.us, lattice.vs)[axis], geometry)
        sides = flat_ends(1 - axis, (lattice.us, lattice.vs)[1 - axis], geometry)
        for base, tip, sign in ((ends[0], ends[1], 1.0), (ends[1], ends[0], -1.0)):
            held = side_of(base, problem).held
            try:
                meets, faces = _met_by(sides, problem)
                if held is None:
                    raise ReferenceRefusedError("no end of the fin is held at a temperature")
                return _straight(geometry, problem, lattice, axis, (base, tip), sign, held, meets, faces)
            except ReferenceRefusedError as error:
                reasons.append(str(error))
    raise ReferenceRefusedError(reasons[0])


def _straight(
    geometry: SectionGeometry,
    problem: Problem,
    lattice: Lattice,
    axis: int,
    ends: tuple[str, str],
    sign: float,
    held: float,
    meets: Side,
    faces: int,
) -> FinField:
    along, across = (lattice.us, lattice.vs) if axis == 0 else (lattice.vs, lattice.us)
    depth, k = geometry.depth or 0.0, plain_conductivity(problem, 0)
    length, thickness, tip = float(np.ptp(along)), float(np.ptp(across)), side_of(ends[1], problem)
    _require_thin(meets, (held, *meets.driving, *tip.driving), thickness / k / faces)
    origin = float(along[0] if sign > 0 else along[-1])
    if meets.radiation or tip.radiation:
        piece = RodPiece(length, thickness * depth, faces * depth, k, meets)
        chain = RadiatingChain((piece,), Side(held=held), tip)
        through = {ends[0]: chain.heat_along(0, 0.0), ends[1]: -chain.heat_along(0, length)}
        return FinField(chain, axis, origin, sign, through, "straight-fin", RADIATING_CHAIN_SOURCE)
    fin = StraightFin(length, thickness * depth, faces * depth, k, meets.h, meets.fluid, held, tip)
    through = {ends[0]: fin.heat, ends[1]: -fin.tip_heat}
    return FinField(fin, axis, origin, sign, through, "straight-fin", STRAIGHT_SOURCE)


def annular_fin(geometry: SectionGeometry, problem: Problem) -> FinField:
    """Fit an annular fin; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    lattice = single_rectangle(geometry)
    if not geometry.turned:
        raise ReferenceRefusedError("an annular fin is a turned section")
    inner, outer = flat_ends(0, lattice.us, geometry)
    meets, faces = _met_by(flat_ends(1, lattice.vs, geometry), problem)
    held = side_of(inner, problem).held
    if held is None or lattice.us[0] <= 0:
        raise ReferenceRefusedError("the inner face is not held at a temperature")
    rim = side_of(outer, problem)
    thickness, k = float(np.ptp(lattice.vs)), plain_conductivity(problem, 0)
    _require_thin(meets, (held, *meets.driving, *rim.driving), thickness / k / faces)
    bore, end = float(lattice.us[0]), float(lattice.us[-1])
    if meets.radiation or rim.radiation:
        chain = RadiatingChain((ring_piece(end - bore, thickness, k, meets, faces),), Side(held=held), rim, bore)
        through = {inner: chain.heat_along(0, 0.0), outer: -chain.heat_along(0, end - bore)}
        return FinField(chain, 0, bore, 1.0, through, "annular-fin", RADIATING_CHAIN_SOURCE)
    fin = AnnularFin(bore, end, thickness, k, meets.h * faces / 2, meets.fluid, held, rim)
    return FinField(fin, 0, 0.0, 1.0, {inner: fin.heat, outer: -fin.tip_heat}, "annular-fin", ANNULAR_SOURCE)


def _require_thin(meets: Side, temperatures: tuple[float, ...], across: float) -> None:
    """Refuse a fin of which half, ``across`` in m² K/W, lets through little more than its faces take up."""
    require_thin(as_film(meets, max(temperatures)) * across)


def _met_by(sides: tuple[str, str], problem: Problem) -> tuple[Side, int]:
    """Return what the long sides meet, and how many of them do; one may be insulated by symmetry."""
    first, second = (side_of(name, problem) for name in sides)
    meet = [side for side in (first, second) if side != Side()]
    if not meet or any(side.held is not None or side.flux or not (side.h or side.radiation) for side in meet):
        raise ReferenceRefusedError("its long sides do not meet a film")
    if len(meet) == 2 and meet[0] != meet[1]:
        raise ReferenceRefusedError("its two long sides meet different films")
    return meet[0], len(meet)
