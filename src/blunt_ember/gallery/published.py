"""Published benchmarks whose answers are known, stated as cases."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.published_radiation import published_radiation

_T3_SOURCE = "Cameron, Casey & Simpson (1986), Benchmark Tests for Thermal Analysis, test T3"
_T4_SOURCE = "Cameron, Casey & Simpson (1986), Benchmark Tests for Thermal Analysis, test T4"
_ISO_SOURCE = "ISO 10211, validation case 1"
_ISO_2_SOURCE = "ISO 10211, validation case 2"
_ISO_4_SOURCE = "ISO 10211, validation case 4"

#: Temperatures in °C of ISO 10211 case 1 by row of depth from the hot edge, 0.25 to 1.75 in steps of 0.25, and by
#: distance from the cold side, 0.25 to 1.00.
_ISO_CASE_1 = (
    (9.7, 13.4, 14.7, 15.1),
    (5.3, 8.6, 10.3, 10.8),
    (3.2, 5.6, 7.0, 7.5),
    (2.0, 3.6, 4.7, 5.0),
    (1.3, 2.3, 3.0, 3.2),
    (0.7, 1.4, 1.8, 1.9),
    (0.3, 0.6, 0.8, 0.9),
)


def published_cases() -> Iterator[tuple[str, Case]]:
    """Yield (name, case) of every published benchmark."""
    yield "Cameron, Casey & Simpson T3", case_from_data(_swinging_end())
    yield "Cameron, Casey & Simpson T4", case_from_data(_plate_with_films())
    yield "ISO 10211 case 1", case_from_data(_half_column())
    yield "ISO 10211 case 2", case_from_data(_metal_bridge())
    yield "ISO 10211 case 4", case_from_data(_bar_through_insulation())
    yield from published_radiation()


def _swinging_end() -> dict[str, Any]:
    """Bar from one temperature, one end held at it, the other swinging."""
    return {
        "format": FORMAT,
        "title": "Bar whose end swings in temperature",
        "materials": {"bar": {"k": "35 W/(m K)", "density": "7200 kg/m³", "c": "440.5 J/(kg K)"}},
        "body": {"kind": "rod", "pieces": {"bar": {"length": "0.1 m", "diameter": "10 mm", "material": "bar"}}},
        "surroundings": [
            {"on": "bar.start", "temperature": "0 °C"},
            {"on": "bar.end", "temperature": "0 °C + 100 K*sin(pi*t/(40 s))"},
        ],
        "clock": {"start": "0 °C", "end": "32 s", "tolerance": "0.02 %"},
        "questions": [
            {
                "name": "near the swinging end",
                "temperature": ["80 mm"],
                "tolerance": "0.01 K",
                "expect": {"value": "36.60 °C", "source": _T3_SOURCE},
            }
        ],
    }


def _plate_with_films() -> dict[str, Any]:
    """Plate with one edge held, one insulated and films on the others; the held corner limits the order."""
    return {
        "format": FORMAT,
        "title": "Plate with one held edge and films on two",
        "materials": {"plate": {"k": "52 W/(m K)"}},
        "body": {
            "kind": "section",
            "regions": {"plate": {"shape": "rectangle", "size": ["0.6 m", "1.0 m"], "material": "plate"}},
        },
        "surroundings": [
            {"on": "plate.bottom", "temperature": "100 °C"},
            {"on": ["plate.right", "plate.top"], "film": {"h": "750 W/(m² K)", "temperature": "0 °C"}},
            {"on": "plate.left", "insulated": True},
        ],
        "mesh": {"size": "20 mm"},
        "questions": [
            {
                "name": "target point",
                "temperature": ["0.6 m", "0.2 m"],
                "tolerance": "0.01 K",
                "expect": {"value": "18.25 °C", "source": _T4_SOURCE},
            }
        ],
    }


def _half_column() -> dict[str, Any]:
    """Half of a square column; a point within 0.1 °C of each published temperature."""
    questions = [
        {
            "name": f"depth {row} at {column}",
            "temperature": [f"{column}/4*1 m", f"2 m - {row}/4*1 m"],
            "tolerance": "0.1 K",
            "expect": {"value": f"{value} °C", "source": _ISO_SOURCE},
        }
        for row, values in enumerate(_ISO_CASE_1, start=1)
        for column, value in enumerate(values, start=1)
    ]
    return {
        "format": FORMAT,
        "title": "Half of a square column",
        "materials": {"column": {"k": "1 W/(m K)"}},
        "body": {
            "kind": "section",
            "regions": {"column": {"shape": "rectangle", "size": ["1 m", "2 m"], "material": "column"}},
        },
        "surroundings": [
            {"on": "column.top", "temperature": "20 °C"},
            {"on": ["column.left", "column.bottom"], "temperature": "0 °C"},
            {"on": "column.right", "insulated": True},
        ],
        "questions": questions,
    }


#: Temperatures in °C of ISO 10211 case 2: (x, y) from the lower left corner in mm, y up from the inner face.
_ISO_CASE_2 = (
    ("A", 0, 47.5, 7.1),
    ("C", 0, 41.5, 7.9),
    ("F", 0, 36.5, 16.4),
    ("H", 0, 0, 16.8),
    ("D", 15, 41.5, 6.3),
    ("G", 15, 36.5, 16.3),
    ("B", 500, 47.5, 0.8),
    ("E", 500, 41.5, 0.8),
    ("I", 500, 0, 18.3),
)


def _metal_bridge() -> dict[str, Any]:
    """Insulation between two faces, bridged by a thin metal profile."""

    def rectangle(x: float, y: float, width: float, height: float, material: str) -> dict[str, Any]:
        return {
            "shape": "rectangle",
            "at": [f"{x} mm", f"{y} mm"],
            "size": [f"{width} mm", f"{height} mm"],
            "material": material,
        }

    questions: list[dict[str, Any]] = [
        {
            "name": f"temperature {name}",
            "temperature": [f"{x} mm", f"{y} mm"],
            "tolerance": "0.1 K",
            "expect": {"value": f"{value} °C", "source": _ISO_2_SOURCE},
        }
        for name, x, y, value in _ISO_CASE_2
    ]
    questions.append(
        {
            "name": "heat flow",
            "heat_flow": "lining.bottom",
            "tolerance": "0.1 W",
            "expect": {"value": "9.5 W", "source": _ISO_2_SOURCE},
        }
    )
    return {
        "format": FORMAT,
        "title": "Thin metal profile through insulation",
        "materials": {
            "cover": {"k": "1.15 W/(m K)"},
            "wood": {"k": "0.12 W/(m K)"},
            "foam": {"k": "0.029 W/(m K)"},
            "metal": {"k": "230 W/(m K)"},
        },
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "filling": rectangle(0, 1.5, 500, 40, "foam"),
                "cover": rectangle(0, 41.5, 500, 6, "cover"),
                "spacer": rectangle(0, 36.5, 15, 5, "wood"),
                "flange": rectangle(0, 35, 15, 1.5, "metal"),
                "web": rectangle(0, 1.5, 1.5, 33.5, "metal"),
                "lining": rectangle(0, 0, 500, 1.5, "metal"),
            },
        },
        "surroundings": [
            {"on": "cover.top", "film": {"h": "1/(0.06 m² K/W)", "temperature": "0 °C"}},
            {"on": "lining.bottom", "film": {"h": "1/(0.11 m² K/W)", "temperature": "20 °C"}},
        ],
        "mesh": {"size": "4 mm"},
        "questions": questions,
    }


def _bar_through_insulation() -> dict[str, Any]:
    """An iron bar that passes insulation, flush with its colder face and far out of its warmer one."""
    cold = ["wool.bottom", "bar.bottom"]
    warm = ["wool.top", "bar.left", "bar.right", "bar.front", "bar.back", "bar.top"]
    return {
        "format": FORMAT,
        "title": "Iron bar through insulation",
        "materials": {"insulation": {"k": "0.1 W/(m K)"}, "iron": {"k": "50 W/(m K)"}},
        "environments": {"inside": "1 °C", "outside": "0 °C"},
        "body": {
            "kind": "stacked",
            "regions": {
                "wool": {
                    "shape": "rectangle",
                    "size": ["1 m", "1 m"],
                    "z": ["0 mm", "200 mm"],
                    "material": "insulation",
                },
                "bar": {
                    "shape": "rectangle",
                    "size": ["100 mm", "50 mm"],
                    "at": ["450 mm", "475 mm"],
                    "z": ["0 mm", "600 mm"],
                    "material": "iron",
                },
            },
        },
        "surroundings": [
            {"on": cold, "film": {"resistance": "0.1 m² K/W", "environment": "outside"}},
            {"on": warm, "film": {"resistance": "0.1 m² K/W", "environment": "inside"}},
        ],
        "working": {"U": "1/(0.1 m² K/W + 200 mm/(0.1 W/(m K)) + 0.1 m² K/W)"},
        "questions": [
            {
                "name": "heat flow",
                "heat_flow": cold,
                "direction": "out",
                "tolerance": "0.005 W",
                "expect": {"value": "0.540 W", "source": _ISO_4_SOURCE},
            },
            {
                "name": "highest outside",
                "highest": cold,
                "tolerance": "0.005 K",
                "expect": {"value": "0.805 °C", "source": _ISO_4_SOURCE},
            },
            {"name": "chi", "point_transmittance": "inside", "to": "outside"},
            {
                "name": "by hand",
                "derived": "chi + U*1 m² - heat_flow/(1 K)",
                "expect": {"value": "0 W/K", "source": "the wall by itself lets through its U-value"},
                "tolerance": "1e-9 W/K",
            },
        ],
    }
