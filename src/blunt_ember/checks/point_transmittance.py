"""What a fixing or a hole lets through beside the flat wall that it passes: the point transmittance χ.

χ = L − U A (ISO 10211): L is the coupling coefficient of two environments of a solid, U that of the wall as it would be
without the point, and A its area. The wall is found where the body is cut off square: its layers are the regions that
such a cut passes, its area is what the faces of an environment, shelves and fixings among them, cover seen along the
layers' normal. A cut through the point itself, as planes of symmetry are, has another one of the wall alone facing it.
"""

from __future__ import annotations

from functools import cached_property
from itertools import pairwise

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.checks.environments import UncoupledError, faced_by
from blunt_ember.checks.transmittance import film_resistance, resistance_of_layers
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.immutable import immutable

#: Sine of the angle below which directions are the same, and share of the thickness below which places are.
_SAME_WAY, _SAME_PLACE = 1e-4, 1e-6
#: Share by which areas of facets may miss those of whole layers.
_SAME_AREA = 1e-4
#: Of a step of rounding, and no round share of one.
_SHIFT = 0.2718


@immutable
class FlatWall:
    """A wall without the point: its ``layers`` from the first environment on, the ``resistance`` of layers and films in
    m² K/W, and its ``area`` in m²."""

    layers: tuple[str, ...]
    resistance: float
    area: float

    @property
    def u_value(self) -> float:
        """What passes it, W/(m² K)."""
        return 1 / self.resistance

    @property
    def passed(self) -> float:
        """What passes all of it, W/K."""
        return self.area / self.resistance


@immutable
class _Faces:
    """Outer facets: ``corners`` (f, c, d) of each in m, ``areas`` (f, d) that point out of the body, m² their size, and
    the region and surface of each (f,)."""

    corners: Floats
    areas: Floats
    regions: Ints
    surfaces: tuple[str, ...]

    @cached_property
    def sizes(self) -> Floats:
        """Their areas (f,), m²."""
        return np.asarray(np.linalg.norm(self.areas, axis=1))

    @cached_property
    def ways(self) -> Floats:
        """The unit vectors (f, d) that point out."""
        return self.areas / self.sizes[:, None]


def flat_wall(problem: Problem, first: str, to: str) -> FlatWall:
    """Return the flat wall between two environments as it would be without what passes it.

    Raises :class:`UncoupledError` where there is none, or more than one, or what passes it has no end.
    """
    if problem.mesh.dimension < 3 and not problem.mesh.space.axisymmetric:
        raise UncoupledError("a point transmittance is one of a solid or a turned body; a section has a linear one")
    faces = _outer_faces(problem)
    faced = _environments(problem, faces)
    cut = np.flatnonzero(faced == "")
    across = _across(faces, cut)
    if across is None:
        raise UncoupledError(
            f"the wall between {first} and {to} is not cut off square, so that its layers could be seen"
        )
    covered = [float((faces.areas[faced == name] @ across).sum()) for name in (first, to)]
    whole = abs(covered[0])
    if whole == 0 or abs(sum(covered)) > _SAME_AREA * whole:
        raise UncoupledError(f"what lies between {first} and {to} is not one flat wall with nothing else behind it")
    across = across if covered[1] > 0 else -across
    layers = _layers(problem, faces, cut, across)
    thickness = sum(thick for _, thick in layers)
    ends = [
        _film(problem, faces, (faced == name) & (faces.regions == region), across * sign, thickness)
        for name, region, sign in ((first, layers[0][0], -1), (to, layers[-1][0], 1))
    ]
    resistance = resistance_of_layers(problem, layers) + sum(ends)
    return FlatWall(tuple(problem.mesh.regions[region] for region, _ in layers), resistance, whole)


def _outer_faces(problem: Problem) -> _Faces:
    """All outer facets that have an area; of a turned body those of the full turn."""
    mesh = problem.mesh
    corners, areas, regions, surfaces = [], [], [], []
    for part in mesh.skin.parts:
        places = mesh.points[part.corners]
        ends = places[:, [0, 1, 2, 2]] if places.shape[1] == 3 else places
        if mesh.dimension == 2:
            along = places[:, 1] - places[:, 0]
            area = 2 * np.pi * places[:, :, 0].mean(axis=1)[:, None] * np.stack([along[:, 1], -along[:, 0]], axis=1)
            ends = places
        else:
            area = np.cross(ends[:, 2] - ends[:, 0], ends[:, 3] - ends[:, 1]) / 2
        there = np.linalg.norm(area, axis=1) > 0
        corners.append(ends[there])
        areas.append(area[there])
        regions.append(part.region[there])
        surfaces.append(part.surface[there])
    names = np.array([*mesh.skin.names, ""])[np.concatenate(surfaces)]
    return _Faces(np.concatenate(corners), np.concatenate(areas), np.concatenate(regions), tuple(names.tolist()))


def _environments(problem: Problem, faces: _Faces) -> np.ndarray[tuple[int], np.dtype[np.str_]]:
    """The environment that each facet (f,) faces, or none."""
    faced = faced_by(problem)
    return np.array([faced.get(surface, "") for surface in faces.surfaces])


def _across(faces: _Faces, cut: Ints) -> Floats | None:
    """The unit vector (d,) that is square to every facet of a ``cut``, if there is one alone."""
    if not len(cut):
        return None
    ways = faces.ways[cut]
    if ways.shape[1] == 2:
        found, others = np.array([0.0, 1.0]), 1.0
    else:
        spread, axes = np.linalg.eigh(ways.T @ ways / len(ways))
        found, others = axes[:, 0], float(spread[1])
    square = bool((np.abs(ways @ found) <= _SAME_WAY).all()) and others > _SAME_WAY
    return found if square else None


def _layers(problem: Problem, faces: _Faces, cut: Ints, across: Floats) -> list[tuple[int, float]]:
    """The regions that the wall is made of in turn, each with its thickness, by the facets it is ``cut`` off at."""
    seen: list[tuple[tuple[int, ...], list[tuple[int, float]]]] = []
    disturbed: list[Floats] = []
    for group in _planes(faces, cut):
        layers = _stacked(faces, group, across)
        if layers is None:
            disturbed.append(faces.ways[group[0]])
        else:
            seen.append((tuple(region for region, _ in layers), layers))
    if not seen:
        everything = _stacked(faces, cut, across)
        if everything is None:
            raise UncoupledError("no cut passes the layers of the wall alone; state χ by a formula over answers")
        return everything
    if any(float(one @ other) < _SAME_WAY - 1 for one in disturbed for other in disturbed):
        raise UncoupledError(
            "what passes the wall is cut off on two sides, so that it goes on; take off its ψ by a formula"
        )
    regions, layers = seen[0]
    for others, each in seen:
        apart = [abs(one - other) for (_, one), (_, other) in zip(layers, each, strict=False)]
        if others != regions or max(apart) > _SAME_PLACE * sum(thick for _, thick in layers):
            names = [", ".join(problem.mesh.regions[region] for region in each) for each in (regions, others)]
            raise UncoupledError(f"the wall is not the same all round: {names[0]} here and {names[1]} there")
    return layers


def _planes(faces: _Faces, cut: Ints) -> list[Ints]:
    """Facets that lie in one plane each."""
    middles, ways = faces.corners[cut].mean(axis=1), faces.ways[cut]
    extent = float(np.ptp(faces.corners.reshape(-1, faces.corners.shape[2]), axis=0).max())
    far = np.einsum("fd,fd->f", middles, ways) / extent
    # Shifted, as round shares of the extent would lie where rounding goes either way.
    kinds = np.round(np.column_stack([ways, far]) / _SAME_PLACE / 10 + _SHIFT)
    number = np.unique(kinds, axis=0, return_inverse=True)[1].ravel()
    order = np.argsort(number, kind="stable")
    return np.split(cut[order], np.flatnonzero(np.diff(number[order])) + 1)


def _stacked(faces: _Faces, group: Ints, across: Floats) -> list[tuple[int, float]] | None:
    """The regions of a cut in turn, each with its thickness, if they lie on each other as wide as the cut is; else
    None."""
    heights = faces.corners[group] @ across
    found = []
    for region in np.unique(faces.regions[group]):
        own = faces.regions[group] == region
        found.append((float(heights[own].min()), float(heights[own].max()), int(region), faces.sizes[group[own]].sum()))
    found.sort()
    whole = found[-1][1] - found[0][0]
    gaps = [after[0] - before[1] for before, after in pairwise(found)]
    if any(abs(gap) > _SAME_PLACE * whole for gap in gaps):
        return None
    widths = [area / (high - low) for low, high, _, area in found]
    if max(widths) > (1 + _SAME_AREA) * min(widths):
        return None
    return [(region, high - low) for low, high, region, _ in found]


def _film(problem: Problem, faces: _Faces, chosen: Flags, way: Floats, thickness: float) -> float:
    """The resistance of the film on the face of the wall that looks a ``way``, m² K/W."""
    flat = np.flatnonzero(chosen & (faces.ways @ way > 1 - _SAME_WAY))
    if not len(flat):
        raise UncoupledError("the face of the wall is nowhere bare")
    heights = faces.corners[flat].mean(axis=1) @ way
    plane = flat[heights >= heights.max() - _SAME_PLACE * thickness]
    films = [film_resistance(problem, name) for name in sorted({faces.surfaces[number] for number in plane.tolist()})]
    if max(films) > (1 + _SAME_AREA) * min(films):
        raise UncoupledError("the face of the wall has more than one film")
    return films[0]
