"""A body so deep that heat does not reach its far side in the time that is said."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from blunt_ember.noted.line_so_far import ReadLine
from blunt_ember.noted.noted_body import NotedBody, NotedLayer, NotedSizes, NotEnoughError, filled

#: How deep it is in diffusion lengths √(a t): erfc 6 = 2e-17 of what happens at the face comes so far.
_LENGTHS = 12
#: What is taken where the line does not say how long it lasts.
_LASTS = "1 h"
#: The parameter for each property of its material.
_PROPERTIES = {"k": "k_body", "density": "rho_body", "c": "c_body"}
#: Words for it that name no region well.
_BODY = frozenset(("half-space", "semi-infinite", "solid", "medium"))


def half_space(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    """Return a body with one face; how deep it is drawn follows from how long it lasts."""
    layer = layers[0]
    if len(layers) > 1 or layer.thickness:
        raise NotEnoughError(
            "one material and no thickness, as it has no end; write '50 mm deep' for a place to be read"
        )
    name = "body" if layer.name in _BODY else layer.name
    region = {"shape": "rectangle", "at": ["0 mm", "0 mm"], "size": ["depth", "depth/8"], **filled(layer)}
    face = f"{name}.left"
    asked: list[dict[str, Any]] = [
        {"name": "face", "mean": face},
        {"name": "inside", "temperature": [sizes.take("deep") or "depth/12", "depth/16"]},
        {"name": "taken up", "heat_passed": face, "basis": "area"},
    ]
    sides = dict.fromkeys(("surface", "face", "top", "above", "left", "front", "outside", "skin", "all"), (face,))
    body = {"kind": "section", "depth": "1 m", "regions": {name: region}}
    return NotedBody(body, sides, ("all",), asked, exact_in_time="half-space", endless=True)


def deepened(
    line: ReadLine, clock: Mapping[str, Any], lacks: Sequence[str]
) -> tuple[dict[str, str], dict[str, Any], dict[str, Any], list[str]]:
    """Return the parameters of how deep an endless body is drawn, its materials and clock in terms of them, and what
    the line lacks of these."""
    stated = next(iter(line.materials.values()), {})
    known = {key: name for key, name in _PROPERTIES.items() if isinstance(stated.get(key), str)}
    parameters = {name: stated[key] for key, name in known.items()}
    missing = list(lacks)
    if "density" not in stated or "c" not in stated:
        missing.append("how much heat it holds, such as 'rho 1900 c 850', or which material of the library it is")
    if "start" not in clock:
        missing.append("the temperature it starts from, such as 'from 10 °C'; 20 °C is taken")
    if "end" not in line.clock:
        missing.append(f"how long it lasts, such as 'until {_LASTS}', which is taken")
    parameters["lasts"] = line.clock.get("end", _LASTS)
    whole = len(known) == len(_PROPERTIES)
    parameters["depth"] = f"{_LENGTHS}*sqrt(k_body/(rho_body*c_body)*lasts)" if whole else "1 m"
    materials = {name: {**material, **known} for name, material in line.materials.items()}
    return parameters, materials, {"start": "20 °C", **clock, "end": "lasts"}, missing
