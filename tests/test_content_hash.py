"""Values of one content share a hash; any difference that counts changes it."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.values.quantity import stated
from blunt_ember.case.values.units import LENGTH
from blunt_ember.content_hash import content_hash

SAME: list[tuple[Any, Any]] = [
    (stated("114 mm", LENGTH), stated("0.114 m", LENGTH)),
    ({"a": 1, "b": 2.0}, {"a": 1, "b": 2.0}),
    (np.arange(6.0).reshape(2, 3), np.arange(6.0).reshape(2, 3).copy(order="F")),
    ((1, (2,)), (1, (2,))),
]
DIFFERENT: list[tuple[Any, Any]] = [
    (stated("114 mm", LENGTH), stated("115 mm", LENGTH)),
    ((1, 2), (12,)),
    (("ab", "c"), ("a", "bc")),
    (1, 1.0),
    ([1], (1,)),
    (np.zeros(3), np.zeros(4)),
    (np.zeros(3), np.zeros(3, dtype=np.float32)),
    (np.zeros((2, 3)), np.zeros((3, 2))),
    ({"a": None}, {"a": 0}),
    ((("a",), "b"), ("a", ("b",))),
]


@pytest.mark.parametrize(("one", "other"), SAME)
def test_the_same_content_gives_the_same_hash(one: Any, other: Any) -> None:
    assert content_hash(one) == content_hash(other)


@pytest.mark.parametrize(("one", "other"), DIFFERENT)
def test_other_content_gives_another_hash(one: Any, other: Any) -> None:
    assert content_hash(one) != content_hash(other)
