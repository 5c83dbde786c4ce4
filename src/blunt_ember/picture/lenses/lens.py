"""What every lens says of itself."""

from __future__ import annotations

from collections.abc import Callable

from blunt_ember.flow.outcome import Outcome
from blunt_ember.immutable import immutable
from blunt_ember.picture.lenses.field import Field


@immutable
class Lens:
    """A way to look at the body, by its ``name``.

    ``parts`` are what of it can be chosen, the first is shown when nothing is. ``field`` is what it shows of a part of
    a solved outcome; a lens without one fills regions by their material.
    """

    name: str
    field: Callable[[Outcome, str], Field | None] | None = None
    parts: Callable[[Outcome], tuple[str, ...]] = lambda outcome: ()
    #: Whether the edges of cells are drawn, and surfaces on which nothing is stated are marked.
    cells: bool = False
    unstated: bool = False
    #: Whether the materials are named beside the body.
    materials: bool = False
    #: Whether arrows and lines may be drawn over it, which want smooth edges.
    smooth: bool = False
    #: Whether it shows nothing while it has no parts.
    wants_parts: bool = False
    #: Whether it is offered only where it has parts.
    seldom: bool = False
