"""What a case states, put on the regions and surfaces of its mesh."""

from __future__ import annotations

from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.case import place_faults
from blunt_ember.case.document.bodies import Imported
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.clock import WHOLE_BODY
from blunt_ember.case.document.materials import Directional
from blunt_ember.case.document.places import Line, StraightLine
from blunt_ember.case.document.surroundings import HeatInside, Surrounding, holds_at
from blunt_ember.case.editing.every_value import every_part, every_value, own_references
from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.case.values.laws import Law, constant_law
from blunt_ember.case.values.quantity import Quantity
from blunt_ember.case.values.references import Target
from blunt_ember.case.values.units import DENSITY, FILM_COEFFICIENT, HEAT_CAPACITY, POWER_DENSITY
from blunt_ember.errors import CaseError, DataPath, Fault, Note, OpenCaseError
from blunt_ember.fem.assembly import facet_weights, in_runs, weighted_gradients
from blunt_ember.fem.laws.stated import StatedOn, stated_laws
from blunt_ember.fem.laws.surface_law import SurfaceLaw
from blunt_ember.fem.problem.conductors import Conductor
from blunt_ember.fem.problem.problem import Capacity, Joint, PointSource, Problem, RegionSource
from blunt_ember.fem.reading import shares_at
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.derived.node_splitting import split_mesh
from blunt_ember.mesh.mesh import Mesh

#: Places at which heat along a line is put on the mesh.
_LINE_PLACES = 2_000


def split_at_joints(document: CaseDocument, mesh: Mesh) -> Mesh:
    """Return the mesh with nodes doubled where the case states joints; raise :class:`CaseError` for no interface."""
    faults = []
    for place, joint in enumerate(document.joints):
        for name in (member for stated in joint.surfaces for member in document.members_of(stated)):
            inner = [known for known, facets in mesh.surfaces.items() if not facets.outer]
            if name not in inner:
                what = f"there is no interface '{name}'{nearest(name, inner)}"
                faults.append(Fault(("joints", place, "on"), what))
    if faults:
        raise CaseError(tuple(faults))
    return split_mesh(mesh, list(_joints(document)))


def _joints(document: CaseDocument) -> dict[str, Joint]:
    """Joints by interface, the later statement counting."""
    joints: dict[str, Joint] = {}
    for joint in document.joints:
        for name in (member for stated in joint.surfaces for member in document.members_of(stated)):
            if joint.resistance is not None:
                joints[name] = Joint(constant_law(1 / joint.resistance.si, FILM_COEFFICIENT))
            else:
                joints[name] = Joint(joint.conductance)
    return joints


def problem_from_case(document: CaseDocument, mesh: Mesh, stage: int = 0, t: float = 0.0) -> Problem:
    """Put what the case states on the regions and surfaces of its mesh, parted at joints already.

    Of a clock that runs, what holds right after the time ``t`` in s, in a ``stage`` by its place.

    Raises :class:`OpenCaseError` for what is not stated yet, :class:`CaseError` for surfaces that do not exist or lie
    inside the body.
    """
    open_items = open_properties(document)
    if open_items:
        raise OpenCaseError(open_items)
    _require_groups(document, mesh)
    stated = _Stated(document, mesh)
    clock = document.running_clock
    stages = clock.stages if clock is not None else []
    own = stages[stage].surroundings if stage < len(stages) else []
    aside = {member for entry in own for name in entry.surfaces for member in document.members_of(name)}
    for place, entry in enumerate(document.surroundings):
        if holds_at(entry, t):
            stated.surround(("surroundings", place), entry, aside)
    for place, entry in enumerate(own):
        if holds_at(entry, t):
            stated.surround(("clock", "stages", stage, "surroundings", place), entry)
    for place, source in enumerate(document.heat_inside):
        if holds_at(source, t):
            stated.heat(place, source)
    stated.faults += _name_faults(document, mesh) + _law_faults(document, mesh)
    stated.faults += _own_name_faults(document, mesh) + place_faults(document, "xyz"[: mesh.dimension])
    stated.shared_corners()
    if stated.open_items:
        raise OpenCaseError(tuple(stated.open_items))
    if stated.faults:
        raise CaseError(tuple(stated.faults))
    return Problem(
        mesh,
        tuple(_conductor(document, region) for region in mesh.regions),
        stated.held,
        stated.exchanges,
        tuple(stated.sources),
        tuple(stated.points),
        _joints(document),
        tuple(stated.periodic),
        tuple(stated.notes),
        () if clock is None else tuple(_capacity(document, region) for region in mesh.regions),
        clock is not None and clock.capacity == "lumped",
    )


def _capacity(document: CaseDocument, region: str) -> Capacity:
    filling = document.body.fillings[region]
    if filling.void:
        return Capacity(constant_law(1.0, DENSITY), constant_law(1.0, HEAT_CAPACITY))
    material = document.materials[str(filling.material)]
    assert material.density is not None and material.c is not None  # open_properties asked for them
    return Capacity(material.density, material.c)


def _conductor(document: CaseDocument, region: str) -> Conductor:
    filling = document.body.fillings[region]
    k = document.materials[str(filling.material)].k if not filling.void else None
    if k is None:
        return Conductor(())
    laws = (k.along, k.across, k.through or k.across) if isinstance(k, Directional) else (k,)
    if filling.direction is None:
        return Conductor(laws)
    if isinstance(filling.direction, Quantity):
        return Conductor(laws, filling.direction.si)
    x, y = filling.direction.radial_from
    return Conductor(laws, centre=(x.si, y.si))


@dataclass
class _Stated:
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
        wrong = [what for name in names if (what := _surface_fault(name, self.mesh, self.document))]
        twice = sorted({name for name in names if names.count(name) > 1})
        wrong += [f"'{name}' is named twice; leave one out" for name in twice]
        if entry.periodic and len(names) != 2:
            wrong.append("'periodic' joins two single surfaces; these names stand for more")
        self.faults += [Fault(path, what) for what in wrong]
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
            on = StatedOn(name, material, self.document.materials.get(material), area)
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
            self.points.append(PointSource(f"{name} ({place + 1})", *shares, entry.total))
            return
        unknown = [name for name in entry.regions if name not in self.mesh.regions]
        for name in unknown:
            what = f"there is no region '{name}'{nearest(name, self.mesh.regions)}"
            self.faults.append(Fault((*path, "region"), what))
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
                if self.held[first] != self.held[second]:
                    what = (
                        f"'{first}' and '{second}' meet and are held at different temperatures; "
                        f"where they meet the later one counts, that of '{second}'"
                    )
                    self.notes.append(Note(self.alone[second][0], what))


def open_properties(document: CaseDocument) -> tuple[Fault, ...]:
    """Return what is not stated yet of the materials, a line each."""
    items = []
    fillings = document.body.fillings
    for name, filling in fillings.items():
        if filling.material is None and not filling.void:
            items.append(Fault(filling.path, f"say what '{name}' is made of"))
    used = {filling.material for filling in fillings.values()}
    for name, material in document.materials.items():
        if material.k is None and name in used:
            items.append(Fault(("materials", name, "k"), f"state the conductivity of '{name}'"))
        for key, words in (("density", "density"), ("c", "specific heat")) if document.running_clock else ():
            if getattr(material, key) is None and name in used:
                items.append(Fault(("materials", name, key), f"state the {words} of '{name}'"))
    return tuple(items)


def _require_groups(document: CaseDocument, mesh: Mesh) -> None:
    """Raise what stops a body whose file has other groups of cells than the case speaks of."""
    body = document.body
    if not isinstance(body, Imported):
        return
    strange = tuple(
        Fault(("body", "groups", name), f"'{body.file}' has no group '{name}'{nearest(name, mesh.regions)}")
        for name in body.groups
        if name not in mesh.regions
    )
    if strange:
        raise CaseError(strange)
    missing = tuple(
        Fault(("body", "groups", name, "material"), f"say what '{name}' is made of")
        for name in mesh.regions
        if name not in body.groups
    )
    if missing:
        raise OpenCaseError(missing)


def _law_faults(document: CaseDocument, mesh: Mesh) -> list[Fault]:
    """Faults of values that follow a coordinate there is none of; of materials only those that are used."""
    used = {str(document.body.fillings[region].material) for region in mesh.regions}
    return [
        Fault(path, what)
        for path, value in every_value(document)
        if isinstance(value, Law)
        and (path[0] != "materials" or path[1] in used)
        and (what := _unknown_variable(value, mesh))
    ]


def _name_faults(document: CaseDocument, mesh: Mesh) -> list[Fault]:
    """Faults of names that questions and the clock refer to and that this mesh has not."""
    faults = []
    surfaces, regions = [*mesh.surfaces, *document.surfaces], [*mesh.regions, WHOLE_BODY]
    known = {Target.SURFACE: surfaces, Target.REGION: regions, Target.SURFACE_OR_REGION: surfaces + regions}
    for block in ("questions", "clock"):
        for path, part in every_part(getattr(document, block), (block,)):
            if isinstance(part, Line):
                faults += _line_faults(path, part, surfaces, mesh)
                continue
            for key, name, target in own_references(part):
                if target in known and name not in known[target]:
                    what = "region" if target is Target.REGION else "surface"
                    faults.append(Fault((*path, *key), f"there is no {what} '{name}'{nearest(name, known[target])}"))
    return faults


def _line_faults(path: tuple[str | int, ...], line: Line, surfaces: list[str], mesh: Mesh) -> list[Fault]:
    """What is wrong with a line that is read along in this body."""
    key = "edge" if line.edge is not None else "between"
    unknown = [name for name in line.surfaces if name not in surfaces]
    if unknown:
        what = f"there is no surface '{unknown[0]}'{nearest(unknown[0], surfaces)}"
        return [Fault((*path, key), what)]
    solid = mesh.dimension == 3
    if line.edge is not None and solid != (len(line.surfaces) == 2):
        what = (
            "an edge of a solid is where two surfaces meet; name both"
            if solid
            else "an edge of a section is a single surface; name one"
        )
        return [Fault((*path, "edge"), what)]
    if line.centre is not None and mesh.dimension == 1:
        return [Fault((*path, "centre"), "a rod has no circles; read along it from 'start' to 'end'")]
    if line.across is not None and not solid:
        return [Fault((*path, "across"), "only in a solid a circle lies across an axis; remove it")]
    return []


def _own_name_faults(document: CaseDocument, mesh: Mesh) -> list[Fault]:
    faults = []
    for name in document.surfaces:
        members = document.members_of(name)
        for member in members:
            if member not in mesh.surfaces:
                what = f"there is no surface '{member}'{nearest(member, mesh.surfaces)}"
                faults.append(Fault(("surfaces", name), what))
        if not members:
            faults.append(Fault(("surfaces", name), "it names no surface; write one, or a list of them"))
    return faults


def _surface_fault(name: str, mesh: Mesh, document: CaseDocument) -> str | None:
    if name not in mesh.surfaces:
        outer = [surface for surface, facets in mesh.surfaces.items() if facets.outer]
        return f"there is no surface '{name}'{nearest(name, [*outer, *document.surfaces])}"
    if not mesh.surfaces[name].outer:
        return f"'{name}' lies inside the body, where nothing can surround it; a contact is stated among the joints"
    return None


def _unknown_variable(law: Law, mesh: Mesh) -> str:
    known = {*mesh.space.variables(mesh.points[:1]), "t", "T"}
    for name in sorted(law.variables - known):
        return (
            f"'{law.text}' depends on {name}, which this body does not have; it has {', '.join(sorted(known - {'t'}))}"
        )
    return ""
