"""What can be done with a region beside its own values: its order, its place, a copy, its levels, one around all."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, TypeVar

import numpy as np

from blunt_ember.case.case import Case
from blunt_ember.case.editing.arranging import copied, moved_in_order, placed, put_first, with_level, with_levels_of
from blunt_ember.case.editing.edits import value_at
from blunt_ember.errors import DataPath
from blunt_ember.geometry.placing import box_of, place_of, placed_regions
from blunt_ember.sentences.parts import Choice, Edit, Option

Key = TypeVar("Key")
#: By what share of the size of all that is there a region around it is larger on each side.
_AROUND = 0.1


def more_of_region(case: Case, path: DataPath) -> Choice:
    """Return the word behind a region that opens what else can be done with it."""
    name, regions = str(path[2]), list(case.document.body.regions)
    region, options = case.document.body.regions[name], list[Option]()
    if regions[0] != name:
        options.append(
            Option("earlier: gives way to the one before (Alt+Up)", lambda now: moved_in_order(now, name, -1))
        )
    if regions[-1] != name:
        options.append(Option("later: takes from the one behind (Alt+Down)", lambda now: moved_in_order(now, name, 1)))
    options.append(Option("a copy of it, on its right", lambda now: copied(now, name)))
    if region.at is None:
        options.append(Option("at x, y", _at(name)))
    if case.document.body.piled:
        has_levels = bool(region.levels)
        one = "a level" if has_levels else "a second level"
        options.append(Option(f"{one} on top", lambda now: with_level(now, name, "top")))
        options.append(Option(f"{one} below", lambda now: with_level(now, name, "bottom")))
        options += [
            Option(f"in the levels of {other}", _in_levels_of(name, other))
            for other in regions
            if other != name and case.document.body.regions[other].levels
        ]
    return Choice(f"more {name}", "and …", tuple(options), "link")


def around_all(case: Case) -> Option:
    """Return what adds a rectangle around all that is there, which keeps what it takes."""

    def change(now: Case) -> Case:
        boxes = [box_of(pieces) for pieces in placed_regions(now.document.body.regions)]
        low, high = np.min(boxes, axis=0)[:2], np.max(boxes, axis=0)[2:]
        by = _round(_AROUND * float((high - low).max()))
        at, size = low - by, high - low + 2 * by
        region = {"shape": "rectangle", "at": _lengths(at), "size": _lengths(size)}
        if now.data["body"]["kind"] == "stacked":
            region["z"] = whole_height(now)
        return put_first(now, "around", region)

    return Option("around all that is there", change)


def own_size(case: Case, other: str) -> list[str] | None:
    """Return the size a region beside another may take from it: its values, so that neither follows the other by a
    parameter nobody chose."""
    size = value_at(case.data, ("body", "regions", other, "size"))
    return list(own_values(case, dict(enumerate(size))).values()) if isinstance(size, list) else None


def own_values(case: Case, stated: Mapping[Key, Any]) -> dict[Key, Any]:
    """Return what is stated with the values of parameters in place of their names alone."""
    known = case.data.get("parameters", {})
    return {
        key: known.get(each.strip(), each) if isinstance(each, str) and key != "material" else each
        for key, each in stated.items()
    }


def whole_height(case: Case) -> list[str]:
    """Return from where to where in z all regions of a stacked body stand together."""
    spans = [
        span
        for region in case.document.body.regions.values()
        for span in ([region.z] if region.z is not None else [level.z for level in (region.levels or {}).values()])
    ]
    low, high = min(span[0].si for span in spans), max(span[1].si for span in spans)
    return _lengths(np.array([low, high]))


def _at(name: str) -> Edit:
    def change(now: Case) -> Case:
        return placed(now, name, {"at": _lengths(place_of(now.document.body.regions, name))})

    return change


def _in_levels_of(name: str, other: str) -> Callable[[Case], Case]:
    return lambda now: with_levels_of(now, name, other)


def _round(length: float) -> float:
    """A length of one digit, m."""
    power = 10.0 ** np.floor(np.log10(max(length, 1e-12)))
    return float(np.round(length / power) * power)


def _lengths(values: np.typing.NDArray[np.float64]) -> list[str]:
    return [f"{1000 * value:.10g} mm" for value in values.tolist()]
