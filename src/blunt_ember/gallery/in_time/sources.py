"""A family of heat that arises in a large body: a thin wire that is heated in clay, by which its k is measured."""

from __future__ import annotations

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family

_MIDDLE = ["0 mm", "0 mm"]
_HOT_WIRE = Family(
    "hot-wire",
    "Thin wire in a large block, heated from the start on",
    {
        "format": FORMAT,
        "title": "Hot wire in a block of fireclay",
        "parameters": {
            "radius": "150 mm",
            "k_clay": "0.52 W/(m K)",
            "density": "1280 kg/m³",
            "c": "960 J/(kg K)",
            "Q": "15 W/m",
            "T_start": "20 °C",
            "duration": "10 min",
        },
        "materials": {"clay": {"k": "k_clay", "density": "density", "c": "c"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {"block": {"shape": "disc", "radius": "radius", "material": "clay"}},
        },
        "heat_inside": [{"at": _MIDDLE, "total": "Q*1 m"}],
        "clock": {"start": "T_start", "end": "duration"},
        "mesh": {"size": "12 mm", "order": 2, "growth": 0.2, "local": [{"at": _MIDDLE, "size": "0.5 mm"}]},
        "working": {
            "a": "k_clay/(density*c)",
            "warmed": "T_start + line_source_since(Q, k_clay, a, sqrt(x^2 + y^2), t)",
        },
        "questions": [
            {"name": "at 10 mm", "temperature": ["10 mm", "0 mm"], "expect": {"working": "warmed"}},
            {"name": "at 20 mm", "temperature": ["0 mm", "20 mm"], "expect": {"working": "warmed"}},
            {"name": "at 40 mm", "temperature": ["-40 mm", "0 mm"], "expect": {"working": "warmed"}},
        ],
    },
)

SOURCE_FAMILIES = (_HOT_WIRE,)
