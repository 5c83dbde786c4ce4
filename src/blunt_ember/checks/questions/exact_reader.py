"""An exact field at one time, as questions read it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from dataclasses import field as dataclass_field

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.clock import WHOLE_BODY, Condition, How
from blunt_ember.case.document.enclosures import OPENING
from blunt_ember.case.document.places import Line, SurfaceNames
from blunt_ember.case.document.questions.question import RadiatedHow, Reading, reading_of
from blunt_ember.checks.questions.reading_line import ReadingLine, laid
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.checks.references.fits.field import ExactField, InstantField, MovingField, exact_field_at
from blunt_ember.checks.references.fits.networks.seen_views import RadiatingField, SeenField
from blunt_ember.checks.transmittance import Sides
from blunt_ember.fem.assembly import cell_places, in_runs, weighted_gradients
from blunt_ember.fem.reading import surface_places
from blunt_ember.geometry.section import outlines_of
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.reference.crossing import first_crossing

#: Instants at which an exact history is looked through for a crossing.
_INSTANTS = 400
#: Lines by their identity in the document, and the region they are read from where two meet.
LaidLines = dict[tuple[int, int | None], ReadingLine]


@dataclass(frozen=True)
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
        return np.array([sum(self.now.heat(name) for name in self.solved.document.members_of(surface))])

    def heat_passed(self, surface: SurfaceNames) -> Floats:
        """Return the heat that has passed a surface, J, (1,)."""
        now = self.now
        if not isinstance(now, InstantField):
            return np.array([np.nan])
        return np.array([sum(now.passed(name) for name in self.solved.document.members_of(surface))])

    def heat_stored(self, region: str) -> Floats:
        """Return the heat stored in the whole body, J, (1,)."""
        now = self.now
        return np.array([now.stored() if isinstance(now, InstantField) and region == WHOLE_BODY else np.nan])

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
        return float(field.temperature(place, None if reading.side is None else mesh.regions.index(reading.side))[0])
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
    along = [_along(solved, name) for name in members]
    sides = [side if len(members) == 1 else mesh.surfaces[name].regions[0] for name in members]
    values = np.concatenate(
        [
            _on_surface(field, name, places, own, solved)
            for name, (places, _), own in zip(members, along, sides, strict=True)
        ]
    )
    if reading.how == "mean":
        weights = np.concatenate([weights for _, weights in along])
        return float(values @ weights / weights.sum())
    return _extreme(reading.how, values)


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
    """Extremes of an exact field at the nodes of regions, or its mean by the quadrature of their cells."""
    mesh, regions = solved.mesh, solved.regions(target)
    if how == "mean":
        total = volume = 0.0
        for block in mesh.blocks:
            for run in in_runs(block, len(CELL_FAMILIES[block.family].points)):
                weights = weighted_gradients(block, mesh, run)[1]
                places = cell_places(block, mesh, run)
                for region in np.intersect1d(block.region[run], regions).tolist():
                    own = block.region[run] == region
                    values = field.temperature(places[own].reshape(-1, mesh.dimension), region)
                    total += float(values @ weights[own].ravel())
                    volume += float(weights[own].sum())
        return total / volume
    every = [
        field.temperature(mesh.points[np.unique(block.nodes[block.region == region])], region)
        for region in regions
        for block in mesh.blocks
    ]
    return _extreme(how, np.concatenate(every))


def _along(solved: SolvedField, surface: str) -> tuple[Floats, Floats]:
    """Return places on a surface and the area in m² each stands for: on its true curve, or by its facets."""
    section = outlines_of(solved.geometry)
    if section is not None:
        return section.along(surface)
    return surface_places(solved.mesh.surfaces[surface], solved.mesh)


def _extreme(how: How, values: Floats) -> float:
    return float(values.max() if how == "highest" else values.min())
