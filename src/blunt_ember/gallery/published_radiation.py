"""Published answers of surfaces that see each other, stated as cases."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.document.case_document import FORMAT

_BOOK = "Incropera, DeWitt, Bergman & Lavine, Fundamentals of Heat and Mass Transfer, 6th ed. (2007), ch. 13"


_SIDES = ["heated.side 4", "painted.side 4", "insulated.side 4"]


def published_radiation() -> Iterator[tuple[str, Case]]:
    """Yield (name, case) of every published answer; tolerances are the figures that are printed."""
    yield "Incropera, open furnace", case_from_data(_open_furnace())
    for name, shielded, heat in (("tubes", False, "0.50 W/m"), ("tubes with a shield", True, "0.25 W/m")):
        yield f"Incropera, {name}", case_from_data(_cold_tube(shielded, heat))
    yield "Incropera, baking oven", case_from_data(_baking_oven())


def _open_furnace() -> dict[str, Any]:
    """Black cylinder that is open at one end; the book reads the view of its ends, 0.06, off a chart (0.0557)."""
    return {
        "format": FORMAT,
        "title": "Cylindrical furnace, open at the top",
        "materials": {"brick": {"k": "1 W/(m K)", "emissivity": "1"}},
        "body": {
            "kind": "turned section",
            "regions": {
                "side": {
                    "shape": "rectangle",
                    "size": ["5 mm", "150 mm"],
                    "at": ["37.5 mm", "0 mm"],
                    "material": "brick",
                },
                "base": {
                    "shape": "rectangle",
                    "size": ["42.5 mm", "5 mm"],
                    "at": ["0 mm", "-5 mm"],
                    "material": "brick",
                },
            },
        },
        "joints": [{"on": "side|base", "open": True}],
        "surfaces": {"heated": ["side.left", "base.top"]},
        "surroundings": [{"on": "side.left", "temperature": "1350 °C"}, {"on": "base.top", "temperature": "1650 °C"}],
        "enclosures": {"furnace": {"faces": [{"on": "heated"}], "opening": "27 °C"}},
        "mesh": {"size": "5 mm"},
        "questions": [
            {
                "name": "power",
                "exchange": "heated",
                "to": "opening",
                "tolerance": "1 %",
                "expect": {"value": "1844 W", "source": f"{_BOOK}, cylindrical furnace"},
            }
        ],
    }


def _cold_tube(shielded: bool, heat: str) -> dict[str, Any]:
    """Cold tube in a warm one, with a bright shield between them or without it."""
    regions: dict[str, Any] = {
        "tube": {"shape": "ring", "inner": "9 mm", "outer": "10 mm", "material": "tube"},
        "jacket": {"shape": "ring", "inner": "25 mm", "outer": "26 mm", "material": "jacket"},
    }
    faces: dict[str, Any] = {"gap": {"faces": [{"on": ["tube.rim", "jacket.bore"]}]}}
    if shielded:
        regions["shield"] = {"shape": "ring", "inner": "17.45 mm", "outer": "17.55 mm", "material": "tube"}
        faces = {
            "inner gap": {"faces": [{"on": ["tube.rim", "shield.bore"]}]},
            "outer gap": {"faces": [{"on": ["shield.rim", "jacket.bore"]}]},
        }
    return {
        "format": FORMAT,
        "title": "Tube of a cold fluid in an evacuated jacket",
        "materials": {
            "tube": {"k": "15 W/(m K)", "emissivity": "0.02"},
            "jacket": {"k": "15 W/(m K)", "emissivity": "0.05"},
        },
        "body": {"kind": "section", "depth": "1 m", "regions": regions},
        "surroundings": [{"on": "tube.bore", "temperature": "77 K"}, {"on": "jacket.rim", "temperature": "300 K"}],
        "enclosures": faces,
        "mesh": {"size": "2 mm", "across": 1},
        "questions": [
            {
                "name": "heat gained",
                "heat_flow": "tube.bore",
                "direction": "out",
                "basis": "length",
                "tolerance": "0.005 W/m",
                "expect": {"value": heat, "source": f"{_BOOK}, cryogenic fluid in a tube"},
            }
        ],
    }


def _baking_oven() -> dict[str, Any]:
    """Long duct whose section is a triangle of equal sides: a heated one, one of panels, an insulated one; the book
    takes every side as one."""
    high = "sqrt(3)/2*1 m"

    def wall(*points: tuple[str, str], material: str) -> dict[str, Any]:
        return {"shape": "polygon", "points": [list(point) for point in points], "material": material}

    left, right, top = ("0 mm", "0 mm"), ("1 m", "0 mm"), ("0.5 m", high)
    low_left, low_right, above = ("-0.1 m", "-0.06 m"), ("1.1 m", "-0.06 m"), ("0.5 m", f"{high} + 0.12 m")
    return {
        "format": FORMAT,
        "title": "Baking oven of panels",
        "materials": {
            "dark": {"k": "1 W/(m K)", "emissivity": "0.8"},
            "panels": {"k": "1 W/(m K)", "emissivity": "0.4"},
        },
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "heated": wall(left, low_left, low_right, right, material="dark"),
                "painted": wall(right, low_right, above, top, material="panels"),
                "insulated": wall(top, above, low_left, left, material="dark"),
            },
        },
        "joints": [{"on": ["heated|painted", "painted|insulated", "heated|insulated"], "open": True}],
        "isothermal": [{"region": "insulated"}],
        "surroundings": [
            {"on": "heated.side 4", "temperature": "1200 K"},
            {"on": "painted.side 4", "temperature": "500 K"},
        ],
        "enclosures": {"oven": {"faces": [{"on": _SIDES}], "even": True}},
        "mesh": {"size": "50 mm"},
        "questions": [
            {
                "name": "heat supplied",
                "radiation": "heated.side 4",
                "tolerance": "0.5 kW",
                "expect": {"value": "-37 kW", "source": f"{_BOOK}, paint baking oven"},
            },
            {
                "name": "insulated side",
                "mean": "insulated.side 4",
                "tolerance": "0.5 K",
                "expect": {"value": "1102 K", "source": f"{_BOOK}, paint baking oven"},
            },
        ],
    }
