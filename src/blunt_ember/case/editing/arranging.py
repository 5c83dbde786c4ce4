"""Regions put in another order, copied, placed otherwise, and parted in levels."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from blunt_ember.case.case import Case
from blunt_ember.case.document.regions import CONCENTRIC, SIDES_BESIDE
from blunt_ember.case.editing.edits import free_name, with_value
from blunt_ember.case.editing.references import ON_THE_BODY, with_names_changed

PLACES = ("at", *SIDES_BESIDE, *CONCENTRIC)
#: What a level states where a region that is not parted states it itself.
_OF_LEVELS = ("z", "material", "direction", "void")
#: How high a new level is.
_NEW_LEVEL = "50 mm"


def moved_in_order(case: Case, name: str, by: int) -> Case:
    """Return the case with a region so many places later; a later one takes what it shares with those before."""
    regions = dict(case.data["body"]["regions"])
    order = list(regions)
    place = order.index(name)
    order.insert(max(0, min(place + by, len(order) - 1)), order.pop(place))
    return with_value(case, ("body", "regions"), {each: regions[each] for each in order})


def copied(case: Case, name: str) -> Case:
    """Return the case with a copy of a region to its right, all else as it is there."""
    regions = case.data["body"]["regions"]
    kept = {key: entry for key, entry in regions[name].items() if key not in PLACES}
    return with_value(case, ("body", "regions", free_name(name, regions)), {**kept, "right_of": name})


def placed(case: Case, name: str, where: Mapping[str, Any]) -> Case:
    """Return the case with a region placed as ``where`` says, in place of how it was."""
    region = {key: entry for key, entry in case.data["body"]["regions"][name].items() if key not in PLACES}
    return with_value(case, ("body", "regions", name), {**region, **where})


def put_first(case: Case, name: str, region: Mapping[str, Any]) -> Case:
    """Return the case with a new region before all others, which keep what they take."""
    regions = case.data["body"]["regions"]
    return with_value(case, ("body", "regions"), {free_name(name, regions): dict(region), **regions})


def with_levels_of(case: Case, name: str, other: str) -> Case:
    """Return the case with a region parted in the levels of another one."""
    region = {key: entry for key, entry in case.data["body"]["regions"][name].items() if key not in _OF_LEVELS}
    return with_value(
        case, ("body", "regions", name), {**region, "levels": case.data["body"]["regions"][other]["levels"]}
    )


def with_level(case: Case, name: str, side: Literal["top", "bottom"]) -> Case:
    """Return the case with one more level on the top or under the bottom of a region; statements on what was its end
    go to the end of the new one."""
    region = case.data["body"]["regions"][name]
    levels = dict(region.get("levels", {}))
    had = bool(levels)
    if not levels:  # what filled the region becomes its first level
        levels["level"] = {key: region[key] for key in _OF_LEVELS if key in region}
    new = free_name("level", levels)
    if side == "top":
        next_to = list(levels)[-1]
        end = levels[next_to]["z"][1]
        levels[new] = {"z": [end, f"{end} + {_NEW_LEVEL}"]}
    else:
        next_to = next(iter(levels))
        end = levels[next_to]["z"][0]
        levels = {new: {"z": [f"{end} - {_NEW_LEVEL}", end]}, **levels}
    before = f"{name}.{next_to}" if had else name

    def surface(known: str) -> str:
        if known == f"{before}.{side}":
            return f"{name}.{new}.{side}"
        if had:
            return known
        return "|".join(
            f"{name}.{next_to}{each[len(name) :]}" if each == name or each.startswith(f"{name}.") else each
            for each in known.split("|")
        )

    data = with_names_changed(case.data, ON_THE_BODY, surface)
    plain = {key: entry for key, entry in region.items() if key not in _OF_LEVELS}
    regions = {**data["body"]["regions"], name: {**plain, "levels": levels}}
    return case.restated({**data, "body": {**data["body"], "regions": regions}})
