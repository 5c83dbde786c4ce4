"""Families of heat that arises in a large body: a thin wire heated in clay, and a torch that moves along a plate."""

from __future__ import annotations

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family

_MIDDLE = ["0 mm", "0 mm"]
_HOT_WIRE = Family(
    "hot-wire",
    "Thin wire in a large block, heated from the start on",
    {
        "format": FORMAT,
        "title": "Hot wire in a block of fireclay",
        "parameters": {
            "radius": "150 mm",
            "k_clay": "0.52 W/(m K)",
            "density": "1280 kg/m³",
            "c": "960 J/(kg K)",
            "Q": "15 W/m",
            "T_start": "20 °C",
            "duration": "10 min",
        },
        "materials": {"clay": {"k": "k_clay", "density": "density", "c": "c"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {"block": {"shape": "disc", "radius": "radius", "material": "clay"}},
        },
        "heat_inside": [{"at": _MIDDLE, "total": "Q*1 m"}],
        "clock": {"start": "T_start", "end": "duration"},
        "mesh": {"size": "12 mm", "order": 2, "growth": 0.2, "local": [{"at": _MIDDLE, "size": "0.5 mm"}]},
        "working": {
            "a": "k_clay/(density*c)",
            "warmed": "T_start + line_source_since(Q, k_clay, a, sqrt(x^2 + y^2), t)",
        },
        "questions": [
            {"name": "at 10 mm", "temperature": ["10 mm", "0 mm"], "expect": {"working": "warmed"}},
            {"name": "at 20 mm", "temperature": ["0 mm", "20 mm"], "expect": {"working": "warmed"}},
            {"name": "at 40 mm", "temperature": ["-40 mm", "0 mm"], "expect": {"working": "warmed"}},
        ],
    },
)

_BESIDE = {"behind it": "- 12 mm", "under it": "+ 0 mm", "ahead of it": "+ 6 mm"}
_MOVING_TORCH = Family(
    "moving-torch",
    "Torch that moves along a thick plate, and is seen to carry its field along",
    {
        "format": FORMAT,
        "title": "Torch along the base plate of the kiln car",
        "parameters": {
            "length": "220 mm",
            "height": "70 mm",
            "k_plate": "30 W/(m K)",
            "density": "7800 kg/m³",
            "c": "480 J/(kg K)",
            "Q": "24 kW/m",
            "w": "2.4 mm",
            "speed": "2 mm/s",
            "x_0": "20 mm",
            "T_start": "20 °C",
            "t_end": "80 s",
        },
        "materials": {"steel": {"k": "k_plate", "density": "density", "c": "c"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "plate": {
                    "shape": "rectangle",
                    "size": ["length", "height"],
                    "at": ["0 mm", "0 mm"],
                    "material": "steel",
                }
            },
        },
        "surroundings": [{"on": "plate.top", "flux": "Q/(sqrt(pi)*w)*exp(-((x - x_0 - speed*t)/w)^2)"}],
        "clock": {"start": "T_start", "end": "t_end", "step": "0.5 s"},
        "mesh": {
            "size": "10 mm",
            "order": 2,
            "growth": 0.35,
            "cells": "triangles",
            "local": [{"on": "plate.top", "size": "1.5*w"}],
        },
        "working": {
            "a": "k_plate/(density*c)",
            "warmed": "T_start + 2*moving_line_source(Q, k_plate, a, speed, x - x_0 - speed*t, height - y)",
        },
        "questions": [
            {
                "name": name,
                "temperature": [f"x_0 + speed*t_end {beside}", "height - 12 mm"],
                "expect": {"working": "warmed"},
                "tolerance": "1 %",
            }
            for name, beside in _BESIDE.items()
        ],
    },
)

SOURCE_FAMILIES = (_HOT_WIRE, _MOVING_TORCH)
