"""Places and lines in a body, as a case states them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal, TypeGuard

from pydantic import Field, model_validator

from blunt_ember.case.document.parts import Part, complain
from blunt_ember.case.values.quantity import Extent, Length
from blunt_ember.case.values.references import IsPlace, SurfaceName

#: A place: as many coordinates as the body has, x, then y, then z.
Place = Annotated[tuple[Length, ...], Field(min_length=1, max_length=3), IsPlace()]


#: A surface by its name, or several that are asked about together.
SurfaceNames = str | Sequence[str]


def is_several(target: Any) -> TypeGuard[tuple[str, ...]]:
    """Tell whether what is asked about are several surfaces by their names."""
    return isinstance(target, tuple) and all(isinstance(name, str) for name in target)


class StraightLine(Part):
    """A straight line through the body."""

    start: Place
    end: Place


class Line(Part):
    """A line that is read along: straight, along an edge, round a circle, or from one surface to another.

    Round a circle it goes counter-clockwise from where x is greatest; in a solid as seen from the end of the axis it
    lies across, from where the next of x, y, z is greatest. From surface to surface it begins in the middle of the
    first and goes straight to the nearest place of the second.
    """

    start: Place | None = Field(None, description="where a straight line begins")
    end: Place | None = Field(None, description="where a straight line ends")
    edge: SurfaceName | list[SurfaceName] | None = Field(
        None, description="surface of a section it runs along, or the two surfaces of a solid that meet in it"
    )
    centre: Place | None = Field(None, description="centre of a circle")
    radius: Extent | None = Field(None, description="radius of a circle")
    across: Literal["x", "y", "z"] | None = Field(None, description="axis a circle in a solid lies across; else z")
    between: list[SurfaceName] | None = Field(None, description="two surfaces, from the first to the second")

    @model_validator(mode="after")
    def _one_way(self) -> Line:
        ways = {
            "start": self.start or self.end,
            "edge": self.edge,
            "centre": self.centre or self.radius or self.across,
            "between": self.between,
        }
        said = [way for way, value in ways.items() if value is not None]
        if len(said) != 1:
            raise complain(
                "say one line: from 'start' to 'end', along an 'edge', round a 'centre' with a 'radius', or 'between' "
                "two surfaces"
            )
        if said == ["start"] and (self.start is None or self.end is None):
            raise complain("a straight line has a 'start' and an 'end'")
        if said == ["centre"] and (self.centre is None or self.radius is None):
            raise complain("a circle has a 'centre' and a 'radius'")
        if isinstance(self.edge, list) and len(self.edge) != 2:
            raise complain("an edge of a solid is where two surfaces meet; name both")
        if self.between is not None and len(self.between) != 2:
            raise complain("a line runs between two surfaces; name both")
        return self

    @property
    def surfaces(self) -> tuple[str, ...]:
        """Surfaces it is laid by."""
        if self.edge is not None:
            return (self.edge,) if isinstance(self.edge, str) else tuple(self.edge)
        return tuple(self.between or ())

    @property
    def words(self) -> str:
        """The line in words, to stand behind ``temperature``."""
        if self.edge is not None:
            return (
                f"along {' and '.join(self.surfaces)}"
                if len(self.surfaces) < 2
                else (f"along the edge of {self.surfaces[0]} and {self.surfaces[1]}")
            )
        if self.between is not None:
            return f"from {self.between[0]} to {self.between[1]}"
        if self.centre is not None and self.radius is not None:
            middle = ", ".join(place.text for place in self.centre)
            across = f", across {self.across}" if self.across is not None else ""
            return f"round ({middle}) at {self.radius.text}{across}"
        assert self.start is not None and self.end is not None
        start, end = (", ".join(place.text for place in point) for point in (self.start, self.end))
        return f"from ({start}) to ({end})"

    @property
    def places(self) -> dict[str, Place]:
        """The places it is laid by, by their keys."""
        return {key: place for key in ("start", "end", "centre") if (place := getattr(self, key)) is not None}
