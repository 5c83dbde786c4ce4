"""Families of rods with film along their side, one for each kind of tip."""

from __future__ import annotations

from typing import Any

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family

_TIPS: dict[str, tuple[str, str, dict[str, str], dict[str, Any] | None, str]] = {
    # Name: what it is, title, further parameters, what the tip meets, and its heat by hand.
    "held": (
        "held at its tip",
        "Element rod between two clamps",
        {"T_tip": "95 °C"},
        {"temperature": "T_tip"},
        "M*(cosh(m*length) - (T_tip - T_air)/(T_root - T_air))/sinh(m*length)",
    ),
    "insulated": (
        "insulated at its tip",
        "Element rod, tip buried in wool",
        {},
        {"insulated": True},
        "M*tanh(m*length)",
    ),
    "film": (
        "film over its tip",
        "Thermocouple sheath in the flue",
        {"h_tip": "38 W/(m² K)"},
        {"film": {"h": "h_tip", "temperature": "T_air"}},
        "M*(sinh(m*length) + h_tip/(m*k_rod)*cosh(m*length))/(cosh(m*length) + h_tip/(m*k_rod)*sinh(m*length))",
    ),
    "long": ("so long that its tip is at the temperature of the air", "Long poker left in the fire", {}, None, "M"),
}


def _rod(tip: str) -> Family:
    what, title, further, meets, heat = _TIPS[tip]
    long = tip == "long"
    return Family(
        f"rod-{tip}-tip" if not long else "rod-very-long",
        f"Rod held at its root, film along it, {what}",
        {
            "format": FORMAT,
            "title": title,
            "parameters": {
                "length": "900 mm" if long else "140 mm",
                "diameter": "9 mm" if long else "8 mm",
                "k_rod": "42 W/(m K)" if long else "24 W/(m K)",
                "T_root": "640 °C",
                "h": "26 W/(m² K)",
                "T_air": "35 °C",
                **further,
            },
            "materials": {"steel": {"k": "k_rod"}},
            "body": {
                "kind": "rod",
                "pieces": {"rod": {"length": "length", "diameter": "diameter", "material": "steel"}},
            },
            "surroundings": [
                {"on": "rod.start", "temperature": "T_root"},
                {"on": "rod.side", "film": {"h": "h", "temperature": "T_air"}},
                *([{"on": "rod.end", **meets}] if meets else []),
            ],
            "clock": "steady",
            "working": {"m": "sqrt(4*h/(k_rod*diameter))", "M": "pi/4*diameter^2*k_rod*m*(T_root - T_air)", "Q": heat},
            "questions": [
                {"name": "heat of the rod", "heat_flow": "rod.start", "expect": {"working": "Q"}},
                {"name": "root", "heat_flow": "rod.start", "expect": {"exact": "rod"}},
                {"name": "over the side", "heat_flow": "rod.side", "direction": "out", "expect": {"exact": "rod"}},
                {
                    "name": "a fifth along",
                    "temperature": ["length/5"],
                    "expect": {"exact": "rod"},
                    "tolerance": "0.1 K",
                },
            ],
        },
    )


ROD_FAMILIES = tuple(_rod(tip) for tip in _TIPS)
