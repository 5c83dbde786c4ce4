"""Values that never change behave as the frozen dataclasses of the standard library do."""

from __future__ import annotations

import copy
import pickle
from collections.abc import Callable
from dataclasses import FrozenInstanceError, asdict, dataclass, field, fields, replace
from functools import cached_property
from typing import Any, ClassVar

import pytest

from blunt_ember.immutable import immutable

Made = Callable[[type], type]


def _probe(made: Made) -> type:
    """A class with every sort of field, made by one decorator or the other."""

    class Base:
        """A base."""

        kind: ClassVar[str] = "probe"
        length: float
        names: list[str] = field(default_factory=list, compare=False)
        count: int = 3
        hidden: int = field(default=4, repr=False)
        fixed: int = field(init=False, default=7)
        stamp: list[int] = field(init=False, default_factory=lambda: [1], compare=False)

        def __post_init__(self) -> None:
            if self.length < 0:
                raise ValueError("negative")

        @cached_property
        def twice(self) -> float:
            return 2 * self.length

    class Probe(made(Base)):
        """A class derived of one."""

        count: int = 5
        more: str = "x"

    return made(Probe)


OURS, THEIRS = _probe(immutable), _probe(dataclass(frozen=True))


@pytest.mark.parametrize(
    "asked",
    [
        lambda made: repr(made(1.5, ["a"], more="y")),
        lambda made: asdict(made(1.5, ["a"])),
        lambda made: [(each.name, each.init, each.compare) for each in fields(made)],
        lambda made: made(1.5, ["a"]) == made(1.5, ["b"]),
        lambda made: made(1.5) == made(1.5, hidden=5),
        lambda made: made(1.5) == made.__base__(1.5),
        lambda made: made(1.5) != (1.5, [], 5, 4, 7, [1], "x"),
        lambda made: hash(made(1.5, ["a"])) == hash(made(1.5, ["b"])),
        lambda made: hash(made(1.5)) == hash(made(1.5, count=6)),
        lambda made: made(1.5).names is made(1.5).names,
        lambda made: (made(1.5).twice, made.kind, made(1.5).stamp),
        lambda made: asdict(replace(made(1.5), length=2.0, more="z")),
        lambda made: asdict(copy.deepcopy(made(1.5, ["a"]))),
        lambda made: made.__match_args__,
    ],
)
def test_a_value_answers_as_a_frozen_dataclass_does(asked: Callable[[Any], Any]) -> None:
    assert asked(OURS) == asked(THEIRS)


@pytest.mark.parametrize(
    "done",
    [
        lambda made: made(),
        lambda made: made(1.0, unknown=2),
        lambda made: made(1.0, [], 3, 4, "x", 6),
        lambda made: made(-1.0),
        lambda made: setattr(made(1.0), "length", 2.0),
        lambda made: setattr(made(1.0), "more", "y"),
        lambda made: delattr(made(1.0), "length"),
        lambda made: replace(made(1.0), fixed=8),
    ],
)
def test_a_value_refuses_what_a_frozen_dataclass_refuses(done: Callable[[Any], Any]) -> None:
    said = []
    for made in (OURS, THEIRS):
        with pytest.raises((TypeError, ValueError, FrozenInstanceError)) as refusal:
            done(made)
        said.append((type(refusal.value), str(refusal.value)))
    assert said[0] == said[1]


@immutable
class _Sent:
    name: str
    size: int = 2

    def __repr__(self) -> str:
        return f"<{self.name}>"


def test_a_value_is_sent_to_another_process_and_keeps_the_methods_it_writes_itself() -> None:
    sent = pickle.loads(pickle.dumps(_Sent("rod", 5)))
    assert (sent, repr(sent), sent in {_Sent("rod", 5)}) == (_Sent("rod", 5), "<rod>", True)


@immutable
class _Nothing:
    """Has no fields."""


def test_values_without_fields_are_equal() -> None:
    assert (_Nothing(), hash(_Nothing())) == (_Nothing(), hash(()))
