"""A family whose flux grows without bound towards a corner of two materials, with the power that it does so by."""

from __future__ import annotations

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family


def _sector(start: str, end: str, material: str) -> dict[str, str]:
    return {"shape": "ring sector", "outer": "R", "start": start, "end": end, "material": material}


_EDGE = Family(
    "edge-of-two-bricks",
    "Inner edge that two bricks share, around which the temperature goes with a power of the distance",
    {
        "format": FORMAT,
        "title": "Inner edge of a burner block, dense brick beside a light one",
        "parameters": {
            "R": "120 mm",
            "k_light": "0.3 W/(m K)",
            "k_dense": "1.9 W/(m K)",
            "T_flue": "180 °C",
            "dT": "400 K",
            "power": "corner_held(k_light, k_dense, 90°, 180°)",
        },
        "materials": {"light": {"k": "k_light"}, "dense": {"k": "k_dense"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {"light": _sector("-135°", "-45°", "light"), "dense": _sector("-45°", "135°", "dense")},
        },
        "surroundings": [
            {"on": ["light.start", "dense.end"], "temperature": "T_flue"},
            {"on": "light.rim", "temperature": "T_flue + dT*sin(power*(theta + 135°))/sin(power*90°)"},
            {"on": "dense.rim", "temperature": "T_flue + dT*sin(power*(135° - theta))/sin(power*180°)"},
        ],
        "clock": "steady",
        "mesh": {"size": "R/12", "order": 2, "growth": 0.3, "local": [{"at": ["0 mm", "0 mm"], "size": "R*1e-6"}]},
        "working": {
            "Q": "k_light*dT/sin(power*90°)*1 m",
            "T_joint": "T_flue + dT*(1/4)^power",
            "T_dense": "T_flue + dT*(1/2)^power*sin(power*135°)/sin(power*180°)",
        },
        "questions": [
            {
                "name": "into the flue",
                "heat_flow": "light.start",
                "direction": "out",
                "expect": {"working": "Q"},
                "tolerance": "1 %",
            },
            {
                "name": "on the joint",
                "temperature": ["R/4*cos(45°)", "-R/4*sin(45°)"],
                "expect": {"working": "T_joint"},
            },
            {"name": "in the dense brick", "temperature": ["R/2", "0 mm"], "expect": {"working": "T_dense"}},
        ],
    },
)

CORNER_FAMILIES = (_EDGE,)
