"""A kiln wall through its schedule."""

from __future__ import annotations

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family

_FIRING = Family(
    "firing",
    "Kiln wall through heating, soak and cooling, every surface as the schedule has it",
    {
        "format": FORMAT,
        "title": "A firing, from cold to cold",
        "parameters": {
            "t_brick": "114 mm",
            "t_blanket": "50 mm",
            "T_top": "1180 °C",
            "T_air": "20 °C",
            "h_out": "9 W/(m² K)",
        },
        "materials": {
            "brick": {
                "k": "0.35 W/(m K)",
                "density": "780 kg/m³",
                "c": {"table": [["20 °C", "820 J/(kg K)"], ["600 °C", "1010 J/(kg K)"], ["1200 °C", "1120 J/(kg K)"]]},
            },
            "blanket": {
                "k": {"table": [["20 °C", "0.06 W/(m K)"], ["800 °C", "0.19 W/(m K)"]]},
                "density": "130 kg/m³",
                "c": "1050 J/(kg K)",
            },
        },
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "brick": {
                    "shape": "rectangle",
                    "size": ["t_brick", "20 mm"],
                    "at": ["0 mm", "0 mm"],
                    "material": "brick",
                },
                "blanket": {
                    "shape": "rectangle",
                    "size": ["t_blanket", "20 mm"],
                    "right_of": "brick",
                    "material": "blanket",
                },
            },
        },
        "surroundings": [{"on": "blanket.right", "film": {"h": "h_out", "temperature": "T_air"}}],
        "clock": {
            "start": "T_air",
            "stages": [
                {
                    "name": "heating",
                    "lasts": "6 hour",
                    "surroundings": [
                        {
                            "on": "brick.left",
                            "temperature": {
                                "table": [["0 s", "20 °C"], ["2 hour", "300 °C"], ["6 hour", "T_top"]],
                                "over": "t",
                            },
                        }
                    ],
                },
                {"name": "soak", "lasts": "90 min", "surroundings": [{"on": "brick.left", "temperature": "T_top"}]},
                {
                    "name": "cooling",
                    "lasts": "60 hour",
                    "until": {"passes": "80 °C", "highest": "body"},
                    "surroundings": [{"on": "brick.left", "film": {"h": "14 W/(m² K)", "temperature": "T_air"}}],
                },
            ],
        },
        "mesh": {"size": "8 mm", "across": 2},
        "questions": [
            {"name": "shell at the end of the soak", "mean": "blanket.right", "time": "7.5 hour"},
            {"name": "hottest shell", "highest": "blanket.right"},
            {"name": "safe to open", "when": {"passes": "80 °C", "highest": "body", "going": "down"}},
            {"name": "fuel into the wall", "heat_passed": "brick.left", "time": "7.5 hour"},
        ],
    },
)

FIRING_FAMILIES = (_FIRING,)
