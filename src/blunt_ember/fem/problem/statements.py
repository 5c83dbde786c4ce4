"""Statements of a case gathered on the surfaces and regions of a mesh, in their order."""

from __future__ import annotations

from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.places import StraightLine
from blunt_ember.case.document.surroundings import HeatInside, Surrounding
from blunt_ember.case.faults.structure_faults import unknown_name
from blunt_ember.case.values.laws import Law
from blunt_ember.case.values.units import POWER_DENSITY
from blunt_ember.errors import DataPath, Fault, Note, OpenCaseError
from blunt_ember.fem.assembly import facet_weights, in_runs, weighted_gradients
from blunt_ember.fem.laws.stated import StatedOn, stated_laws
from blunt_ember.fem.laws.surface_law import SurfaceLaw
from blunt_ember.fem.problem.problem import PointSource, RegionSource
from blunt_ember.fem.reading import shares_at
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh

#: Places at which heat along a line is put on the mesh.
_LINE_PLACES = 2_000
#: Share of the larger of two temperatures up to which they are one.
_ALIKE = 1e-9


@dataclass
class Stated:
    """Gathers what is stated, in its order, with what is wrong and what the analyst should know."""

    document: CaseDocument
    mesh: Mesh
    held: dict[str, Law] = field(default_factory=dict)
    exchanges: dict[str, tuple[SurfaceLaw, ...]] = field(default_factory=dict)
    periodic: list[tuple[str, str]] = field(default_factory=list)
    sources: list[RegionSource] = field(default_factory=list)
    points: list[PointSource] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)
    open_items: list[Fault] = field(default_factory=list)
    notes: list[Note] = field(default_factory=list)
    #: The statement that stands alone on a surface, by its place and what it says.
    alone: dict[str, tuple[DataPath, str]] = field(default_factory=dict)

    def surround(self, place: DataPath, entry: Surrounding, aside: AbstractSet[str] = frozenset()) -> None:
        """Put the statement at a ``place`` of the document on its surfaces but those that are set ``aside``.

        A later one that cannot stand beside earlier ones takes their place.
        """
        path = (*place, "on")
        names = [member for stated in entry.surfaces for member in self.document.members_of(stated)]
        wrong = [fault for name in names if (fault := _surface_fault(path, name, self.mesh, self.document))]
        twice = sorted({name for name in names if names.count(name) > 1})
        wrong += [Fault(path, f"'{name}' is named twice; leave one out") for name in twice]
        if entry.periodic and len(names) != 2:
            wrong.append(Fault(path, "'periodic' joins two single surfaces; these names stand for more"))
        self.faults += wrong
        if wrong:
            return
        says = next((key for key in ("temperature", "insulated", "periodic") if getattr(entry, key)), None)
        area = sum(self._area(name) for name in names) if entry.heat is not None else 0.0
        if entry.periodic and aside & set(names):
            return
        names = [name for name in names if name not in aside]
        for name in names:
            self._make_room(place, name, says)
            if says is not None:
                self.alone[name] = (place, says)
        if entry.periodic:
            self.periodic.append((names[0], names[1]))
            return
        for name in names:
            if entry.temperature is not None:
                self.held[name] = entry.temperature
            elif not entry.insulated:
                self.exchanges[name] = (*self.exchanges.get(name, ()), *self._laws(place, entry, name, area))

    def _make_room(self, place: DataPath, name: str, says: str | None) -> None:
        before = self.alone.get(name)
        if before is None and not (says is not None and name in self.exchanges):
            return
        said = {
            "temperature": "held at a temperature",
            "insulated": "insulated",
            "periodic": "periodic",
            None: "in exchange with its surroundings",
        }
        earlier = said[before[1]] if before else said[None]
        what = f"'{name}' was said to be {earlier} before; this later statement counts"
        self.notes.append(Note(place, what))
        self.alone.pop(name, None)
        self.held.pop(name, None)
        self.exchanges.pop(name, None)
        self.periodic = [pair for pair in self.periodic if name not in pair]

    def _laws(self, place: DataPath, entry: Surrounding, name: str, area: float) -> tuple[SurfaceLaw, ...]:
        region = self.mesh.regions[self.mesh.surfaces[name].regions[0]]
        material = str(self.document.body.fillings[region].material)
        try:
            on = StatedOn(name, material, self.document.materials.get(material), area, self.document.environments)
            return stated_laws(entry, on, place)
        except OpenCaseError as error:
            self.open_items += error.faults
            return ()

    def _area(self, name: str) -> float:
        facets = self.mesh.surfaces[name]
        return float(sum(facet_weights(facets, block, self.mesh).sum() for block in facets.blocks))

    def heat(self, place: int, entry: HeatInside) -> None:
        """Put heat on regions, or on the nodes about a point or along a line."""
        path = ("heat_inside", place)
        if entry.region is None:
            points = self._spread(entry)
            if len(points[0]) != self.mesh.dimension:
                return  # place_faults complains of it
            shares = shares_at(self.mesh, points)
            if shares is None:
                where = "at" if entry.at is not None else "along"
                what = "it lies outside the body, at least in part"
                self.faults.append(Fault((*path, where), what))
                return
            name = "heat at a point" if entry.at is not None else "heat along a line"
            assert entry.total is not None
            self.points.append(PointSource(f"{name} ({place + 1})", *shares, entry.total, points))
            return
        unknown = [name for name in entry.regions if name not in self.mesh.regions]
        for name in unknown:
            what = f"there is no region '{name}'"
            self.faults.append(unknown_name((*path, "region"), what, name, self.mesh.regions))
        if unknown:
            return
        numbers = [self.mesh.regions.index(name) for name in entry.regions]
        law = entry.per_volume
        if law is None:
            assert entry.total is not None
            law = entry.total.over_amount(self._volume(numbers), POWER_DENSITY)
        for name, number in zip(entry.regions, numbers, strict=True):
            self.sources.append(RegionSource(f"heat in {name}", number, law))

    def _spread(self, entry: HeatInside) -> Floats:
        if entry.at is not None:
            return np.array([[place.si for place in entry.at]])
        assert isinstance(entry.along, StraightLine)
        start, end = (np.array([place.si for place in point]) for point in (entry.along.start, entry.along.end))
        if len(start) != len(end):
            return start[None]
        middles = (np.arange(_LINE_PLACES) + 0.5) / _LINE_PLACES
        return start + middles[:, None] * (end - start)

    def _volume(self, regions: list[int]) -> float:
        total = 0.0
        for block in self.mesh.blocks:
            own = np.isin(block.region, regions)
            for run in in_runs(block, len(CELL_FAMILIES[block.family].points)):
                total += float(weighted_gradients(block, self.mesh, run)[1][own[run]].sum())
        return total

    def shared_corners(self) -> None:
        """Note where held surfaces of different temperatures meet."""
        names = list(self.held)
        owner = np.full(self.mesh.node_count, -1)
        for number, second in enumerate(names):
            nodes = self.mesh.surfaces[second].nodes
            met = [names[before] for before in np.unique(owner[nodes]).tolist() if before >= 0]
            owner[nodes] = number
            for first in met:
                if self._apart(first, second):
                    what = (
                        f"'{first}' and '{second}' meet and are held at different temperatures; "
                        f"where they meet the later one counts, that of '{second}'"
                    )
                    self.notes.append(Note(self.alone[second][0], what))

    def _apart(self, first: str, second: str) -> bool:
        """Whether two held surfaces have different temperatures where they meet, as far as that can be told now."""
        ours, theirs = self.held[first], self.held[second]
        if ours.follows_time or theirs.follows_time:
            return ours != theirs
        shared = np.intersect1d(self.mesh.surfaces[first].nodes, self.mesh.surfaces[second].nodes)
        where = self.mesh.space.variables(self.mesh.points[shared])
        one, other = np.asarray(ours.at(where)), np.asarray(theirs.at(where))
        return bool((np.abs(one - other) > _ALIKE * np.maximum(np.abs(one), np.abs(other))).any())


def _surface_fault(path: DataPath, name: str, mesh: Mesh, document: CaseDocument) -> Fault | None:
    if name not in mesh.surfaces:
        outer = [surface for surface, facets in mesh.surfaces.items() if facets.outer]
        return unknown_name(path, f"there is no surface '{name}'", name, [*outer, *document.surfaces])
    if not mesh.surfaces[name].outer:
        what = f"'{name}' lies inside the body, where nothing can surround it; a contact is stated among the joints"
        return Fault(path, what)
    return None
