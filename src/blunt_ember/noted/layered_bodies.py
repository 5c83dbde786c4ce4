"""Bodies of layers: walls, floors, pipes and shells."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Any

from blunt_ember.case.values.evaluation import quantity_si
from blunt_ember.case.values.units import LENGTH
from blunt_ember.noted.noted_body import (
    FIRST_FACE,
    LAST_FACE,
    ON_THE_LEFT,
    ON_THE_RIGHT,
    ROW,
    NotedBody,
    NotedLayer,
    NotedSizes,
    NotEnoughError,
    filled,
)

#: How tall walls are drawn, whose height no answer depends on.
_TALL = "100 mm"
#: Words for what is laid round a pipe, and is never its wall.
_LAGGING = frozenset(("lagging", "insulation", "wool", "foam", "felt", "blanket", "mat", "cork", "jacket", "sleeve"))


def _thick(layers: Sequence[NotedLayer], example: str) -> None:
    if not layers:
        raise NotEnoughError(f"how thick it is, such as '{example}'")
    for layer in layers:
        if not layer.thickness:
            raise NotEnoughError(f"how thick '{layer.name}' is, such as '{example}'")


def wall(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    """Return layers side by side, each as thick as is said."""
    _thick(layers, "wall 114 mm k 0.35")
    regions: dict[str, Any] = {}
    for layer in layers:
        place = {"right_of": list(regions)[-1]} if regions else {"at": ["0 mm", "0 mm"]}
        regions[layer.name] = {"shape": "rectangle", "size": [layer.thickness, _TALL], **place, **filled(layer)}
    first, last = f"{layers[0].name}.left", f"{layers[-1].name}.right"
    sides = {
        **dict.fromkeys(("left", "inside", "inner", "inside face", *FIRST_FACE, "indoors", *ON_THE_LEFT), (first,)),
        **dict.fromkeys(("right", "outside", "outer", "back", *LAST_FACE, *ON_THE_RIGHT), (last,)),
        **dict.fromkeys(("both", "all", "faces", "surfaces"), (first, last)),
        "top": tuple(f"{layer.name}.top" for layer in layers),
        "bottom": tuple(f"{layer.name}.bottom" for layer in layers),
    }
    asked: list[dict[str, Any]] = [{"name": "heat through it", "heat_flow": first, "basis": "area"}]
    asked += _faces(first, last, layers)
    body = {"kind": "section", "depth": "1 m", "regions": regions}
    exact = "plane-wall" if len(layers) == 1 else "composite-wall"
    return NotedBody(body, sides, ("left", "right"), asked, exact, "series-in-time")


def lying(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    """A wall that lies: of one layer its faces are above and below; which way several are told, nothing says."""
    made = wall(layers, sizes)
    sides = {word: on for word, on in made.sides.items() if word not in ("top", "bottom")}
    if len(layers) == 1:
        sides |= dict.fromkeys(("bottom", "below", "under"), made.sides["left"])
        sides |= dict.fromkeys(("top", "above"), made.sides["right"])
    return replace(made, sides=sides)


def pipe(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    """Return rings about an axis."""
    example = "pipe bore 150 mm, 4 mm k 24"
    bare = _without_wall(layers, sizes)
    if bare:
        layers = [replace(layers[0], name=layers[0].material or layers[0].name), *layers[1:]]
    regions, parameters = _rings(layers, sizes, example, {"shape": "ring"}, bare)
    body = {"kind": "section", "depth": "1 m", "regions": regions}
    made = _hollow(layers, body, "hollow-cylinder", parameters)
    lack = "how thick the wall of the pipe is, such as 'od 60 mm, 3 mm k 50'; it is left out, as it resists little"
    return replace(made, lacks=(lack,)) if bare else made


def shell(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    """Return shells about a middle."""
    half = {"shape": "ring sector", "start": "-90°", "end": "90°"}
    regions, parameters = _rings(layers, sizes, "shell bore 110 mm, 30 mm k 2.2", half)
    return _hollow(layers, {"kind": "turned section", "regions": regions}, "hollow-sphere", parameters)


def cable(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    """Return a long round core with layers about it, or without."""
    core = {"shape": "disc", "at": ["0 mm", "0 mm"]}
    regions, parameters = _about_core(layers, sizes, "cable d 4 mm k 380, insulation 3 mm k 0.15", core, "radius")
    body = {"kind": "section", "depth": "1 m", "regions": regions}
    return _cored(layers, body, "hollow-cylinder", parameters)


def coated_ball(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    """Return a ball with layers about it."""
    half = {"shape": "ring sector", "start": "-90°", "end": "90°"}
    regions, parameters = _about_core(layers, sizes, "ball d 70 mm k 2, wool 20 mm k 0.05", half, "outer")
    return _cored(layers, {"kind": "turned section", "regions": regions}, "hollow-sphere", parameters)


def _about_core(
    layers: Sequence[NotedLayer], sizes: NotedSizes, example: str, shape: Mapping[str, Any], key: str
) -> tuple[dict[str, Any], dict[str, str]]:
    """A core and the layers round it; ``key`` is what the radius of its ``shape`` is called."""
    core, *about = layers
    for place, layer in enumerate(about, start=2):
        if layer.name == f"layer {place}":
            raise NotEnoughError(f"what of it is {layer.thickness}; write for example '{example}'")
    across = sizes.take("d", "dia", "diameter", "od") or core.thickness
    radius = sizes.take("r")
    if (radius is None and not across) or (core.thickness and across != core.thickness):
        raise NotEnoughError(f"how thick its core is, such as '{example}'")
    outer, parameters = ("core/2", {"core": across}) if radius is None else ("r_core", {"r_core": radius})
    regions = {core.name: {**shape, key: outer, **filled(core)}}
    round_it = {"shape": "ring"} if shape["shape"] == "disc" else {**shape}
    return _laid_round(about, regions, outer, round_it, parameters, example) if about else (regions, parameters)


def _cored(layers: Sequence[NotedLayer], body: dict[str, Any], exact: str, parameters: Mapping[str, str]) -> NotedBody:
    last = f"{layers[-1].name}.rim"
    between = [(f"between {a.name} and {b.name}", f"{a.name}|{b.name}") for a, b in pairwise(layers)]
    asked: list[dict[str, Any]] = [
        {"name": "loss", "heat_flow": last, "direction": "out"},
        {"name": "middle", "temperature": ["0 mm", "0 mm"]},
        *({"name": name, "mean": on} for name, on in (*between, ("skin", last))),
    ]
    sides = dict.fromkeys(("all", "outside", "skin", "surface", "rim", "side"), (last,))
    return NotedBody(body, sides, ("all",), asked, exact, "series-in-time", parameters)


def _rings(
    layers: Sequence[NotedLayer], sizes: NotedSizes, example: str, shape: Mapping[str, str], bare: bool = False
) -> tuple[dict[str, Any], dict[str, str]]:
    """Layers round each other about a bore; of a pipe ``bare`` of a wall, its outside is the bore of the first."""
    layers, inner, stated = (layers, "bore/2", sizes.take("od")) if bare else _bored(layers, sizes)
    if stated is None:
        raise NotEnoughError("how wide it is inside, such as 'bore 150 mm'")
    return _laid_round(layers, {}, inner, shape, {inner.removesuffix("/2"): stated}, example)


def _without_wall(layers: Sequence[NotedLayer], sizes: NotedSizes) -> bool:
    """Whether of a pipe its size outside is known and what is laid round it, and nothing of its own wall."""
    if not sizes.has("od") or sizes.has("bore", "d", "r", "ri") or not layers or not layers[0].thickness:
        return False
    return bool(_LAGGING & set(f"{layers[0].name} {layers[0].material}".lower().split()))


def _laid_round(
    layers: Sequence[NotedLayer],
    within: Mapping[str, Any],
    inner: str,
    shape: Mapping[str, Any],
    sizes: Mapping[str, str],
    example: str,
) -> tuple[dict[str, Any], dict[str, str]]:
    """Layers round each other and what is ``within``; their sizes are parameters, so that one that is changed moves the
    others."""
    _thick(layers, example)
    regions, parameters = dict(within), dict(sizes)
    for layer in layers:
        name = f"t_{re.sub(r'[^a-z0-9]+', '_', layer.name.lower()).strip('_') or len(parameters)}"
        name = name if name not in parameters else f"{name}_{len(parameters)}"
        parameters[name] = layer.thickness
        outer = f"{inner} + {name}"
        around = {"around": list(regions)[-1]} if regions else {}
        regions[layer.name] = {**shape, "inner": inner, "outer": outer, **around, **filled(layer)}
        inner = outer
    return regions, parameters


def _bored(layers: Sequence[NotedLayer], sizes: NotedSizes) -> tuple[Sequence[NotedLayer], str, str | None]:
    """The layers, the name of the bore, halved if it is one across, and how large it is, None where that is not said.

    A pipe is also known by its size outside and its wall, `60.3 x 2.9 mm`, or by its size outside and inside.
    """
    row = sizes.row(ROW)
    if len(row) == 2 and quantity_si(row[0], LENGTH, {}) <= 2 * quantity_si(row[1], LENGTH, {}):
        raise NotEnoughError(
            f"a wall of {row[1]} that fits into {row[0]}; a duct with corners is stated by its regions"
        )
    if len(row) == 2 and layers and not layers[0].thickness:
        layers = [replace(layers[0], thickness=row[1]), *layers[1:]]
        return layers, "bore/2", f"{row[0]} - 2*({row[1]})"
    first = layers[0] if layers else NotedLayer("", "", None)
    if sizes.has("od", "ro") and sizes.has("bore", "d", "r", "ri") != bool(first.thickness):
        outside = sizes.take("od", "ro")
        across = sizes.has("od")
        if first.thickness:
            name, times = ("bore/2", "2*") if across else ("r_bore", "")
            return layers, name, f"{outside} - {times}({first.thickness})"
        inside = sizes.take("ri", "r") or f"({sizes.take('bore', 'd')})/2"
        wall = f"{f'({outside})/2' if across else outside} - {inside}"
        return [replace(first, thickness=wall), *layers[1:]], "r_bore", inside
    wide = sizes.take("dia", "diameter")
    if wide is not None:
        raise NotEnoughError(f"whether {wide} is outside, 'od {wide}', or inside, 'bore {wide}'")
    if sizes.has("bore", "d"):
        return layers, "bore/2", sizes.take("bore", "d")
    return layers, "r_bore", sizes.take("r", "ri")


def _hollow(layers: Sequence[NotedLayer], body: dict[str, Any], exact: str, parameters: Mapping[str, str]) -> NotedBody:
    first, last = f"{layers[0].name}.bore", f"{layers[-1].name}.rim"
    asked: list[dict[str, Any]] = [{"name": "loss", "heat_flow": last, "direction": "out"}]
    asked += _faces(first, last, layers)
    sides = _within_and_without(first, last)
    return NotedBody(body, sides, _HOLLOW, asked, exact, "series-in-time", parameters)


_HOLLOW = ("inside", "outside")


def _within_and_without(first: str, last: str) -> dict[str, tuple[str, ...]]:
    return {
        **dict.fromkeys(("inside", "inner", "bore", "within", *FIRST_FACE), (first,)),
        **dict.fromkeys(("outside", "outer", "rim", "skin", *LAST_FACE), (last,)),
        **dict.fromkeys(("both", "all", "faces", "surfaces"), (first, last)),
    }


def _faces(first: str, last: str, layers: Sequence[NotedLayer]) -> list[dict[str, Any]]:
    """The temperatures of both faces and of all that lies between layers."""
    names = [layer.name for layer in layers]
    between = [(f"between {a} and {b}", f"{a}|{b}") for a, b in pairwise(names)]
    return [{"name": name, "mean": on} for name, on in (("first face", first), *between, ("last face", last))]
