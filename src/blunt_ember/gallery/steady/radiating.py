"""Families in which something follows temperature: conductivity, radiation; and imperfect contact."""

from __future__ import annotations

from typing import Any

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family


def _slab(name: str, summary: str, title: str, entries: dict[str, Any]) -> Family:
    """A wall 80 mm high and 1 m deep of one or two slabs in x."""
    return Family(name, summary, {"format": FORMAT, "title": title, "clock": "steady", **entries})


def _one(material: str) -> dict[str, Any]:
    region = {"shape": "rectangle", "size": ["thickness", "80 mm"], "at": ["0 mm", "0 mm"], "material": material}
    return {"kind": "section", "depth": "1 m", "regions": {"wall": region}}


_THROUGH = {"name": "loss", "heat_flow": "wall.right", "direction": "out", "basis": "area"}
_FACE = {"name": "outer face", "mean": "wall.right", "expect": {"exact": "plane-wall"}, "tolerance": "0.1 K"}

_K_OF_T = _slab(
    "wall-k-of-t",
    "Wall whose conductivity grows with temperature",
    "Blanket over the kiln crown",
    {
        "parameters": {
            "thickness": "75 mm",
            "k_0": "0.06 W/(m K)",
            "b": "0.0021 K^-1",
            "T_0": "20 °C",
            "T_hot": "1080 °C",
            "T_cold": "65 °C",
        },
        "materials": {"blanket": {"k": "k_0*(1 + b*(T - T_0))"}},
        "body": _one("blanket"),
        "surroundings": [{"on": "wall.left", "temperature": "T_hot"}, {"on": "wall.right", "temperature": "T_cold"}],
        "working": {
            "k_mean": "k_0*(1 + b*((T_hot + T_cold)/2 - T_0))",
            "q": "k_mean*(T_hot - T_cold)/thickness",
            "T_profile": "T_0 + (sqrt((1 + b*(T_hot - T_0))^2 - 2*b*q*x/k_0) - 1)/b",
        },
        "questions": [
            {**_THROUGH, "expect": {"working": "q"}},
            {
                "name": "middle",
                "temperature": ["thickness/2", "40 mm"],
                "expect": {"working": "T_profile"},
                "tolerance": "0.1 K",
            },
            {
                "name": "middle again",
                "temperature": ["thickness/2", "40 mm"],
                "expect": {"exact": "plane-wall"},
                "tolerance": "0.1 K",
            },
        ],
    },
)

_K_TABLE = _slab(
    "wall-k-table",
    "Wall whose conductivity is a table, behind a film",
    "Fibre board in the door",
    {
        "parameters": {"thickness": "60 mm", "T_hot": "940 °C", "h_out": "11 W/(m² K)", "T_air": "24 °C"},
        "materials": {
            "board": {
                "k": {
                    "table": [
                        ["20 °C", "0.08 W/(m K)"],
                        ["300 °C", "0.11 W/(m K)"],
                        ["600 °C", "0.17 W/(m K)"],
                        ["1000 °C", "0.28 W/(m K)"],
                    ]
                }
            }
        },
        "body": _one("board"),
        "surroundings": [
            {"on": "wall.left", "temperature": "T_hot"},
            {"on": "wall.right", "film": {"h": "h_out", "temperature": "T_air"}},
        ],
        "questions": [
            {**_THROUGH, "expect": {"exact": "plane-wall"}},
            _FACE,
            {
                "name": "middle",
                "temperature": ["thickness/2", "40 mm"],
                "expect": {"exact": "plane-wall"},
                "tolerance": "0.1 K",
            },
        ],
    },
)

_RADIATION = _slab(
    "wall-radiation",
    "Wall heated evenly that only radiates",
    "Radiant panel in a cold room",
    {
        "parameters": {
            "thickness": "18 mm",
            "k_panel": "1.3 W/(m K)",
            "q": "9.5 kW/m²",
            "emissivity_1": "0.88",
            "T_room": "17 °C",
        },
        "materials": {"panel": {"k": "k_panel", "emissivity": "emissivity_1"}},
        "body": _one("panel"),
        "surroundings": [
            {"on": "wall.left", "flux": "q"},
            {"on": "wall.right", "radiation": {"temperature": "T_room"}},
        ],
        "working": {"T_face": "(q/(emissivity_1*sigma) + T_room^4)^0.25", "T_back": "T_face + q*thickness/k_panel"},
        "questions": [
            {"name": "face by hand", "mean": "wall.right", "expect": {"working": "T_face"}, "tolerance": "0.1 K"},
            {"name": "back by hand", "mean": "wall.left", "expect": {"working": "T_back"}, "tolerance": "0.1 K"},
            {**_THROUGH, "expect": {"exact": "plane-wall"}},
            _FACE,
        ],
    },
)

_BOTH = _slab(
    "wall-film-and-radiation",
    "Held wall cooled by film and radiation together",
    "Kiln door from outside",
    {
        "parameters": {
            "thickness": "90 mm",
            "k_brick": "0.31 W/(m K)",
            "T_hot": "1120 °C",
            "h_out": "6 W/(m² K)",
            "T_air": "26 °C",
            "emissivity_1": "0.8",
            "T_walls": "19 °C",
        },
        "materials": {"brick": {"k": "k_brick"}},
        "body": _one("brick"),
        "surroundings": [
            {"on": "wall.left", "temperature": "T_hot"},
            {
                "on": "wall.right",
                "film": {"h": "h_out", "temperature": "T_air"},
                "radiation": {"emissivity": "emissivity_1", "temperature": "T_walls"},
            },
        ],
        "questions": [{**_THROUGH, "expect": {"exact": "plane-wall"}}, _FACE],
    },
)

_CONTACT = _slab(
    "wall-contact",
    "Two slabs pressed together, with a contact resistance",
    "Sole plate on the casting",
    {
        "parameters": {
            "t_plate": "12 mm",
            "t_casting": "40 mm",
            "k_plate": "16 W/(m K)",
            "k_casting": "52 W/(m K)",
            "R_contact": "4.5e-4 m² K/W",
            "T_hot": "260 °C",
            "h_out": "120 W/(m² K)",
            "T_water": "15 °C",
        },
        "materials": {"plate": {"k": "k_plate"}, "casting": {"k": "k_casting"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "plate": {
                    "shape": "rectangle",
                    "size": ["t_plate", "80 mm"],
                    "at": ["0 mm", "0 mm"],
                    "material": "plate",
                },
                "casting": {
                    "shape": "rectangle",
                    "size": ["t_casting", "80 mm"],
                    "right_of": "plate",
                    "material": "casting",
                },
            },
        },
        "surroundings": [
            {"on": "plate.left", "temperature": "T_hot"},
            {"on": "casting.right", "film": {"h": "h_out", "temperature": "T_water"}},
        ],
        "joints": [{"on": "plate|casting", "resistance": "R_contact"}],
        "working": {
            "q": "(T_hot - T_water)/(t_plate/k_plate + R_contact + t_casting/k_casting + 1/h_out)",
            "T_near": "T_hot - q*t_plate/k_plate",
            "T_far": "T_near - q*R_contact",
        },
        "questions": [
            {"name": "through the joint", "heat_flow": "plate|casting", "basis": "area", "expect": {"working": "q"}},
            {"name": "plate side", "mean": "plate|casting", "expect": {"working": "T_near"}, "tolerance": "0.1 K"},
            {
                "name": "casting side",
                "mean": "plate|casting",
                "side": "casting",
                "expect": {"working": "T_far"},
                "tolerance": "0.1 K",
            },
            {
                "name": "loss",
                "heat_flow": "casting.right",
                "direction": "out",
                "basis": "area",
                "expect": {"exact": "composite-wall"},
            },
        ],
    },
)

_CRITICAL = Family(
    "critical-radius",
    "Lagging about a thin pipe out to the radius that loses most",
    {
        "format": FORMAT,
        "title": "Thermocouple lead in its sleeve",
        "parameters": {
            "r_lead": "2 mm",
            "k_sleeve": "0.16 W/(m K)",
            "h_out": "14 W/(m² K)",
            "T_lead": "180 °C",
            "T_air": "20 °C",
            "r_sleeve": "k_sleeve/h_out",
        },
        "materials": {"sleeve": {"k": "k_sleeve"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {"sleeve": {"shape": "ring", "inner": "r_lead", "outer": "r_sleeve", "material": "sleeve"}},
        },
        "surroundings": [
            {"on": "sleeve.bore", "temperature": "T_lead"},
            {"on": "sleeve.rim", "film": {"h": "h_out", "temperature": "T_air"}},
        ],
        "clock": "steady",
        "working": {
            "r_critical": "k_sleeve/h_out",
            "Q_most": "2*pi*1 m*k_sleeve*(T_lead - T_air)/(ln(r_critical/r_lead) + 1)",
            "Q_bare": "2*pi*1 m*r_lead*h_out*(T_lead - T_air)",
        },
        "questions": [
            {"name": "loss per metre", "heat_flow": "sleeve.rim", "direction": "out", "expect": {"working": "Q_most"}},
            {"name": "exact", "heat_flow": "sleeve.bore", "expect": {"exact": "hollow-cylinder"}},
            {"name": "skin", "highest": "sleeve.rim", "expect": {"exact": "hollow-cylinder"}, "tolerance": "0.1 K"},
        ],
    },
)

_RADIATING_TIP = Family(
    "rod-radiating-tip",
    "Rod held at its root that radiates at its tip",
    {
        "format": FORMAT,
        "title": "Peep rod looking into the kiln",
        "parameters": {
            "length": "160 mm",
            "diameter": "12 mm",
            "k_rod": "21 W/(m K)",
            "T_root": "40 °C",
            "emissivity_1": "0.7",
            "T_kiln": "1180 °C",
        },
        "materials": {"steel": {"k": "k_rod"}},
        "body": {"kind": "rod", "pieces": {"rod": {"length": "length", "diameter": "diameter", "material": "steel"}}},
        "surroundings": [
            {"on": "rod.start", "temperature": "T_root"},
            {"on": "rod.side", "insulated": True},
            {"on": "rod.end", "radiation": {"emissivity": "emissivity_1", "temperature": "T_kiln"}},
        ],
        "clock": "steady",
        "questions": [
            {"name": "taken in", "heat_flow": "rod.end", "expect": {"exact": "rod"}},
            {"name": "tip", "temperature": ["length"], "expect": {"exact": "rod"}, "tolerance": "0.1 K"},
            {"name": "middle", "temperature": ["length/2"], "expect": {"exact": "rod"}, "tolerance": "0.1 K"},
        ],
    },
)

_RADIATING_SIDE = Family(
    "rod-radiating-side",
    "Rod that gives off heat along it, by air and by radiation, and is cool at its ends",
    {
        "format": FORMAT,
        "title": "Heating rod between its holders",
        "parameters": {
            "length": "260 mm",
            "diameter": "7 mm",
            "k_rod": "19 W/(m K)",
            "heat": "14 MW/m³",
            "T_holder": "75 °C",
            "h_air": "11 W/(m² K)",
            "emissivity_1": "0.85",
            "T_room": "30 °C",
        },
        "materials": {"alloy": {"k": "k_rod"}},
        "body": {"kind": "rod", "pieces": {"rod": {"length": "length", "diameter": "diameter", "material": "alloy"}}},
        "surroundings": [
            {"on": "rod.start", "temperature": "T_holder"},
            {"on": "rod.end", "temperature": "T_holder"},
            {
                "on": "rod.side",
                "film": {"h": "h_air", "temperature": "T_room"},
                "radiation": {"emissivity": "emissivity_1", "temperature": "T_room"},
            },
        ],
        "heat_inside": [{"region": "rod", "per_volume": "heat"}],
        "clock": "steady",
        "questions": [
            {"name": "into a holder", "heat_flow": "rod.end", "direction": "out", "expect": {"exact": "rod"}},
            {"name": "off its side", "heat_flow": "rod.side", "direction": "out", "expect": {"exact": "rod"}},
            {"name": "middle", "temperature": ["length/2"], "expect": {"exact": "rod"}, "tolerance": "0.1 K"},
        ],
    },
)

RADIATING_FAMILIES = (_K_OF_T, _K_TABLE, _RADIATION, _BOTH, _CONTACT, _CRITICAL, _RADIATING_TIP, _RADIATING_SIDE)
