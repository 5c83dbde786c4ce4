"""Families of isothermal surfaces that see each other, as a hand calculation with a network of surfaces takes them."""

from __future__ import annotations

from typing import Any

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family

_DRUM = Family(
    "drum-kiln",
    "A hot floor and a cool crown with a side between them that nothing but radiation heats",
    {
        "format": FORMAT,
        "title": "Drum kiln with a side that radiates on",
        "parameters": {
            "radius": "160 mm",
            "high": "220 mm",
            "plate": "20 mm",
            "T_floor": "1120 °C",
            "T_crown": "760 °C",
            "e_floor": "0.75",
            "e_crown": "0.6",
        },
        "materials": {
            "cordierite": {"k": "2.2 W/(m K)", "emissivity": "e_floor"},
            "alumina": {"k": "6 W/(m K)", "emissivity": "e_crown"},
        },
        "body": {
            "kind": "turned section",
            "regions": {
                "floor": {
                    "shape": "rectangle",
                    "size": ["radius + plate", "plate"],
                    "at": ["0 mm", "0 mm"],
                    "material": "cordierite",
                },
                "side": {
                    "shape": "rectangle",
                    "size": ["plate", "high"],
                    "at": ["radius", "plate"],
                    "material": "alumina",
                },
                "crown": {
                    "shape": "rectangle",
                    "size": ["radius + plate", "plate"],
                    "at": ["0 mm", "plate + high"],
                    "material": "alumina",
                },
            },
        },
        "surroundings": [
            {"on": ["floor.bottom", "floor.top"], "temperature": "T_floor"},
            {"on": ["crown.top", "crown.bottom"], "temperature": "T_crown"},
        ],
        "joints": [{"on": ["floor|side", "side|crown"], "open": True}],
        "isothermal": [{"region": "side"}],
        "enclosures": {"kiln": {"faces": [{"on": ["floor.top", "side.left", "crown.bottom"]}], "even": True}},
        "mesh": {"size": "8 mm"},
        "working": {
            "A": "pi*radius^2",
            "X": "2 + (high/radius)^2",
            "F": "(X - sqrt(X^2 - 4))/2",
            "A_F": "A*(F + (1 - F)/2)",
            "R": "(1 - e_floor)/(A*e_floor) + 1/A_F + (1 - e_crown)/(A*e_crown)",
            "Q": "sigma*(T_floor^4 - T_crown^4)/R",
        },
        "questions": [
            {"name": "to the crown", "radiation": "crown.bottom", "expect": {"working": "Q"}, "tolerance": "0.1 %"},
            {"name": "off the floor", "radiation": "floor.top", "expect": {"exact": "grey-network"}},
            {"name": "side", "mean": "side", "expect": {"exact": "grey-network"}, "tolerance": "0.1 %"},
            {
                "name": "floor to crown",
                "exchange": "floor.top",
                "to": "crown.bottom",
                "expect": {"exact": "grey-network"},
                "tolerance": "0.1 %",
            },
            {
                "name": "floor sees side",
                "view_factor": "floor.top",
                "to": "side.left",
                "expect": {"exact": "view-factors"},
                "tolerance": "0.1 %",
            },
        ],
    },
)

_GLORY_HOLE = Family(
    "glory-hole",
    "A hot pot that looks out of its mouth: how black a deep hole is",
    {
        "format": FORMAT,
        "title": "Glory hole of the glaze furnace",
        "parameters": {
            "radius": "70 mm",
            "deep": "210 mm",
            "wall": "50 mm",
            "T_hot": "1150 °C",
            "T_shop": "24 °C",
            "e_pot": "0.62",
        },
        "materials": {"crucible": {"k": "3 W/(m K)", "emissivity": "e_pot"}},
        "body": {
            "kind": "turned section",
            "regions": {
                "pot": {
                    "shape": "rectangle",
                    "size": ["radius + wall", "deep + wall"],
                    "at": ["0 mm", "0 mm"],
                    "material": "crucible",
                },
                "hole": {"shape": "rectangle", "size": ["radius", "deep"], "at": ["0 mm", "wall"], "void": True},
            },
        },
        "surroundings": [{"on": ["pot.hole bottom", "pot.hole right"], "temperature": "T_hot"}],
        "enclosures": {"hole": {"faces": [{"void": "hole"}], "opening": "T_shop", "even": True}},
        "mesh": {"size": "7 mm"},
        "working": {
            "A_out": "pi*radius^2",
            "A": "A_out + 2*pi*radius*deep",
            "e_hole": "1/(1 + A_out/A*(1/e_pot - 1))",
            "Q_black": "A_out*sigma*(T_hot^4 - T_shop^4)",
        },
        "surfaces": {"inside": ["pot.hole bottom", "pot.hole right"]},
        "questions": [
            {
                "name": "out of the mouth",
                "exchange": "inside",
                "to": "opening",
                "expect": {"exact": "grey-network"},
                "tolerance": "0.1 %",
            },
            {"name": "from the bottom", "radiation": "pot.hole bottom", "expect": {"exact": "grey-network"}},
            {
                "name": "bottom sees out",
                "view_factor": "pot.hole bottom",
                "to": "opening",
                "expect": {"exact": "view-factors"},
                "tolerance": "0.1 %",
            },
        ],
    },
)

_GLAZE_BOWL = Family(
    "glaze-bowl",
    "A hot bowl that looks up: in a sphere every place sees every other alike",
    {
        "format": FORMAT,
        "title": "Bowl of the glaze melter",
        "parameters": {"radius": "90 mm", "wall": "30 mm", "T_hot": "1240 °C", "T_shop": "26 °C", "e_melt": "0.7"},
        "materials": {"melter brick": {"k": "1.9 W/(m K)", "emissivity": "e_melt"}},
        "body": {
            "kind": "turned section",
            "regions": {
                "melter": {
                    "shape": "rectangle",
                    "size": ["radius + wall", "radius + wall"],
                    "at": ["0 mm", "0 mm"],
                    "material": "melter brick",
                },
                "bowl": {
                    "shape": "ring sector",
                    "outer": "radius",
                    "start": "-90 deg",
                    "end": "90 deg",
                    "at": ["0 mm", "radius + wall"],
                    "void": True,
                },
            },
        },
        "surroundings": [{"on": "melter.bowl", "temperature": "T_hot"}],
        "enclosures": {"bowl": {"faces": [{"on": "melter.bowl"}], "opening": "T_shop"}},
        "mesh": {"size": "6 mm"},
        "working": {"e_bowl": "1/(1 + (1/e_melt - 1)/2)", "Q": "e_bowl*pi*radius^2*sigma*(T_hot^4 - T_shop^4)"},
        "questions": [
            {
                "name": "up into the shop",
                "exchange": "melter.bowl",
                "to": "opening",
                "expect": {"working": "Q"},
                "tolerance": "0.1 %",
            },
            {"name": "radiated", "radiation": "melter.bowl", "expect": {"exact": "grey-network"}},
            {
                "name": "sees itself",
                "view_factor": "melter.bowl",
                "to": "melter.bowl",
                "expect": {"value": "0.5", "source": "E. M. Sparrow & V. K. Jonsson (1962), spherical enclosures"},
                "tolerance": "0.1 %",
            },
        ],
    },
)

_BLIND_HOLE = Family(
    "blind-hole",
    "A hole drilled to read a temperature: its radiosity differs along its wall",
    {
        "format": FORMAT,
        "title": "Blind hole for the pyrometer",
        "parameters": {
            "radius": "6 mm",
            "deep": "30 mm",
            "wall": "8 mm",
            "e_block": "0.45",
            "T_block": "980 °C",
            "T_shop": "22 °C",
        },
        "materials": {"target": {"k": "24 W/(m K)", "emissivity": "e_block"}},
        "body": {
            "kind": "turned section",
            "regions": {
                "block": {
                    "shape": "rectangle",
                    "size": ["radius + wall", "deep + wall"],
                    "at": ["0 mm", "0 mm"],
                    "material": "target",
                },
                "hole": {"shape": "rectangle", "size": ["radius", "deep"], "at": ["0 mm", "wall"], "void": True},
            },
        },
        "surroundings": [{"on": ["block.hole bottom", "block.hole right"], "temperature": "T_block"}],
        "surfaces": {"inside": ["block.hole bottom", "block.hole right"]},
        "enclosures": {"hole": {"faces": [{"void": "hole"}], "opening": "T_shop"}},
        "mesh": {"size": "0.8 mm"},
        "questions": [
            {
                "name": "out",
                "exchange": "inside",
                "to": "opening",
                "expect": {"exact": "grey-network"},
                "tolerance": "0.1 %",
            },
            {
                "name": "e_hole",
                "derived": "out/(pi*radius^2*sigma*(T_block^4 - T_shop^4))",
                "expect": {"exact": "grey-network"},
            },
            {"name": "from the bottom", "radiation": "block.hole bottom", "expect": {"exact": "grey-network"}},
            {"name": "from the wall", "radiation": "block.hole right", "expect": {"exact": "grey-network"}},
        ],
    },
)


def _shelf(above: str | None) -> dict[str, Any]:
    """A shelf, a gap above the one below it."""
    level = {"at": ["0 mm", f"{above} + gap"]} if above is not None else {"at": ["0 mm", "0 mm"]}
    return {"shape": "rectangle", "size": ["300 mm", "shelf"], **level, "material": "shelf plate"}


_SHELVES = Family(
    "cooling-shelves",
    "Hot shelves above each other that cool through their gaps, in time",
    {
        "format": FORMAT,
        "title": "Three shelves that cool through the gaps between them",
        "parameters": {
            "shelf": "12 mm",
            "gap": "8 mm",
            "e_shelf": "0.82",
            "T_start": "960 °C",
            "h_out": "14 W/(m² K)",
            "T_air": "26 °C",
        },
        "materials": {
            "shelf plate": {"k": "18 W/(m K)", "density": "2650 kg/m³", "c": "1050 J/(kg K)", "emissivity": "e_shelf"}
        },
        "body": {
            "kind": "section",
            "depth": "0.4 m",
            "regions": {"lower": _shelf(None), "middle": _shelf("shelf"), "upper": _shelf("2*shelf + gap")},
        },
        "isothermal": [{"region": "lower"}, {"region": "middle"}, {"region": "upper"}],
        "surroundings": [
            {
                "on": ["upper.top", "lower.bottom"],
                "film": {"h": "h_out", "temperature": "T_air"},
                "radiation": {"emissivity": "e_shelf", "temperature": "T_air"},
            }
        ],
        "enclosures": {
            "lower gap": {"faces": [{"on": ["lower.top", "middle.bottom"]}], "closed": True},
            "upper gap": {"faces": [{"on": ["middle.top", "upper.bottom"]}], "closed": True},
        },
        "clock": {"start": "T_start", "end": "60 min", "tolerance": "0.02 %"},
        "mesh": {"size": "30 mm", "across": 1},
        "questions": [
            {"name": "middle", "mean": "middle", "time": "60 min", "expect": {"exact": "network-in-time"}},
            {"name": "upper", "mean": "upper", "time": "60 min", "expect": {"exact": "network-in-time"}},
            {
                "name": "to the upper one",
                "exchange": "middle.top",
                "to": "upper.bottom",
                "time": "20 min",
                "expect": {"exact": "network-in-time"},
            },
        ],
    },
)

NETWORK_FAMILIES = (_DRUM, _GLORY_HOLE, _GLAZE_BOWL, _BLIND_HOLE, _SHELVES)
