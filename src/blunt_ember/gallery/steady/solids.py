"""Families of stacked and turned solids whose heat flows as in a section."""

from __future__ import annotations

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family

_PILE = Family(
    "stacked-floor",
    "Levels piled up under a held face, film below",
    {
        "format": FORMAT,
        "title": "Kiln floor, three levels",
        "parameters": {
            "t_slab": "90 mm",
            "t_wool": "110 mm",
            "t_brick": "64 mm",
            "side": "500 mm",
            "k_slab": "1.3 W/(m K)",
            "k_wool": "0.085 W/(m K)",
            "k_brick": "0.42 W/(m K)",
            "T_hearth": "760 °C",
            "h_under": "7 W/(m² K)",
            "T_cellar": "14 °C",
        },
        "materials": {"concrete": {"k": "k_slab"}, "wool": {"k": "k_wool"}, "brick": {"k": "k_brick"}},
        "body": {
            "kind": "stacked",
            "regions": {
                "floor": {
                    "shape": "rectangle",
                    "size": ["side", "side"],
                    "levels": {
                        "slab": {"z": ["0 mm", "t_slab"], "material": "concrete"},
                        "wool": {"z": ["t_slab", "t_slab + t_wool"], "material": "wool"},
                        "brick": {"z": ["t_slab + t_wool", "t_slab + t_wool + t_brick"], "material": "brick"},
                    },
                }
            },
        },
        "surroundings": [
            {"on": "floor.brick.top", "temperature": "T_hearth"},
            {"on": "floor.slab.bottom", "film": {"h": "h_under", "temperature": "T_cellar"}},
        ],
        "clock": "steady",
        "working": {
            "R": "(t_slab/k_slab + t_wool/k_wool + t_brick/k_brick + 1/h_under)/side^2",
            "Q": "(T_hearth - T_cellar)/R",
        },
        "questions": [
            {"name": "loss", "heat_flow": "floor.slab.bottom", "direction": "out", "expect": {"working": "Q"}},
            {
                "name": "under the brick",
                "mean": "floor.wool|floor.brick",
                "expect": {"exact": "composite-wall"},
                "tolerance": "0.1 K",
            },
            {
                "name": "in the slab",
                "temperature": ["side/3", "side/4", "t_slab/2"],
                "expect": {"exact": "composite-wall"},
                "tolerance": "0.1 K",
            },
        ],
    },
)

_BOWL = Family(
    "bowl",
    "Hemispherical bowl by turning a quarter ring: held inside, film outside",
    {
        "format": FORMAT,
        "title": "Melting bowl for glaze frit",
        "parameters": {
            "r_in": "55 mm",
            "r_out": "85 mm",
            "k_bowl": "2.2 W/(m K)",
            "T_melt": "1120 °C",
            "h": "34 W/(m² K)",
            "T_room": "28 °C",
        },
        "materials": {"fireclay": {"k": "k_bowl"}},
        "body": {
            "kind": "turned solid",
            "angle": "360 deg",
            "regions": {
                "bowl": {
                    "shape": "ring sector",
                    "inner": "r_in",
                    "outer": "r_out",
                    "start": "-90 deg",
                    "end": "0 deg",
                    "material": "fireclay",
                }
            },
        },
        "surroundings": [
            {"on": "bowl.bore", "temperature": "T_melt"},
            {"on": "bowl.rim", "film": {"h": "h", "temperature": "T_room"}},
        ],
        "clock": "steady",
        "mesh": {"size": "r_out/6", "order": 2},
        "working": {"R": "(1/r_in - 1/r_out)/(2*pi*k_bowl) + 1/(2*pi*r_out^2*h)", "Q": "(T_melt - T_room)/R"},
        "questions": [
            {"name": "loss", "heat_flow": "bowl.rim", "direction": "out", "expect": {"working": "Q"}},
            {"name": "outside", "mean": "bowl.rim", "expect": {"exact": "hollow-sphere"}, "tolerance": "0.5 K"},
            {
                "name": "at the foot",
                "temperature": ["0 mm", "-(r_in + r_out)/2", "0 mm"],
                "expect": {"exact": "hollow-sphere"},
                "tolerance": "1 K",
            },
        ],
    },
)

_WEDGE = Family(
    "pipe-wedge",
    "A wedge of a thick pipe, turned by a part of a turn, cuts insulated",
    {
        "format": FORMAT,
        "title": "Arch brick of the flue",
        "parameters": {
            "r_in": "160 mm",
            "r_out": "280 mm",
            "height": "90 mm",
            "k_brick": "0.9 W/(m K)",
            "T_flue": "430 °C",
            "T_outside": "45 °C",
        },
        "materials": {"brick": {"k": "k_brick"}},
        "body": {
            "kind": "turned solid",
            "angle": "40 deg",
            "regions": {
                "brick": {
                    "shape": "rectangle",
                    "at": ["r_in", "0 mm"],
                    "size": ["r_out - r_in", "height"],
                    "material": "brick",
                }
            },
        },
        "surroundings": [
            {"on": "brick.left", "temperature": "T_flue"},
            {"on": "brick.right", "temperature": "T_outside"},
        ],
        "clock": "steady",
        "working": {"Q": "40/360*2*pi*height*k_brick*(T_flue - T_outside)/ln(r_out/r_in)"},
        "questions": [
            {"name": "through the brick", "heat_flow": "brick.left", "expect": {"working": "Q"}},
            {
                "name": "half way",
                "temperature": ["(r_in + r_out)/2*cos(15 deg)", "height/2", "(r_in + r_out)/2*sin(15 deg)"],
                "expect": {"exact": "hollow-cylinder"},
                "tolerance": "0.1 K",
            },
        ],
    },
)

SOLID_FAMILIES = (_PILE, _BOWL, _WEDGE)
