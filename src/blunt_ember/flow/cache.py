"""Results of recent steps, kept by what they depend on, up to a size in memory."""

from __future__ import annotations

from collections import Counter, OrderedDict
from collections.abc import Callable, Iterator, Mapping
from dataclasses import fields, is_dataclass
from enum import Enum
from functools import cache
from typing import Any, TypeVar

import numpy as np
from scipy import sparse

from blunt_ember.immutable import immutable

Result = TypeVar("Result")

#: Bytes of arrays that are kept.
CAPACITY = 1_500_000_000
#: Results that stay whatever they take: those of the case at hand.
_ALWAYS = 12
#: Types of most values, which hold no array.
_PLAIN = frozenset({str, int, float, bool, type(None)})


class Step(Enum):
    """The steps of the flow whose results are kept."""

    GEOMETRY = "geometry"
    MESH = "mesh"
    SPLIT_MESH = "mesh split at joints"
    CHAMBER = "what surfaces see of each other"
    SHARING = "how surfaces share heat"
    PREPARED = "what solving on a mesh was made ready with"
    PROBLEM = "problem"
    SOLUTION = "solution"
    HEAT = "heat flows"
    COUPLING = "what couples environments"
    REQUEST = "what a run needs"
    RUN = "run"
    ANSWERS = "answers"
    SECOND_METHOD = "what another method than meshes finds"


#: Steps of which fewer are kept: each run holds its fields on disk, what is prepared factors and spaces.
_MOST = {Step.RUN: 4, Step.PREPARED: 2}

StepKey = tuple[Step, str]


@immutable
class _Kept:
    value: Any
    #: Bytes by the identity of every array that the value holds.
    arrays: Mapping[int, int]


class StepCache:
    """Results by step and key, the least recently used given up first; arrays that results share count once."""

    def __init__(self, capacity: int = CAPACITY) -> None:
        self._capacity = capacity
        self._kept: OrderedDict[StepKey, _Kept] = OrderedDict()
        self._holders: Counter[int] = Counter()
        #: Bytes of all arrays that are kept.
        self.size = 0

    def get(self, step: Step, key: str, make: Callable[[], Result]) -> Result:
        """Return the result of a step, made where it is not kept."""
        place = (step, key)
        if place not in self._kept:
            self.put(step, key, make())
        self._kept.move_to_end(place)
        kept: Result = self._kept[place].value
        return kept

    def put(self, step: Step, key: str, value: Any) -> None:
        """Keep a result, and give up old ones where there is no room."""
        self._drop((step, key))
        kept = _Kept(value, dict(_arrays_in(value)))
        for array, size in kept.arrays.items():
            if not self._holders[array]:
                self.size += size
            self._holders[array] += 1
        self._kept[step, key] = kept
        if step in _MOST:
            for place in [place for place in self._kept if place[0] is step][: -_MOST[step]]:
                self._drop(place)
        while self.size > self._capacity and len(self._kept) > _ALWAYS:
            self._drop(next(iter(self._kept)))

    def known(self, step: Step, key: str) -> bool:
        """Tell whether a result is kept."""
        return (step, key) in self._kept

    def __len__(self) -> int:
        return len(self._kept)

    def _drop(self, place: StepKey) -> None:
        gone = self._kept.pop(place, None)
        for array, size in gone.arrays.items() if gone is not None else ():
            self._holders[array] -= 1
            if not self._holders[array]:
                del self._holders[array]
                self.size -= size


def _arrays_in(whole: Any) -> Iterator[tuple[int, int]]:
    """The identity and bytes of every array in a result."""
    seen: set[int] = set()
    waiting = [whole]
    while waiting:
        value = waiting.pop()
        kind = type(value)
        if kind in _PLAIN or id(value) in seen:
            continue
        seen.add(id(value))
        if isinstance(value, np.ndarray):
            owner = value if value.base is None or not isinstance(value.base, np.ndarray) else value.base
            yield id(owner), owner.nbytes
        elif isinstance(value, list | tuple):
            waiting += value
        elif sparse.issparse(value):
            waiting += vars(value).values()
        elif is_dataclass(value) and not isinstance(value, type):
            waiting += [getattr(value, name) for name in _names(type(value))]
        elif isinstance(value, Mapping):
            waiting += value.values()


@cache
def _names(kind: type[Any]) -> tuple[str, ...]:
    """The fields of a dataclass."""
    return tuple(field.name for field in fields(kind))
