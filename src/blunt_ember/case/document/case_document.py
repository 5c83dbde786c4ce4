"""The case document as typed data: what may stand in a case file, and what each entry means."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from blunt_ember.case.document.bodies import Body
from blunt_ember.case.document.clock import AnyClock, Clock
from blunt_ember.case.document.enclosures import Enclosure
from blunt_ember.case.document.every_value import every_value
from blunt_ember.case.document.isothermal import Isothermal
from blunt_ember.case.document.materials import Material
from blunt_ember.case.document.parts import Name, Part, Statement, complain, one_or_more
from blunt_ember.case.document.places import Line, Place, SurfaceNames, is_several
from blunt_ember.case.document.questions.any_question import AnyQuestion
from blunt_ember.case.document.regions import AnyRegion
from blunt_ember.case.document.studies import AnyStudy
from blunt_ember.case.document.surface_laws import JointConductance, OpeningTemperature
from blunt_ember.case.document.surroundings import HeatInside, Surrounding
from blunt_ember.case.values.laws import Law
from blunt_ember.case.values.quantity import AreaResistance, Extent, Quantity
from blunt_ember.case.values.references import Formula, SurfaceName
from blunt_ember.case.values.unit_sets import OfUnits, UnitSet
from blunt_ember.case.values.units import NUMBER
from blunt_ember.errors import DataPath

FORMAT = "blunt-ember/1"
#: Tolerance of an answer, as a share of it, that patches of enclosures are twice as many for.
_TIGHT = 5e-4


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
        return one_or_more(self.on)


class LocalSize(Statement):
    """How fine cells are on surfaces or about a point; away from there they grow by the growth of the mesh."""

    on: SurfaceName | list[SurfaceName] | None = Field(None, description="surfaces on which cells are no larger")
    at: Place | None = Field(None, description="point about which cells are no larger")
    size: Extent | None = Field(
        None, description="largest cell there; sides and points take triangles, bottoms and tops thin layers"
    )
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
        return one_or_more(self.on)


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


#: Entries of a list that an analyst reads and writes, at most.
_MOST = 5_000


class CaseDocument(Part):
    """A whole case, in the order an analyst works."""

    format: Literal["blunt-ember/1"]
    title: str = Field("Untitled", max_length=200)
    parameters: dict[str, Formula | float] = Field(
        default_factory=dict, max_length=_MOST, description="named values and formulas"
    )
    units: Annotated[UnitSet, OfUnits()] = Field(
        default_factory=UnitSet, description="units in which values are shown: a set, or an object by quantity"
    )
    materials: dict[Name, Material] = Field(default_factory=dict)
    body: Body
    surfaces: dict[Name, SurfaceName | list[SurfaceName] | SurfacePart] = Field(
        default_factory=dict,
        description="the analyst's own names: of one surface, of several taken together, or of a part cut out of one",
    )
    environments: dict[Name, OpeningTemperature] = Field(
        default_factory=dict, description="air spaces and fluids that films refer to, by their names, with temperatures"
    )
    surroundings: list[Surrounding] = Field(default_factory=list, max_length=_MOST)
    enclosures: dict[Name, Enclosure] = Field(
        default_factory=dict, description="surfaces that see each other, by the name of what they enclose"
    )
    heat_inside: list[HeatInside] = Field(default_factory=list)
    isothermal: list[Isothermal] = Field(
        default_factory=list, description="regions and surfaces of one temperature throughout"
    )
    joints: list[Joint] = Field(default_factory=list, description="interfaces that are not perfect")
    clock: AnyClock = Field("steady", description="'steady', or from a start to an end")
    mesh: MeshWish = Field(default_factory=MeshWish)
    working: dict[str, Formula] = Field(
        default_factory=dict, max_length=_MOST, description="hand calculation: formulas"
    )
    questions: list[AnyQuestion] = Field(default_factory=list, max_length=_MOST)
    studies: dict[Name, AnyStudy] = Field(
        default_factory=dict, description="parameters varied, spread, aimed at or fitted"
    )

    @cached_property
    def values(self) -> tuple[tuple[DataPath, Law | Quantity], ...]:
        """The laws and quantities in it, each with its path."""
        return tuple(every_value(self))

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> CaseDocument:
        """Return a copy with other entries, which forgets what was found of those before."""
        copied = super().model_copy(update=update, deep=deep)
        vars(copied).pop("values", None)
        return copied

    @property
    def running_clock(self) -> Clock | None:
        """The clock, if it runs."""
        return self.clock if isinstance(self.clock, Clock) else None

    def place_of_question(self, name: str) -> int:
        """Return the place of a question by its name."""
        return next(place for place, question in enumerate(self.questions) if question.name == name)

    def members_of(self, name: SurfaceNames) -> tuple[str, ...]:
        """Return the surfaces that an analyst's own name stands for; any other name stands for itself, and several
        stand for those of each, once."""
        if not isinstance(name, str):
            return tuple(dict.fromkeys(member for each in name for member in self.members_of(each)))
        members = self.surfaces.get(name, name)
        if isinstance(members, SurfacePart):
            return (name,)
        return (members,) if isinstance(members, str) else tuple(members)

    def members_asked(self, target: Any) -> tuple[str, ...]:
        """Return the surfaces that what is asked about stands for: a name, or the surfaces a line is laid by."""
        if isinstance(target, Line):
            return tuple(member for name in target.surfaces for member in self.members_of(name))
        return self.members_of(target if is_several(target) else str(target))

    @property
    def surface_parts(self) -> dict[str, SurfacePart]:
        """Parts cut out of surfaces, by their names."""
        return {name: entry for name, entry in self.surfaces.items() if isinstance(entry, SurfacePart)}

    @property
    def asks_finely(self) -> bool:
        """Whether an answer is wanted to less than what patches of enclosures are made for."""
        asked = [question.tolerance for question in self.questions]
        return any(each.kind == NUMBER and each.amount < _TIGHT for each in asked)

    @property
    def even_regions(self) -> frozenset[str]:
        """Regions of one temperature throughout, in which nothing is conducted."""
        return frozenset(name for entry in self.isothermal for name in entry.regions)

    @property
    def stated_surfaces(self) -> frozenset[str]:
        """Surfaces on which something is stated, at any time, or which see others."""
        stages = self.running_clock.stages if self.running_clock is not None else ()
        entries = [*self.surroundings, *(entry for stage in stages for entry in stage.surroundings)]
        stated = [name for entry in entries for name in entry.surfaces]
        stated += [name for enclosure in self.enclosures.values() for face in enclosure.faces for name in face.surfaces]
        return frozenset(member for name in stated for member in self.members_of(name))

    @property
    def exchanging_surfaces(self) -> frozenset[str]:
        """Surfaces on which something is stated, at any time, that lets heat pass."""
        stated = [name for entry in self.surroundings if not entry.insulated for name in entry.surfaces]
        stated += [name for enclosure in self.enclosures.values() for face in enclosure.faces for name in face.surfaces]
        return frozenset(member for name in stated for member in self.members_of(name))

    @property
    def periodic_pairs(self) -> tuple[tuple[str, ...], ...]:
        """The surfaces of every periodic pair."""
        periodic = [entry.surfaces for entry in self.surroundings if entry.periodic]
        return tuple(tuple(member for name in names for member in self.members_of(name)) for names in periodic)

    def own_name(self, surface: str) -> str:
        """Return the analyst's own name of a single surface, or its automatic one."""
        return next((name for name in self.surfaces if self.members_of(name) == (surface,)), surface)
