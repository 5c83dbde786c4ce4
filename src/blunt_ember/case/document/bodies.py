"""Kinds of body: rod, plane section, turned section, stacked solid, turned solid, and one read from a mesh file."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Annotated, Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import Field, model_validator

from blunt_ember.case.document.parts import Name, Part, complain
from blunt_ember.case.document.regions import AnyRegion, Direction, RadialFrom
from blunt_ember.case.values.quantity import Angle, Area, Extent, Quantity, stated
from blunt_ember.case.values.references import MaterialName
from blunt_ember.case.values.units import ANGLE, LENGTH
from blunt_ember.immutable import immutable


@immutable
class Filling:
    """What one region of the body is made of: its material (None while open), or nothing; ``path`` is where it says."""

    material: str | None
    void: bool
    path: tuple[str | int, ...]
    #: In which its material conducts as 'along'; along x when nothing is said.
    direction: Quantity | RadialFrom | None = None


class BodyPart(Part):
    """What every kind of body says of itself, so that nothing else asks which kind it is."""

    #: Letters of the coordinates of a place.
    coordinates: ClassVar[str]
    #: What it is called, and the key, the word before and the hint of the quantity that makes a body of its plan.
    title: ClassVar[str]
    measured_by: ClassVar[tuple[str, str, str] | None] = None
    #: Whether it is made of regions that are drawn, whether these stand in levels over a plan, and whether parts can
    #: be cut out of its surfaces.
    drawn: ClassVar[bool] = True
    #: Whether its outlines lie in one plane, where they can be drawn on the picture.
    plane: ClassVar[bool] = False
    piled: ClassVar[bool] = False
    partable: ClassVar[bool] = True

    @property
    def files(self) -> tuple[str, ...]:
        """Files it is read from, as they are named in the case."""
        return ()

    @property
    def words(self) -> str:
        """What it is, for its heading."""
        return ""

    @property
    def lengths(self) -> list[Quantity]:
        """Lengths it states by itself, besides those of its regions."""
        return []


class Shaped(BodyPart):
    """What is made of plane shapes."""

    regions: dict[Name, AnyRegion] = Field(description="a later region cuts an earlier one where they overlap")

    @property
    def fillings(self) -> dict[str, Filling]:
        """What each region is made of."""
        return {
            name: Filling(region.material, bool(region.void), ("body", "regions", name, "material"), region.direction)
            for name, region in self.regions.items()
        }


class Section(Shaped):
    """A plane section; every heat flow is for the stated depth."""

    coordinates: ClassVar[str] = "xy"
    title: ClassVar[str] = "plane section"
    plane: ClassVar[bool] = True
    measured_by: ClassVar[tuple[str, str, str]] = (
        "depth",
        "deep by",
        "Depth of the section, for which heat flows are given",
    )
    kind: Literal["section"]
    depth: Extent = Field(default_factory=lambda: stated("1 m", LENGTH))

    @property
    def heat_basis(self) -> str:
        """What a heat flow is for."""
        return f"for {self.depth.si:.6g} m depth"

    @property
    def words(self) -> str:
        """Its depth."""
        return f"section, {self.depth.text} deep"


class TurnedSection(Shaped):
    """A section turned about the y axis: x is the radius, y the height; every heat flow is for the full turn."""

    coordinates: ClassVar[str] = "xy"
    heat_basis: ClassVar[str] = "for the full turn"
    title: ClassVar[str] = "section turned about y, full turn"
    plane: ClassVar[bool] = True
    kind: Literal["turned section"]

    @property
    def words(self) -> str:
        """A full turn."""
        return "turned about y, full turn"


class Stacked(BodyPart):
    """Plane regions in x and y, each with one level or several in z; a later region cuts an earlier one in space."""

    coordinates: ClassVar[str] = "xyz"
    heat_basis: ClassVar[str] = "whole body"
    piled: ClassVar[bool] = True
    title: ClassVar[str] = "stacked: shapes in x and y, levels in z"
    kind: Literal["stacked"]
    regions: dict[Name, AnyRegion] = Field(description="each with 'z' from … to, or with several 'levels'")

    @property
    def words(self) -> str:
        """That it is."""
        return "stacked"

    @property
    def fillings(self) -> dict[str, Filling]:
        """What each level of each region is made of; the only level of a region has the region's name."""
        made = {}
        for name, region in self.regions.items():
            path = ("body", "regions", name)
            if region.levels is None:
                made[name] = Filling(region.material, bool(region.void), (*path, "material"), region.direction)
            for level, entry in (region.levels or {}).items():
                own = (*path, "levels", level, "material")
                made[f"{name}.{level}"] = Filling(entry.material, bool(entry.void), own, entry.direction)
        return made


class TurnedSolid(Shaped):
    """A section turned about the y axis into a solid by an angle; x is the radius of the section, y its height."""

    coordinates: ClassVar[str] = "xyz"
    heat_basis: ClassVar[str] = "whole body"
    title: ClassVar[str] = "solid, turned about y"
    measured_by: ClassVar[tuple[str, str, str]] = ("angle", "by", "Angle it is turned by, up to 360 deg")
    kind: Literal["turned solid"]
    angle: Angle = Field(default_factory=lambda: stated("360 deg", ANGLE), description="up to a full turn")

    @model_validator(mode="after")
    def _turns(self) -> TurnedSolid:
        if not 0 < self.angle.si <= 2 * np.pi + 1e-9:
            raise complain("its angle must be more than zero and at most a full turn, 360 deg")
        return self

    @property
    def words(self) -> str:
        """Its angle."""
        return f"solid, turned by {self.angle.text}"


class Piece(Part):
    """A straight piece of a rod: round by its diameter, or of any section by its area and perimeter."""

    length: Extent
    diameter: Extent | None = Field(None, description="of a round piece, instead of area and perimeter")
    area: Area | None = Field(None, description="of the cross-section")
    perimeter: Extent | None = Field(None, description="of the cross-section; without it the piece has no side")
    material: MaterialName | None = Field(None, description="name of its material; open until stated")

    @model_validator(mode="after")
    def _has_section(self) -> Piece:
        if (self.diameter is None) == (self.area is None):
            raise complain("say its cross-section once: 'diameter', or 'area' and 'perimeter'")
        if self.diameter is not None and self.perimeter is not None:
            raise complain("a diameter says the perimeter too; remove one of the two")
        if self.perimeter is not None and self.area is not None:
            least = 2 * np.sqrt(np.pi * self.area.si)
            if self.perimeter.si < least * (1 - 1e-9):
                raise complain(
                    f"no cross-section of that area has so short a perimeter; a round one has {least * 1e3:.6g} mm"
                )
        return self

    @property
    def cross_section(self) -> float:
        """Area of the cross-section, m²."""
        if self.diameter is not None:
            return float(np.pi / 4 * self.diameter.si**2)
        return self.area.si if self.area is not None else 0.0

    @property
    def round_about(self) -> float:
        """Perimeter of the cross-section, m; 0 where the piece has no side."""
        if self.diameter is not None:
            return float(np.pi * self.diameter.si)
        return self.perimeter.si if self.perimeter is not None else 0.0


class Rod(BodyPart):
    """A chain of straight pieces along x in which the temperature is even across."""

    coordinates: ClassVar[str] = "x"
    heat_basis: ClassVar[str] = "whole rod"
    drawn: ClassVar[bool] = False
    partable: ClassVar[bool] = False
    title: ClassVar[str] = "rod along x"
    kind: Literal["rod"]
    pieces: dict[Name, Piece] = Field(min_length=1, description="from the start of the rod to its end")

    @property
    def regions(self) -> Mapping[str, AnyRegion]:
        """Regions drawn as shapes: none."""
        return {}

    @property
    def lengths(self) -> list[Quantity]:
        """Lengths and diameters of its pieces."""
        stated = [each for piece in self.pieces.values() for each in (piece.length, piece.diameter)]
        return [length for length in stated if length is not None]

    @property
    def fillings(self) -> dict[str, Filling]:
        """What each piece is made of."""
        return {
            name: Filling(piece.material, False, ("body", "pieces", name, "material"))
            for name, piece in self.pieces.items()
        }


class Group(Part):
    """A named group of cells of a mesh file."""

    material: MaterialName | None = Field(None, description="name of its material; open until stated")
    direction: Direction | None = Field(None, description="in which its material conducts as 'along'; else along x")


class Imported(BodyPart):
    """A body read from a mesh file, with its named groups as regions and surfaces."""

    coordinates: ClassVar[str] = "xyz"
    heat_basis: ClassVar[str] = "whole body"
    drawn: ClassVar[bool] = False
    partable: ClassVar[bool] = False
    title: ClassVar[str] = "from a mesh file"
    kind: Literal["imported"]
    file: str = Field(min_length=1, description="path of the mesh file, from the folder of the case")
    unit: Extent = Field(description="the length that 1 stands for in the file, such as '1 mm'")
    depth: Extent | None = Field(None, description="of a plane mesh; 1 m when nothing is said")
    groups: dict[str, Group] = Field(default_factory=dict, description="what each group of cells is made of")

    @property
    def files(self) -> tuple[str, ...]:
        """The mesh file."""
        return (self.file,)

    @property
    def regions(self) -> Mapping[str, AnyRegion]:
        """Regions drawn as shapes: none."""
        return {}

    @property
    def fillings(self) -> dict[str, Filling]:
        """What each group is made of, as far as it is stated."""
        return {
            name: Filling(group.material, False, ("body", "groups", name, "material"), group.direction)
            for name, group in self.groups.items()
        }


Body = Annotated[Section | TurnedSection | Stacked | TurnedSolid | Rod | Imported, Field(discriminator="kind")]
#: What sides of plane shapes are called when they are looked down on, where bottom and top are those in z.
PLAN_SIDES = MappingProxyType({"bottom": "front", "top": "back"})


def without_materials(part: Any) -> Any:
    """Return a part with every material and its direction left open, as what shape it has does not depend on them."""
    if isinstance(part, Part):
        changed: dict[str, Any] = {name: without_materials(getattr(part, name)) for name in type(part).model_fields}
        changed |= {key: None for key in ("material", "direction") if key in changed}
        return part.model_copy(update=changed)
    if isinstance(part, Mapping):
        return {name: without_materials(entry) for name, entry in part.items()}
    return part


#: Every kind of body by its name.
BODIES: Mapping[str, type[BodyPart]] = MappingProxyType(
    {str(get_args(kind.model_fields["kind"].annotation)[0]): kind for kind in get_args(get_args(Body)[0])}
)
