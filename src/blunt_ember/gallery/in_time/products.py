"""Families of bars, blocks and short cylinders."""

from __future__ import annotations

from blunt_ember.gallery.in_time.common_statements import AIR, CLAY, COOLING, exactly, family_in_time, film_on

_BAR = family_in_time(
    "cooling-bar",
    "Rectangular bar that cools on four sides",
    "Setter bar on the rack",
    {"width": "40 mm", "height": "24 mm", **CLAY, **AIR, "t_end": "12 min"},
    "clay",
    {
        "kind": "section",
        "depth": "1 m",
        "regions": {
            "bar": {"shape": "rectangle", "size": ["width", "height"], "at": ["0 mm", "0 mm"], "material": "clay"}
        },
    },
    [film_on("bar.left", "bar.right", "bar.top", "bar.bottom")],
    COOLING,
    [
        exactly("middle", {"temperature": ["width/2", "height/2"]}, "product-in-time"),
        exactly("corner", {"temperature": ["0 mm", "0 mm"]}, "product-in-time"),
        exactly("lost in all", {"heat_stored": "body"}, "product-in-time"),
    ],
    mesh={"size": "width/10", "across": 2},
)
_SHORT = family_in_time(
    "cooling-short-cylinder",
    "Short cylinder that cools all round",
    "Prop cut from a post",
    {"r_out": "25 mm", "height": "40 mm", **CLAY, **AIR, "t_end": "12 min"},
    "clay",
    {
        "kind": "turned section",
        "regions": {
            "prop": {"shape": "rectangle", "size": ["r_out", "height"], "at": ["0 mm", "0 mm"], "material": "clay"}
        },
    },
    [film_on("prop.right", "prop.top", "prop.bottom")],
    COOLING,
    [
        exactly("middle", {"temperature": ["0 mm", "height/2"]}, "product-in-time"),
        exactly("rim of the top", {"temperature": ["r_out", "height"]}, "product-in-time"),
        exactly("lost in all", {"heat_stored": "body"}, "product-in-time"),
    ],
)
_BLOCK = family_in_time(
    "cooling-block",
    "Block that cools on all six sides",
    "Brick lifted off the kiln car",
    {"length": "70 mm", "width": "50 mm", "height": "40 mm", **CLAY, **AIR, "t_end": "14 min"},
    "clay",
    {
        "kind": "stacked",
        "regions": {
            "brick": {
                "shape": "rectangle",
                "size": ["length", "width"],
                "at": ["0 mm", "0 mm"],
                "z": ["0 mm", "height"],
                "material": "clay",
            }
        },
    },
    [film_on("brick.left", "brick.right", "brick.front", "brick.back", "brick.top", "brick.bottom")],
    COOLING,
    [
        exactly("middle", {"temperature": ["length/2", "width/2", "height/2"]}, "product-in-time"),
        exactly("corner", {"temperature": ["0 mm", "0 mm", "0 mm"]}, "product-in-time", "0.5 %"),
        exactly("lost in all", {"heat_stored": "body"}, "product-in-time"),
    ],
    mesh={"size": "length/8", "across": 2},
)

PRODUCT_FAMILIES = (_BAR, _SHORT, _BLOCK)
