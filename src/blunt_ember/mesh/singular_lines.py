"""Lines of a lattice at which the flux is singular, by the shape and what is stated, before anything is solved.

They are those at which an outline is turned inwards, an interface bends, branches or ends at another one, or ends at a
side through which heat passes, and where a named part of a surface ends, which was cut out to be stated differently.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.section_lattice import Lattice
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.immutable import immutable
from blunt_ember.mesh.planar.mapped import surfaces_of


@immutable
class StatedSurfaces:
    """Names of ``parts`` cut out of surfaces, and of surfaces ``exchanging`` heat with what surrounds them."""

    parts: frozenset[str] = frozenset()
    exchanging: frozenset[str] = frozenset()

    @classmethod
    def of(cls, document: CaseDocument) -> StatedSurfaces:
        """Those of a case."""
        return cls(frozenset(document.surface_parts), document.exchanging_surfaces)


NOTHING_STATED = StatedSurfaces()


@immutable
class _Facing:
    """What lies between lines of two axes, and along a third one: ``owner`` (a, b, n), a region or ``VOID``.

    ``first`` (a + 1, b, n) and ``second`` (a, b + 1, n) tell of the facets on the lines of the two axes whether heat
    passes through them from outside.
    """

    owner: Ints
    first: Flags
    second: Flags

    def seen(self, *axes: int) -> _Facing:
        """Return the same with its axes in another order."""
        return _Facing(self.owner.transpose(axes), self.first.transpose(axes), self.second.transpose(axes))

    def singular(self, closed: bool = False) -> tuple[Flags, Flags]:
        """Return the lines (a + 1,) and (b + 1,) at whose crossings the flux is singular; ``closed`` where the last
        line of the second axis is the first."""
        framed = np.pad(self.owner, [(1, 1), (0, 0), (0, 0)], constant_values=VOID)
        beside = self.first
        if closed:
            framed = np.concatenate([framed[:, -1:], framed, framed[:, :1]], axis=1)
            beside = np.concatenate([beside[:, -1:], beside, beside[:, :1]], axis=1)
        else:
            framed = np.pad(framed, [(0, 0), (1, 1), (0, 0)], constant_values=VOID)
            beside = np.pad(beside, [(0, 0), (1, 1), (0, 0)])
        other = np.pad(self.second, [(1, 1), (0, 0), (0, 0)])
        passes = beside[:, :-1] | beside[:, 1:] | other[:-1] | other[1:]
        round_it = np.stack([framed[:-1, :-1], framed[1:, :-1], framed[1:, 1:], framed[:-1, 1:]])
        turns = round_it != np.roll(round_it, -1, axis=0)
        count, filled = turns.sum(axis=0), (round_it != VOID).sum(axis=0)
        straight = (count == 2) & (turns[0] == turns[2])
        # Outside of a corner, and where two corners touch, nothing is; nor where a side on which an interface ends
        # lets nothing pass.
        outside = (filled == 1) | ((count == 4) & (filled == 2)) | ((count == 3) & (filled == 2) & ~passes)
        found = ((count > 0) & ~straight & ~outside).any(axis=2)
        return found.any(axis=1), found.any(axis=0)


def of_section(geometry: SectionGeometry, lattice: Lattice, stated: StatedSurfaces) -> tuple[Flags, Flags]:
    """Return those among the lines of a section (a + 1,), (b + 1,)."""
    passing = {name: np.array([name in stated.exchanging]) for name in geometry.surfaces}
    first, second = _passed(geometry, lattice, passing)
    found = _Facing(lattice.owner[:, :, None], first, second).singular(lattice.closed)
    for part in sorted(stated.parts.intersection(geometry.surfaces)):
        _mark(found, lattice, _ends(geometry, [part]))
    return found


def of_plan(geometry: SolidGeometry, lattice: Lattice, stated: StatedSurfaces) -> tuple[Flags, Flags]:
    """Return those among the lines of the plan of a solid (a + 1,), (b + 1,)."""
    filled = lattice.owner != VOID
    owner = np.where(filled[:, :, None], geometry.holds[lattice.owner], VOID)
    first, second = _passed(geometry.plan, lattice, _passing_sides(geometry, stated))
    us, vs = _Facing(owner, first, second).singular(lattice.closed)
    if geometry.path.straight:
        third = filled[:, :, None] & _passing_ends(geometry, stated)[lattice.owner]
        us = us | _Facing(owner, first, third).seen(0, 2, 1).singular()[0]
        vs = vs | _Facing(owner, second, third).seen(1, 2, 0).singular()[0]
    _mark((us, vs), lattice, _ends_of_parts(geometry, stated.parts))
    return us, vs


def of_path(geometry: SolidGeometry, stated: StatedSurfaces) -> Flags:
    """Return those among the stations (s + 1,) of a solid: none of the angles of a turn."""
    found = np.zeros(len(geometry.path.stations), dtype=bool)
    if not geometry.path.straight:
        return found
    plan = geometry.plan.arrangement
    columns = np.stack([plan.left, plan.right])
    filled = (columns != VOID)[:, :, None]
    owner = np.where(filled, geometry.holds[columns], VOID)
    ends = filled & _passing_ends(geometry, stated)[columns]
    sides = np.zeros((3, len(plan.left), geometry.holds.shape[1]), dtype=bool)
    for group, own in _passing_sides(geometry, stated).items():
        sides[1, geometry.plan.surfaces[group].edges] = own
    found |= _Facing(owner, sides, ends).seen(0, 2, 1).singular()[1]
    for part in stated.parts:
        slabs = [slab for (_, slab), name in geometry.sides.items() if name == part]
        found[[min(slabs), max(slabs) + 1] if slabs else []] = True
        found[[station for (_, station), name in geometry.ends.items() if name == part]] = True
    return found


def _passing_sides(geometry: SolidGeometry, stated: StatedSurfaces) -> dict[str, Flags]:
    """Through which surfaces of the plan heat passes, behind each station (s,)."""
    found = {name: np.zeros(geometry.holds.shape[1], dtype=bool) for name in geometry.plan.surfaces}
    for (group, slab), name in geometry.sides.items():
        found[group][slab] = name in stated.exchanging
    return found


def _passing_ends(geometry: SolidGeometry, stated: StatedSurfaces) -> Flags:
    """Through which ends of the columns heat passes, at each station (c, s + 1)."""
    found = np.zeros((len(geometry.holds), len(geometry.path.stations)), dtype=bool)
    for (column, station), name in geometry.ends.items():
        found[column, station] = name in stated.exchanging
    return found


def _passed(plan: SectionGeometry, lattice: Lattice, passing: dict[str, Flags]) -> tuple[Flags, Flags]:
    """Which facets between lines are on a surface of the plan through which heat passes: (a + 1, b, n), (a, b + 1, n).

    ``passing`` (n,) tells that of each surface.
    """
    between_u, between_v = ((lines[:-1] + lines[1:]) / 2 for lines in (lattice.us, lattice.vs))
    found = []
    for u, v in ((lattice.us, between_v), (between_u, lattice.vs)):
        grid = np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1)
        middle = lattice.places(*grid.reshape(-1, 2).T)
        flags = np.zeros((len(middle), len(next(iter(passing.values())))), dtype=bool)
        some = [name for name, own in passing.items() if own.any()]
        for name, facets in surfaces_of(plan, middle, some).items():
            flags[facets] = passing[name]
        found.append(flags.reshape(len(u), len(v), -1))
    return found[0], found[1]


def _ends_of_parts(geometry: SolidGeometry, parts: Collection[str]) -> Floats:
    """Where parts of the surfaces of a solid end in its plan, (n, 2) in m."""
    groups = {group for (group, _), name in geometry.sides.items() if name in parts}
    columns = {column for (column, _), name in geometry.ends.items() if name in parts}
    plan = geometry.plan
    round_them = {name for name, each in plan.surfaces.items() if len(columns.intersection(each.regions)) == 1}
    return np.concatenate([_ends(plan, sorted(groups)), plan.arrangement.points[_nodes(plan, sorted(round_them))]])


def _ends(geometry: SectionGeometry, surfaces: Iterable[str]) -> Floats:
    """Where curves begin that only one edge of those ``surfaces`` has, (n, 2) in m."""
    nodes, times = np.unique(_nodes(geometry, surfaces), return_counts=True)
    return geometry.arrangement.points[nodes[times == 1]]


def _nodes(geometry: SectionGeometry, surfaces: Iterable[str]) -> Ints:
    plan = geometry.arrangement
    edges = np.concatenate([np.zeros(0, dtype=np.int64), *(geometry.surfaces[name].edges for name in surfaces)])
    return np.concatenate([plan.start[edges], plan.end[edges]])


def _mark(found: tuple[Flags, Flags], lattice: Lattice, places: Floats) -> None:
    """Add the lines of a lattice that go through ``places`` (n, 2) in m."""
    at = lattice.coordinates(places)
    turn = 2 * np.pi if lattice.centre is not None else np.inf
    reach = 1e-7 * (lattice.us[-1] - lattice.us[0])
    found[0][np.abs(lattice.us[:, None] - at[:, 0]).min(axis=1, initial=np.inf) <= reach] = True
    away = np.abs(lattice.vs[:, None] - at[:, 1])
    away = np.minimum(away, np.abs(away - turn))
    found[1][away.min(axis=1, initial=np.inf) <= (1e-7 if np.isfinite(turn) else reach)] = True
