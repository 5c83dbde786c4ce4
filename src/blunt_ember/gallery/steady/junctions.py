"""Families of junctions: a window in its wall, a floor on the ground, a cellar ceiling at an outer wall."""

from __future__ import annotations

from typing import Any

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family


def _part(size: list[str], at: list[str], material: str) -> dict[str, Any]:
    return {"shape": "rectangle", "size": size, "at": at, "material": material}


def _film(on: str | list[str], resistance: str, environment: str) -> dict[str, Any]:
    return {"on": on, "film": {"resistance": resistance, "environment": environment}}


def _nothing_left(heat: str, formula: str) -> dict[str, Any]:
    """A question that all heat of an environment is what couples it with the others."""
    return {
        "name": "not by coefficients",
        "derived": f"{heat} - ({formula})*1 m",
        "expect": {"value": "0 W", "source": "all heat of an environment is the sum of what couples it"},
        "tolerance": "1e-6 W",
    }


_REVEAL = Family(
    "window-reveal",
    "A window in the reveal of an insulated wall: what the junction lets through beside wall and pane",
    {
        "format": FORMAT,
        "title": "Window of the glazing room in its wall",
        "parameters": {
            "t_brick": "240 mm",
            "t_wool": "120 mm",
            "t_frame": "70 mm",
            "t_pane": "28 mm",
            "wall_length": "1.2 m",
            "frame_width": "90 mm",
            "pane_length": "300 mm",
            "overlap": "30 mm",
            "k_brick": "0.52 W/(m K)",
            "k_wool": "0.036 W/(m K)",
            "k_wood": "0.13 W/(m K)",
            "k_pane": "0.033 W/(m K)",
            "R_in": "0.13 m² K/W",
            "R_out": "0.04 m² K/W",
            "T_room": "20 °C",
            "T_yard": "-6 °C",
        },
        "materials": {
            "brick": {"k": "k_brick"},
            "wool": {"k": "k_wool"},
            "wood": {"k": "k_wood"},
            "pane": {"k": "k_pane"},
        },
        "environments": {"room": "T_room", "yard": "T_yard"},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "brick": _part(["wall_length", "t_brick"], ["0 mm", "t_wool"], "brick"),
                "wool": _part(["wall_length + overlap", "t_wool"], ["0 mm", "0 mm"], "wool"),
                "frame": _part(["frame_width", "t_frame"], ["wall_length", "t_wool"], "wood"),
                "pane": _part(
                    ["pane_length", "t_pane"], ["wall_length + frame_width", "t_wool + (t_frame - t_pane)/2"], "pane"
                ),
            },
        },
        "surroundings": [
            _film(["brick.top", "brick.right", "frame.top", "frame.right", "pane.top"], "R_in", "room"),
            _film(["wool.bottom", "wool.right", "frame.bottom", "pane.bottom"], "R_out", "yard"),
        ],
        "working": {
            "U_wall": "1/(R_in + t_brick/k_brick + t_wool/k_wool + R_out)",
            "U_pane": "1/(R_in + t_pane/k_pane + R_out)",
            "L_beside": "U_wall*wall_length + U_pane*pane_length",
        },
        "questions": [
            {"name": "L", "coupling": "room", "to": "yard", "basis": "length"},
            {"name": "psi with the frame", "derived": "L - L_beside"},
            {"name": "coldest inside", "temperature_factor": "room"},
            {"name": "to the yard", "heat_flow": ["wool.bottom", "wool.right"], "direction": "out"},
            {
                "name": "from the room",
                "heat_flow": ["brick.top", "brick.right", "frame.top", "frame.right", "pane.top"],
            },
            _nothing_left("from_the_room", "L*(T_room - T_yard)"),
        ],
    },
)

_GROUND = Family(
    "floor-on-ground",
    "Half of a long floor on the ground, insulated beneath its screed, beside the formula of ISO 13370",
    {
        "format": FORMAT,
        "title": "Floor of the clay store on the ground",
        "parameters": {
            "half_width": "4 m",
            "t_wall": "0.3 m",
            "t_board": "80 mm",
            "reach": "20 m",
            "k_ground": "2 W/(m K)",
            "k_board": "0.04 W/(m K)",
            "R_in": "0.17 m² K/W",
            "R_out": "0.04 m² K/W",
            "T_store": "18 °C",
            "T_yard": "2 °C",
        },
        "materials": {"ground": {"k": "k_ground"}, "board": {"k": "k_board"}},
        "environments": {"store": "T_store", "yard": "T_yard"},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "ground": _part(["reach + t_wall + half_width", "reach"], ["-reach - t_wall", "-reach"], "ground"),
                "board": _part(["half_width", "t_board"], ["0 mm", "0 mm"], "board"),
            },
        },
        "surfaces": {
            "yard side": {"on": "ground.top", "start": ["-reach - t_wall", "0 mm"], "end": ["-t_wall", "0 mm"]}
        },
        "surroundings": [_film("board.top", "R_in", "store"), _film("yard side", "R_out", "yard")],
        "mesh": {"local": [{"at": ["-t_wall", "0 mm"], "size": "60 mm"}, {"at": ["0 mm", "0 mm"], "size": "60 mm"}]},
        "working": {
            "B": "2*half_width",
            "d": "t_wall + k_ground*(R_in + t_board/k_board + R_out)",
            "U": "2*k_ground/(pi*B + d)*ln(pi*B/d + 1)",
            "L_by_formula": "U*half_width",
        },
        "questions": [
            {
                "name": "L",
                "coupling": "store",
                "to": "yard",
                "basis": "length",
                "expect": {"working": "L_by_formula"},
                "tolerance": "8 %",
            },
            {"name": "coldest inside", "temperature_factor": "store"},
            {"name": "lost", "heat_flow": "board.top"},
            _nothing_left("lost", "L*(T_store - T_yard)"),
        ],
    },
)

_CELLAR = Family(
    "cellar-ceiling",
    "Three environments that meet at a corner: a room above a cellar, both beside the yard",
    {
        "format": FORMAT,
        "title": "Cellar ceiling of the pottery at its outer wall",
        "parameters": {
            "t_wall": "300 mm",
            "t_slab": "160 mm",
            "t_board": "60 mm",
            "above": "1.4 m",
            "below": "1.2 m",
            "inward": "1.5 m",
            "k_wall": "0.24 W/(m K)",
            "k_slab": "2.1 W/(m K)",
            "k_board": "0.04 W/(m K)",
            "R_in": "0.13 m² K/W",
            "R_down": "0.17 m² K/W",
            "R_out": "0.04 m² K/W",
            "T_room": "20 °C",
            "T_cellar": "9 °C",
            "T_yard": "-6 °C",
        },
        "materials": {"block": {"k": "k_wall"}, "concrete": {"k": "k_slab"}, "board": {"k": "k_board"}},
        "environments": {"room": "T_room", "cellar": "T_cellar", "yard": "T_yard"},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "wall": _part(["t_wall", "below + t_slab + t_board + above"], ["-t_wall", "0 mm"], "block"),
                "slab": _part(["inward + t_wall/2", "t_slab"], ["-t_wall/2", "below"], "concrete"),
                "board": _part(["inward", "t_board"], ["0 mm", "below + t_slab"], "board"),
            },
        },
        "surfaces": {
            "cellar wall": {"on": "wall.right", "start": ["0 mm", "0 mm"], "end": ["0 mm", "below"]},
            "room wall": {
                "on": "wall.right",
                "start": ["0 mm", "below + t_slab + t_board"],
                "end": ["0 mm", "below + t_slab + t_board + above"],
            },
        },
        "surroundings": [
            _film("room wall", "R_in", "room"),
            _film("board.top", "R_down", "room"),
            _film(["cellar wall", "slab.bottom"], "R_down", "cellar"),
            _film("wall.left", "R_out", "yard"),
        ],
        "working": {
            "U_wall": "1/(R_in + t_wall/k_wall + R_out)",
            "U_ceiling": "1/(R_down + t_board/k_board + t_slab/k_slab + R_down)",
        },
        "questions": [
            {"name": "room and yard", "coupling": "room", "to": "yard", "basis": "length"},
            {"name": "room and cellar", "coupling": "room", "to": "cellar", "basis": "length"},
            {"name": "cellar and yard", "coupling": "cellar", "to": "yard", "basis": "length"},
            {"name": "beside the wall", "derived": "room_and_yard - U_wall*above"},
            {"name": "beside the ceiling", "derived": "room_and_cellar - U_ceiling*inward"},
            {"name": "coldest in the room", "temperature_factor": "room"},
            {"name": "lost", "heat_flow": ["room wall", "board.top"]},
            _nothing_left("lost", "room_and_yard*(T_room - T_yard) + room_and_cellar*(T_room - T_cellar)"),
        ],
    },
)

JUNCTION_FAMILIES = (_REVEAL, _GROUND, _CELLAR)
