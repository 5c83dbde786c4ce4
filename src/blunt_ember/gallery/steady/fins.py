"""Families of fins."""

from __future__ import annotations

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family

_STRAIGHT_FIN = Family(
    "straight-fin",
    "Fin held at its base, film over its sides and its tip",
    {
        "format": FORMAT,
        "title": "Fin of the controller's heat sink",
        "parameters": {
            "length": "38 mm",
            "thickness": "1.6 mm",
            "depth": "60 mm",
            "k_fin": "180 W/(m K)",
            "T_base": "72 °C",
            "h": "42 W/(m² K)",
            "T_air": "24 °C",
        },
        "materials": {"aluminium": {"k": "k_fin"}},
        "body": {
            "kind": "section",
            "depth": "depth",
            "regions": {"fin": {"shape": "rectangle", "size": ["length", "thickness"], "material": "aluminium"}},
        },
        "surroundings": [
            {"on": "fin.left", "temperature": "T_base"},
            {"on": ["fin.top", "fin.bottom", "fin.right"], "film": {"h": "h", "temperature": "T_air"}},
        ],
        "clock": "steady",
        "mesh": {"size": "auto", "order": 2},
        "working": {
            "m": "sqrt(2*h/(k_fin*thickness))",
            "a": "h/(m*k_fin)",
            "Q": "sqrt(2*h*k_fin*thickness)*depth*(T_base - T_air)"
            "*(sinh(m*length) + a*cosh(m*length))/(cosh(m*length) + a*sinh(m*length))",
        },
        "questions": [
            {"name": "heat of the fin", "heat_flow": "fin.left", "expect": {"working": "Q"}},
            {"name": "base", "heat_flow": "fin.left", "expect": {"exact": "straight-fin"}},
            {"name": "tip", "mean": "fin.right", "expect": {"exact": "straight-fin"}, "tolerance": "0.1 K"},
            {
                "name": "half way",
                "temperature": ["length/2", "thickness/2"],
                "expect": {"exact": "straight-fin"},
                "tolerance": "0.1 K",
            },
        ],
    },
)
_ANNULAR_FIN = Family(
    "annular-fin",
    "Ring fin on a pipe, film on both faces, rim insulated",
    {
        "format": FORMAT,
        "title": "Cooling fin on the flue",
        "parameters": {
            "r_pipe": "40 mm",
            "r_rim": "72 mm",
            "thickness": "2 mm",
            "k_fin": "52 W/(m K)",
            "T_pipe": "210 °C",
            "h": "18 W/(m² K)",
            "T_air": "22 °C",
        },
        "materials": {"steel": {"k": "k_fin"}},
        "body": {
            "kind": "turned section",
            "regions": {
                "fin": {
                    "shape": "rectangle",
                    "size": ["r_rim - r_pipe", "thickness"],
                    "at": ["r_pipe", "0 mm"],
                    "material": "steel",
                }
            },
        },
        "surroundings": [
            {"on": "fin.left", "temperature": "T_pipe"},
            {"on": ["fin.top", "fin.bottom"], "film": {"h": "h", "temperature": "T_air"}},
            {"on": "fin.right", "insulated": True},
        ],
        "clock": "steady",
        "mesh": {"size": "auto", "order": 2},
        "questions": [
            {"name": "heat of the fin", "heat_flow": "fin.left", "expect": {"exact": "annular-fin"}},
            {"name": "rim", "mean": "fin.right", "expect": {"exact": "annular-fin"}, "tolerance": "0.1 K"},
            {
                "name": "half way",
                "temperature": ["(r_pipe + r_rim)/2", "thickness/2"],
                "expect": {"exact": "annular-fin"},
                "tolerance": "0.1 K",
            },
        ],
    },
)

FIN_FAMILIES = (_STRAIGHT_FIN, _ANNULAR_FIN)
