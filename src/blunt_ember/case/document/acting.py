"""How a law of a surface is said: the words of its sentence, its values and what they are called.

Sheet, card, marks on the picture and menus are made from this; a law says it once, beside its field.
"""

from __future__ import annotations

from typing import Any

from blunt_ember.case.values.units import Kind
from blunt_ember.immutable import immutable


@immutable
class StatedValue:
    """A value of a statement: where it stands in it, and what is said of it.

    ``word`` stands before it in the sentence, ``name`` is what it is called by itself. ``over`` are the variables a
    table of it may go over, apart by spaces, place and T when nothing is said; ``table`` is the first of them offered,
    empty for none. ``otherwise`` is said where it may be left open, ``first`` is its value when it is stated then.
    """

    path: tuple[str, ...]
    word: str
    name: str
    hint: str
    kind: Kind
    over: str = ""
    table: str = ""
    otherwise: str = ""
    first: str = ""


@immutable
class Acting:
    """Annotation of a field of a statement that acts together with others on a surface.

    ``offer`` says it alone, as in "meets a fluid"; ``without`` takes it away; ``first`` is what it states at first.
    ``closing`` are words at the end of the sentence, ``together`` those where it is stated on several surfaces.
    """

    offer: str
    without: str
    first: Any
    values: tuple[StatedValue, ...]
    closing: str = ""
    together: str = ""
