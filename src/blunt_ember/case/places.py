"""Places and lines in a body, as a case states them."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from blunt_ember.case.parts import Part
from blunt_ember.case.quantity import Length

#: A place: as many coordinates as the body has, x, then y, then z.
Place = Annotated[tuple[Length, ...], Field(min_length=1, max_length=3)]


class Line(Part):
    """A straight line through the body."""

    start: Place
    end: Place
