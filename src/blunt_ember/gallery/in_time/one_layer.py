"""Families of one layer that heats up or cools down, by its series."""

from __future__ import annotations

from blunt_ember.gallery.in_time.common_statements import (
    AIR,
    CLAY,
    COOLING,
    MIDDLE,
    STEEL,
    exactly,
    family_in_time,
    film_on,
    wall_of,
)

_TWO_SIDED = family_in_time(
    "cooling-wall",
    "Wall that cools in air on both sides",
    "Casting plate on the rack",
    {"thickness": "60 mm", **STEEL, **AIR, "t_end": "20 min"},
    "casting",
    wall_of("casting"),
    [film_on("wall.left", "wall.right")],
    COOLING,
    [
        exactly("middle", {"temperature": MIDDLE}),
        exactly("face", {"mean": "wall.left"}),
        exactly("middle after 5 min", {"temperature": MIDDLE, "time": "t_end/4"}),
        exactly("given off", {"heat_passed": "wall.right", "direction": "out"}),
        exactly("lost in all", {"heat_stored": "body"}),
        exactly("fit to touch", {"when": {"passes": "T_air + (T_start - T_air)/2", "temperature": MIDDLE}}),
    ],
)
_ONE_SIDED = family_in_time(
    "cooling-wall-one-sided",
    "Wall that cools on one side, insulated on the other",
    "Casting plate on wool",
    {"thickness": "45 mm", **STEEL, **AIR, "t_end": "25 min"},
    "casting",
    wall_of("casting"),
    [film_on("wall.right")],
    COOLING,
    [
        exactly("back", {"mean": "wall.left"}),
        exactly("face", {"mean": "wall.right"}),
        exactly("loss at the end", {"heat_flow": "wall.right", "direction": "out"}),
        exactly("given off", {"heat_passed": "wall.right", "direction": "out"}),
    ],
)
_CYLINDER = family_in_time(
    "cooling-cylinder",
    "Long cylinder that cools in a fluid",
    "Element rod drawn from the kiln",
    {"r_out": "22 mm", **CLAY, **AIR, "t_end": "15 min"},
    "clay",
    {
        "kind": "turned section",
        "regions": {
            "rod": {"shape": "rectangle", "size": ["r_out", "r_out/4"], "at": ["0 mm", "0 mm"], "material": "clay"}
        },
    },
    [film_on("rod.right")],
    COOLING,
    [
        exactly("axis", {"temperature": ["0 mm", "r_out/8"]}),
        exactly("skin", {"mean": "rod.right"}),
        exactly("axis after 3 min", {"temperature": ["0 mm", "r_out/8"], "time": "t_end/5"}),
        exactly("given off", {"heat_passed": "rod.right", "direction": "out"}),
    ],
)
_SPHERE = family_in_time(
    "cooling-sphere",
    "Sphere that cools in a fluid",
    "Test ball lifted out of the glaze kiln",
    {"r_out": "30 mm", **CLAY, **AIR, "t_end": "20 min"},
    "clay",
    {
        "kind": "turned section",
        "regions": {
            "ball": {"shape": "ring sector", "outer": "r_out", "start": "-90°", "end": "90°", "material": "clay"}
        },
    },
    [film_on("ball.rim")],
    COOLING,
    [
        exactly("middle", {"temperature": ["0 mm", "0 mm"]}),
        exactly("skin", {"mean": "ball.rim"}),
        exactly("lost in all", {"heat_stored": "body"}),
        exactly("half way", {"when": {"passes": "(T_air + T_start)/2", "temperature": ["0 mm", "0 mm"]}}),
    ],
)
_QUENCHED = family_in_time(
    "quenched-wall",
    "Wall whose faces are suddenly held",
    "Tile dipped into water",
    {"thickness": "18 mm", **CLAY, "T_start": "420 °C", "T_water": "15 °C", "t_end": "60 s"},
    "clay",
    wall_of("clay"),
    [{"on": ["wall.left", "wall.right"], "temperature": "T_water"}],
    COOLING,
    [
        exactly("middle", {"temperature": MIDDLE}),
        exactly("flux at the end", {"heat_flow": "wall.left", "direction": "out", "basis": "area"}),
        exactly("given off", {"heat_passed": "wall.left", "direction": "out"}),
        exactly("lost in all", {"heat_stored": "body"}),
    ],
)
_SETTLING = family_in_time(
    "settling-wall",
    "Wall under a heat flux, its back held, from one temperature to the steady answer",
    "Radiant panel switched on",
    {"thickness": "35 mm", **CLAY, "q": "4.5 kW/m²", "T_back": "25 °C"},
    "clay",
    wall_of("clay"),
    [{"on": "wall.left", "flux": "q"}, {"on": "wall.right", "temperature": "T_back"}],
    {"start": "T_back", "until": {"settled": "0.05 K"}},
    [
        exactly("face on the way", {"mean": "wall.left", "time": "6 min"}),
        {"name": "face in the end", "mean": "wall.left", "expect": {"working": "T_face"}, "tolerance": "0.1 K"},
        exactly("steady again", {"mean": "wall.left"}, "plane-wall", "0.1 K"),
        exactly("through the back", {"heat_flow": "wall.right", "direction": "out"}, tolerance="0.5 %"),
    ],
    working={"T_face": "T_back + q*thickness/k_clay"},
)

ONE_LAYER_FAMILIES = (_TWO_SIDED, _ONE_SIDED, _CYLINDER, _SPHERE, _QUENCHED, _SETTLING)
