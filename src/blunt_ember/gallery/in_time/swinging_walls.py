"""Families of walls whose face swings in temperature."""

from __future__ import annotations

from blunt_ember.gallery.in_time.common_statements import CLAY, COARSE, MIDDLE, exactly, family_in_time, wall_of

_SWINGING = family_in_time(
    "swinging-wall",
    "Wall whose face swings in temperature, the other one held",
    "Kiln yard wall, day and night",
    {"thickness": "240 mm", **CLAY, "T_mean": "14 °C", "swing": "9 K", "period": "24 hour", "T_room": "20 °C"},
    "clay",
    wall_of("clay"),
    [
        {"on": "wall.left", "temperature": "T_mean + swing*sin(2*pi*t/period)"},
        {"on": "wall.right", "temperature": "T_room"},
    ],
    {"start": "T_mean", "end": "1.5*period"},
    [
        exactly("middle", {"temperature": MIDDLE}),
        exactly("into the face", {"heat_flow": "wall.left", "time": "period/4"}, tolerance="1 %"),
        exactly("middle after 8 h", {"temperature": MIDDLE, "time": "period/3"}),
    ],
)
_SWINGING_DEEP = family_in_time(
    "swinging-deep-wall",
    "Deep wall whose face swings in temperature",
    "Floor of the clay store, a year",
    {
        "thickness": "24 m",
        "k_clay": "1.1 W/(m K)",
        "rho": "1950 kg/m³",
        "c_clay": "880 J/(kg K)",
        "T_mean": "11 °C",
        "swing": "12 K",
        "period": "365 day",
    },
    "clay",
    wall_of("clay"),
    [{"on": "wall.left", "temperature": "T_mean + swing*sin(2*pi*t/period)"}],
    {"start": "T_mean", "end": "4*period"},
    [
        exactly("below frost", {"temperature": ["2 m", "thickness/16"]}),
        {
            "name": "below frost by hand",
            "temperature": ["2 m", "thickness/16"],
            "expect": {"working": "T_settled"},
            "tolerance": "1 %",
        },
    ],
    working={
        "a": "k_clay/(rho*c_clay)",
        "reach": "sqrt(a*period/pi)",
        "T_settled": "T_mean + swing*exp(-x/reach)*sin(2*pi*t/period - x/reach)",
    },
    mesh={**COARSE, "local": [{"on": "wall.left", "size": "150 mm"}]},
)

SWINGING_WALL_FAMILIES = (_SWINGING, _SWINGING_DEEP)
