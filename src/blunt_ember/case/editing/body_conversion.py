"""One kind of body made into another: the same shapes, deep, turned, or piled up."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.document.bodies import PLAN_SIDES
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.walk import Leaf, with_leaves
from blunt_ember.case.editing.references import ON_THE_BODY, with_names_changed
from blunt_ember.case.values.references import IsPlace
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
            owner, dot, full = surface.rpartition(".")
            hole, space, last = full.rpartition(" ")
            within, side = (f"{hole} ", last) if space and hole in body["regions"] else ("", full)
            if old == "stacked" and dot and side in ("bottom", "top") and "|" not in surface:
                raise BluntEmberError(
                    f"what is stated on {surface} has no place in a body of kind '{kind}'; take it away first"
                )
            return f"{owner}.{within}{names.get(side, side)}" if dot and "|" not in surface else surface

        data = with_names_changed(data, ON_THE_BODY, renamed)
    solid = {name: name in ("stacked", "turned solid") for name in (old, kind)}
    if solid[old] != solid[kind]:
        between = "0 mm" if kind != "stacked" else f"({depth})/2"
        data = _places_mapped(data, lambda place: [*place[:2], between] if solid[kind] else place[:2])
    return case.restated(data)


def _places_mapped(data: dict[str, Any], change: Callable[[list[Any]], list[Any]]) -> dict[str, Any]:
    """The data with every place that is read or refined changed."""

    def changed(leaf: Leaf) -> Any:
        return change(leaf.data) if leaf.marked(IsPlace) is not None else leaf.data

    made: dict[str, Any] = with_leaves(CaseDocument, data, changed)
    return made
