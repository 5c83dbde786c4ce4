"""Families of plates and strips with a series or a field of their own, and a spot on a thick body."""

from __future__ import annotations

from typing import Any

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family

_SIZE = {"width": "240 mm", "height": "150 mm"}


def _plate(name: str, summary: str, title: str, parameters: dict[str, str], entries: dict[str, Any]) -> Family:
    """A plate with a series solution, asked at three places and for the heat through its left edge."""
    region: dict[str, Any] = {"shape": "rectangle", "size": ["width", "height"], "material": "plate"}
    region |= entries.pop("region", {})
    places = {
        "middle": ["width/2", "height/2"],
        "near the top": ["width/3", "0.95*height"],
        "right edge": ["width", "height/2"],
    }
    return Family(
        name,
        summary,
        {
            "format": FORMAT,
            "title": title,
            "parameters": {**_SIZE, **parameters},
            "body": {"kind": "section", "depth": "1 m", "regions": {"plate": region}},
            "clock": "steady",
            **entries,
            "questions": [
                *(
                    {"name": place, "temperature": at, "expect": {"exact": "rectangle"}, "tolerance": "0.05 %"}
                    for place, at in places.items()
                ),
                {"name": "through the left", "heat_flow": "plate.left", "expect": {"exact": "rectangle"}},
            ],
        },
    )


_HELD_LEFT = {"on": "plate.left", "temperature": "T_edge"}
_PLAIN = {"k_plate": "1.9 W/(m K)", "T_edge": "40 °C"}
_EVEN = {"materials": {"plate": {"k": "k_plate"}}}

_FLUX_EDGE = _plate(
    "plate-flux-edge",
    "Plate heated through one edge, held on the next",
    "Setter plate under the torch",
    {**_PLAIN, "q": "2.2 kW/m²"},
    {
        **_EVEN,
        "surroundings": [_HELD_LEFT, {"on": "plate.right", "temperature": "T_edge"}, {"on": "plate.top", "flux": "q"}],
    },
)

_FILM_EDGE = _plate(
    "plate-film-edge",
    "Plate held on one edge, film over two others",
    "Setter plate in a draught",
    {"k_plate": "1.9 W/(m K)", "T_edge": "540 °C", "h": "28 W/(m² K)", "T_air": "25 °C"},
    {
        **_EVEN,
        "surroundings": [_HELD_LEFT, {"on": ["plate.right", "plate.top"], "film": {"h": "h", "temperature": "T_air"}}],
    },
)

_GENERATION = _plate(
    "plate-generation",
    "Plate that gives off heat, all its edges held",
    "Heated setter plate in a cooled frame",
    {**_PLAIN, "g": "60 kW/m³"},
    {
        **_EVEN,
        "heat_inside": [{"region": "plate", "per_volume": "g"}],
        "surroundings": [{"on": ["plate.left", "plate.right", "plate.bottom", "plate.top"], "temperature": "T_edge"}],
    },
)

_ORTHOTROPIC = _plate(
    "plate-orthotropic",
    "Plate that conducts better across than along, film over its top",
    "Wound felt board",
    {"k_1": "4.2 W/(m K)", "k_2": "0.5 W/(m K)", "T_edge": "320 °C", "h": "17 W/(m² K)", "T_air": "25 °C"},
    {
        "materials": {"plate": {"k": {"along": "k_1", "across": "k_2"}}},
        "region": {"direction": "90°"},
        "surroundings": [_HELD_LEFT, {"on": ["plate.top", "plate.right"], "film": {"h": "h", "temperature": "T_air"}}],
    },
)

_OFF_AXIS = Family(
    "strip-off-axis",
    "Endless strip whose fibres lie aslant, so that heat drifts sideways",
    {
        "format": FORMAT,
        "title": "Laminate with slanting fibres",
        "parameters": {
            "width": "45 mm",
            "pitch": "30 mm",
            "slant": "35°",
            "k_1": "6.5 W/(m K)",
            "k_2": "0.4 W/(m K)",
            "T_hot": "210 °C",
            "T_cold": "30 °C",
        },
        "materials": {"laminate": {"k": {"along": "k_1", "across": "k_2"}}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "strip": {
                    "shape": "rectangle",
                    "size": ["width", "pitch"],
                    "material": "laminate",
                    "direction": "slant",
                }
            },
        },
        "surroundings": [
            {"on": "strip.left", "temperature": "T_hot"},
            {"on": "strip.right", "temperature": "T_cold"},
            {"on": ["strip.bottom", "strip.top"], "periodic": True},
        ],
        "clock": "steady",
        "working": {
            "k_xx": "k_1*cos(slant)^2 + k_2*sin(slant)^2",
            "k_xy": "(k_1 - k_2)*sin(slant)*cos(slant)",
            "q_x": "k_xx*(T_hot - T_cold)/width",
            "Q_drift": "k_xy*(T_hot - T_cold)/width*width*1 m",
        },
        "questions": [
            {"name": "through the strip", "heat_flow": "strip.left", "basis": "area", "expect": {"working": "q_x"}},
            {"name": "drifting up", "heat_flow": "strip.bottom", "expect": {"working": "Q_drift"}},
            {
                "name": "a third in",
                "temperature": ["width/3", "10 mm"],
                "expect": {"exact": "plane-wall"},
                "tolerance": "0.01 K",
            },
        ],
    },
)

_PERIODIC = Family(
    "periodic-strip",
    "Strip under a wave of temperature that repeats along it",
    {
        "format": FORMAT,
        "title": "Kiln floor between its burners",
        "parameters": {
            "pitch": "300 mm",
            "depth_1": "180 mm",
            "k_floor": "0.9 W/(m K)",
            "T_mean": "400 °C",
            "swing": "120 K",
        },
        "materials": {"floor": {"k": "k_floor"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {"floor": {"shape": "rectangle", "size": ["pitch", "depth_1"], "material": "floor"}},
        },
        "surroundings": [
            {"on": "floor.top", "temperature": "T_mean + swing*cos(2*pi*x/pitch + 0.7)"},
            {"on": "floor.bottom", "temperature": "T_mean"},
            {"on": ["floor.left", "floor.right"], "periodic": True},
        ],
        "clock": "steady",
        "working": {"m": "2*pi/pitch", "T_field": "T_mean + swing*cos(m*x + 0.7)*sinh(m*y)/sinh(m*depth_1)"},
        "questions": [
            {
                "name": "below a burner",
                "temperature": ["pitch/2", "0.9*depth_1"],
                "expect": {"working": "T_field"},
                "tolerance": "0.1 K",
            },
            {
                "name": "at the seam",
                "temperature": ["0 mm", "0.8*depth_1"],
                "expect": {"working": "T_field"},
                "tolerance": "0.1 K",
            },
            {
                "name": "hottest half way",
                "highest": {"start": ["0 mm", "depth_1/2"], "end": ["pitch", "depth_1/2"]},
                "expect": {"working": "T_field"},
                "tolerance": "0.1 K",
            },
        ],
    },
)

_SPOT = Family(
    "gaussian-spot",
    "Spot of heat with a Gaussian profile on a thick body",
    {
        "format": FORMAT,
        "title": "Glaze spot heated by a torch",
        "parameters": {"P": "24 W", "a": "6 mm", "k_body": "1.6 W/(m K)", "T_far": "30 °C", "reach": "30*a"},
        "materials": {"stoneware": {"k": "k_body"}},
        "body": {
            "kind": "turned section",
            "regions": {
                "body": {
                    "shape": "ring sector",
                    "outer": "reach",
                    "start": "-90°",
                    "end": "0°",
                    "material": "stoneware",
                }
            },
        },
        "surroundings": [
            {"on": "body.end", "flux": "P/(pi*a^2)*exp(-(r/a)^2)"},
            {"on": "body.rim", "temperature": "T_far + P/(2*pi*k_body*sqrt(r^2 + y^2))"},
        ],
        "clock": "steady",
        "mesh": {"local": [{"at": ["0 mm", "0 mm"], "size": "a/6"}]},
        "working": {
            "T_middle": "T_far + P/(2*sqrt(pi)*k_body*a)",
            "T_face": "T_far + P/(2*sqrt(pi)*k_body*a)*exp(-(r/a)^2/2)*bessel_i0((r/a)^2/2)",
        },
        "questions": [
            {
                "name": "middle of the spot",
                "temperature": ["0 mm", "0 mm"],
                "expect": {"working": "T_middle"},
                "tolerance": "0.1 %",
            },
            {
                "name": "one radius out",
                "temperature": ["a", "0 mm"],
                "expect": {"working": "T_face"},
                "tolerance": "0.1 %",
            },
            {
                "name": "three radii out",
                "temperature": ["3*a", "0 mm"],
                "expect": {"working": "T_face"},
                "tolerance": "0.1 %",
            },
            {"name": "taken in", "heat_flow": "body.end", "expect": {"value": "P", "source": "power of the torch"}},
        ],
    },
)

_HOT_EDGE_PLATE = Family(
    "hot-edge-plate",
    "Rectangular plate with one edge hot, by series",
    {
        "format": FORMAT,
        "title": "Setter plate with a hot edge",
        "parameters": {
            "width": "0.3 m",
            "height": "0.2 m",
            "k_plate": "2.1 W/(m K)",
            "T_hot": "260 °C",
            "T_cold": "40 °C",
        },
        "materials": {"setter": {"k": "k_plate"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "plate": {
                    "shape": "rectangle",
                    "size": ["width", "height"],
                    "at": ["0 mm", "0 mm"],
                    "material": "setter",
                }
            },
        },
        "surroundings": [
            {"on": "plate.top", "temperature": "T_hot"},
            {"on": ["plate.left", "plate.right", "plate.bottom"], "temperature": "T_cold"},
        ],
        "clock": "steady",
        "mesh": {"size": "auto", "order": 2},
        "questions": [
            {
                "name": "middle",
                "temperature": ["width/2", "height/2"],
                "expect": {"exact": "hot-edge-plate"},
                "tolerance": "0.05 %",
            },
            {
                "name": "quarter",
                "temperature": ["width/4", "height/4"],
                "expect": {"exact": "hot-edge-plate"},
                "tolerance": "0.05 %",
            },
            {
                "name": "below the edge",
                "temperature": ["width/2", "0.9*height"],
                "expect": {"exact": "hot-edge-plate"},
                "tolerance": "0.05 %",
            },
            {
                "name": "out through the bottom",
                "heat_flow": "plate.bottom",
                "direction": "out",
                "expect": {"exact": "hot-edge-plate"},
                "tolerance": "0.1 %",
            },
        ],
    },
)

PLATE_FAMILIES = (_HOT_EDGE_PLATE, _FLUX_EDGE, _FILM_EDGE, _GENERATION, _ORTHOTROPIC, _OFF_AXIS, _PERIODIC, _SPOT)
