"""Families of bodies that settle between surroundings of several temperatures: bars, blocks, sleeves and rods."""

from __future__ import annotations

from blunt_ember.gallery.in_time.common_statements import AIR, CLAY, COOLING, exactly, family_in_time, film_on

_HOT = {"T_plate": "320 °C"}
_BAR = family_in_time(
    "bar-on-plate",
    "Bar on a hot plate, in air on its other sides",
    "Test bar on the hot plate",
    {"width": "36 mm", "height": "20 mm", **CLAY, **AIR, **_HOT, "t_end": "8 min"},
    "clay",
    {
        "kind": "section",
        "depth": "1 m",
        "regions": {
            "bar": {"shape": "rectangle", "size": ["width", "height"], "at": ["0 mm", "0 mm"], "material": "clay"}
        },
    },
    [{"on": "bar.bottom", "temperature": "T_plate"}, film_on("bar.left", "bar.right", "bar.top")],
    COOLING,
    [
        exactly("middle", {"temperature": ["width/2", "height/2"]}, "block-in-time"),
        exactly("into the air", {"heat_flow": "bar.top", "direction": "out"}, "block-in-time"),
        exactly("stored", {"heat_stored": "body"}, "block-in-time"),
    ],
    mesh={"size": "width/12", "across": 3},
)
_SLEEVE = family_in_time(
    "sleeve-on-shaft",
    "Short sleeve whose bore is held, in air round it",
    "Clay sleeve on a heated shaft",
    {"r_shaft": "9 mm", "r_out": "24 mm", "height": "30 mm", **CLAY, **AIR, **_HOT, "t_end": "6 min"},
    "clay",
    {
        "kind": "turned section",
        "regions": {
            "sleeve": {
                "shape": "rectangle",
                "size": ["r_out - r_shaft", "height"],
                "at": ["r_shaft", "0 mm"],
                "material": "clay",
            }
        },
    },
    [{"on": "sleeve.left", "temperature": "T_plate"}, film_on("sleeve.right", "sleeve.top", "sleeve.bottom")],
    COOLING,
    [
        exactly("half way", {"temperature": ["(r_shaft + r_out)/2", "height/2"]}, "block-in-time"),
        exactly("into the air", {"heat_flow": "sleeve.right", "direction": "out"}, "block-in-time"),
        exactly("given off round it", {"heat_passed": "sleeve.right", "direction": "out"}, "block-in-time"),
    ],
)
_BLOCK = family_in_time(
    "block-on-plate",
    "Block on a hot plate, in air on its other faces",
    "Brick set down on the kiln car",
    {
        "length": "60 mm",
        "width": "44 mm",
        "height": "30 mm",
        **CLAY,
        **AIR,
        **_HOT,
        "h_plate": "260 W/(m² K)",
        "t_end": "12 min",
    },
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
    [
        {"on": "brick.bottom", "film": {"h": "h_plate", "temperature": "T_plate"}},
        film_on("brick.left", "brick.right", "brick.front", "brick.back", "brick.top"),
    ],
    COOLING,
    [
        exactly("middle", {"temperature": ["length/2", "width/2", "height/2"]}, "block-in-time"),
        exactly("into the air", {"heat_flow": "brick.top", "direction": "out"}, "block-in-time"),
    ],
    mesh={"size": "length/12", "across": 2},
)
_ROD = family_in_time(
    "rod-in-air",
    "Rod that is heated at one end and loses heat along it",
    "Clay stirrer with its end in the fire",
    {"length": "220 mm", "diameter": "9 mm", **CLAY, **AIR, **_HOT, "t_end": "9 min"},
    "clay",
    {"kind": "rod", "pieces": {"stirrer": {"length": "length", "diameter": "diameter", "material": "clay"}}},
    [{"on": "stirrer.start", "temperature": "T_plate"}, film_on("stirrer.side", "stirrer.end")],
    COOLING,
    [
        exactly("near the fire", {"temperature": ["length/8"]}, "rod-in-time"),
        exactly("off its side", {"heat_flow": "stirrer.side", "direction": "out"}, "rod-in-time"),
        exactly("taken up in all", {"heat_passed": "stirrer.start"}, "rod-in-time"),
    ],
    mesh={"size": "length/40"},
)

SETTLING_FAMILIES = (_BAR, _SLEEVE, _BLOCK, _ROD)
