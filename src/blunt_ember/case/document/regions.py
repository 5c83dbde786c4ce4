"""Regions of a plane or turned section: what shapes there are, and how they are placed and repeated."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, Discriminator, Field, Tag, model_validator

from blunt_ember.case.document.parts import Name, Part, complain
from blunt_ember.case.values.quantity import Angle, Extent, Length, Quantity
from blunt_ember.case.values.references import MaterialName, ShapeName

SIDES_BESIDE = ("right_of", "left_of", "above", "below")
CONCENTRIC = ("around", "inside")

Point = tuple[Length, Length]


def _rising(span: tuple[Quantity, Quantity]) -> tuple[Quantity, Quantity]:
    if span[0].si >= span[1].si:
        raise complain(f"it goes from {span[0].text} to {span[1].text}; the second must be the higher one")
    return span


#: From where to where in z.
Span = Annotated[tuple[Length, Length], AfterValidator(_rising)]


class RadialFrom(Part):
    """A direction that points away from a place in the plan everywhere."""

    radial_from: Point


#: Direction in the plan in which a material's conductivity is the one 'along': an angle from x, or radial.
Direction = Annotated[
    Annotated[Angle, Tag("angle")] | Annotated[RadialFrom, Tag("radial")],
    Discriminator(lambda stated: "radial" if isinstance(stated, dict | RadialFrom) else "angle"),
]


class Repeat(Part):
    """Copies of a region that belong to it: in a row by ``step``, or round a point by ``turn``."""

    count: int = Field(ge=2, le=500, description="how many there are in all")
    step: Point | None = Field(None, description="from one copy to the next")
    turn: Angle | None = Field(None, description="angle from one copy to the next")
    about: Point | None = Field(None, description="point that copies turn about; the origin when nothing is said")

    @model_validator(mode="after")
    def _one_way(self) -> Repeat:
        if (self.step is None) == (self.turn is None):
            raise complain("say how to go from one copy to the next: 'step' or 'turn'")
        return self


class Level(Part):
    """One level of a region of a stacked body."""

    z: Span
    material: MaterialName | None = Field(None, description="name of its material; open until stated")
    direction: Direction | None = Field(None, description="in which its material conducts as 'along'; else along x")
    void: Literal[True] | None = Field(None, description="it is empty: it only cuts earlier regions")

    @model_validator(mode="after")
    def _one_filling(self) -> Level:
        if self.void and self.material is not None:
            raise complain("what is empty has no material; remove 'void' or 'material'")
        return self


class HalfPlane(Part):
    """A straight cut through a region: what lies left of the line, looking along it, is taken away."""

    through: Point = Field(description="a point of the line, from the reference point of the region")
    along: Angle = Field(description="direction of the line from the x axis towards the y axis")


class Region(Part):
    """What every region states beside its shape."""

    at: Point | None = Field(None, description="place of its reference point; the origin when nothing is said")
    right_of: ShapeName | None = Field(None, description="region on whose right this one stands, bottoms level")
    left_of: ShapeName | None = Field(None, description="region on whose left this one stands, bottoms level")
    above: ShapeName | None = Field(None, description="region on which this one lies, left sides level")
    below: ShapeName | None = Field(None, description="region under which this one hangs, left sides level")
    around: ShapeName | None = Field(None, description="region whose centre is this one's too")
    inside: ShapeName | None = Field(None, description="region in whose middle this one sits")
    material: MaterialName | None = Field(None, description="name of its material; open until stated")
    direction: Direction | None = Field(None, description="in which its material conducts as 'along'; else along x")
    void: Literal[True] | None = Field(None, description="it is empty: it only cuts earlier regions")
    cuts: list[HalfPlane] | None = Field(None, min_length=1, max_length=50, description="straight cuts through it")
    repeat: Repeat | None = Field(None, description="copies of it, in a row or round a point")
    z: Span | None = Field(None, description="in a stacked body: from where to where in z")
    levels: dict[Name, Level] | None = Field(
        None, min_length=1, description="in a stacked body: several levels, each of its own material, instead of 'z'"
    )

    @model_validator(mode="after")
    def _placed_once(self) -> Region:
        places = [key for key in ("at", *SIDES_BESIDE, *CONCENTRIC) if getattr(self, key) is not None]
        if len(places) > 1:
            raise complain(f"it is placed twice, by {' and by '.join(repr(p) for p in places)}; keep one")
        if self.void and self.material is not None:
            raise complain("what is empty has no material; remove 'void' or 'material'")
        if self.levels is not None:
            said = [key for key in ("z", "material", "void", "direction") if getattr(self, key) is not None]
            if said:
                raise complain(f"'{said[0]}' belongs to each of its 'levels'; remove it here, or the levels")
        return self

    @property
    def beside(self) -> tuple[str, str] | None:
        """The relation and the region it is placed by, or None when it stands at a point."""
        for relation in (*SIDES_BESIDE, *CONCENTRIC):
            other = getattr(self, relation)
            if other is not None:
                return relation, other
        return None


class Rectangle(Region):
    """A rectangle; its reference point is the lower left corner."""

    shape: Literal["rectangle"]
    size: tuple[Extent, Extent] = Field(description="width and height")


class Disc(Region):
    """A full disc about its centre."""

    shape: Literal["disc"]
    radius: Extent


class Ring(Region):
    """A ring about its centre."""

    shape: Literal["ring"]
    inner: Extent = Field(description="inner radius")
    outer: Extent = Field(description="outer radius")

    @model_validator(mode="after")
    def _has_thickness(self) -> Ring:
        if self.inner.si >= self.outer.si:
            raise complain("its inner radius must be less than its outer one")
        return self


class RingSector(Region):
    """A sector of a ring, or of a disc when there is no inner radius; angles count from the x axis to the y axis."""

    shape: Literal["ring sector"]
    inner: Extent | None = Field(None, description="inner radius; without it the sector reaches the centre")
    outer: Extent = Field(description="outer radius")
    start: Angle
    end: Angle

    @model_validator(mode="after")
    def _has_size(self) -> RingSector:
        if self.inner is not None and self.inner.si >= self.outer.si:
            raise complain("its inner radius must be less than its outer one")
        if not 0 < self.end.si - self.start.si < 6.2831853:
            raise complain("its end must lie behind its start by less than a full turn; a full turn is a 'ring'")
        return self


class RegularPolygon(Region):
    """A regular polygon about its centre."""

    shape: Literal["regular polygon"]
    sides: int = Field(ge=3, le=200)
    radius: Extent = Field(description="from the centre to the corners")
    turn: Angle | None = Field(None, description="angle of the first corner from the x axis")


class Polygon(Region):
    """A closed polygon through points."""

    shape: Literal["polygon"]
    points: list[Point] = Field(min_length=3, max_length=5000)


class Sheet(Region):
    """A thin straight sheet, such as a foil or a shield."""

    shape: Literal["sheet"]
    start: Point = Field(description="where its middle line begins")
    end: Point = Field(description="where it ends")
    thickness: Extent | None = Field(None, description="a thousandth of its length when nothing is said")

    @model_validator(mode="after")
    def _has_length(self) -> Sheet:
        if all(one.si == other.si for one, other in zip(self.start, self.end, strict=True)):
            raise complain("it ends where it starts; move one of its ends")
        return self


class OutlineStep(Part):
    """One piece of an outline: a line to a point, or an arc through another one."""

    to: Point
    through: Point | None = Field(None, description="a point of the arc; without it the piece is straight")
    side: str | None = Field(None, description="name of this side", max_length=40)


class Outline(Region):
    """A closed outline of lines and arcs; the last piece back to the start may be left out when it is straight."""

    shape: Literal["outline"]
    start: Point
    path: list[OutlineStep] = Field(min_length=2, max_length=5000)


AnyRegion = Annotated[
    Rectangle | Disc | Ring | RingSector | RegularPolygon | Polygon | Sheet | Outline, Field(discriminator="shape")
]
