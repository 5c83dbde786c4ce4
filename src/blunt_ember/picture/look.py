"""How the body is looked at: through which lens, from where, and how what it shows is coloured."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from blunt_ember.immutable import immutable

Over = Literal["arrows", "flow lines", ""]


@immutable
class CutPlane:
    """A plane through a solid: across x, y or z (``axis`` 0, 1 or 2) at a place ``at`` in m."""

    axis: int
    at: float
    #: Whether the side of lesser coordinates is kept where it opens the body, instead of that of greater ones.
    flipped: bool = False


@immutable
class MirrorPlane:
    """A plane of symmetry across ``axis`` at its lower or upper end of the body."""

    axis: int
    upper: bool

    @property
    def name(self) -> str:
        """What it is called."""
        return f"mirrored at the {'greatest' if self.upper else 'least'} {'xyz'[self.axis]}"


@immutable
class Whole:
    """What is drawn beyond what is solved: mirror images, and of a section its depth or its turn."""

    mirrors: tuple[MirrorPlane, ...] = ()
    deep: bool = False

    def __bool__(self) -> bool:
        return bool(self.mirrors or self.deep)


@immutable
class Look:
    """How the body is looked at: through which lens, at which ``part`` of what it shows, and how that is coloured.

    ``low`` and ``high`` in SI narrow the range that is coloured; what lies outside fades, or with ``vanish`` is not
    drawn. ``whole_run`` colours temperatures of a run over the range of all of it. ``cuts`` are planes through a solid:
    a single one opens it, of several only what lies on them is drawn; the one across ``flat`` is drawn alone, as a flat
    picture. ``over`` is what shows which way the heat goes, ``whole`` what is drawn beyond what is solved.
    """

    lens: str = "Temperature"
    part: str = ""
    bands: bool = False
    log: bool = False
    low: float | None = None
    high: float | None = None
    vanish: bool = False
    marks: bool = False
    whole_run: bool = True
    cuts: tuple[CutPlane, ...] = ()
    flat: int | None = None
    over: Over = "arrows"
    whole: Whole = Whole()

    @property
    def face(self) -> CutPlane | None:
        """The plane that is drawn alone."""
        return next((plane for plane in self.cuts if plane.axis == self.flat), None)


def widened(look: Look) -> Look:
    """Return a look over the whole range again."""
    return replace(look, low=None, high=None)
