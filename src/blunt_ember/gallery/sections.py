"""Families of plane and turned sections: walls, pipes, plates and fins."""

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

_HOT_EDGE_PLATE = Family(
    "hot-edge-plate",
    "Rectangular plate with one edge hot, by series",
    {
        "format": FORMAT,
        "title": "Setter plate with a hot edge",
        "parameters": {
            "width": "0.3 m",
            "height": "0.2 m",
            "k_plate": "2.1 W/(m K)",
            "T_hot": "260 °C",
            "T_cold": "40 °C",
        },
        "materials": {"setter": {"k": "k_plate"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "plate": {
                    "shape": "rectangle",
                    "size": ["width", "height"],
                    "at": ["0 mm", "0 mm"],
                    "material": "setter",
                }
            },
        },
        "surroundings": [
            {"on": "plate.top", "temperature": "T_hot"},
            {"on": ["plate.left", "plate.right", "plate.bottom"], "temperature": "T_cold"},
        ],
        "clock": "steady",
        "mesh": {"size": "auto", "order": 2},
        "questions": [
            {
                "name": "middle",
                "temperature": ["width/2", "height/2"],
                "expect": {"exact": "hot-edge-plate"},
                "tolerance": "0.05 %",
            },
            {
                "name": "quarter",
                "temperature": ["width/4", "height/4"],
                "expect": {"exact": "hot-edge-plate"},
                "tolerance": "0.05 %",
            },
            {
                "name": "below the edge",
                "temperature": ["width/2", "0.9*height"],
                "expect": {"exact": "hot-edge-plate"},
                "tolerance": "0.05 %",
            },
            {
                "name": "out through the bottom",
                "heat_flow": "plate.bottom",
                "direction": "out",
                "expect": {"exact": "hot-edge-plate"},
                "tolerance": "0.1 %",
            },
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

SECTION_FAMILIES = (
    _PLANE_WALL,
    _KILN_WALL,
    _LAGGED_PIPE,
    _HOLLOW_SPHERE,
    _HOT_EDGE_PLATE,
    _RING_SECTOR,
    _STRAIGHT_FIN,
    _ANNULAR_FIN,
)
