"""The case document as typed data: what may stand in a case file, and what each entry means."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from blunt_ember.case.document.bodies import Body
from blunt_ember.case.document.clock import AnyClock, Clock, Condition
from blunt_ember.case.document.materials import Material
from blunt_ember.case.document.parts import Name, Part, Statement, complain
from blunt_ember.case.document.places import Line, Place
from blunt_ember.case.document.regions import AnyRegion
from blunt_ember.case.document.surface_laws import JointConductance
from blunt_ember.case.document.surroundings import HeatInside, Surrounding
from blunt_ember.case.values.quantity import AreaResistance, Extent, Quantity, StatedTolerance, Time, Tolerance
from blunt_ember.case.values.references import Formula, RegionName, SurfaceName, SurfaceOrRegionName, WorkingName
from blunt_ember.case.values.unit_sets import OfUnits, UnitSet
from blunt_ember.case.values.units import HEAT, HEAT_FLOW, HEAT_FLUX, HEAT_PER_AREA, NUMBER, TEMPERATURE, TIME, Kind

FORMAT = "blunt-ember/1"


class Joint(Statement):
    """How regions meet at interfaces; where nothing is stated, perfectly."""

    on: SurfaceName | list[SurfaceName] = Field(description="interface such as 'brick|blanket', or a list of them")
    resistance: AreaResistance | None = Field(None, description="contact resistance times area")
    conductance: JointConductance | None = Field(None, description="heat flux per kelvin between the two sides")
    open: Literal[True] | None = Field(None, description="a gap that passes no heat")

    @model_validator(mode="after")
    def _one_way(self) -> Joint:
        said = [key for key in ("resistance", "conductance", "open") if getattr(self, key) is not None]
        if len(said) != 1:
            raise complain("say one of 'resistance', 'conductance' and 'open'")
        return self

    @classmethod
    def named(cls, data: Mapping[str, Any], name: str) -> str:
        """It is called by its interface."""
        return f"the joint {name}"

    @property
    def surfaces(self) -> tuple[str, ...]:
        """The interfaces this is stated on."""
        return (self.on,) if isinstance(self.on, str) else tuple(self.on)


class LocalSize(Statement):
    """How fine cells are on surfaces or about a point; away from there they grow by the growth of the mesh."""

    on: SurfaceName | list[SurfaceName] | None = Field(None, description="surfaces on which cells are no larger")
    at: Place | None = Field(None, description="point about which cells are no larger")
    size: Extent | None = Field(None, description="largest cell there; such a mesh is of triangles")
    divisions: int | None = Field(None, ge=1, le=10_000, description="cells along each of these surfaces")

    @model_validator(mode="after")
    def _somewhere(self) -> LocalSize:
        if (self.on is None) == (self.at is None):
            raise complain("say where: 'on' a surface or 'at' a point")
        if (self.size is None) == (self.divisions is None):
            raise complain("say how fine: a 'size' or 'divisions'")
        if self.divisions is not None and self.on is None:
            raise complain("'divisions' are counted along a surface; say 'on' which, or a 'size' at the point")
        return self

    @classmethod
    def named(cls, data: Mapping[str, Any], name: str) -> str:
        """It is called by its surface."""
        return f"the cells on {name}"

    @property
    def surfaces(self) -> tuple[str, ...]:
        """The surfaces this is stated on."""
        if self.on is None:
            return ()
        return (self.on,) if isinstance(self.on, str) else tuple(self.on)


class MeshWish(Part):
    """How fine the mesh is."""

    size: Literal["auto"] | Extent = Field("auto", description="largest cell, or 'auto'")
    across: int | None = Field(
        None, ge=1, le=200, description="cells across every region at least; 4, or 2 in a solid, when nothing is said"
    )
    cells: Literal["auto", "triangles", "quadrilaterals", "mostly quadrilaterals"] = Field(
        "auto", description="auto: mapped where possible; mostly quadrilaterals: free, triangles paired where they fit"
    )
    growth: float = Field(0.25, ge=0.05, le=2.0, description="how much larger a cell may be than its neighbour")
    local: list[LocalSize] = Field(default_factory=list, description="places that are finer, or divided by hand")
    order: Literal[1, 2] = Field(2, description="order of the cells: 1 linear, 2 quadratic")


class Expectation(Part):
    """What the answer should be, and where that comes from: exactly one of the three."""

    value: Formula | None = Field(None, description="a value with its unit; wants a 'source'")
    source: str | None = Field(None, description="where the value comes from")
    working: WorkingName | None = Field(None, description="name of a line of the Working")
    exact: str | None = Field(None, description="name of an exact solution, such as 'composite-wall'")

    @model_validator(mode="after")
    def _one_origin(self) -> Expectation:
        origins = [key for key in ("value", "working", "exact") if getattr(self, key) is not None]
        if len(origins) != 1:
            said = " and ".join(f"'{key}'" for key in origins) or "none of them"
            raise complain(f"say exactly one of 'value', 'working' and 'exact' (now: {said})")
        if self.source is not None and self.value is None:
            raise complain("'source' belongs to 'value'; a working line and an exact solution name themselves")
        return self


ASKED = ("heat_flow", "temperature", "highest", "lowest", "mean", "heat_passed", "heat_stored", "when")
#: What only a clock that runs can answer.
OF_TIME = ("heat_passed", "heat_stored", "when")


class Question(Statement):
    """One number asked of the solution, with what is expected of it."""

    name: Name
    heat_flow: SurfaceName | None = Field(None, description="surface through which heat flows; an interface is 'a|b'")
    direction: Literal["in", "out"] = Field("in", description="in: + into the body (or from a to b); out: the opposite")
    basis: Literal["depth", "area"] = Field("depth", description="for the stated depth, or per m² of the surface")
    temperature: Place | None = Field(None, description="temperature at a point")
    highest: SurfaceOrRegionName | Line | None = Field(
        None, description="highest temperature on a surface, in a region, in the whole 'body' or along a line"
    )
    lowest: SurfaceOrRegionName | Line | None = Field(None, description="lowest temperature, as 'highest'")
    mean: SurfaceOrRegionName | Line | None = Field(None, description="mean temperature, as 'highest'")
    heat_passed: SurfaceName | None = Field(None, description="heat that has passed a surface since the start")
    heat_stored: RegionName | None = Field(None, description="heat stored in a region or 'body' since the start")
    when: Condition | None = Field(None, description="the time at which something comes true")
    time: Time | None = Field(None, description="time on the clock it is asked for; the end when nothing is said")
    expect: Expectation | None = None
    side: RegionName | None = Field(None, description="region from which a joint is read; else the first")
    tolerance: StatedTolerance = Field(
        default_factory=lambda: Tolerance("0.5 %", 0.005, NUMBER), description="such as '0.5 %' or '0.1 K'"
    )

    @model_validator(mode="after")
    def _asks_one_thing(self) -> Question:
        asked = [key for key in ASKED if getattr(self, key) is not None]
        if len(asked) != 1:
            said = " and ".join(f"'{key}'" for key in asked) or "none of them"
            raise complain(f"ask exactly one of {', '.join(repr(k) for k in ASKED)} (now: {said})")
        flows = self.heat_flow is not None or self.heat_passed is not None
        if self.side is not None and asked[0] not in ("temperature", "highest", "lowest", "mean"):
            raise complain("'side' belongs to a temperature; heat is the same on both sides")
        if not flows and self.model_fields_set & {"direction", "basis"}:
            raise complain("'direction' and 'basis' belong to 'heat_flow' and 'heat_passed'")
        if self.when is not None and self.time is not None:
            raise complain("'when' asks for a time; remove 'time'")
        return self

    @classmethod
    def named(cls, data: Mapping[str, Any], name: str) -> str:
        """It has a name."""
        return f"the question '{data['name']}'"

    @classmethod
    def stands(cls, data: Mapping[str, Any]) -> bool:
        """It cannot do without anything it asks about."""
        return False

    @property
    def asks(self) -> str:
        """Which of :data:`ASKED` it is."""
        return next(key for key in ASKED if getattr(self, key) is not None)

    @property
    def kind(self) -> Kind:
        """The kind of quantity the answer is."""
        if self.heat_flow is not None:
            return HEAT_FLUX if self.basis == "area" else HEAT_FLOW
        if self.heat_passed is not None:
            return HEAT_PER_AREA if self.basis == "area" else HEAT
        return TIME if self.when is not None else HEAT if self.heat_stored is not None else TEMPERATURE

    @property
    def target(self) -> str | Line | Condition | tuple[Quantity, ...]:
        """The surface, region, line or point the answer is read from, or the condition."""
        return getattr(self, self.asks)


class SurfacePart(Part):
    """Part of a surface, cut out of it and named: between two places on it, or what lies within a shape on an end.

    On an arc the part runs counter-clockwise from its start to its end; on a side of a stacked body it reaches from the
    z of one to that of the other, or over the whole height when the two are one.
    """

    on: SurfaceName = Field(description="the surface it is cut out of")
    start: Place | None = Field(None, description="place on the surface at which it begins")
    end: Place | None = Field(None, description="place on the surface at which it ends")
    within: AnyRegion | None = Field(None, description="shape on the bottom or top of a stacked body, or on a cut")

    @model_validator(mode="after")
    def _one_way(self) -> SurfacePart:
        interval = self.start is not None and self.end is not None
        if interval == (self.within is not None) or (self.start is None) != (self.end is None):
            raise complain("say which part: from 'start' to 'end', or what lies 'within' a shape")
        if self.within is not None and self.within.beside is not None:
            raise complain("the shape stands at a place of its own; use 'at'")
        if self.within is not None:
            said = [key for key in ("material", "void", "z", "levels") if getattr(self.within, key) is not None]
            if said:
                raise complain(f"the shape only marks a part of a surface; remove its '{said[0]}'")
        return self


class CaseDocument(Part):
    """A whole case, in the order an analyst works."""

    format: Literal["blunt-ember/1"]
    title: str = Field("Untitled", max_length=200)
    parameters: dict[str, Formula | float] = Field(default_factory=dict, description="named values and formulas")
    units: Annotated[UnitSet, OfUnits()] = Field(
        default_factory=UnitSet, description="units in which values are shown: a set, or an object by quantity"
    )
    materials: dict[Name, Material] = Field(default_factory=dict)
    body: Body
    surfaces: dict[Name, SurfaceName | list[SurfaceName] | SurfacePart] = Field(
        default_factory=dict,
        description="the analyst's own names: of one surface, of several taken together, or of a part cut out of one",
    )
    surroundings: list[Surrounding] = Field(default_factory=list)
    heat_inside: list[HeatInside] = Field(default_factory=list)
    joints: list[Joint] = Field(default_factory=list, description="interfaces that are not perfect")
    clock: AnyClock = Field("steady", description="'steady', or from a start to an end")
    mesh: MeshWish = Field(default_factory=MeshWish)
    working: dict[str, Formula] = Field(default_factory=dict, description="hand calculation: formulas")
    questions: list[Question] = Field(default_factory=list)

    @property
    def running_clock(self) -> Clock | None:
        """The clock, if it runs."""
        return self.clock if isinstance(self.clock, Clock) else None

    def members_of(self, name: str) -> tuple[str, ...]:
        """Return the surfaces that an analyst's own name stands for; any other name stands for itself."""
        members = self.surfaces.get(name, name)
        if isinstance(members, SurfacePart):
            return (name,)
        return (members,) if isinstance(members, str) else tuple(members)

    def members_asked(self, target: Any) -> tuple[str, ...]:
        """Return the surfaces that what is asked about stands for: a name, or the surfaces a line is laid by."""
        names = target.surfaces if isinstance(target, Line) else (str(target),)
        return tuple(member for name in names for member in self.members_of(name))

    @property
    def surface_parts(self) -> dict[str, SurfacePart]:
        """Parts cut out of surfaces, by their names."""
        return {name: entry for name, entry in self.surfaces.items() if isinstance(entry, SurfacePart)}

    def own_name(self, surface: str) -> str:
        """Return the analyst's own name of a single surface, or its automatic one."""
        return next((name for name in self.surfaces if self.members_of(name) == (surface,)), surface)
