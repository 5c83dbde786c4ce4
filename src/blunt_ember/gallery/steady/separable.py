"""Families of bodies whose field is a series along every axis: boxes, short cylinders, rectangles in layers."""

from __future__ import annotations

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family, exactly

#: Of what is asked, but for heat through faces at which the flux is singular.
_WITHIN = "0.2 %"

_BOX = Family(
    "box-of-six",
    "Box with something else on each of its faces",
    {
        "format": FORMAT,
        "title": "Clay block on the warm shelf",
        "parameters": {
            "length": "240 mm",
            "depth": "120 mm",
            "height": "90 mm",
            "k_clay": "1.2 W/(m K)",
            "T_shelf": "85 °C",
            "T_door": "60 °C",
            "T_room": "21 °C",
            "h_room": "14 W/(m² K)",
            "q_lamp": "900 W/m²",
        },
        "materials": {"clay": {"k": "k_clay"}},
        "body": {
            "kind": "stacked",
            "regions": {
                "block": {
                    "shape": "rectangle",
                    "at": ["0 mm", "0 mm"],
                    "size": ["length", "depth"],
                    "z": ["0 mm", "height"],
                    "material": "clay",
                }
            },
        },
        "surroundings": [
            {"on": "block.bottom", "film": {"h": "60 W/(m² K)", "temperature": "T_shelf"}},
            {"on": ["block.top", "block.front"], "film": {"h": "h_room", "temperature": "T_room"}},
            {"on": "block.left", "temperature": "T_door"},
            {"on": "block.right", "flux": "q_lamp"},
        ],
        "mesh": {"size": "height/5"},
        "questions": [
            exactly("middle", {"temperature": ["length/2", "depth/2", "height/2"]}, "box", _WITHIN),
            exactly("under the lamp", {"mean": "block.right"}, "box", _WITHIN),
            exactly("off the top", {"heat_flow": "block.top", "direction": "out"}, "box", _WITHIN),
            exactly("from the shelf", {"heat_flow": "block.bottom"}, "box", "0.5 %"),
        ],
    },
)
_ROLLER = Family(
    "short-roller",
    "Short hollow cylinder, its bore held, its ends in air",
    {
        "format": FORMAT,
        "title": "Roller on a heated shaft",
        "parameters": {
            "r_shaft": "30 mm",
            "r_roller": "75 mm",
            "length": "60 mm",
            "k_roller": "3.4 W/(m K)",
            "T_shaft": "140 °C",
            "T_air": "24 °C",
            "h_rim": "45 W/(m² K)",
            "h_end": "12 W/(m² K)",
        },
        "materials": {"stone": {"k": "k_roller"}},
        "body": {
            "kind": "turned section",
            "regions": {
                "roller": {
                    "shape": "rectangle",
                    "at": ["r_shaft", "0 mm"],
                    "size": ["r_roller - r_shaft", "length"],
                    "material": "stone",
                }
            },
        },
        "surroundings": [
            {"on": "roller.left", "temperature": "T_shaft"},
            {"on": "roller.right", "film": {"h": "h_rim", "temperature": "T_air"}},
            {"on": ["roller.bottom", "roller.top"], "film": {"h": "h_end", "temperature": "T_air"}},
        ],
        "mesh": {"size": "3 mm"},
        "questions": [
            exactly(
                "half way out", {"temperature": ["(r_shaft + r_roller)/2", "length/2"]}, "finite-cylinder", _WITHIN
            ),
            exactly("rim", {"mean": "roller.right"}, "finite-cylinder", _WITHIN),
            exactly("off the rim", {"heat_flow": "roller.right", "direction": "out"}, "finite-cylinder", _WITHIN),
            exactly("off an end", {"heat_flow": "roller.top", "direction": "out"}, "finite-cylinder", _WITHIN),
        ],
    },
)
_TWO_MATERIALS = Family(
    "two-materials",
    "Rectangle of two materials side by side, heated across and along them",
    {
        "format": FORMAT,
        "title": "Foot of a lined wall",
        "parameters": {
            "t_brick": "120 mm",
            "t_lining": "60 mm",
            "height": "150 mm",
            "k_brick": "0.9 W/(m K)",
            "k_lining": "0.2 W/(m K)",
            "R_joint": "0.02 m² K/W",
            "T_floor": "48 °C",
            "q_glow": "700 W/m²",
            "T_yard": "6 °C",
            "h_yard": "18 W/(m² K)",
        },
        "materials": {"brick": {"k": "k_brick"}, "lining": {"k": "k_lining"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "lining": {
                    "shape": "rectangle",
                    "at": ["0 mm", "0 mm"],
                    "size": ["t_lining", "height"],
                    "material": "lining",
                },
                "brick": {
                    "shape": "rectangle",
                    "right_of": "lining",
                    "size": ["t_brick", "height"],
                    "material": "brick",
                },
            },
        },
        "joints": [{"on": "lining|brick", "resistance": "R_joint"}],
        "surroundings": [
            {"on": "lining.left", "flux": "q_glow"},
            {"on": "brick.right", "film": {"h": "h_yard", "temperature": "T_yard"}},
            {"on": ["lining.bottom", "brick.bottom"], "temperature": "T_floor"},
        ],
        "mesh": {"size": "6 mm"},
        "questions": [
            exactly("in the lining", {"temperature": ["t_lining/2", "2*height/3"]}, "layered-rectangle", _WITHIN),
            exactly(
                "in the brick", {"temperature": ["t_lining + t_brick/2", "2*height/3"]}, "layered-rectangle", _WITHIN
            ),
            exactly("to the yard", {"heat_flow": "brick.right", "direction": "out"}, "layered-rectangle", "0.5 %"),
        ],
    },
)

_PART_ON_PLATE = Family(
    "part-on-plate",
    "Part that heats a rectangle of a plate cooled from below: how heat spreads",
    {
        "format": FORMAT,
        "title": "Relay of the kiln controller on its plate",
        "parameters": {
            "length": "80 mm",
            "width": "60 mm",
            "thickness": "5 mm",
            "P": "18 W",
            "part_length": "20 mm",
            "part_width": "15 mm",
            "k_plate": "150 W/(m K)",
            "h_below": "240 W/(m² K)",
            "T_air": "30 °C",
        },
        "materials": {"alloy": {"k": "k_plate"}},
        "body": {
            "kind": "stacked",
            "regions": {
                "plate": {
                    "shape": "rectangle",
                    "at": ["0 mm", "0 mm"],
                    "size": ["length", "width"],
                    "z": ["0 mm", "thickness"],
                    "material": "alloy",
                }
            },
        },
        "surfaces": {
            "part": {
                "on": "plate.top",
                "within": {"shape": "rectangle", "at": ["15 mm", "12 mm"], "size": ["part_length", "part_width"]},
            }
        },
        "surroundings": [
            {"on": "part", "heat": "P"},
            {"on": "plate.bottom", "film": {"h": "h_below", "temperature": "T_air"}},
        ],
        "mesh": {"size": "4 mm"},
        "questions": [
            exactly(
                "under the part",
                {"temperature": ["15 mm + part_length/2", "12 mm + part_width/2", "0 mm"]},
                "box",
                _WITHIN,
            ),
            exactly("part", {"mean": "part"}, "box", "0.5 %"),
            exactly("far corner", {"temperature": ["length", "width", "0 mm"]}, "box", _WITHIN),
            {"name": "resistance", "derived": "(part - T_air)/P"},
        ],
    },
)

_PART_ON_LAYERS = Family(
    "part-on-layers",
    "Part that heats a rectangle of a board on a joint on a cold plate: spreading through layers",
    {
        "format": FORMAT,
        "title": "Driver of the kiln elements on its board and cold plate",
        "parameters": {
            "length": "70 mm",
            "width": "50 mm",
            "t_plate": "6 mm",
            "t_board": "1.6 mm",
            "P": "12 W",
            "k_plate": "150 W/(m K)",
            "k_through": "1.1 W/(m K)",
            "k_along": "22 W/(m K)",
            "R_joint": "0.00004 m² K/W",
            "h_below": "600 W/(m² K)",
            "T_water": "25 °C",
        },
        "materials": {
            "alloy": {"k": "k_plate"},
            "board": {"k": {"along": "k_along", "across": "k_along", "through": "k_through"}},
        },
        "body": {
            "kind": "stacked",
            "regions": {
                "plate": {
                    "shape": "rectangle",
                    "size": ["length", "width"],
                    "z": ["0 mm", "t_plate"],
                    "material": "alloy",
                },
                "board": {
                    "shape": "rectangle",
                    "size": ["length", "width"],
                    "z": ["t_plate", "t_plate + t_board"],
                    "material": "board",
                },
            },
        },
        "surfaces": {
            "driver": {
                "on": "board.top",
                "within": {"shape": "rectangle", "at": ["20 mm", "14 mm"], "size": ["16 mm", "12 mm"]},
            }
        },
        "joints": [{"on": "plate|board", "resistance": "R_joint"}],
        "surroundings": [
            {"on": "driver", "heat": "P"},
            {"on": "plate.bottom", "film": {"h": "h_below", "temperature": "T_water"}},
        ],
        "mesh": {"size": "auto"},
        "questions": [
            exactly("under the driver", {"temperature": ["28 mm", "20 mm", "0 mm"]}, "plates", _WITHIN),
            exactly("driver", {"mean": "driver"}, "plates", "0.5 %"),
            exactly("far corner", {"temperature": ["length", "width", "t_plate + t_board"]}, "plates", _WITHIN),
            {"name": "resistance", "derived": "(driver - T_water)/P"},
        ],
    },
)

SEPARABLE_FAMILIES = (_BOX, _ROLLER, _TWO_MATERIALS, _PART_ON_PLATE, _PART_ON_LAYERS)
