"""An exact field at one time, as questions read it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import field as dataclass_field
from dataclasses import replace
from functools import partial

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.document.clock import WHOLE_BODY, Condition, How
from blunt_ember.case.document.enclosures import OPENING
from blunt_ember.case.document.places import Line, SurfaceNames
from blunt_ember.case.document.questions.question import RadiatedHow, Reading, reading_of
from blunt_ember.checks.questions.exact_extremes import extreme_near, extreme_on_curves
from blunt_ember.checks.questions.exact_means import mean_in
from blunt_ember.checks.questions.reading_line import ReadingLine, laid
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.checks.references.fits.field import ExactField, InstantField, MovingField, exact_field_at
from blunt_ember.checks.references.fits.networks.seen_views import RadiatingField, SeenField
from blunt_ember.checks.transmittance import Sides
from blunt_ember.fem.reading import region_at, surface_places
from blunt_ember.geometry.section import outlines_of
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import CellBlock
from blunt_ember.reference.crossing import first_crossing

#: Instants at which an exact history is looked through for a crossing.
_INSTANTS = 400
#: Nodes of a region at which the extreme of an exact field is looked for first.
_LOOKED_AT = 600
#: Share of themselves by which temperatures along an edge differ that are all the same.
_ALIKE = 1e-14
#: Pieces of every edge that a mean along it is read on, one after the other until it changes by no more than a share of
#: the span along it.
_PIECES, _SETTLED = (1, 3, 9, 27), 1e-9
#: Lines by their identity in the document, and the region they are read from where two meet.
LaidLines = dict[tuple[int, int | None], ReadingLine]


@immutable
class ExactReader:
    """Reads an exact ``field`` at a time ``t``, s, over the body of a solution.

    ``lines`` are those that have been laid for other times, which takes far longer than to read along one.
    """

    field: ExactField | MovingField
    solved: SolvedField
    t: float
    lines: LaidLines = dataclass_field(default_factory=dict)

    @property
    def now(self) -> ExactField:
        """The field of the time."""
        return exact_field_at(self.field, self.t)

    def temperature(self, reading: Reading) -> Floats:
        """Return a temperature, K, (1,)."""
        return np.array([exact_temperature(reading, self.now, self.solved, self.lines)])

    def heat_flow(self, surface: SurfaceNames) -> Floats:
        """Return the heat through a surface, W, (1,)."""
        return np.array([sum(self._let_in(name, self.now.heat) for name in self.solved.document.members_of(surface))])

    def heat_passed(self, surface: SurfaceNames) -> Floats:
        """Return the heat that has passed a surface, J, (1,)."""
        now = self.now
        if not isinstance(now, InstantField):
            return np.array([np.nan])
        return np.array([sum(self._let_in(name, now.passed) for name in self.solved.document.members_of(surface))])

    def _let_in(self, surface: str, told: Callable[[str], float]) -> float:
        """What is told of the heat of a surface: nothing at all of one on which nothing is stated, not round-off."""
        run, facets = self.solved.run, self.solved.mesh.surfaces.get(surface)
        problem = self.solved.problem if run is None else run.problem_at(self.t)
        idle = (
            problem is not None
            and facets is not None
            and facets.outer
            and surface not in (*problem.held, *problem.exchanges, *problem.enclosed)
            and not any(surface in pair for pair in problem.periodic)
        )
        found = told(surface)
        return 0.0 if idle and not np.isnan(found) else found

    def heat_stored(self, region: str) -> Floats:
        """Return the heat stored in the whole body, J, (1,)."""
        now, whole = self.now, region == WHOLE_BODY or self.solved.mesh.regions == (region,)
        return np.array([now.stored() if isinstance(now, InstantField) and whole else np.nan])

    def radiation(self, surface: SurfaceNames, how: RadiatedHow) -> Floats:
        """Return heat, W (1,), of a surface; where the field says none, the net one if nothing else acts there."""
        problem, now = self.solved.problem, self.now
        members = self.solved.document.members_of(surface)
        if isinstance(now, RadiatingField):
            return np.array([now.radiated(members, how)])
        if how != "net" or problem is None or any(name in (*problem.held, *problem.exchanges) for name in members):
            return np.array([np.nan])
        return self.heat_flow(surface)

    def view_factor(self, first: str, second: str) -> Floats:
        """Return a view factor, (1,)."""
        now, own, other = self.now, self._members(first), self._members(second)
        return np.array([now.view_factor(own, other) if isinstance(now, SeenField) else np.nan])

    def exchanged(self, first: str, second: str) -> Floats:
        """Return the net heat radiated from one surface to another, W (1,)."""
        now = self.now
        known = (
            now.exchanged(self._members(first), self._members(second)) if isinstance(now, RadiatingField) else np.nan
        )
        return np.array([known])

    def _members(self, surface: str) -> tuple[str, ...]:
        return (surface,) if surface == OPENING else self.solved.document.members_of(surface)

    def coupling(self, first: str, second: str, as_it_stands: bool) -> Floats:
        """No exact field says it."""
        return np.array([np.nan])

    def undisturbed(self, first: str, to: str, sides: Sides) -> Floats:
        """No exact field says it."""
        return np.array([np.nan])

    def undisturbed_flat(self, first: str, to: str) -> Floats:
        """No exact field says it."""
        return np.array([np.nan])

    def temperature_factor(self, room: str) -> Floats:
        """No exact field says it."""
        return np.array([np.nan])

    def surface_humidity(self, room: str, humidity: float) -> Floats:
        """No exact field says it."""
        return np.array([np.nan])

    def depth(self) -> float:
        """Return what a section stands for, m."""
        return self.solved.depth

    def answer(self, question: str) -> Floats:
        """Return the answer to another question, (1,)."""
        other = self.solved.document.questions[self.solved.document.place_of_question(question)]
        asked = other.asked_time
        return other.read(self if asked is None else replace(self, t=asked.si))

    def area(self, surface: SurfaceNames) -> float:
        """Return the area of a surface, m²."""
        return self.solved.area(surface)

    def time_of(self, condition: Condition) -> float:
        """Return when a temperature is passed, s; NaN for other conditions."""
        run = self.solved.run
        if condition.passes is None or run is None:
            return float("nan")
        goal, reading = condition.passes.si, reading_of(condition)
        return first_crossing(
            lambda t: exact_temperature(reading, exact_field_at(self.field, t), self.solved, self.lines) - goal,
            float(run.times[-1]),
            _INSTANTS,
        )


def exact_temperature(reading: Reading, field: ExactField, solved: SolvedField, lines: LaidLines) -> float:
    """Return what an exact field reads, K; a line that has to be laid is added to ``lines``."""
    target, mesh = reading.target, solved.mesh
    if reading.how == "temperature":
        place = np.array([[each.si for each in reading.place]])
        return float(field.temperature(place, _read_in(reading, place[0], solved))[0])
    members = solved.document.members_asked(target)
    side = mesh.regions.index(reading.side) if reading.side is not None else None
    if isinstance(target, str) and (target == WHOLE_BODY or members[0] not in mesh.surfaces):
        return _in_regions(reading.how, target, field, solved)
    if not isinstance(target, Line) and side is None:
        # The side of the first region, as the mesh is read.
        side = mesh.surfaces[members[0]].regions[0]
    if isinstance(target, Line):
        line = lines.get((id(target), side))
        if line is None:
            line = lines[id(target), side] = laid(target, "", members, solved.geometry, mesh, (reading.how,), side)
        values, shares = line.of_each_region(field.temperature), line.shares
        known = ~np.isnan(values)
        if reading.how == "mean":
            return float(values[known] @ shares[known] / shares[known].sum()) if known.any() else float("nan")
        return _extreme(reading.how, values[known]) if known.any() else float("nan")
    sides = [side if len(members) == 1 else mesh.surfaces[name].regions[0] for name in members]
    if reading.how != "mean":
        found = [
            _extreme_on(name, own, reading.how == "highest", field, solved)
            for name, own in zip(members, sides, strict=True)
        ]
        return _extreme(reading.how, np.array(found))
    parts = [_integral_on(name, own, field, solved) for name, own in zip(members, sides, strict=True)]
    integral, area = np.sum(parts, axis=0)
    return float(integral / area)


def _read_in(reading: Reading, place: Floats, solved: SolvedField) -> int | None:
    """The region a point is read in: at a joint that is not perfect, the one in which the mesh has it too."""
    if reading.side is not None:
        return solved.mesh.regions.index(reading.side)
    jumps = solved.problem is None or solved.problem.joints
    return region_at(solved.mesh, place) if jumps else None


def _integral_on(name: str, region: int | None, field: ExactField, solved: SolvedField) -> tuple[float, float]:
    """The integral of the temperature over a surface in K m², seen from a region, and its area in m²."""
    section = outlines_of(solved.geometry)
    if section is None:
        places, areas = surface_places(solved.mesh.surfaces[name], solved.mesh)
        return float(_on_surface(field, name, places, region, solved) @ areas), float(areas.sum())
    found = np.nan
    for pieces in _PIECES:  # a field bends where what drives it does, and steeply near an end
        places, areas = section.along(name, pieces)
        values = _on_surface(field, name, places, region, solved)
        before, found, spread = found, float(values @ areas), float(np.ptp(values))
        if spread <= _ALIKE * np.abs(values).max() or abs(found - before) <= _SETTLED * spread * float(areas.sum()):
            break
    return found, float(areas.sum())


def _extreme_on(name: str, region: int | None, highest: bool, field: ExactField, solved: SolvedField) -> float:
    """The highest or lowest temperature on a surface in K, seen from a region."""

    def read(places: Floats) -> Floats:
        return _on_surface(field, name, places, region, solved)

    section = outlines_of(solved.geometry)
    if section is not None:
        curves = section.curves_of(name)
        return extreme_on_curves(lambda share, number: curves.take(number).at(share), len(curves), read, highest)
    facets = solved.mesh.surfaces[name]
    nodes = _looked_at(facets.nodes, highest, solved)
    values = read(solved.mesh.points[nodes])
    best = int(nodes[values.argmax() if highest else values.argmin()])
    return extreme_near(best, facets.blocks, solved.mesh, read, highest)


def _on_surface(field: ExactField, name: str, places: Floats, region: int | None, solved: SolvedField) -> Floats:
    """Temperatures (p,) in K at places (p, d) of a surface: those it is held at, where it is, since at a corner to
    another one that is held the field has the temperatures of both."""
    problem = solved.problem
    if problem is None or name not in problem.held:
        return field.temperature(places, region)
    law = problem.held[name]
    where = {**solved.mesh.space.variables(places), "t": np.zeros(len(places))}
    return np.broadcast_to(law.at(where), (len(places),))


def _in_regions(how: How, target: str, field: ExactField, solved: SolvedField) -> float:
    """Extremes of an exact field in regions, or its mean by the quadrature of their cells."""
    mesh, regions = solved.mesh, solved.regions(target)
    if how == "mean":
        return mean_in(regions, field.temperature, solved)
    found = []
    for region in regions:
        blocks = [
            CellBlock(block.family, block.nodes[own], block.region[own])
            for block in mesh.blocks
            if (own := block.region == region).any()
        ]
        if not blocks:  # a void
            continue
        nodes = _looked_at(
            np.unique(np.concatenate([block.nodes.ravel() for block in blocks])), how == "highest", solved
        )
        read = partial(field.temperature, region=region)
        values = read(mesh.points[nodes])
        best = int(nodes[values.argmax() if how == "highest" else values.argmin()])
        found.append(extreme_near(best, blocks, mesh, read, how == "highest"))
    # Between nodes on a curved edge cells may reach beyond it, where a field goes on that the body does not.
    return solved.reached(_extreme(how, np.array(found)), how == "highest")


def _looked_at(nodes: Ints, highest: bool, solved: SolvedField) -> Ints:
    """Those of many nodes (n,) at which an exact field may have its extreme: where a steady solution has it, and some
    all over, so that an extreme elsewhere is met too."""
    if solved.run is not None or len(nodes) <= _LOOKED_AT:
        return nodes
    sign = -1 if highest else 1
    half = _LOOKED_AT // 2
    best = nodes[np.argpartition(sign * solved.temperature[nodes], half)[:half]]
    return np.union1d(best, nodes[:: -(-len(nodes) // half)])


def _extreme(how: How, values: Floats) -> float:
    found = float(values.max() if how == "highest" else values.min())
    return found if np.isfinite(found) else float("nan")
