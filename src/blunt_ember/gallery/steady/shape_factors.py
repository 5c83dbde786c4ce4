"""Families whose heat flow is a shape factor S times k ΔT, in two dimensions and in three.

Sources: Incropera, DeWitt, Bergman & Lavine, *Fundamentals of Heat and Mass Transfer*, 6th ed. (2007), table 4.1: a
cylinder under an isothermal surface, S = 2πL/arcosh(2z/D). The bend of a wall of even thickness w adds 1 − (2/π) ln 2
of a square to the squares of its inner faces, by conformal mapping (Schwarz–Christoffel; for an L-shaped resistor see
Hall, *Thin Solid Films* 1 (1968) 277); where three such walls meet, a corner of 0.15 w is added (Langmuir, Adams &
Meikle, *Trans. Am. Electrochem. Soc.* 24 (1913) 53; Incropera table 4.1).
"""

from __future__ import annotations

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family

_BURIED_PIPE = Family(
    "buried-pipe",
    "Warm pipe under the surface of deep ground, half of it by symmetry",
    {
        "format": FORMAT,
        "title": "Gas pipe under the yard",
        "parameters": {
            "radius": "60 mm",
            "depth": "450 mm",
            "k_ground": "1.3 W/(m K)",
            "T_pipe": "48 °C",
            "T_surface": "6 °C",
            "far": "40*depth",
        },
        "materials": {"ground": {"k": "k_ground"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "ground": {"shape": "rectangle", "at": ["0 m", "-far"], "size": ["far", "far"], "material": "ground"},
                "pipe": {"shape": "disc", "radius": "radius", "at": ["0 m", "-depth"], "void": True},
            },
        },
        "surroundings": [
            {"on": "ground.top", "temperature": "T_surface"},
            {"on": "ground.pipe", "temperature": "T_pipe"},
        ],
        "clock": "steady",
        "mesh": {"size": "far/14", "order": 2, "growth": 0.3, "local": [{"on": "ground.pipe", "size": "radius/4"}]},
        "working": {"S": "2*pi*1 m/acosh(depth/radius)", "Q_half": "S*k_ground*(T_pipe - T_surface)/2"},
        "questions": [{"name": "heat of half the pipe", "heat_flow": "ground.pipe", "expect": {"working": "Q_half"}}],
    },
)

_WALL_CORNER = Family(
    "wall-corner",
    "Two walls of one thickness that meet at a right angle",
    {
        "format": FORMAT,
        "title": "Corner of the drying room",
        "parameters": {"w": "240 mm", "inside": "720 mm", "k_wall": "0.68 W/(m K)", "T_in": "55 °C", "T_out": "4 °C"},
        "materials": {"brick": {"k": "k_wall"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "walls": {"shape": "rectangle", "size": ["w + inside", "w + inside"], "material": "brick"},
                "room": {"shape": "rectangle", "at": ["w", "w"], "size": ["inside", "inside"], "void": True},
            },
        },
        "surfaces": {"inner": ["walls.room left", "walls.room bottom"], "outer": ["walls.left", "walls.bottom"]},
        "surroundings": [{"on": "inner", "temperature": "T_in"}, {"on": "outer", "temperature": "T_out"}],
        "clock": "steady",
        "mesh": {"size": "w/10", "order": 2},
        "working": {"S": "(2*inside/w + 1 - 2/pi*ln(2))*1 m", "Q": "S*k_wall*(T_in - T_out)"},
        "questions": [{"name": "loss", "heat_flow": "inner", "expect": {"working": "Q"}}],
    },
)

_ROOM_CORNER = Family(
    "room-corner",
    "Three walls of one thickness that meet in a corner",
    {
        "format": FORMAT,
        "title": "Corner of the drying room, floor and two walls",
        "parameters": {"w": "240 mm", "inside": "600 mm", "k_wall": "0.68 W/(m K)", "T_in": "55 °C", "T_out": "4 °C"},
        "materials": {"brick": {"k": "k_wall"}},
        "body": {
            "kind": "stacked",
            "regions": {
                "walls": {
                    "shape": "rectangle",
                    "size": ["w + inside", "w + inside"],
                    "z": ["0 mm", "w + inside"],
                    "material": "brick",
                },
                "room": {
                    "shape": "rectangle",
                    "at": ["w", "w"],
                    "size": ["inside", "inside"],
                    "z": ["w", "w + inside"],
                    "void": True,
                },
            },
        },
        "surfaces": {
            "inner": ["walls.room left", "walls.room front", "walls.room bottom"],
            "outer": ["walls.left", "walls.front", "walls.bottom"],
        },
        "surroundings": [{"on": "inner", "temperature": "T_in"}, {"on": "outer", "temperature": "T_out"}],
        "clock": "steady",
        "mesh": {"size": "w/3", "order": 2},
        "working": {"S": "3*inside^2/w + 3*inside*(1 - 2/pi*ln(2)) + 0.15*w", "Q": "S*k_wall*(T_in - T_out)"},
        "questions": [{"name": "loss", "heat_flow": "inner", "expect": {"working": "Q"}, "tolerance": "1 %"}],
    },
)

_OFF_CENTRE_PIPE = Family(
    "off-centre-pipe",
    "Pipe that has sunk in its lagging, off the middle of it",
    {
        "format": FORMAT,
        "title": "Hot-air pipe of the drying room, sunk in its lagging",
        "parameters": {
            "d_pipe": "90 mm",
            "d_lagging": "210 mm",
            "sunk": "25 mm",
            "k_lagging": "0.055 W/(m K)",
            "T_pipe": "165 °C",
            "T_skin": "38 °C",
        },
        "materials": {"lagging": {"k": "k_lagging"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "lagging": {"shape": "disc", "radius": "d_lagging/2", "material": "lagging"},
                "pipe": {"shape": "disc", "radius": "d_pipe/2", "at": ["0 mm", "-sunk"], "void": True},
            },
        },
        "surroundings": [
            {"on": "lagging.pipe", "temperature": "T_pipe"},
            {"on": "lagging.rim", "temperature": "T_skin"},
        ],
        "clock": "steady",
        "mesh": {"size": "8 mm", "order": 2},
        "working": {
            "S": "shape_eccentric_cylinders(d_pipe, d_lagging, sunk, 1 m)",
            "Q": "S*k_lagging*(T_pipe - T_skin)",
        },
        "questions": [
            {"name": "loss", "heat_flow": "lagging.pipe", "expect": {"working": "Q"}},
            {"name": "above the pipe", "temperature": ["0 mm", "(d_lagging/2 + d_pipe/2 - sunk)/2"]},
            {"name": "beside the pipe", "temperature": ["(d_lagging + d_pipe)/4", "-sunk"]},
        ],
    },
)

SHAPE_FACTOR_FAMILIES = (_BURIED_PIPE, _OFF_CENTRE_PIPE, _WALL_CORNER, _ROOM_CORNER)
