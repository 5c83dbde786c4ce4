"""Families with heat arising inside: wall, solid and hollow cylinder, solid and hollow sphere."""

from __future__ import annotations

from typing import Any

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family

_FILM = {"film": {"h": "h_out", "temperature": "T_air"}}


def _generating(
    name: str,
    summary: str,
    title: str,
    body: dict[str, Any],
    further: dict[str, str],
    working: dict[str, str],
    outer: str,
    middle: list[str],
    exact: str,
) -> Family:
    """A body that gives off heat evenly, with film on its outer side; the Working ends in Q and T_peak."""
    return Family(
        name,
        summary,
        {
            "format": FORMAT,
            "title": title,
            "parameters": {**further, "g": "180 kW/m³", "h_out": "42 W/(m² K)", "T_air": "22 °C"},
            "materials": {"element": {"k": "k_element"}},
            "body": body,
            "surroundings": [{"on": outer, **_FILM}],
            "heat_inside": [{"region": "element", "per_volume": "g"}],
            "clock": "steady",
            "working": working,
            "questions": [
                {"name": "given off", "heat_flow": outer, "direction": "out", "expect": {"working": "Q"}},
                {"name": "hottest", "temperature": middle, "expect": {"working": "T_peak"}, "tolerance": "0.1 K"},
                {"name": "hottest again", "temperature": middle, "expect": {"exact": exact}, "tolerance": "0.1 K"},
                {"name": "outer face", "mean": outer, "expect": {"exact": exact}, "tolerance": "0.1 K"},
            ],
        },
    )


_WALL = _generating(
    "generating-wall",
    "Wall that gives off heat, insulated on one side",
    "Heated shelf, one side on wool",
    {
        "kind": "section",
        "depth": "1 m",
        "regions": {"element": {"shape": "rectangle", "size": ["thickness", "60 mm"], "material": "element"}},
    },
    {"thickness": "24 mm", "k_element": "1.7 W/(m K)"},
    {
        "Q": "g*thickness*60 mm*1 m",
        "T_face": "T_air + g*thickness/h_out",
        "T_peak": "T_face + g*thickness^2/(2*k_element)",
    },
    "element.right",
    ["0 mm", "30 mm"],
    "plane-wall",
)

_CYLINDER = _generating(
    "generating-cylinder",
    "Solid cylinder that gives off heat, film round it",
    "Element rod, its cross-section",
    {
        "kind": "section",
        "depth": "1 m",
        "regions": {"element": {"shape": "disc", "radius": "r_out", "material": "element"}},
    },
    {"r_out": "14 mm", "k_element": "2.4 W/(m K)"},
    {"Q": "g*pi*r_out^2*1 m", "T_face": "T_air + g*r_out/(2*h_out)", "T_peak": "T_face + g*r_out^2/(4*k_element)"},
    "element.rim",
    ["0 mm", "0 mm"],
    "hollow-cylinder",
)

_TUBE = _generating(
    "generating-tube",
    "Hollow cylinder that gives off heat, its bore insulated",
    "Element tube, its cross-section",
    {
        "kind": "section",
        "depth": "1 m",
        "regions": {"element": {"shape": "ring", "inner": "r_in", "outer": "r_out", "material": "element"}},
    },
    {"r_in": "9 mm", "r_out": "16 mm", "k_element": "2.4 W/(m K)"},
    {
        "Q": "g*pi*(r_out^2 - r_in^2)*1 m",
        "T_face": "T_air + Q/(h_out*2*pi*r_out*1 m)",
        "T_peak": "T_face + g/(4*k_element)*(r_out^2 - r_in^2) - g*r_in^2/(2*k_element)*ln(r_out/r_in)",
    },
    "element.rim",
    ["r_in", "0 mm"],
    "hollow-cylinder",
)

_SPHERE = _generating(
    "generating-sphere",
    "Ball that gives off heat, film round it",
    "Heated ball of the cone tester",
    {
        "kind": "turned section",
        "regions": {
            "element": {"shape": "ring sector", "outer": "r_out", "start": "-90°", "end": "90°", "material": "element"}
        },
    },
    {"r_out": "21 mm", "k_element": "2.4 W/(m K)"},
    {"Q": "g*4/3*pi*r_out^3", "T_face": "T_air + g*r_out/(3*h_out)", "T_peak": "T_face + g*r_out^2/(6*k_element)"},
    "element.rim",
    ["0 mm", "0 mm"],
    "hollow-sphere",
)

_SHELL = _generating(
    "generating-shell",
    "Hollow sphere that gives off heat, insulated inside",
    "Heated shell of the cone tester",
    {
        "kind": "turned section",
        "regions": {
            "element": {
                "shape": "ring sector",
                "inner": "r_in",
                "outer": "r_out",
                "start": "-90°",
                "end": "90°",
                "material": "element",
            }
        },
    },
    {"r_in": "12 mm", "r_out": "21 mm", "k_element": "2.4 W/(m K)"},
    {
        "Q": "g*4/3*pi*(r_out^3 - r_in^3)",
        "T_face": "T_air + Q/(h_out*4*pi*r_out^2)",
        "T_peak": "T_face + g/(6*k_element)*(r_out^2 - r_in^2) - g*r_in^3/(3*k_element)*(1/r_in - 1/r_out)",
    },
    "element.rim",
    ["r_in", "0 mm"],
    "hollow-sphere",
)

GENERATING_FAMILIES = (_WALL, _CYLINDER, _TUBE, _SPHERE, _SHELL)
