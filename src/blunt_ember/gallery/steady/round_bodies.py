"""Families of pipes, shells and sectors of rings."""

from __future__ import annotations

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family, exactly

_LAGGED_PIPE = Family(
    "hollow-cylinder",
    "Pipe with lagging, film on either side, per metre of length",
    {
        "format": FORMAT,
        "title": "Flue pipe with lagging",
        "parameters": {
            "r_bore": "75 mm",
            "t_pipe": "4 mm",
            "t_lagging": "45 mm",
            "k_pipe": "24 W/(m K)",
            "k_lagging": "0.065 W/(m K)",
            "depth": "1 m",
            "h_in": "38 W/(m² K)",
            "T_gas": "310 °C",
            "h_out": "9 W/(m² K)",
            "T_air": "18 °C",
        },
        "materials": {"pipe steel": {"k": "k_pipe"}, "lagging": {"k": "k_lagging"}},
        "body": {
            "kind": "section",
            "depth": "depth",
            "regions": {
                "pipe": {"shape": "ring", "inner": "r_bore", "outer": "r_bore + t_pipe", "material": "pipe steel"},
                "lagging": {
                    "shape": "ring",
                    "inner": "r_bore + t_pipe",
                    "outer": "r_bore + t_pipe + t_lagging",
                    "around": "pipe",
                    "material": "lagging",
                },
            },
        },
        "surroundings": [
            {"on": "pipe.bore", "film": {"h": "h_in", "temperature": "T_gas"}},
            {"on": "lagging.rim", "film": {"h": "h_out", "temperature": "T_air"}},
        ],
        "clock": "steady",
        "mesh": {"size": "auto", "order": 2},
        "working": {
            "r_1": "r_bore + t_pipe",
            "r_2": "r_1 + t_lagging",
            "R": "(1/(h_in*r_bore) + ln(r_1/r_bore)/k_pipe + ln(r_2/r_1)/k_lagging + 1/(h_out*r_2))/(2*pi*depth)",
            "Q": "(T_gas - T_air)/R",
            "T_skin": "T_air + Q/(h_out*2*pi*r_2*depth)",
        },
        "questions": [
            {"name": "loss per metre", "heat_flow": "lagging.rim", "direction": "out", "expect": {"working": "Q"}},
            {"name": "over the joint", "heat_flow": "pipe|lagging", "expect": {"exact": "hollow-cylinder"}},
            {"name": "skin", "highest": "lagging.rim", "expect": {"working": "T_skin"}, "tolerance": "0.1 K"},
            {"name": "joint", "mean": "pipe|lagging", "expect": {"exact": "hollow-cylinder"}, "tolerance": "0.1 K"},
        ],
    },
)
_HOLLOW_SPHERE = Family(
    "hollow-sphere",
    "Two shells in a turned section, held inside, film outside",
    {
        "format": FORMAT,
        "title": "Test sphere of two shells",
        "parameters": {
            "r_bore": "60 mm",
            "t_core": "35 mm",
            "t_coat": "20 mm",
            "k_core": "1.8 W/(m K)",
            "k_coat": "0.14 W/(m K)",
            "T_in": "560 °C",
            "h_out": "14 W/(m² K)",
            "T_air": "24 °C",
        },
        "materials": {"stoneware": {"k": "k_core"}, "coat": {"k": "k_coat"}},
        "body": {
            "kind": "turned section",
            "regions": {
                "core": {
                    "shape": "ring sector",
                    "inner": "r_bore",
                    "outer": "r_bore + t_core",
                    "start": "-90°",
                    "end": "90°",
                    "material": "stoneware",
                },
                "coat": {
                    "shape": "ring sector",
                    "inner": "r_bore + t_core",
                    "outer": "r_bore + t_core + t_coat",
                    "start": "-90°",
                    "end": "90°",
                    "material": "coat",
                },
            },
        },
        "surroundings": [
            {"on": "core.bore", "temperature": "T_in"},
            {"on": "coat.rim", "film": {"h": "h_out", "temperature": "T_air"}},
        ],
        "clock": "steady",
        "mesh": {"size": "auto", "order": 2},
        "working": {
            "r_1": "r_bore + t_core",
            "r_2": "r_1 + t_coat",
            "R": "(1/r_bore - 1/r_1)/(4*pi*k_core) + (1/r_1 - 1/r_2)/(4*pi*k_coat) + 1/(h_out*4*pi*r_2^2)",
            "Q": "(T_in - T_air)/R",
        },
        "questions": [
            {"name": "loss", "heat_flow": "coat.rim", "direction": "out", "expect": {"working": "Q"}},
            {"name": "heat in", "heat_flow": "core.bore", "expect": {"exact": "hollow-sphere"}},
            {"name": "joint", "mean": "core|coat", "expect": {"exact": "hollow-sphere"}, "tolerance": "0.1 K"},
            {"name": "skin", "highest": "coat.rim", "expect": {"exact": "hollow-sphere"}, "tolerance": "0.1 K"},
        ],
    },
)
_RING_SECTOR = Family(
    "ring-sector",
    "Part of a ring, held on its bore and its rim, flanks insulated",
    {
        "format": FORMAT,
        "title": "Arch brick of a kiln crown",
        "parameters": {
            "r_bore": "0.4 m",
            "r_rim": "0.63 m",
            "angle": "35°",
            "depth": "0.25 m",
            "k_brick": "1.3 W/(m K)",
            "T_hot": "1120 °C",
            "T_cold": "240 °C",
        },
        "materials": {"brick": {"k": "k_brick"}},
        "body": {
            "kind": "section",
            "depth": "depth",
            "regions": {
                "brick": {
                    "shape": "ring sector",
                    "inner": "r_bore",
                    "outer": "r_rim",
                    "start": "90° - angle/2",
                    "end": "90° + angle/2",
                    "material": "brick",
                }
            },
        },
        "surroundings": [
            {"on": "brick.bore", "temperature": "T_hot"},
            {"on": "brick.rim", "temperature": "T_cold"},
            {"on": ["brick.start", "brick.end"], "insulated": True},
        ],
        "clock": "steady",
        "mesh": {"size": "auto", "order": 2},
        "working": {
            "Q": "angle*depth*k_brick*(T_hot - T_cold)/ln(r_rim/r_bore)",
            "T_half": "T_hot - (T_hot - T_cold)*ln((r_bore + r_rim)/2/r_bore)/ln(r_rim/r_bore)",
        },
        "questions": [
            {"name": "through", "heat_flow": "brick.bore", "expect": {"working": "Q"}},
            {"name": "out", "heat_flow": "brick.rim", "direction": "out", "expect": {"exact": "hollow-cylinder"}},
            {
                "name": "half way",
                "temperature": ["0 m", "(r_bore + r_rim)/2"],
                "expect": {"working": "T_half"},
                "tolerance": "0.1 K",
            },
        ],
    },
)

_ARCH = Family(
    "arch-on-feet",
    "Sector of a ring, hot within, in air without, its feet held",
    {
        "format": FORMAT,
        "title": "Arch of the kiln on its cooled feet",
        "parameters": {
            "r_bore": "600 mm",
            "t_arch": "180 mm",
            "k_arch": "1.3 W/(m K)",
            "h_in": "45 W/(m² K)",
            "T_in": "980 °C",
            "h_out": "11 W/(m² K)",
            "T_air": "25 °C",
            "T_feet": "140 °C",
        },
        "materials": {"arch": {"k": "k_arch"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "arch": {
                    "shape": "ring sector",
                    "inner": "r_bore",
                    "outer": "r_bore + t_arch",
                    "start": "25 deg",
                    "end": "155 deg",
                    "material": "arch",
                }
            },
        },
        "surroundings": [
            {"on": "arch.bore", "film": {"h": "h_in", "temperature": "T_in"}},
            {"on": "arch.rim", "film": {"h": "h_out", "temperature": "T_air"}},
            {"on": ["arch.start", "arch.end"], "temperature": "T_feet"},
        ],
        "mesh": {"size": "15 mm"},
        "questions": [
            exactly("crown", {"temperature": ["0 mm", "r_bore + t_arch"]}, "ring-sector", "0.2 %"),
            exactly(
                "near a foot",
                {"temperature": ["(r_bore + t_arch/2)*cos(28 deg)", "(r_bore + t_arch/2)*sin(28 deg)"]},
                "ring-sector",
                "0.2 %",
            ),
            exactly("off the arch", {"heat_flow": "arch.rim", "direction": "out"}, "ring-sector", "0.2 %"),
        ],
    },
)

ROUND_FAMILIES = (_LAGGED_PIPE, _HOLLOW_SPHERE, _RING_SECTOR, _ARCH)
