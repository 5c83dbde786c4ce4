"""What a line says of a body, layer by layer and size by size, and what is made of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field
from typing import Any

from blunt_ember.immutable import immutable


@immutable
class NotedLayer:
    """A layer: its name, thickness (empty where none is said), the name of its material or None, and the heat per
    volume that arises in it, if any."""

    name: str
    thickness: str
    material: str | None
    heat: str = ""


#: Words for the first and the last face of layers, whichever way they lie: the hot one, T1, the one within.
FIRST_FACE = ("hot", "one", "first", "t1", "t_1", "t_in", "t_i", "ti", "t_hot", "thot")
LAST_FACE = ("cold", "second", "t2", "t_2", "t_out", "t_o", "t_e", "te", "t_cold", "tcold")
#: The same where they stand side by side.
ON_THE_LEFT, ON_THE_RIGHT = ("left", "t_left", "tleft"), ("right", "t_right", "tright")
#: Words for the root of what stands on it.
BASE = ("tb", "t_b", "t_base")
#: Under what sizes are kept that are tied by x in their order, and those tied by ``to``.
ROW, SPAN = "x", "to"


class NotedSizes:
    """Sizes of a body by the word for each, or by :data:`ROW` and :data:`SPAN`; knows which of them a body asked for,
    as one that no body takes must not be passed over."""

    def __init__(self, stated: Mapping[str, tuple[str, ...]]) -> None:
        self._stated = stated
        self._taken: set[str] = set()

    def take(self, *words: str) -> str | None:
        """The size called by the first of the words that is stated."""
        found = next((word for word in words if word in self._stated), None)
        return self.row(found)[0] if found is not None else None

    def has(self, *words: str) -> bool:
        """Whether a size is called by one of the words."""
        return any(word in self._stated for word in words)

    def row(self, key: str) -> tuple[str, ...]:
        """The sizes kept under a key; none where there are none."""
        self._taken.add(key)
        return self._stated.get(key, ())

    def radius(self, *names: str) -> str | None:
        """The radius told by ``r``, or by half of a diameter called one of ``names``."""
        stated = self.take("r")
        if stated is not None:
            return stated
        across = self.take(*names)
        return f"{across}/2" if across is not None else None

    @property
    def left_over(self) -> list[str]:
        """The keys of what no body asked for."""
        return [key for key in self._stated if key not in self._taken]


@immutable
class NotedBody:
    """A body of a case, the sides a line may name, in the order in which unnamed statements take them, and questions.

    ``sides`` gives the surfaces by the words for them; ``order`` are words, the last of which takes all that is left.
    ``exact`` and ``exact_in_time`` name the solutions that hold for it, steady and in time; empty where none does.
    ``parameters`` are sizes that several of its regions share; ``lacks`` is what the line should still say of it.
    """

    data: dict[str, Any]
    sides: Mapping[str, tuple[str, ...]]
    order: tuple[str, ...]
    questions: list[dict[str, Any]]
    exact: str = ""
    exact_in_time: str = ""
    parameters: Mapping[str, str] = field(default_factory=dict)
    lacks: tuple[str, ...] = ()
    #: Whether it goes on without end, so that how deep it is drawn follows from the clock.
    endless: bool = False


class NotEnoughError(Exception):
    """What is missing of a body before it can be drawn, in the words of an analyst."""


#: Makes a body of its layers and sizes; raises :class:`NotEnoughError`.
MakesBody = Callable[[Sequence[NotedLayer], NotedSizes], NotedBody]


def filled(layer: NotedLayer) -> dict[str, Any]:
    """Return what fills the region of a layer."""
    return {"material": layer.material} if layer.material is not None else {}
