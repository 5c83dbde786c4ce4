"""Families of buildings between environments: what couples rooms, the outside and the ground."""

from __future__ import annotations

from typing import Any

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family


def _wall(name: list[str], material: str, **place: Any) -> dict[str, Any]:
    return {"shape": "rectangle", "size": name, **place, "material": material}


_FLAT = Family(
    "coupled-wall",
    "A flat wall between two environments: its coupling coefficient is its U-value times its area",
    {
        "format": FORMAT,
        "title": "Workshop wall between room and yard",
        "parameters": {
            "t_brick": "240 mm",
            "t_wool": "120 mm",
            "high": "1 m",
            "k_brick": "0.52 W/(m K)",
            "k_wool": "0.036 W/(m K)",
            "R_in": "0.13 m² K/W",
            "R_out": "0.04 m² K/W",
            "T_room": "20 °C",
            "T_yard": "-6 °C",
        },
        "materials": {"brick": {"k": "k_brick"}, "wool": {"k": "k_wool"}},
        "environments": {"workshop": "T_room", "yard": "T_yard"},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "brick": _wall(["t_brick", "high"], "brick", at=["0 mm", "0 mm"]),
                "wool": _wall(["t_wool", "high"], "wool", right_of="brick"),
            },
        },
        "surroundings": [
            {"on": "brick.left", "film": {"resistance": "R_in", "environment": "workshop"}},
            {"on": "wool.right", "film": {"resistance": "R_out", "environment": "yard"}},
        ],
        "working": {
            "R": "R_in + t_brick/k_brick + t_wool/k_wool + R_out",
            "U": "1/R",
            "L": "U*high",
            "f": "1 - R_in/R",
        },
        "questions": [
            {
                "name": "L",
                "coupling": "workshop",
                "to": "yard",
                "basis": "length",
                "expect": {"working": "L"},
                "tolerance": "0.01 %",
            },
            {"name": "factor", "temperature_factor": "workshop", "expect": {"working": "f"}, "tolerance": "0.01 %"},
            {"name": "loss", "heat_flow": "wool.right", "direction": "out", "expect": {"exact": "composite-wall"}},
        ],
    },
)

_SLAB = Family(
    "floor-through-wall",
    "A concrete floor that runs through the insulation of a wall: three environments, and what the bridge adds",
    {
        "format": FORMAT,
        "title": "Loft floor of the pottery through its wall",
        "parameters": {
            "t_brick": "200 mm",
            "t_wool": "120 mm",
            "t_floor": "180 mm",
            "below": "1.2 m",
            "above": "1.2 m",
            "inward": "1 m",
            "k_brick": "0.52 W/(m K)",
            "k_wool": "0.036 W/(m K)",
            "k_concrete": "2.1 W/(m K)",
            "R_wall": "0.13 m² K/W",
            "R_up": "0.10 m² K/W",
            "R_down": "0.17 m² K/W",
            "R_out": "0.04 m² K/W",
            "T_pottery": "20 °C",
            "T_loft": "17 °C",
            "T_yard": "-6 °C",
        },
        "materials": {"brick": {"k": "k_brick"}, "wool": {"k": "k_wool"}, "concrete": {"k": "k_concrete"}},
        "environments": {"pottery": "T_pottery", "loft": "T_loft", "yard": "T_yard"},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "wall": _wall(["t_brick", "below + t_floor + above"], "brick", at=["0 mm", "0 mm"]),
                "wool": _wall(["t_wool", "below + t_floor + above"], "wool", at=["-t_wool", "0 mm"]),
                "floor": _wall(["t_wool + t_brick + inward", "t_floor"], "concrete", at=["-t_wool", "below"]),
            },
        },
        "surfaces": {
            "pottery wall": {"on": "wall.right", "start": ["t_brick", "0 mm"], "end": ["t_brick", "below"]},
            "loft wall": {
                "on": "wall.right",
                "start": ["t_brick", "below + t_floor"],
                "end": ["t_brick", "below + t_floor + above"],
            },
            "yard side": ["wool.left", "floor.left"],
        },
        "surroundings": [
            {"on": "pottery wall", "film": {"resistance": "R_wall", "environment": "pottery"}},
            {"on": "floor.bottom", "film": {"resistance": "R_up", "environment": "pottery"}},
            {"on": "loft wall", "film": {"resistance": "R_wall", "environment": "loft"}},
            {"on": "floor.top", "film": {"resistance": "R_down", "environment": "loft"}},
            {"on": "yard side", "film": {"resistance": "R_out", "environment": "yard"}},
        ],
        "working": {
            "U": "1/(R_wall + t_brick/k_brick + t_wool/k_wool + R_out)",
            "L_undisturbed": "U*(below + t_floor/2)",
        },
        "questions": [
            {"name": "L_pottery", "coupling": "pottery", "to": "yard", "basis": "length"},
            {"name": "L_loft", "coupling": "loft", "to": "yard", "basis": "length"},
            {"name": "through the floor", "coupling": "pottery", "to": "loft", "basis": "length"},
            {"name": "psi_pottery", "derived": "L_pottery - L_undisturbed"},
            {"name": "psi", "transmittance": "pottery", "to": "yard", "lengths": "inner"},
            {
                "name": "beside that by hand",
                "derived": "psi - (psi_pottery + U*t_floor/2)",
                "expect": {"value": "0 W/(m K)", "source": "inner lengths end at the floor, these in its middle"},
                "tolerance": "1e-9 W/(m K)",
            },
            {"name": "coldest in the pottery", "temperature_factor": "pottery"},
            {"name": "to the yard", "heat_flow": "yard side", "direction": "out"},
            {
                "name": "not by coefficients",
                "derived": "to_the_yard - (L_pottery*(T_pottery - T_yard) + L_loft*(T_loft - T_yard))*1 m",
                "expect": {"value": "0 W", "source": "all heat to the yard is the sum of what couples it"},
                "tolerance": "1e-6 W",
            },
        ],
    },
)

_CORNER = Family(
    "corner-of-two-walls",
    "Two walls that meet in a corner: what it lets through beside them, by inner and by outer lengths",
    {
        "format": FORMAT,
        "title": "Corner of the drying house",
        "parameters": {
            "t_brick": "175 mm",
            "t_wool": "100 mm",
            "inside": "1.4 m",
            "k_brick": "0.45 W/(m K)",
            "k_wool": "0.038 W/(m K)",
            "R_in": "0.13 m² K/W",
            "R_out": "0.04 m² K/W",
        },
        "materials": {"brick": {"k": "k_brick"}, "wool": {"k": "k_wool"}},
        "environments": {"drying room": "24 °C", "yard": "-4 °C"},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "wool": _wall(["t_wool + t_brick + inside"] * 2, "wool", at=["0 mm", "0 mm"]),
                "brick": _wall(["t_brick + inside"] * 2, "brick", at=["t_wool", "t_wool"]),
                "room": {
                    "shape": "rectangle",
                    "size": ["inside", "inside"],
                    "at": ["t_wool + t_brick", "t_wool + t_brick"],
                    "void": True,
                },
            },
        },
        "surfaces": {
            "to the room": ["brick.room left", "brick.room bottom"],
            "to the yard": ["wool.left", "wool.bottom"],
        },
        "surroundings": [
            {"on": "to the room", "film": {"resistance": "R_in", "environment": "drying room"}},
            {"on": "to the yard", "film": {"resistance": "R_out", "environment": "yard"}},
        ],
        "working": {"U": "1/(R_in + t_brick/k_brick + t_wool/k_wool + R_out)", "beside": "2*U*(t_brick + t_wool)"},
        "questions": [
            {"name": "L", "coupling": "drying room", "to": "yard", "basis": "length"},
            {"name": "psi inner", "transmittance": "drying room", "to": "yard", "lengths": "inner"},
            {"name": "psi outer", "transmittance": "drying room", "to": "yard", "lengths": "outer"},
            {
                "name": "inner less outer",
                "derived": "psi_inner - psi_outer",
                "expect": {"working": "beside"},
                "tolerance": "1e-9 W/(m K)",
            },
            {
                "name": "by the walls alone",
                "derived": "L - 2*U*inside - psi_inner",
                "expect": {"value": "0 W/(m K)", "source": "both walls by hand"},
                "tolerance": "1e-9 W/(m K)",
            },
            {"name": "factor", "temperature_factor": "drying room"},
        ],
    },
)

_BOLT = Family(
    "bolt-through-wool",
    "A bolt that holds wool on a wall: its point transmittance, beside the wall without it",
    {
        "format": FORMAT,
        "title": "Steel bolt through the wool of the drying room",
        "parameters": {
            "t_brick": "150 mm",
            "t_wool": "140 mm",
            "r_bolt": "8 mm",
            "r_plate": "45 mm",
            "t_plate": "6 mm",
            "r_wall": "500 mm",
            "k_brick": "0.52 W/(m K)",
            "k_wool": "0.036 W/(m K)",
            "k_steel": "48 W/(m K)",
            "R_in": "0.13 m² K/W",
            "R_out": "0.04 m² K/W",
            "T_room": "38 °C",
            "T_yard": "-6 °C",
        },
        "materials": {"brick": {"k": "k_brick"}, "wool": {"k": "k_wool"}, "steel": {"k": "k_steel"}},
        "environments": {"drying room": "T_room", "yard": "T_yard"},
        "body": {
            "kind": "turned section",
            "regions": {
                "brick": _wall(["r_wall", "t_brick"], "brick", at=["0 mm", "0 mm"]),
                "wool": _wall(["r_wall", "t_wool"], "wool", at=["0 mm", "t_brick"]),
                "bolt": _wall(["r_bolt", "t_brick/2 + t_wool"], "steel", at=["0 mm", "t_brick/2"]),
                "plate": _wall(["r_plate", "t_plate"], "steel", at=["0 mm", "t_brick + t_wool"]),
            },
        },
        "surroundings": [
            {"on": "brick.bottom", "film": {"resistance": "R_in", "environment": "drying room"}},
            {"on": ["wool.top", "plate.top", "plate.right"], "film": {"resistance": "R_out", "environment": "yard"}},
        ],
        "working": {"U": "1/(R_in + t_brick/k_brick + t_wool/k_wool + R_out)", "A": "pi*r_wall^2"},
        "questions": [
            {"name": "L", "coupling": "drying room", "to": "yard"},
            {"name": "chi", "point_transmittance": "drying room", "to": "yard"},
            {
                "name": "by hand",
                "derived": "L - U*A - chi",
                "expect": {"value": "0 W/K", "source": "the wall by hand"},
                "tolerance": "1e-9 W/K",
            },
            {"name": "with four to a square metre", "derived": "U + 4*chi/(1 m²)"},
            {"name": "factor", "temperature_factor": "drying room"},
        ],
    },
)

ENVIRONMENT_FAMILIES = (_FLAT, _SLAB, _CORNER, _BOLT)
