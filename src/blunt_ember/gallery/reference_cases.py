"""Cases with known answers that ``blunt-ember verify`` solves; each is stated in full, as a file would be."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.families import FAMILIES
from blunt_ember.gallery.manufactured import manufactured_cases
from blunt_ember.gallery.published import published_cases

_HELD: dict[str, Any] = {"temperature": "640 °C"}
_COOL = {"temperature": "35 °C"}
_FILM = {"film": {"h": "18 W/(m² K)", "temperature": "30 °C"}}
_HOT_FILM = {"film": {"h": "65 W/(m² K)", "temperature": "820 °C"}}
_FLUX: dict[str, Any] = {"flux": "1.9 kW/m²"}
_OUTFLUX = {"flux": "-750 W/m²"}
_FILM_AND_FLUX: dict[str, Any] = {"film": {"h": "22 W/(m² K)", "temperature": "15 °C"}, "flux": "300 W/m²"}
#: Any mix of held temperature, flux and film on either side of a wall.
_SIDES: dict[str, tuple[dict[str, Any], dict[str, Any]]] = {
    "held, held": (_HELD, _COOL),
    "held, film": (_HELD, _FILM),
    "held, flux": (_HELD, _OUTFLUX),
    "film, held": (_HOT_FILM, _COOL),
    "film, film": (_HOT_FILM, _FILM),
    "film, flux": (_HOT_FILM, _OUTFLUX),
    "flux, held": (_FLUX, _COOL),
    "flux, film": (_FLUX, _FILM),
    "film, film and flux": (_HOT_FILM, _FILM_AND_FLUX),
}
_LAYERS = (("lining", "76 mm", "1.1 W/(m K)"), ("felt", "25 mm", "0.09 W/(m K)"), ("casing", "2 mm", "52 W/(m K)"))


def reference_cases() -> Iterator[tuple[str, Case]]:
    """Yield (name, case) of every shipped reference case."""
    for name, family in FAMILIES.items():
        if any("expect" in question for question in family.data["questions"]):
            yield name, family.case()
    for sides, (start, end) in _SIDES.items():
        for order in (1, 2):
            yield f"lying wall, {sides}, order {order}", case_from_data(_wall(sides, start, end, order, upright=False))
        yield f"standing wall, {sides}", case_from_data(_wall(sides, start, end, 2, upright=True))
    yield from manufactured_cases()
    yield from published_cases()


def _wall(title: str, start: dict[str, Any], end: dict[str, Any], order: int, upright: bool) -> dict[str, Any]:
    beside, first, last = ("right_of", "left", "right") if upright else ("above", "bottom", "top")
    names = [name for name, _, _ in _LAYERS]
    regions: dict[str, Any] = {}
    for name, thickness, _ in _LAYERS:
        size = [thickness, "90 mm"] if upright else ["90 mm", thickness]
        place: dict[str, Any] = {beside: names[len(regions) - 1]} if regions else {"at": ["-20 mm", "5 mm"]}
        regions[name] = {"shape": "rectangle", "size": size, **place, "material": name}
    inlet, outlet = f"{names[0]}.{first}", f"{names[-1]}.{last}"
    questions: list[dict[str, Any]] = [
        {"name": "heat in", "heat_flow": inlet},
        {"name": "heat out per area", "heat_flow": outlet, "direction": "out", "basis": "area"},
        {"name": "heat over the joint", "heat_flow": "lining|felt"},
        {"name": "inlet face", "mean": inlet},
        {"name": "joint", "highest": "felt|casing"},
        {"name": "outlet face", "lowest": outlet},
        {"name": "mean through", "mean": {"start": ["10 mm", "10 mm"], "end": ["30 mm", "80 mm"]}},
        {"name": "point", "temperature": ["20 mm", "50 mm"]},
    ]
    return {
        "format": FORMAT,
        "title": f"Wall of three layers: {title}",
        "materials": {name: {"k": k} for name, _, k in _LAYERS},
        "body": {"kind": "section", "depth": "0.4 m", "regions": regions},
        "surroundings": [{"on": inlet, **start}, {"on": outlet, **end}],
        "mesh": {"order": order},
        "questions": [
            {**question, "expect": {"exact": "composite-wall"}, "tolerance": "0.00001 %"} for question in questions
        ],
    }
