"""One more region of a body, noted in a line: ``floor: 800 x 600 x 180 mm at 0, 0, 1 m of concrete``."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import free_name, with_value
from blunt_ember.errors import ExpressionError

_PARTS = re.compile(
    r"\s*(?:(?P<name>[^:]+?)\s*:)?\s*(?P<size>.+?)(?:\s+at\s+(?P<at>.+?))?(?:\s+(?:of\s+(?P<material>.+?)|(?P<void>void)))?\s*"
)
_TIMES = re.compile(r"\s+[x×]\s+|(?<=[\d\w])\s*×\s*|(?<=\d)x(?=\d)")
_BARE = re.compile(r"[-+−]?\d+(?:[.,]\d+)?(?:[eE][-+−]?\d+)?")
_UNIT = re.compile(r"\d+(?:[.,]\d+)?(?:[eE][-+−]?\d+)?\s*(?![eE][-+−]?\d)([^\W\d]+)")


def region_example(stacked: bool) -> str:
    """Return what such a line looks like."""
    return (
        "floor: 800 x 600 x 180 mm at 0, 0, 1000 mm of brick" if stacked else "shelf: 300 x 12 mm at 0, 40 mm of brick"
    )


def with_noted_region(case: Case, typed: str, shelf: Mapping[str, Mapping[str, Any]]) -> Case:
    """Return the case with the rectangle that a line notes; a material it does not have is taken from the ``shelf``, or
    begun. Raises :class:`ExpressionError` for a line that notes none, :class:`CaseError` for a value that is none."""
    stacked = case.document.body.piled
    found = _PARTS.fullmatch(typed)
    wanted = 3 if stacked else 2
    if not typed.strip() or found is None:
        raise ExpressionError(f"this notes no region; write it as '{region_example(stacked)}'")
    sizes = _with_units(_TIMES.split(found["size"].strip()), found["at"])
    if len(sizes) != wanted:
        what = "width, depth and height" if stacked else "width and height"
        raise ExpressionError(f"a region here has {what}: write it as '{region_example(stacked)}'")
    at = (
        _with_units([each.strip() for each in found["at"].split(",")], found["size"])
        if found["at"]
        else ["0 mm"] * wanted
    )
    if len(at) != wanted:
        raise ExpressionError(f"a place has {wanted} coordinates apart by commas, as in '{region_example(stacked)}'")
    regions = case.data["body"]["regions"]
    name = (found["name"] or "").strip() or free_name("hole" if found["void"] else "part", regions)
    if name in regions:
        raise ExpressionError(f"there is a region '{name}' already; give this one another name")
    region: dict[str, Any] = {"shape": "rectangle", "size": sizes[:2], "at": at[:2]}
    if stacked:
        region["z"] = [at[2], sizes[2] if _is_nothing(at[2]) else f"{at[2]} + {sizes[2]}"]
    if found["void"]:
        region["void"] = True
    if found["material"]:
        region["material"] = found["material"].strip()
        if region["material"] not in case.document.materials:
            case = with_value(case, ("materials", region["material"]), dict(shelf.get(region["material"], {})))
    return with_value(case, ("body", "regions", name), region)


def _with_units(texts: list[str], beside: str | None) -> list[str]:
    """Numbers alone with the unit that stands behind a later one of them, or ``beside`` them."""
    units = [found[1] if (found := _UNIT.search(text)) else "" for text in [*texts, beside or ""]]
    made = []
    for place, text in enumerate(texts):
        unit = next((each for each in units[place:] if each), next((each for each in units if each), ""))
        if _BARE.fullmatch(text.strip()):
            if not unit and not _is_nothing(text):
                raise ExpressionError(f"'{text.strip()}' has no unit: write '{text.strip()} mm'")
            text = f"{text.strip()} {unit or 'mm'}"
        made.append(text.strip())
    return made


def _is_nothing(text: str) -> bool:
    found = re.match(r"[-+−]?0+(?:\.0*)?(?![\d.])", text.strip())
    return found is not None and not re.search(r"[-+*/]\s*\S", text.strip()[found.end() :])
