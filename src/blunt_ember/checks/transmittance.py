"""What a junction of walls lets through beside what the walls themselves would: the linear transmittance ψ.

ψ = L − Σ Uⱼ lⱼ (ISO 10211): L is the coupling coefficient of two environments in a section, per metre of depth; Uⱼ and
lⱼ are those of the walls between them as they would be without the junction. A wall is found where the section is cut
off square: its layers are the regions that the cut passes, its length is that of its face, up to where the face meets
that of the next wall, along the surfaces of the first environment (inner) or of the other one (outer).
"""

from __future__ import annotations

from itertools import groupby, pairwise
from typing import Literal

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.checks.environments import UncoupledError, faced_by
from blunt_ember.fem.laws.film import FilmLaw
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.immutable import immutable

#: By which faces of the walls lengths are measured.
Sides = Literal["inner", "outer"]
#: Sine of the angle below which directions are the same, and share of the extent below which places are.
_SAME_WAY, _SAME_PLACE = 1e-4, 1e-7
#: Share by which U-values of two ends of one wall may differ.
_SAME_WALL = 1e-6


@immutable
class Wall:
    """A wall without the junction: its ``layers`` from the first environment on, the ``resistance`` of layers and films
    in m² K/W, and its ``length`` in m."""

    layers: tuple[str, ...]
    resistance: float
    length: float

    @property
    def u_value(self) -> float:
        """What passes it, W/(m² K)."""
        return 1 / self.resistance

    @property
    def passed(self) -> float:
        """What passes it per metre of depth, W/(m K)."""
        return self.length / self.resistance


@immutable
class _Run:
    """Facets that follow each other round the body and face one environment, or none: numbers (f,)."""

    faces: str
    facets: Ints


@immutable
class _End:
    """Where a wall is cut off: its layers, its resistance, and of its face to the environment that is measured along
    the number of the run, the ``start`` (2,) in m and the way (2,) from there, and how far it goes straight, m."""

    layers: tuple[str, ...]
    resistance: float
    run: int
    start: Floats
    way: Floats
    straight: float


@immutable
class _Outline:
    """The facets of a section in order round it: ends (f, 2, 2) in m, and the region and surface of each (f,)."""

    ends: Floats
    regions: Ints
    surfaces: tuple[str, ...]

    @property
    def ways(self) -> Floats:
        """Unit vectors (f, 2) along them."""
        along = self.ends[:, 1] - self.ends[:, 0]
        return along / np.linalg.norm(along, axis=1, keepdims=True)

    @property
    def lengths(self) -> Floats:
        """Their lengths (f,), m."""
        return np.asarray(np.linalg.norm(self.ends[:, 1] - self.ends[:, 0], axis=1))


def undisturbed_walls(problem: Problem, first: str, to: str, sides: Sides) -> tuple[Wall, ...]:
    """Return the walls between two environments as they would be without what joins them.

    Raises :class:`UncoupledError` where there are none, or where one of them ends is not known.
    """
    if problem.mesh.space.depth is None:
        raise UncoupledError("a linear transmittance is one of a section that stands for a depth")
    outlines = _outlines(problem)
    walls = [wall for outline in outlines for wall in _walls_of(problem, outline, first, to, sides)]
    if not walls:
        raise UncoupledError(f"no wall between {first} and {to} is cut off square, so that its layers could be seen")
    return tuple(walls)


def _outlines(problem: Problem) -> list[_Outline]:
    """The loops that the skin of a section is."""
    mesh = problem.mesh
    parts = mesh.skin.parts
    corners = np.concatenate([part.corners for part in parts])
    regions = np.concatenate([part.region for part in parts])
    names = [mesh.skin.names[number] if number >= 0 else "" for part in parts for number in part.surface.tolist()]
    ends = mesh.points[corners]
    begins = {tuple(place): number for number, place in enumerate(ends[:, 0].tolist())}
    following = np.array([begins.get(tuple(place), -1) for place in ends[:, 1].tolist()])
    left, found = set(range(len(ends))), []
    while left:
        order, at = [], min(left)
        while at in left:
            left.remove(at)
            order.append(at)
            at = int(following[at])
        found.append(_Outline(ends[order], regions[order], tuple(names[number] for number in order)))
    return found


def _walls_of(problem: Problem, outline: _Outline, first: str, to: str, sides: Sides) -> list[Wall]:
    runs = _runs(problem, outline)
    ends = []
    for place, run in enumerate(runs):
        before, after = (place - 1) % len(runs), (place + 1) % len(runs)
        if not run.faces and {runs[before].faces, runs[after].faces} == {first, to}:
            ends.append(_end(problem, outline, runs, (before, place, after), first, first if sides == "inner" else to))
    walls, done = [], set[int]()
    for number, end in enumerate(ends):
        if number in done:
            continue
        others = [other for other in range(len(ends)) if other != number and ends[other].run == end.run]
        if not others:
            walls.append(Wall(end.layers, end.resistance, end.straight))
            continue
        other = ends[others[0]]
        shared = _length_up_to(end, other)
        if shared is not None:
            walls.append(Wall(end.layers, end.resistance, shared))
            continue
        if abs(end.resistance - other.resistance) > _SAME_WALL * end.resistance:
            what = f"the walls of {', '.join(end.layers)} and {', '.join(other.layers)} lie in one line"
            raise UncoupledError(f"{what}, and where one of them ends is not known; state ψ by a formula over answers")
        walls.append(Wall(end.layers, end.resistance, float(np.linalg.norm(end.start - other.start))))
        done.add(others[0])
    return walls


def _runs(problem: Problem, outline: _Outline) -> list[_Run]:
    """The runs of facets, of which the first begins where something changes."""
    faced = faced_by(problem)
    faces = [faced.get(surface, "") for surface in outline.surfaces]
    changes = [number for number in range(len(faces)) if faces[number] != faces[number - 1]]
    if not changes:
        return [_Run(faces[0], np.arange(len(faces)))]
    turned = [(each + changes[0]) % len(faces) for each in range(len(faces))]
    return [_Run(name, np.array(list(members))) for name, members in groupby(turned, lambda facet: faces[facet])]


def _end(
    problem: Problem, outline: _Outline, runs: list[_Run], places: tuple[int, int, int], first: str, along: str
) -> _End:
    """Where a wall is cut off by the run in the middle of ``places``, as seen from the ``first`` environment, with the
    face to the environment that lengths are measured ``along``."""
    before, cut, after = (runs[place] for place in places)
    ways = outline.ways
    way = ways[cut.facets[0]]
    if (np.abs(_cross(ways[cut.facets], way)) > _SAME_WAY).any():
        raise UncoupledError(f"what lies between {before.faces} and {after.faces} and faces neither is not straight")
    sides = (before.facets[-1], after.facets[0])
    if any(abs(float(ways[side] @ way)) > _SAME_WAY for side in sides):
        raise UncoupledError(f"the wall at '{outline.surfaces[cut.facets[0]]}' is not cut off square")
    _require_square_layers(problem, outline, cut.facets)
    facets = cut.facets if before.faces == first else cut.facets[::-1]
    layers, resistance = _layers(problem, outline, facets)
    resistance += sum(film_resistance(problem, outline.surfaces[side]) for side in sides)
    if before.faces == along:
        run, face, start, way = places[0], before.facets[::-1], outline.ends[cut.facets[0], 0], -ways[sides[0]]
    else:
        run, face, start, way = places[2], after.facets, outline.ends[cut.facets[-1], 1], ways[sides[1]]
    on_line = np.abs(_cross(ways[face], way)) <= _SAME_WAY
    count = len(face) if on_line.all() else int(np.argmin(on_line))
    return _End(layers, resistance, run, start, way, float(outline.lengths[face[:count]].sum()))


def _require_square_layers(problem: Problem, outline: _Outline, facets: Ints) -> None:
    """Raise :class:`UncoupledError` where a layer does not go on as thick as it is at the cut."""
    mesh, way = problem.mesh, outline.ways[facets[0]]
    changes = outline.regions[facets[1:]] != outline.regions[facets[:-1]]
    for place in outline.ends[facets[1:][changes], 0]:
        for name, surface in mesh.surfaces.items():
            for block in () if surface.outer else surface.blocks:
                ends = mesh.points[block.nodes[:, :2]]
                touching = (ends == place).all(axis=2).any(axis=1)
                along = ends[touching, 1] - ends[touching, 0]
                if (np.abs(along @ way) > _SAME_WAY * np.linalg.norm(along, axis=1)).any():
                    raise UncoupledError(
                        f"'{name}' does not leave the cut square, so that layers change along the wall"
                    )


def _layers(problem: Problem, outline: _Outline, facets: Ints) -> tuple[tuple[str, ...], float]:
    """The regions that a cut passes in turn, and the resistance of them and of the joints between them, m² K/W."""
    passed = [
        (region, float(outline.lengths[list(members)].sum()))
        for region, members in groupby(facets.tolist(), lambda facet: int(outline.regions[facet]))
    ]
    return tuple(problem.mesh.regions[region] for region, _ in passed), resistance_of_layers(problem, passed)


def resistance_of_layers(problem: Problem, passed: list[tuple[int, float]]) -> float:
    """Return the resistance, m² K/W, of regions that are passed in turn, each with its thickness in m, and of the
    joints between them.

    Raises :class:`UncoupledError` where one of them has no one resistance.
    """
    names = problem.mesh.regions
    resistance = 0.0
    for region, thick in passed:
        k = problem.conductors[region].constant
        if k is None:
            raise UncoupledError(f"'{names[region]}' does not conduct the same everywhere and in every direction")
        resistance += thick / k
    layers = tuple(names[region] for region, _ in passed)
    for pair in pairwise(layers):
        joint = problem.joints.get("|".join(pair)) or problem.joints.get("|".join(reversed(pair)))
        if joint is None:
            continue
        conductance = joint.conductance.constant if joint.conductance is not None else None
        if conductance is None:
            raise UncoupledError(f"the joint of {' and '.join(pair)} has no one resistance")
        resistance += 1 / conductance
    return resistance


def film_resistance(problem: Problem, surface: str) -> float:
    """Return the resistance, m² K/W, of the film on a surface.

    Raises :class:`UncoupledError` where it is not the same everywhere.
    """
    laws = [law for law in problem.exchanges[surface] if isinstance(law, FilmLaw)]
    h = laws[0].h.constant
    if h is None:
        raise UncoupledError(f"the film coefficient on '{surface}' is not the same everywhere")
    return 1 / h


def _length_up_to(end: _End, other: _End) -> float | None:
    """How far the face of a wall goes from its end to where it meets that of another, m; None where both are on one
    line."""
    apart = other.start - end.start
    turn = float(_cross(end.way, other.way))
    if abs(turn) > _SAME_WAY:
        length = float(_cross(apart, other.way)) / turn
        if length <= 0:
            raise UncoupledError("the faces of two walls do not meet")
        return length
    if abs(float(_cross(apart, end.way))) > _SAME_PLACE * float(np.linalg.norm(apart)):
        raise UncoupledError("two walls lie beside each other, and where one of them ends is not known")
    return None


def _cross(first: Floats, second: Floats) -> Floats:
    """The product of lengths and sine of vectors (…, 2)."""
    return np.asarray(first[..., 0] * second[..., 1] - first[..., 1] * second[..., 0])
