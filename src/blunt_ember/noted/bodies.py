"""Bodies that a line can begin with: what each takes, its regions, what its sides are called, what one would ask."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from types import MappingProxyType
from typing import Any

#: How tall walls and how thick discs are drawn, whose height no answer depends on.
_TALL, _FLAT = "100 mm", "10 mm"


@dataclass(frozen=True)
class NotedLayer:
    """A layer: its name, thickness (empty where none is said), the name of its material or None, and the heat per
    volume that arises in it, if any."""

    name: str
    thickness: str
    material: str | None
    heat: str = ""


#: Under what sizes are kept that are tied by x in their order, and those tied by ``to``.
ROW, SPAN = "x", "to"


class NotedSizes:
    """Sizes of a body by the word for each, or by :data:`ROW` and :data:`SPAN`; knows which of them a body asked for,
    as one that no body takes must not be passed over."""

    def __init__(self, stated: Mapping[str, tuple[str, ...]]) -> None:
        self._stated = stated
        self._taken: set[str] = set()

    def take(self, *words: str) -> str | None:
        """The size called by the first of the words that is stated."""
        found = next((word for word in words if word in self._stated), None)
        return self.row(found)[0] if found is not None else None

    def has(self, *words: str) -> bool:
        """Whether a size is called by one of the words."""
        return any(word in self._stated for word in words)

    def row(self, key: str) -> tuple[str, ...]:
        """The sizes kept under a key; none where there are none."""
        self._taken.add(key)
        return self._stated.get(key, ())

    def radius(self, *names: str) -> str | None:
        """The radius told by ``r``, or by half of a diameter called one of ``names``."""
        stated = self.take("r")
        if stated is not None:
            return stated
        across = self.take(*names)
        return f"{across}/2" if across is not None else None

    @property
    def left_over(self) -> list[str]:
        """The keys of what no body asked for."""
        return [key for key in self._stated if key not in self._taken]


@dataclass(frozen=True)
class NotedBody:
    """A body of a case, the sides a line may name, in the order in which unnamed statements take them, and questions.

    ``sides`` gives the surfaces by the words for them; ``order`` are words, the last of which takes all that is left.
    ``exact`` and ``exact_in_time`` name the solutions that hold for it, steady and in time; empty where none does.
    ``parameters`` are sizes that several of its regions share.
    """

    data: dict[str, Any]
    sides: Mapping[str, tuple[str, ...]]
    order: tuple[str, ...]
    questions: list[dict[str, Any]]
    exact: str = ""
    exact_in_time: str = ""
    parameters: Mapping[str, str] = field(default_factory=dict)


class NotEnoughError(Exception):
    """What is missing of a body before it can be drawn, in the words of an analyst."""


#: Makes a body of its layers and sizes; raises :class:`NotEnoughError`.
MakesBody = Callable[[Sequence[NotedLayer], NotedSizes], NotedBody]


def _filled(layer: NotedLayer) -> dict[str, Any]:
    return {"material": layer.material} if layer.material is not None else {}


def _thick(layers: Sequence[NotedLayer], example: str) -> None:
    if not layers:
        raise NotEnoughError(f"how thick it is, such as '{example}'")
    for layer in layers:
        if not layer.thickness:
            raise NotEnoughError(f"how thick '{layer.name}' is, such as '{example}'")


def _wall(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    _thick(layers, "wall 114 mm k 0.35")
    regions: dict[str, Any] = {}
    for layer in layers:
        place = {"right_of": list(regions)[-1]} if regions else {"at": ["0 mm", "0 mm"]}
        regions[layer.name] = {"shape": "rectangle", "size": [layer.thickness, _TALL], **place, **_filled(layer)}
    first, last = f"{layers[0].name}.left", f"{layers[-1].name}.right"
    sides = {
        **dict.fromkeys(("left", "inside", "inner", "hot", "inside face", "t1", "t_in", "indoors"), (first,)),
        **dict.fromkeys(("right", "outside", "outer", "cold", "back", "t2", "t_out"), (last,)),
        **dict.fromkeys(("both", "all"), (first, last)),
        "top": tuple(f"{layer.name}.top" for layer in layers),
        "bottom": tuple(f"{layer.name}.bottom" for layer in layers),
    }
    asked: list[dict[str, Any]] = [{"name": "heat through it", "heat_flow": first, "basis": "area"}]
    asked += _faces(first, last, layers)
    body = {"kind": "section", "depth": "1 m", "regions": regions}
    exact = "plane-wall" if len(layers) == 1 else "composite-wall"
    return NotedBody(body, sides, ("left", "right"), asked, exact, "series-in-time")


def _lying(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    """A wall that lies: of one layer its faces are above and below; which way several are told, nothing says."""
    made = _wall(layers, sizes)
    sides = {word: on for word, on in made.sides.items() if word not in ("top", "bottom")}
    if len(layers) == 1:
        sides |= dict.fromkeys(("bottom", "below", "under"), made.sides["left"])
        sides |= dict.fromkeys(("top", "above"), made.sides["right"])
    return replace(made, sides=sides)


def _pipe(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    regions, parameters = _rings(layers, sizes, "pipe bore 150 mm, 4 mm k 24", {"shape": "ring"})
    return _hollow(layers, {"kind": "section", "depth": "1 m", "regions": regions}, "hollow-cylinder", parameters)


def _shell(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    half = {"shape": "ring sector", "start": "-90°", "end": "90°"}
    regions, parameters = _rings(layers, sizes, "shell bore 110 mm, 30 mm k 2.2", half)
    return _hollow(layers, {"kind": "turned section", "regions": regions}, "hollow-sphere", parameters)


def _rings(
    layers: Sequence[NotedLayer], sizes: NotedSizes, example: str, shape: Mapping[str, str]
) -> tuple[dict[str, Any], dict[str, str]]:
    """Layers round each other; their sizes are parameters, so that one that is changed moves the others."""
    layers, inner, stated = _bored(layers, sizes)
    _thick(layers, example)
    if stated is None:
        raise NotEnoughError("how wide it is inside, such as 'bore 150 mm'")
    parameters = {inner.removesuffix("/2"): stated}
    regions: dict[str, Any] = {}
    for layer in layers:
        name = f"t_{re.sub(r'[^a-z0-9]+', '_', layer.name.lower()).strip('_') or len(parameters)}"
        name = name if name not in parameters else f"{name}_{len(parameters)}"
        parameters[name] = layer.thickness
        outer = f"{inner} + {name}"
        around = {"around": list(regions)[-1]} if regions else {}
        regions[layer.name] = {**shape, "inner": inner, "outer": outer, **around, **_filled(layer)}
        inner = outer
    return regions, parameters


def _bored(layers: Sequence[NotedLayer], sizes: NotedSizes) -> tuple[Sequence[NotedLayer], str, str | None]:
    """The layers, the name of the bore, halved if it is one across, and how large it is, None where that is not said.

    A pipe is also known by its size outside and its wall, `60.3 x 2.9 mm`, or by its size outside and inside.
    """
    row = sizes.row(ROW)
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
        **dict.fromkeys(("inside", "inner", "bore", "within", "hot", "t1", "t_in"), (first,)),
        **dict.fromkeys(("outside", "outer", "rim", "skin", "cold", "t2", "t_out"), (last,)),
        **dict.fromkeys(("both", "all"), (first, last)),
    }


def _faces(first: str, last: str, layers: Sequence[NotedLayer]) -> list[dict[str, Any]]:
    """The temperatures of both faces and of all that lies between layers."""
    names = [layer.name for layer in layers]
    between = [(f"between {a} and {b}", f"{a}|{b}") for a, b in pairwise(names)]
    return [{"name": name, "mean": on} for name, on in (("first face", first), *between, ("last face", last))]


def _ball(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    layer = _only(layers, "ball d 70 mm")
    radius = sizes.radius("d", "dia", "diameter", "od")
    if radius is None:
        raise NotEnoughError("how large it is, such as 'd 70 mm'")
    region = {"shape": "ring sector", "outer": radius, "start": "-90°", "end": "90°", **_filled(layer)}
    return NotedBody(
        {"kind": "turned section", "regions": {layer.name: region}},
        dict.fromkeys(("all", "outside", "skin", "surface"), (f"{layer.name}.rim",)),
        ("all",),
        _inside(layer.name, "rim", ["0 mm", "0 mm"]),
        "hollow-sphere",
        "series-in-time",
    )


def _cylinder(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    layer = _only(layers, "cylinder d 45 mm")
    radius = sizes.radius("d", "dia", "diameter", "od")
    if radius is None:
        raise NotEnoughError("how thick it is, such as 'd 45 mm'")
    long = sizes.take("long", "high")
    region = {"shape": "rectangle", "at": ["0 mm", "0 mm"], "size": [radius, long or _FLAT], **_filled(layer)}
    rim, ends = f"{layer.name}.right", (f"{layer.name}.bottom", f"{layer.name}.top")
    sides = {
        **dict.fromkeys(("rim", "side", "outside", "skin", "surface"), (rim,)),
        "ends": ends,
        "bottom": ends[:1],
        "top": ends[1:],
        "all": (rim, *ends) if long else (rim,),
    }
    middle = ["0 mm", f"{long or _FLAT}/2"]
    return NotedBody(
        {"kind": "turned section", "regions": {layer.name: region}},
        sides,
        ("all",),
        _inside(layer.name, "right", middle),
        "" if long else "hollow-cylinder",
        "product-in-time" if long else "series-in-time",
    )


def _inside(name: str, skin: str, middle: list[str]) -> list[dict[str, Any]]:
    return [
        {"name": "middle", "temperature": middle},
        {"name": "skin", "mean": f"{name}.{skin}"},
        {"name": "loss", "heat_flow": f"{name}.{skin}", "direction": "out"},
    ]


def _only(layers: Sequence[NotedLayer], example: str) -> NotedLayer:
    if len(layers) > 1:
        raise NotEnoughError(f"one material only, such as '{example}'; layers are those of a wall, a pipe or a shell")
    if layers[0].thickness:
        raise NotEnoughError(f"what of it is {layers[0].thickness}; write for example '{example}'")
    return layers[0]


def _fin(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    layer = _only(layers, "fin 38 x 1.6 mm k 180")
    row = sizes.row(ROW) or tuple(size for size in (sizes.take("long"), sizes.take("thick")) if size is not None)
    if len(row) != 2:
        raise NotEnoughError("its length and thickness, such as '38 x 1.6 mm'")
    name = layer.name
    body = {
        "kind": "section",
        "depth": sizes.take("wide", "deep") or "1 m",
        "regions": {name: {"shape": "rectangle", "at": ["0 mm", "0 mm"], "size": list(row), **_filled(layer)}},
    }
    sides = {
        **dict.fromkeys(("base", "root", "left"), (f"{name}.left",)),
        **dict.fromkeys(("tip", "end", "right"), (f"{name}.right",)),
        "sides": (f"{name}.top", f"{name}.bottom"),
        "all": (f"{name}.top", f"{name}.bottom", f"{name}.right"),
    }
    asked: list[dict[str, Any]] = [
        {"name": "heat of the fin", "heat_flow": f"{name}.left"},
        {"name": "tip", "mean": f"{name}.right"},
        {"name": "half way", "temperature": [f"{row[0]}/2", f"{row[1]}/2"]},
    ]
    return NotedBody(body, sides, ("base", "all"), asked, "straight-fin")


def _slab(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    layer = _only(layers, "lid 0.7 m long, 0.09 to 0.06 m thick k 1.4")
    long, span = sizes.take("long", "wide"), sizes.row(SPAN)
    if long is None or len(span) != 2:
        raise NotEnoughError("its length and both thicknesses, such as '0.7 m long, 0.09 to 0.06 m thick'")
    first, last = span
    name = layer.name
    path = [
        {"to": [long, "0 m"], "side": "bottom"},
        {"to": [long, last], "side": "right"},
        {"to": ["0 m", first], "side": "top"},
        {"to": ["0 m", "0 m"], "side": "left"},
    ]
    region = {"shape": "outline", "start": ["0 m", "0 m"], "path": path, **_filled(layer)}
    return NotedBody(
        {"kind": "section", "depth": "1 m", "regions": {name: region}},
        _four_sides(name, {"under": "bottom", "below": "bottom", "inside": "bottom", "above": "top", "outside": "top"}),
        ("bottom", "top"),
        [
            {"name": "heat through it", "heat_flow": f"{name}.bottom"},
            {"name": "top", "mean": f"{name}.top"},
            {"name": "bottom", "mean": f"{name}.bottom"},
        ],
    )


def _plate(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    if layers[0].thickness and not sizes.has(ROW):  # of which no more than the thickness matters
        return _lying(layers, sizes)
    layer = _only(layers, "plate 200 x 120 mm k 1.5")
    row = sizes.row(ROW)
    if len(row) != 2:
        raise NotEnoughError("its two sides, such as '200 x 120 mm'")
    name = layer.name
    region = {"shape": "rectangle", "at": ["0 mm", "0 mm"], "size": list(row), **_filled(layer)}
    return NotedBody(
        {"kind": "section", "depth": "1 m", "regions": {name: region}},
        _four_sides(name, {}),
        ("all",),
        [{"name": "middle", "temperature": [f"{size}/2" for size in row]}],
        "rectangle",
        "product-in-time",
    )


def _block(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    layer = _only(layers, "block 200 x 120 x 60 mm k 1.5")
    row = sizes.row(ROW)
    if len(row) != 3:
        raise NotEnoughError("its three sides, such as '200 x 120 x 60 mm'")
    name, (x, y, z) = layer.name, row
    region = {"shape": "rectangle", "at": ["0 mm", "0 mm"], "size": [x, y], "z": ["0 mm", z], **_filled(layer)}
    six = ("left", "right", "front", "back", "bottom", "top")
    return NotedBody(
        {"kind": "stacked", "regions": {name: region}},
        {**{side: (f"{name}.{side}",) for side in six}, "all": tuple(f"{name}.{side}" for side in six)},
        ("all",),
        [{"name": "middle", "temperature": [f"{size}/2" for size in row]}],
        exact_in_time="product-in-time",
    )


def _rod(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    layer = _only(layers, "rod d 12 mm, 0.3 m long k 24")
    across, long = sizes.radius("d", "dia", "diameter", "od"), sizes.take("long")
    if across is None or long is None:
        raise NotEnoughError("its diameter and length, such as 'd 12 mm, 0.3 m long'")
    name = layer.name
    piece = {"length": long, "diameter": f"2*({across})", **_filled(layer)}
    sides = {
        **dict.fromkeys(("base", "start", "left"), (f"{name}.start",)),
        **dict.fromkeys(("tip", "end", "right"), (f"{name}.end",)),
        **dict.fromkeys(("side", "sides", "rim"), (f"{name}.side",)),
        "all": (f"{name}.side", f"{name}.end"),
    }
    asked: list[dict[str, Any]] = [
        {"name": "heat into it", "heat_flow": f"{name}.start"},
        {"name": "half way", "temperature": [f"{long}/2"]},
    ]
    return NotedBody({"kind": "rod", "pieces": {name: piece}}, sides, ("base", "all"), asked, "rod")


def _four_sides(name: str, more: Mapping[str, str]) -> dict[str, tuple[str, ...]]:
    four = ("bottom", "right", "top", "left")
    sides = {side: (f"{name}.{side}",) for side in four}
    also = {word: (f"{name}.{side}",) for word, side in more.items()}
    return {
        **sides,
        **also,
        **dict.fromkeys(("ends", "sides"), sides["left"] + sides["right"]),
        "all": tuple(f"{name}.{side}" for side in four),
    }


#: By the word a line begins with, what makes its body.
HEADS: Mapping[str, MakesBody] = MappingProxyType(
    {
        **dict.fromkeys(("wall", "window", "pane", "door", "glazing"), _wall),
        **dict.fromkeys(("floor", "ceiling", "roof", "slab"), _lying),
        **dict.fromkeys(("pipe", "tube", "duct"), _pipe),
        "shell": _shell,
        **dict.fromkeys(("ball", "sphere"), _ball),
        **dict.fromkeys(("cylinder", "disc"), _cylinder),
        "fin": _fin,
        **dict.fromkeys(("lid", "wedge"), _slab),
        "plate": _plate,
        "block": _block,
        **dict.fromkeys(("rod", "bar", "pin"), _rod),
    }
)

#: Words that name a side of some body.
SIDE_WORDS = frozenset(
    [
        "left",
        "right",
        "inside",
        "outside",
        "inner",
        "outer",
        "hot",
        "cold",
        "back",
        "top",
        "bottom",
        "both",
        "all",
        "bore",
        "rim",
        "skin",
        "within",
        "base",
        "root",
        "tip",
        "end",
        "ends",
        "side",
        "sides",
        "under",
        "below",
        "above",
        "front",
        "surface",
        "indoors",
        "t1",
        "t2",
        "t_in",
        "t_out",
    ]
)
#: What a body is called that is hollow, by what it is called otherwise.
HOLLOW_HEADS: Mapping[str, str] = MappingProxyType(
    {"ball": "shell", "sphere": "shell", "cylinder": "pipe", "rod": "pipe", "bar": "pipe"}
)
