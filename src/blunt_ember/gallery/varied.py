"""Every family with other values of its parameters: what is known of one is known of these too."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping

from blunt_ember.case.case import Case
from blunt_ember.gallery.families import FAMILIES

#: A number that a value begins with, and its unit.
_STATED = re.compile(r"(-?\d+(?:\.\d+)?(?:e-?\d+)?)(\s*[^\W\d_][^+*]*|\s*[°%][^+*]*)?")
#: Values become these shares of what they are, spread evenly between by the golden ratio.
_LEAST, _MOST = 0.9, 1.15
_GOLDEN = (5**0.5 - 1) / 2


def varied_cases() -> Iterator[tuple[str, Case]]:
    """Yield (name, case) of every family of which something is known, with other values."""
    for name, family in FAMILIES.items():
        if any("expect" in question for question in family.data["questions"]):
            yield f"{name}, other values", family.case(other_values(family.parameters))


def other_values(parameters: Mapping[str, str]) -> dict[str, str]:
    """Return other values for parameters, each a tenth or so away from its own; counts and formulas stay."""
    others = {}
    for place, (name, text) in enumerate(parameters.items()):
        stated = _STATED.fullmatch(text)
        if stated is None or (stated[2] is None and "." not in stated[1]):
            continue
        share = _LEAST + (_MOST - _LEAST) * ((place + 1) * _GOLDEN % 1)
        others[name] = f"{float(stated[1]) * share:.4g}{stated[2] or ''}"
    return others
