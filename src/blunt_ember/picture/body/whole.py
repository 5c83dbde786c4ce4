"""More of a body drawn than is solved: a section with its depth or turned, half of a symmetric body as the whole."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from blunt_ember.arrays import Flags, Floats
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.flow.outcome import Outcome
from blunt_ember.geometry.space import Plane
from blunt_ember.immutable import immutable
from blunt_ember.mesh.derived.extension import Grown, deepened, mirrored, turned
from blunt_ember.mesh.imported import ImportedGeometry
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.picture.body.flow_lines import FlowLines
from blunt_ember.picture.lenses.field import Field, Shade, shaded
from blunt_ember.picture.lenses.registry import field_of
from blunt_ember.picture.look import Look, MirrorPlane, Whole

#: A turned section is shown with a quarter left open, so that the section itself is seen.
_TURN = 1.5 * np.pi
_ROUND_OFF = 1e-9


@immutable
class Drawn:
    """What of an outcome is drawn. ``fold`` takes places (p, d') of it to those of the body (p, d) that is solved, both
    in m, ``unfold`` the other way to the first of its images, and ``spread`` takes a field over to it."""

    outcome: Outcome
    fold: Callable[[Floats], Floats]
    unfold: Callable[[Floats], Floats]
    spread: Callable[[Field], Field]

    @property
    def upright(self) -> int | None:
        """The axis that points up where it is seen in space; None for what is drawn flat."""
        return self.outcome.geometry.upright if self.outcome.geometry is not None else None


def can_be_deep(mesh: Mesh) -> bool:
    """Tell whether a body is flat and stands for a depth or a turn."""
    return mesh.dimension == 2


def mirrors_of(outcome: Outcome) -> tuple[MirrorPlane, ...]:
    """Return the planes a body may be mirrored at: its flat ends through which no heat passes, and an axis."""
    mesh, problem = outcome.mesh, outcome.problem
    if mesh is None or mesh.dimension == 1 or problem is None or outcome.geometry is None:
        return ()
    low, high = (np.array([end(axis) for axis in mesh.points.T]) for end in (np.min, np.max))
    reach = _ROUND_OFF * float((high - low).max())
    found = []
    for axis in range(mesh.dimension):
        for upper, at in ((False, low[axis]), (True, high[axis])):
            on_axis = mesh.space.axisymmetric and axis == 0 and not upper and abs(at) <= _ROUND_OFF * high[0]
            if on_axis or _is_tight(mesh, problem, np.abs(mesh.points[:, axis] - at) <= reach):
                found.append(MirrorPlane(axis, upper))
    if mesh.dimension == 3 and mesh.space.turned:
        found = [mirror for mirror in found if mirror.axis == 1]  # the others may not be planes of its turn
    return tuple(found)


def _is_tight(mesh: Mesh, problem: Problem, on_plane: Flags) -> bool:
    """Whether whole surfaces lie in a plane that has some nodes (n,) on it, and no heat passes any of them."""
    periodic = {name for pair in problem.periodic for name in pair}
    passing = {*problem.held, *problem.exchanges, *problem.enclosed, *periodic}
    there = {
        name: np.concatenate([on_plane[block.nodes].all(axis=1) for block in facets.blocks])
        for name, facets in mesh.surfaces.items()
        if facets.outer and facets.blocks
    }
    whole = [name for name, on in there.items() if on.all()]
    partly = [name for name, on in there.items() if on.any() and not on.all()]
    return bool(whole) and not partly and not passing & set(whole)


def drawn(outcome: Outcome, whole: Whole) -> Drawn:
    """Return what is drawn of an outcome; the body itself where nothing more is wanted, or there is no mesh yet."""
    mesh = outcome.mesh
    kept = Drawn(outcome, lambda places: places, lambda places: places, lambda field: field)
    if not whole or mesh is None or mesh.dimension == 1 or outcome.geometry is None:
        return kept
    result = kept
    offered = mirrors_of(outcome)
    for mirror in whole.mirrors:
        if mirror in offered:
            result = _mirrored(result, mirror)
    if whole.deep and can_be_deep(mesh):
        result = _deep(result)
    return result


def _taken(before: Drawn, grown: Grown, upright: int | None) -> Outcome:
    outcome = before.outcome
    assert outcome.geometry is not None
    mesh = grown.mesh
    low, high = mesh.points.min(axis=0), mesh.points.max(axis=0)
    surfaces = {name: surface for name, surface in outcome.geometry.surfaces.items() if name in mesh.surfaces}
    # It is only looked at, so no heat depends on the space it stands in.
    space = Plane(1.0) if mesh.space.axisymmetric else mesh.space
    geometry = ImportedGeometry(
        space, outcome.geometry.regions, surfaces, tuple(low.tolist()), tuple(high.tolist()), mesh, upright
    )
    solution = outcome.solution
    if solution is not None:
        solution = replace(solution, temperature=solution.temperature[grown.nodes])
    return replace(outcome, geometry=geometry, mesh=mesh, solution=solution)


def _mirrored(before: Drawn, mirror: MirrorPlane) -> Drawn:
    mesh = before.outcome.mesh
    assert mesh is not None
    axis = mirror.axis
    at = float(mesh.points[:, axis].max() if mirror.upper else mesh.points[:, axis].min())
    grown = mirrored(mesh, axis, at)
    inward = -1.0 if mirror.upper else 1.0

    def fold(places: Floats) -> Floats:
        folded = places.copy()
        folded[:, axis] = at + inward * np.abs(places[:, axis] - at)
        return before.fold(folded)

    def spread(field: Field) -> Field:
        known = before.spread(field)
        against = -1.0 if known.what.endswith((f"along {'xyz'[axis]}", "tangential")) else 1.0
        flux, follow = known.flux, known.follow

        def flux_of(places: Floats) -> Floats:
            assert flux is not None
            folded = places.copy()
            folded[:, axis] = at + inward * np.abs(places[:, axis] - at)
            result = flux(folded)
            beyond = (places[:, axis] - at) * inward < 0
            result[beyond, axis] *= -1
            return result

        def lines() -> FlowLines:
            assert follow is not None
            flow, images = follow(), []
            for line in flow.lines:
                image = line.copy()
                image[:, axis] = 2 * at - line[:, axis]
                images.append(image)
            return FlowLines((*flow.lines, *images), flow.each)

        # What is signed has a range that is even about zero already.
        return replace(
            known,
            values=grown.spread(known.values, against),
            flux=flux_of if flux is not None else None,
            follow=lines if follow is not None else None,
        )

    return Drawn(_taken(before, grown, before.upright), fold, before.unfold, spread)


def _deep(before: Drawn) -> Drawn:
    mesh = before.outcome.mesh
    assert mesh is not None
    space = mesh.space
    # What was mirrored at the axis is the whole meridian already: the half that is turned is enough.
    if space.axisymmetric and float(mesh.points[:, 0].min()) < 0:
        return before
    about_axis = space.axisymmetric
    depth = space.depth or 0.0
    grown = turned(mesh, _TURN) if about_axis else deepened(mesh, depth)

    def flat(places: Floats) -> Floats:
        if not about_axis:
            return np.asarray(places[:, :2])
        return np.column_stack([np.hypot(places[:, 0], places[:, 2]), places[:, 1]])

    def raised(places: Floats) -> Floats:
        return np.column_stack([places, np.full(len(places), depth)])

    def spread(field: Field) -> Field:
        known = before.spread(field)
        flux, follow = known.flux, known.follow

        def flux_of(places: Floats) -> Floats:
            assert flux is not None
            result = np.column_stack([flux(flat(places)), np.zeros(len(places))])
            if about_axis:
                radius = np.maximum(np.hypot(places[:, 0], places[:, 2]), 1e-300)
                away = result[:, 0].copy()
                result[:, 0], result[:, 2] = away * places[:, 0] / radius, away * places[:, 2] / radius
            return result

        def lines() -> FlowLines:
            assert follow is not None
            flow = follow()
            images = [np.column_stack([line, np.full(len(line), depth)]) for line in flow.lines]
            if about_axis:  # on the other cut too
                images += [np.column_stack([0 * line[:, 0], line[:, 1], line[:, 0]]) for line in flow.lines]
            return FlowLines(tuple(images), flow.each)

        return replace(
            known,
            values=grown.spread(known.values),
            flux=flux_of if flux is not None else None,
            follow=lines if follow is not None else None,
        )

    return Drawn(
        _taken(before, grown, 1),
        lambda places: before.fold(flat(places)),
        lambda places: raised(before.unfold(places)),
        spread,
    )


def seen_through(outcome: Outcome, look: Look) -> tuple[Drawn, Shade | None]:
    """Return what is drawn of an outcome that is looked at, and what it is coloured by, None for lenses that show no
    field, or while there is none."""
    field = field_of(outcome, look.lens, look.part)
    seen = drawn(outcome, look.whole)
    return seen, None if field is None else shaded(seen.spread(field), look, outcome)
