"""Families of surfaces that see each other: gaps, foils, chambers."""

from __future__ import annotations

from typing import Any

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family


def _rectangle(size: list[str], at: list[str], material: str) -> dict[str, Any]:
    return {"shape": "rectangle", "size": size, "at": at, "material": material}


_DOOR_GAP = Family(
    "door-gap",
    "Two plates with a gap that heat crosses by radiation alone",
    {
        "format": FORMAT,
        "title": "Kiln door with an empty gap",
        "parameters": {
            "t_in": "60 mm",
            "t_out": "6 mm",
            "gap": "25 mm",
            "k_tile": "0.28 W/(m K)",
            "k_sheet": "16 W/(m K)",
            "e_tile": "0.85",
            "e_sheet": "0.35",
            "h_out": "9 W/(m² K)",
            "T_hot": "940 °C",
            "T_air": "24 °C",
        },
        "materials": {
            "tile": {"k": "k_tile", "emissivity": "e_tile"},
            "steel sheet": {"k": "k_sheet", "emissivity": "e_sheet"},
        },
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "tile": _rectangle(["t_in", "90 mm"], ["0 mm", "0 mm"], "tile"),
                "sheet": _rectangle(["t_out", "90 mm"], ["t_in + gap", "0 mm"], "steel sheet"),
            },
        },
        "surroundings": [
            {"on": "tile.left", "temperature": "T_hot"},
            {"on": "sheet.right", "film": {"h": "h_out", "temperature": "T_air"}},
        ],
        "enclosures": {"gap": {"faces": [{"on": ["tile.right", "sheet.left"]}], "closed": True}},
        "questions": [
            {"name": "loss", "heat_flow": "tile.left", "basis": "area", "expect": {"exact": "composite-wall"}},
            {"name": "tile face", "mean": "tile.right", "expect": {"exact": "composite-wall"}},
            {"name": "sheet", "highest": "sheet", "expect": {"exact": "composite-wall"}},
            {"name": "over the gap", "radiation": "sheet.left", "basis": "area", "expect": {"exact": "composite-wall"}},
        ],
    },
)

_RING = {"shape": "ring", "around": "core"}
_FOILED_PIPE = Family(
    "foiled-pipe",
    "A hot pipe in a shell, with a foil between them that stops half of the radiation",
    {
        "format": FORMAT,
        "title": "Burner tube behind a foil",
        "parameters": {
            "r_in": "30 mm",
            "r_core": "36 mm",
            "r_foil": "52 mm",
            "t_foil": "1 mm",
            "r_shell": "70 mm",
            "t_shell": "5 mm",
            "e_core": "0.8",
            "e_foil": "0.12",
            "T_core": "780 °C",
            "h_out": "11 W/(m² K)",
            "T_air": "20 °C",
        },
        "materials": {
            "sheathing": {"k": "22 W/(m K)", "emissivity": "e_core"},
            "bright foil": {"k": "40 W/(m K)", "emissivity": "e_foil"},
        },
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "core": {"shape": "ring", "inner": "r_in", "outer": "r_core", "material": "sheathing"},
                "foil": {**_RING, "inner": "r_foil", "outer": "r_foil + t_foil", "material": "bright foil"},
                "shell": {**_RING, "inner": "r_shell", "outer": "r_shell + t_shell", "material": "sheathing"},
            },
        },
        "surroundings": [
            {"on": "core.bore", "temperature": "T_core"},
            {"on": "shell.rim", "film": {"h": "h_out", "temperature": "T_air"}},
        ],
        "enclosures": {
            "inside": {"faces": [{"on": ["core.rim", "foil.bore"]}]},
            "outside": {"faces": [{"on": ["foil.rim", "shell.bore"]}]},
        },
        "mesh": {"size": "12 mm", "across": 1},
        "working": {"F": "r_core/r_foil"},
        "questions": [
            {"name": "loss", "heat_flow": "core.bore", "expect": {"exact": "hollow-cylinder"}},
            {"name": "foil", "mean": "foil.rim", "expect": {"exact": "hollow-cylinder"}},
            {"name": "shell", "mean": "shell.rim", "expect": {"exact": "hollow-cylinder"}},
            {"name": "foil sees core", "view_factor": "foil.bore", "to": "core.rim", "expect": {"working": "F"}},
        ],
    },
)

_SECTOR = {"shape": "ring sector", "start": "-90 deg", "end": "90 deg", "material": "glazed ware"}
_BALL = Family(
    "ball-in-shell",
    "A ball within a shell, both radiating: the spheres that see each other",
    {
        "format": FORMAT,
        "title": "Glazed ball in a saggar",
        "parameters": {
            "r_in": "20 mm",
            "r_ball": "40 mm",
            "r_shell": "60 mm",
            "r_out": "66 mm",
            "e_ware": "0.7",
            "T_in": "820 °C",
            "h_out": "14 W/(m² K)",
            "T_air": "30 °C",
        },
        "materials": {"glazed ware": {"k": "1.6 W/(m K)", "emissivity": "e_ware"}},
        "body": {
            "kind": "turned section",
            "regions": {
                "ball": {**_SECTOR, "inner": "r_in", "outer": "r_ball"},
                "shell": {**_SECTOR, "inner": "r_shell", "outer": "r_out"},
            },
        },
        "surroundings": [
            {"on": "ball.bore", "temperature": "T_in"},
            {"on": "shell.rim", "film": {"h": "h_out", "temperature": "T_air"}},
        ],
        "enclosures": {"saggar": {"faces": [{"on": ["ball.rim", "shell.bore"]}]}},
        "mesh": {"size": "12 mm", "across": 2},
        "working": {"F": "(r_ball/r_shell)^2"},
        "questions": [
            {"name": "loss", "heat_flow": "ball.bore", "expect": {"exact": "hollow-sphere"}},
            {"name": "ball", "mean": "ball.rim", "expect": {"exact": "hollow-sphere"}},
            {"name": "shell sees ball", "view_factor": "shell.bore", "to": "ball.rim", "expect": {"working": "F"}},
        ],
    },
)

_CHAMBER = Family(
    "ware-chamber",
    "A chamber whose walls see each other past a post that only radiation heats",
    {
        "format": FORMAT,
        "title": "Kiln chamber with a post of ware",
        "parameters": {
            "wide": "480 mm",
            "high": "300 mm",
            "wall": "90 mm",
            "post": "80 mm",
            "e_brick": "0.8",
            "e_ware": "0.55",
            "T_hot": "1180 °C",
            "h_out": "13 W/(m² K)",
            "T_air": "22 °C",
        },
        "materials": {
            "light brick": {"k": "0.9 W/(m K)", "emissivity": "e_brick"},
            "ware": {"k": "1.3 W/(m K)", "emissivity": "e_ware"},
        },
        "body": {
            "kind": "section",
            "depth": "0.5 m",
            "regions": {
                "kiln": _rectangle(["wide + 2*wall", "high + 2*wall"], ["0 mm", "0 mm"], "light brick"),
                "chamber": {"shape": "rectangle", "size": ["wide", "high"], "inside": "kiln", "void": True},
                "post": {"shape": "rectangle", "size": ["post", "2*post"], "inside": "chamber", "material": "ware"},
            },
        },
        "surfaces": {"post sides": ["post.left", "post.right", "post.bottom", "post.top"]},
        "surroundings": [
            {"on": "kiln.bottom", "temperature": "T_hot"},
            {"on": ["kiln.left", "kiln.right", "kiln.top"], "film": {"h": "h_out", "temperature": "T_air"}},
        ],
        "enclosures": {"chamber": {"faces": [{"void": "chamber"}]}},
        "mesh": {"size": "30 mm", "across": 2},
        "working": {
            "beside": "(wide - post)/2",
            "string": "sqrt(beside^2 + (high/2 + post)^2)",
            "F": "(2*string - high - 2*post)/wide",
        },
        "questions": [
            {
                "name": "floor sees crown",
                "view_factor": "kiln.chamber bottom",
                "to": "kiln.chamber top",
                "expect": {"working": "F"},
                "tolerance": "0.0001 %",
            },
            {
                "name": "net of the post",
                "radiation": "post sides",
                "expect": {"value": "0 W", "source": "nothing but radiation reaches it"},
                "tolerance": "0.001 W",
            },
        ],
    },
)

_MUFFLE = Family(
    "muffle",
    "A closed round chamber: what its two ends see of each other",
    {
        "format": FORMAT,
        "title": "Round muffle between two burners",
        "parameters": {
            "radius": "80 mm",
            "long": "150 mm",
            "wall": "40 mm",
            "e_brick": "0.75",
            "T_hot": "1050 °C",
            "T_cold": "640 °C",
        },
        "materials": {"light brick": {"k": "0.6 W/(m K)", "emissivity": "e_brick"}},
        "body": {
            "kind": "turned section",
            "regions": {
                "brick": _rectangle(["radius + wall", "long + 2*wall"], ["0 mm", "0 mm"], "light brick"),
                "muffle": {"shape": "rectangle", "size": ["radius", "long"], "at": ["0 mm", "wall"], "void": True},
            },
        },
        "surroundings": [{"on": "brick.bottom", "temperature": "T_hot"}, {"on": "brick.top", "temperature": "T_cold"}],
        "enclosures": {"muffle": {"faces": [{"void": "muffle"}]}},
        "mesh": {"size": "10 mm"},
        "working": {"X": "2 + (long/radius)^2", "F": "(X - sqrt(X^2 - 4))/2", "F_side": "1 - F"},
        "questions": [
            {
                "name": "end to end",
                "view_factor": "brick.muffle bottom",
                "to": "brick.muffle top",
                "expect": {"working": "F"},
                "tolerance": "0.05 %",
            },
            {
                "name": "end to side",
                "view_factor": "brick.muffle bottom",
                "to": "brick.muffle right",
                "expect": {"working": "F_side"},
                "tolerance": "0.05 %",
            },
        ],
    },
)


def _opposite(along: str, across: str, apart: str) -> dict[str, str]:
    """View factor of two like rectangles that face each other (J. R. Howell's catalogue, C-11), line by line."""
    return {
        "X": f"{along}/{apart}",
        "Y": f"{across}/{apart}",
        "F_log": "0.5*ln((1 + X^2)*(1 + Y^2)/(1 + X^2 + Y^2))",
        "F_X": "X*sqrt(1 + Y^2)*atan(X/sqrt(1 + Y^2)) - X*atan(X)",
        "F_Y": "Y*sqrt(1 + X^2)*atan(Y/sqrt(1 + X^2)) - Y*atan(Y)",
        "F": "2/(pi*X*Y)*(F_log + F_X + F_Y)",
    }


def _upright(common: str, lying: str, standing: str) -> dict[str, str]:
    """View factor from a lying rectangle to one that stands on an edge of it (C-14), line by line."""
    return {
        "H": f"{standing}/{common}",
        "W": f"{lying}/{common}",
        "V": "sqrt(H^2 + W^2)",
        "U": "1 + W^2 + H^2",
        "F_even": "W*atan(1/W) + H*atan(1/H) - V*atan(1/V)",
        "F_all": "ln((1 + W^2)*(1 + H^2)/U)",
        "F_W": "W^2*ln(W^2*U/((1 + W^2)*V^2))",
        "F_H": "H^2*ln(H^2*U/((1 + H^2)*V^2))",
        "F_side": "(F_even + 0.25*(F_all + F_W + F_H))/(pi*W)",
    }


_HALF = [{"through": ["(wide + 2*wall)/2", "0 mm"], "along": "-90 deg"}]
_SETTING = Family(
    "setting-chamber",
    "Half of a chamber in space, which sees its other half in a mirror",
    {
        "format": FORMAT,
        "title": "Setting chamber of a small kiln, one half",
        "parameters": {
            "wide": "480 mm",
            "deep": "360 mm",
            "high": "300 mm",
            "wall": "90 mm",
            "e_brick": "0.8",
            "T_hot": "1180 °C",
            "h_out": "13 W/(m² K)",
            "T_air": "22 °C",
        },
        "materials": {"light brick": {"k": "0.9 W/(m K)", "emissivity": "e_brick"}},
        "body": {
            "kind": "stacked",
            "regions": {
                "kiln": {
                    **_rectangle(["wide + 2*wall", "deep + 2*wall"], ["0 mm", "0 mm"], "light brick"),
                    "cuts": _HALF,
                    "z": ["0 mm", "high + 2*wall"],
                },
                "chamber": {
                    "shape": "rectangle",
                    "size": ["wide", "deep"],
                    "at": ["wall", "wall"],
                    "z": ["wall", "high + wall"],
                    "void": True,
                },
            },
        },
        "surroundings": [
            {"on": "kiln.bottom", "temperature": "T_hot"},
            {
                "on": ["kiln.left", "kiln.front", "kiln.back", "kiln.top"],
                "film": {"h": "h_out", "temperature": "T_air"},
            },
        ],
        "enclosures": {"chamber": {"faces": [{"void": "chamber"}], "mirrors": "kiln.cut"}},
        "mesh": {"size": "90 mm", "order": 1},
        "working": {**_opposite("wide", "deep", "high"), **_upright("wide", "deep", "high")},
        "questions": [
            {
                "name": "floor sees crown",
                "view_factor": "kiln.chamber bottom",
                "to": "kiln.chamber top",
                "expect": {"working": "F"},
                "tolerance": "0.01 %",
            },
            {
                "name": "floor sees front",
                "view_factor": "kiln.chamber bottom",
                "to": "kiln.chamber front",
                "expect": {"working": "F_side"},
                "tolerance": "0.01 %",
            },
        ],
    },
)

_ELEMENTS = Family(
    "element-row",
    "One element rod of a long row between ware and wall, which sees all the others",
    {
        "format": FORMAT,
        "title": "Element rods in a row before the ware",
        "parameters": {
            "rod": "16 mm",
            "apart": "34 mm",
            "gap": "30 mm",
            "plate": "8 mm",
            "e_rod": "0.85",
            "e_ware": "0.7",
            "T_rod": "1240 °C",
            "T_ware": "930 °C",
            "h_out": "6 W/(m² K)",
            "T_air": "24 °C",
        },
        "materials": {
            "element": {"k": "14 W/(m K)", "emissivity": "e_rod"},
            "ware": {"k": "1.6 W/(m K)", "emissivity": "e_ware"},
            "light brick": {"k": "0.4 W/(m K)", "emissivity": "0.75"},
        },
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "ware": _rectangle(["apart", "plate"], ["0 mm", "0 mm"], "ware"),
                "wall": _rectangle(["apart", "plate"], ["0 mm", "plate + 2*gap"], "light brick"),
                "rod": {"shape": "disc", "radius": "rod/2", "at": ["apart/2", "plate + gap"], "material": "element"},
            },
        },
        "surroundings": [
            {"on": "rod.rim", "temperature": "T_rod"},
            {"on": "ware.bottom", "temperature": "T_ware"},
            {"on": "wall.top", "film": {"h": "h_out", "temperature": "T_air"}},
            {"on": ["ware.left", "ware.right"], "periodic": True},
            {"on": ["wall.left", "wall.right"], "periodic": True},
        ],
        "enclosures": {
            "row": {"faces": [{"on": ["ware.top", "wall.bottom", "rod.rim"]}], "repeats": ["ware.left", "ware.right"]}
        },
        "mesh": {"size": "3 mm"},
        "working": {"D": "rod/apart", "F": "1 - sqrt(1 - D^2) + D*atan(sqrt(1/D^2 - 1))"},
        "questions": [
            {
                "name": "ware sees rods",
                "view_factor": "ware.top",
                "to": "rod.rim",
                "expect": {"working": "F"},
                "tolerance": "0.3 %",
            },
            {"name": "into the ware", "heat_flow": "ware.bottom", "basis": "area"},
            {"name": "wall face", "mean": "wall.bottom"},
        ],
    },
)

ENCLOSING_FAMILIES = (_DOOR_GAP, _FOILED_PIPE, _BALL, _CHAMBER, _MUFFLE, _SETTING, _ELEMENTS)
