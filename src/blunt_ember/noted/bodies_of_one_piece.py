"""Bodies of one piece and one material: balls, cylinders, fins, slabs, plates, blocks and rods."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from blunt_ember.noted.layered_bodies import cable, coated_ball, lying
from blunt_ember.noted.noted_body import BASE, ROW, SPAN, NotedBody, NotedLayer, NotedSizes, NotEnoughError, filled

#: How thick discs are drawn, whose thickness no answer depends on.
_FLAT = "10 mm"


def ball(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    """Return a ball, with layers about it where there are some."""
    if len(layers) > 1:
        return coated_ball(layers, sizes)
    layer, radius = layers[0], _radius(layers[0], sizes, "ball d 70 mm")
    if radius is None:
        raise NotEnoughError("how large it is, such as 'd 70 mm'")
    region = {"shape": "ring sector", "outer": radius, "start": "-90°", "end": "90°", **filled(layer)}
    return NotedBody(
        {"kind": "turned section", "regions": {layer.name: region}},
        dict.fromkeys(("all", "outside", "skin", "surface"), (f"{layer.name}.rim",)),
        ("all",),
        _inside(layer.name, "rim", ["0 mm", "0 mm"], {}),
        "hollow-sphere",
        "series-in-time",
    )


def cylinder(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    """Return a cylinder, long or of any length; a long one may have layers about it."""
    if len(layers) > 1 and not sizes.has("long", "high", ROW):
        return cable(layers, sizes)
    row, example = sizes.row(ROW), "cylinder d 45 mm, 80 mm long"
    if len(row) not in (0, 2):
        raise NotEnoughError(f"its diameter and length, such as '{example}'")
    layer = _only(layers, example) if row or len(layers) > 1 else layers[0]
    radius = f"{row[0]}/2" if row else _radius(layer, sizes, example)
    if radius is None:
        raise NotEnoughError("how thick it is, such as 'd 45 mm'")
    long = row[1] if row else sizes.take("long", "high")
    region = {"shape": "rectangle", "at": ["0 mm", "0 mm"], "size": [radius, long or _FLAT], **filled(layer)}
    rim, ends = f"{layer.name}.right", (f"{layer.name}.bottom", f"{layer.name}.top")
    sides = {
        **dict.fromkeys(("rim", "side", "outside", "skin", "surface"), (rim,)),
        "ends": ends,
        **dict.fromkeys(("bottom", "left"), ends[:1]),
        **dict.fromkeys(("top", "right"), ends[1:]),
        "all": (rim, *ends) if long else (rim,),
    }
    middle = ["0 mm", f"{long or _FLAT}/2"]
    return NotedBody(
        {"kind": "turned section", "regions": {layer.name: region}},
        sides,
        ("all",),
        _inside(layer.name, "right", middle, {} if long else {"basis": "area"}),
        "" if long else "hollow-cylinder",
        "product-in-time" if long else "series-in-time",
    )


def _inside(name: str, skin: str, middle: list[str], of_heat: Mapping[str, str]) -> list[dict[str, Any]]:
    return [
        {"name": "middle", "temperature": middle},
        {"name": "skin", "mean": f"{name}.{skin}"},
        {"name": "loss", "heat_flow": f"{name}.{skin}", "direction": "out", **of_heat},
    ]


def _radius(layer: NotedLayer, sizes: NotedSizes, example: str) -> str | None:
    """The radius of what is round; where one size alone is said, it is that across."""
    stated = sizes.radius("d", "dia", "diameter", "od")
    if stated is None:
        return f"{layer.thickness}/2" if layer.thickness else None
    _only([layer], example)
    return stated


def _only(layers: Sequence[NotedLayer], example: str) -> NotedLayer:
    if len(layers) > 1:
        raise NotEnoughError(f"one material only, such as '{example}'; layers are those of a wall, a pipe or a shell")
    if layers[0].thickness:
        raise NotEnoughError(f"what of it is {layers[0].thickness}; write for example '{example}'")
    return layers[0]


def fin(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    """Return a straight fin on its base."""
    layer = _only(layers, "fin 38 x 1.6 mm k 180")
    row = sizes.row(ROW) or tuple(size for size in (sizes.take("long"), sizes.take("thick")) if size is not None)
    if len(row) != 2:
        raise NotEnoughError("its length and thickness, such as '38 x 1.6 mm'")
    name = layer.name
    body = {
        "kind": "section",
        "depth": sizes.take("wide", "deep") or "1 m",
        "regions": {name: {"shape": "rectangle", "at": ["0 mm", "0 mm"], "size": list(row), **filled(layer)}},
    }
    sides = {
        **dict.fromkeys(("base", "root", "left", *BASE), (f"{name}.left",)),
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


def ring_fin(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    """Return a flat ring round a pipe, as thick as is said."""
    example = "annular fin ri 12 mm ro 30 mm 1 mm thick k 180"
    thick = sizes.take("thick") or layers[0].thickness
    inner = sizes.take("ri") or (f"{bore}/2" if (bore := sizes.take("bore")) else None)
    outer = sizes.take("ro", "r") or (f"{od}/2" if (od := sizes.take("od", "d", "dia", "diameter")) else None)
    if len(layers) > 1 or not (thick and inner and outer):
        raise NotEnoughError(f"its radii and thickness, such as '{example}'")
    name = layers[0].name
    region = {"shape": "rectangle", "at": [inner, "0 mm"], "size": [f"{outer} - {inner}", thick], **filled(layers[0])}
    faces = (f"{name}.top", f"{name}.bottom")
    sides = {
        **dict.fromkeys(("base", "root", "inside", "bore", *BASE), (f"{name}.left",)),
        **dict.fromkeys(("tip", "rim", "end", "outside"), (f"{name}.right",)),
        "sides": faces,
        "all": (*faces, f"{name}.right"),
    }
    asked: list[dict[str, Any]] = [
        {"name": "heat of the fin", "heat_flow": f"{name}.left"},
        {"name": "tip", "mean": f"{name}.right"},
    ]
    body = {"kind": "turned section", "regions": {name: region}}
    return NotedBody(body, sides, ("base", "all"), asked, "annular-fin")


def slab(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    """Return a slab that may taper."""
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
    region = {"shape": "outline", "start": ["0 m", "0 m"], "path": path, **filled(layer)}
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


def plate(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    """Return a rectangle with four sides."""
    if layers[0].thickness and not sizes.has(ROW):  # of which no more than the thickness matters
        return lying(layers, sizes)
    layer = _only(layers, "plate 200 x 120 mm k 1.5")
    row = sizes.row(ROW)
    if len(row) != 2:
        raise NotEnoughError("its two sides, such as '200 x 120 mm'")
    name = layer.name
    region = {"shape": "rectangle", "at": ["0 mm", "0 mm"], "size": list(row), **filled(layer)}
    return NotedBody(
        {"kind": "section", "depth": "1 m", "regions": {name: region}},
        _four_sides(name, {}),
        ("all",),
        [{"name": "middle", "temperature": [f"{size}/2" for size in row]}],
        "rectangle",
        "product-in-time",
    )


def block(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    """Return a box with six sides."""
    layer = _only(layers, "block 200 x 120 x 60 mm k 1.5")
    row = sizes.row(ROW)
    if len(row) != 3:
        raise NotEnoughError("its three sides, such as '200 x 120 x 60 mm'")
    name, (x, y, z) = layer.name, row
    region = {"shape": "rectangle", "at": ["0 mm", "0 mm"], "size": [x, y], "z": ["0 mm", z], **filled(layer)}
    six = ("left", "right", "front", "back", "bottom", "top")
    return NotedBody(
        {"kind": "stacked", "regions": {name: region}},
        {**{side: (f"{name}.{side}",) for side in six}, "all": tuple(f"{name}.{side}" for side in six)},
        ("all",),
        [{"name": "middle", "temperature": [f"{size}/2" for size in row]}],
        exact_in_time="product-in-time",
    )


def rod(layers: Sequence[NotedLayer], sizes: NotedSizes) -> NotedBody:
    """Return a rod with its ends."""
    layer = _only(layers, "rod d 12 mm, 0.3 m long k 24")
    across, long = sizes.radius("d", "dia", "diameter", "od"), sizes.take("long")
    if across is None or long is None:
        raise NotEnoughError("its diameter and length, such as 'd 12 mm, 0.3 m long'")
    name = layer.name
    piece = {"length": long, "diameter": f"2*({across})", **filled(layer)}
    sides = {
        **dict.fromkeys(("base", "start", "left", *BASE), (f"{name}.start",)),
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
        **dict.fromkeys(("all", "edges"), tuple(f"{name}.{side}" for side in four)),
    }
