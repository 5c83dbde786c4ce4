"""Families of flat walls."""

from __future__ import annotations

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family

_PLANE_WALL = Family(
    "plane-wall",
    "One layer between a held face and a film",
    {
        "format": FORMAT,
        "title": "Flue damper plate",
        "parameters": {
            "thickness": "32 mm",
            "k_plate": "1.4 W/(m K)",
            "T_hot": "460 °C",
            "h_out": "15 W/(m² K)",
            "T_air": "22 °C",
        },
        "materials": {"plate": {"k": "k_plate"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "plate": {
                    "shape": "rectangle",
                    "size": ["thickness", "80 mm"],
                    "at": ["0 mm", "0 mm"],
                    "material": "plate",
                }
            },
        },
        "surroundings": [
            {"on": "plate.left", "temperature": "T_hot"},
            {"on": "plate.right", "film": {"h": "h_out", "temperature": "T_air"}},
        ],
        "clock": "steady",
        "mesh": {"size": "auto", "order": 2},
        "working": {"R": "thickness/k_plate + 1/h_out", "q": "(T_hot - T_air)/R", "T_face": "T_air + q/h_out"},
        "questions": [
            {"name": "loss", "heat_flow": "plate.left", "basis": "area", "expect": {"exact": "plane-wall"}},
            {
                "name": "loss by hand",
                "heat_flow": "plate.right",
                "direction": "out",
                "basis": "area",
                "expect": {"working": "q"},
            },
            {"name": "outer face", "mean": "plate.right", "expect": {"working": "T_face"}, "tolerance": "0.1 K"},
            {
                "name": "middle",
                "temperature": ["thickness/2", "40 mm"],
                "expect": {"exact": "plane-wall"},
                "tolerance": "0.1 K",
            },
        ],
    },
)
_KILN_WALL = Family(
    "composite-wall",
    "Layers in series between a held face and a film",
    {
        "format": FORMAT,
        "title": "Kiln wall, three layers",
        "parameters": {
            "t_brick": "114 mm",
            "t_blanket": "50 mm",
            "t_shell": "3 mm",
            "k_brick": "0.35 W/(m K)",
            "k_blanket": "0.12 W/(m K)",
            "k_shell": "45 W/(m K)",
            "T_hot": "980 °C",
            "h_out": "12 W/(m² K)",
            "T_air": "25 °C",
        },
        "materials": {"brick": {"k": "k_brick"}, "blanket": {"k": "k_blanket"}, "steel": {"k": "k_shell"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "brick": {
                    "shape": "rectangle",
                    "size": ["t_brick", "100 mm"],
                    "at": ["0 mm", "0 mm"],
                    "material": "brick",
                },
                "blanket": {
                    "shape": "rectangle",
                    "size": ["t_blanket", "100 mm"],
                    "right_of": "brick",
                    "material": "blanket",
                },
                "shell": {
                    "shape": "rectangle",
                    "size": ["t_shell", "100 mm"],
                    "right_of": "blanket",
                    "material": "steel",
                },
            },
        },
        "surroundings": [
            {"on": "brick.left", "temperature": "T_hot"},
            {"on": "shell.right", "film": {"h": "h_out", "temperature": "T_air"}},
        ],
        "clock": "steady",
        "mesh": {"size": "auto", "order": 2},
        "working": {
            "R": "t_brick/k_brick + t_blanket/k_blanket + t_shell/k_shell + 1/h_out",
            "q": "(T_hot - T_air)/R",
            "T_joint": "T_hot - q*t_brick/k_brick",
        },
        "questions": [
            {
                "name": "heat flow",
                "heat_flow": "shell.right",
                "direction": "out",
                "basis": "area",
                "expect": {"working": "q"},
            },
            {"name": "hot face", "heat_flow": "brick.left", "basis": "area", "expect": {"exact": "composite-wall"}},
            {
                "name": "brick to blanket",
                "mean": "brick|blanket",
                "expect": {"working": "T_joint"},
                "tolerance": "0.5 K",
            },
            {
                "name": "blanket to shell",
                "mean": "blanket|shell",
                "expect": {"exact": "composite-wall"},
                "tolerance": "0.5 K",
            },
            {
                "name": "outer surface",
                "highest": "shell.right",
                "expect": {"exact": "composite-wall"},
                "tolerance": "0.5 K",
            },
        ],
    },
)

WALL_FAMILIES = (_PLANE_WALL, _KILN_WALL)
