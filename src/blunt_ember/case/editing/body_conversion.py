"""One kind of body made into another: the same shapes, deep, turned, or piled up."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.document.bodies import PLAN_SIDES
from blunt_ember.case.document.clock import READ_KEYS
from blunt_ember.case.editing.edits import with_surfaces_mapped
from blunt_ember.errors import BluntEmberError

#: Kinds made of plane shapes, which can be made into each other.
SHAPED = ("section", "turned section", "stacked", "turned solid")


def with_body_kind(case: Case, kind: str) -> Case:
    """Return the case with its shapes made into a body of another kind of :data:`SHAPED`.

    A section becomes a stacked body as high as it was deep and the other way round; sides of rectangles that are called
    otherwise there, and places that have more or fewer coordinates, follow. Raises
    :class:`BluntEmberError` when something stated has no place in the new body.
    """
    body = case.data["body"]
    old = str(body["kind"])
    if old not in SHAPED or kind not in SHAPED:
        raise BluntEmberError(f"a body of kind '{old}' cannot be made into one of kind '{kind}'")
    if kind == old:
        return case
    heights = {tuple(region.z or ()) for region in case.document.body.regions.values()}
    if old == "stacked" and (len(heights) > 1 or () in heights):
        raise BluntEmberError(
            "its regions stand at different heights, which no plane shape does; give them one height first"
        )
    depth = body.get("depth", "1 m") if old == "section" else "100 mm"
    first: dict[str, Any] = next(iter(body["regions"].values()), {})
    if old == "stacked" and "z" in first:
        depth = f"{first['z'][1]} - ({first['z'][0]})" if first["z"][0] not in ("0 m", "0 mm") else first["z"][1]
    made: dict[str, Any] = {"kind": kind}
    if kind == "section":
        made["depth"] = depth
    if kind == "turned solid":
        made["angle"] = "360 deg"
    made["regions"] = {
        name: {key: entry for key, entry in region.items() if key not in ("z", "levels")}
        | ({"z": ["0 mm", depth]} if kind == "stacked" else {})
        for name, region in body["regions"].items()
    }
    data = {**case.data, "body": made}
    if "stacked" in (old, kind):
        names = PLAN_SIDES if kind == "stacked" else {new: name for name, new in PLAN_SIDES.items()}

        def renamed(surface: str) -> str:
            owner, dot, side = surface.rpartition(".")
            return f"{owner}.{names.get(side, side)}" if dot and "|" not in surface else surface

        data = with_surfaces_mapped(data, renamed)
    solid = {name: name in ("stacked", "turned solid") for name in (old, kind)}
    if solid[old] != solid[kind]:
        between = "0 mm" if kind != "stacked" else f"({depth})/2"
        data = _places_mapped(data, lambda place: [*place[:2], between] if solid[kind] else place[:2])
    return case.restated(data)


def _places_mapped(data: dict[str, Any], change: Callable[[list[Any]], list[Any]]) -> dict[str, Any]:
    """Return the data with every place that is read or refined changed."""

    def line(entry: Any) -> Any:
        return {key: change(place) for key, place in entry.items()} if isinstance(entry, dict) else entry

    def asked(question: dict[str, Any]) -> dict[str, Any]:
        return {
            key: change(entry)
            if key == "temperature"
            else asked(entry)
            if key in ("when", "until")
            else line(entry)
            if key in READ_KEYS
            else entry
            for key, entry in question.items()
        }

    data = dict(data)
    if "questions" in data:
        data["questions"] = [asked(question) for question in data["questions"]]
    if isinstance(data.get("clock"), dict):
        data["clock"] = asked(data["clock"])
        if "stages" in data["clock"]:
            data["clock"]["stages"] = [asked(stage) for stage in data["clock"]["stages"]]
    if "surfaces" in data:
        data["surfaces"] = {
            name: {key: change(entry) if key in ("start", "end") else entry for key, entry in part.items()}
            if isinstance(part, dict)
            else part
            for name, part in data["surfaces"].items()
        }
    if "heat_inside" in data:
        data["heat_inside"] = [
            {
                key: change(entry) if key == "at" else line(entry) if key == "along" else entry
                for key, entry in source.items()
            }
            for source in data["heat_inside"]
        ]
    local = data.get("mesh", {}).get("local")
    if local:
        places = [{**entry, "at": change(entry["at"])} if "at" in entry else entry for entry in local]
        data["mesh"] = {**data["mesh"], "local": places}
    return data
