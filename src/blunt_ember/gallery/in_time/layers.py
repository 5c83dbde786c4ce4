"""Families of layers that heat up or cool down, by the series of all of them together."""

from __future__ import annotations

from typing import Any

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family
from blunt_ember.gallery.in_time.common_statements import exactly

_BRICK_AND_WOOL = {
    "brick": {"k": "0.38 W/(m K)", "density": "820 kg/m³", "c": "960 J/(kg K)"},
    "wool": {"k": "0.075 W/(m K)", "density": "140 kg/m³", "c": "1010 J/(kg K)"},
    "steel": {"k": "48 W/(m K)", "density": "7800 kg/m³", "c": "490 J/(kg K)"},
}


def _strip(size: str, material: str, place: dict[str, Any]) -> dict[str, Any]:
    return {"shape": "rectangle", "size": [size, "10 mm"], **place, "material": material}


_LINING = Family(
    "warming-lining",
    "Wall of layers whose hot face is taken up by a schedule, with a gap that does not close",
    {
        "format": FORMAT,
        "title": "Shell of a kiln on its first day",
        "parameters": {
            "t_brick": "114 mm",
            "t_wool": "40 mm",
            "t_shell": "3 mm",
            "R_joint": "0.012 m² K/W",
            "T_top": "940 °C",
            "T_hall": "22 °C",
            "h_hall": "11 W/(m² K)",
        },
        "materials": _BRICK_AND_WOOL,
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "brick": _strip("t_brick", "brick", {"at": ["0 mm", "0 mm"]}),
                "wool": _strip("t_wool", "wool", {"right_of": "brick"}),
                "shell": _strip("t_shell", "steel", {"right_of": "wool"}),
            },
        },
        "surroundings": [
            {
                "on": "brick.left",
                "temperature": {"table": [["0 s", "T_hall"], ["5 hour", "T_top"], ["14 hour", "T_top"]], "over": "t"},
            },
            {"on": "shell.right", "film": {"h": "h_hall", "temperature": "T_hall"}},
        ],
        "joints": [{"on": "brick|wool", "resistance": "R_joint"}],
        "clock": {"start": "T_hall", "end": "14 hour"},
        "mesh": {"size": "4 mm", "across": 2},
        "questions": [
            exactly("shell at the end", {"mean": "shell.right"}),
            exactly("shell as the schedule ends", {"mean": "shell.right", "time": "5 hour"}, tolerance="1 %"),
            exactly("behind the gap", {"temperature": ["t_brick", "5 mm"], "side": "wool"}),
            exactly("into the brick so far", {"heat_passed": "brick.left"}),
            exactly("kept in the wall", {"heat_stored": "body"}),
            exactly("out of the shell", {"heat_flow": "shell.right", "direction": "out"}),
        ],
    },
)
_PIPE = Family(
    "cooling-lagged-pipe",
    "Pipe in its lagging, closed off while it is hot, the lagging still cold",
    {
        "format": FORMAT,
        "title": "Drying pipe closed off",
        "parameters": {
            "r_bore": "50 mm",
            "t_pipe": "5 mm",
            "t_wool": "45 mm",
            "T_pipe": "265 °C",
            "T_hall": "22 °C",
            "h_hall": "9 W/(m² K)",
        },
        "materials": {name: _BRICK_AND_WOOL[name] for name in ("steel", "wool")},
        "body": {
            "kind": "turned section",
            "regions": {
                "pipe": {
                    "shape": "rectangle",
                    "size": ["t_pipe", "10 mm"],
                    "at": ["r_bore", "0 mm"],
                    "material": "steel",
                },
                "lagging": {"shape": "rectangle", "size": ["t_wool", "10 mm"], "right_of": "pipe", "material": "wool"},
            },
        },
        "surroundings": [{"on": "lagging.right", "film": {"h": "h_hall", "temperature": "T_hall"}}],
        "clock": {"start": "T_hall", "start_in": {"pipe": "T_pipe"}, "end": "5 hour"},
        "mesh": {"size": "5 mm", "across": 2, "local": [{"on": "pipe|lagging", "size": "0.4 mm"}]},
        "questions": [
            exactly("pipe at the end", {"mean": "pipe.left"}),
            exactly("pipe after an hour", {"mean": "pipe.left", "time": "1 hour"}),
            exactly("lagging outside", {"mean": "lagging.right"}),
            exactly("given off", {"heat_passed": "lagging.right", "direction": "out"}, tolerance="1 %"),
        ],
    },
)

LAYERS_IN_TIME_FAMILIES = (_LINING, _PIPE)
