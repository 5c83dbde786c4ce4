"""Families in which the clock runs: bodies that heat up, cool down, settle and swing."""

from __future__ import annotations

from typing import Any

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery.family import Family

_STEEL = {"k_casting": "44 W/(m K)", "rho": "7300 kg/m³", "c_casting": "540 J/(kg K)"}
_CLAY = {"k_clay": "1.1 W/(m K)", "rho": "1950 kg/m³", "c_clay": "880 J/(kg K)"}
_AIR = {"h_out": "85 W/(m² K)", "T_air": "18 °C", "T_start": "640 °C"}


def _made_of(name: str) -> dict[str, Any]:
    return {name: {"k": f"k_{name}", "density": "rho", "c": f"c_{name}"}}


def _wall(name: str) -> dict[str, Any]:
    region = {"shape": "rectangle", "size": ["thickness", "thickness/8"], "at": ["0 mm", "0 mm"], "material": name}
    return {"kind": "section", "depth": "1 m", "regions": {"wall": region}}


def _film(*on: str) -> dict[str, Any]:
    return {"on": on[0] if len(on) == 1 else list(on), "film": {"h": "h_out", "temperature": "T_air"}}


def _family(
    name: str,
    summary: str,
    title: str,
    parameters: dict[str, str],
    material: str,
    body: dict[str, Any],
    surroundings: list[dict[str, Any]],
    clock: dict[str, Any],
    questions: list[dict[str, Any]],
    **more: Any,
) -> Family:
    return Family(
        name,
        summary,
        {
            "format": FORMAT,
            "title": title,
            "parameters": parameters,
            "materials": _made_of(material),
            "body": body,
            "surroundings": surroundings,
            "clock": clock,
            "mesh": _COARSE if "thickness" in parameters else _ROUND,
            **more,
            "questions": questions,
        },
    )


#: Heat flows one way in walls, so a few cells across do.
_COARSE = {"size": "thickness/16", "across": 2}
_ROUND = {"size": "r_out/6", "across": 2}


def _exactly(
    name: str, asks: dict[str, Any], exact: str = "series-in-time", tolerance: str = "0.3 %"
) -> dict[str, Any]:
    return {"name": name, **asks, "expect": {"exact": exact}, "tolerance": tolerance}


_MIDDLE = ["thickness/2", "thickness/16"]
_COOLING = {"start": "T_start", "end": "t_end"}

_TWO_SIDED = _family(
    "cooling-wall",
    "Wall that cools in air on both sides",
    "Casting plate on the rack",
    {"thickness": "60 mm", **_STEEL, **_AIR, "t_end": "20 min"},
    "casting",
    _wall("casting"),
    [_film("wall.left", "wall.right")],
    _COOLING,
    [
        _exactly("middle", {"temperature": _MIDDLE}),
        _exactly("face", {"mean": "wall.left"}),
        _exactly("middle after 5 min", {"temperature": _MIDDLE, "time": "t_end/4"}),
        _exactly("given off", {"heat_passed": "wall.right", "direction": "out"}),
        _exactly("lost in all", {"heat_stored": "body"}),
        _exactly("fit to touch", {"when": {"passes": "T_air + (T_start - T_air)/2", "temperature": _MIDDLE}}),
    ],
)

_ONE_SIDED = _family(
    "cooling-wall-one-sided",
    "Wall that cools on one side, insulated on the other",
    "Casting plate on wool",
    {"thickness": "45 mm", **_STEEL, **_AIR, "t_end": "25 min"},
    "casting",
    _wall("casting"),
    [_film("wall.right")],
    _COOLING,
    [
        _exactly("back", {"mean": "wall.left"}),
        _exactly("face", {"mean": "wall.right"}),
        _exactly("loss at the end", {"heat_flow": "wall.right", "direction": "out"}),
        _exactly("given off", {"heat_passed": "wall.right", "direction": "out"}),
    ],
)

_CYLINDER = _family(
    "cooling-cylinder",
    "Long cylinder that cools in a fluid",
    "Element rod drawn from the kiln",
    {"r_out": "22 mm", **_CLAY, **_AIR, "t_end": "15 min"},
    "clay",
    {
        "kind": "turned section",
        "regions": {
            "rod": {"shape": "rectangle", "size": ["r_out", "r_out/4"], "at": ["0 mm", "0 mm"], "material": "clay"}
        },
    },
    [_film("rod.right")],
    _COOLING,
    [
        _exactly("axis", {"temperature": ["0 mm", "r_out/8"]}),
        _exactly("skin", {"mean": "rod.right"}),
        _exactly("axis after 3 min", {"temperature": ["0 mm", "r_out/8"], "time": "t_end/5"}),
        _exactly("given off", {"heat_passed": "rod.right", "direction": "out"}),
    ],
)

_SPHERE = _family(
    "cooling-sphere",
    "Sphere that cools in a fluid",
    "Test ball lifted out of the glaze kiln",
    {"r_out": "30 mm", **_CLAY, **_AIR, "t_end": "20 min"},
    "clay",
    {
        "kind": "turned section",
        "regions": {
            "ball": {"shape": "ring sector", "outer": "r_out", "start": "-90°", "end": "90°", "material": "clay"}
        },
    },
    [_film("ball.rim")],
    _COOLING,
    [
        _exactly("middle", {"temperature": ["0 mm", "0 mm"]}),
        _exactly("skin", {"mean": "ball.rim"}),
        _exactly("lost in all", {"heat_stored": "body"}),
        _exactly("half way", {"when": {"passes": "(T_air + T_start)/2", "temperature": ["0 mm", "0 mm"]}}),
    ],
)

_QUENCHED = _family(
    "quenched-wall",
    "Wall whose faces are suddenly held",
    "Tile dipped into water",
    {"thickness": "18 mm", **_CLAY, "T_start": "420 °C", "T_water": "15 °C", "t_end": "60 s"},
    "clay",
    _wall("clay"),
    [{"on": ["wall.left", "wall.right"], "temperature": "T_water"}],
    _COOLING,
    [
        _exactly("middle", {"temperature": _MIDDLE}),
        _exactly("flux at the end", {"heat_flow": "wall.left", "direction": "out", "basis": "area"}),
        _exactly("given off", {"heat_passed": "wall.left", "direction": "out"}),
        _exactly("lost in all", {"heat_stored": "body"}),
    ],
)

_DEEP = {"thickness": "600 mm", **_CLAY, "T_start": "20 °C", "t_end": "50 min"}
_INTO = ["30 mm", "thickness/16"]
_FINE = {"mesh": {**_COARSE, "local": [{"on": "wall.left", "size": "4 mm"}]}}


def _deep(
    name: str, summary: str, title: str, face: dict[str, Any], parameters: dict[str, str], working: dict[str, str]
) -> Family:
    expected = {"name": "inside by hand", "temperature": _INTO, "expect": {"working": "T_deep"}, "tolerance": "0.3 %"}
    return _family(
        name,
        summary,
        title,
        {**_DEEP, **parameters},
        "clay",
        _wall("clay"),
        [{"on": "wall.left", **face}],
        _COOLING,
        [
            expected,
            _exactly("inside", {"temperature": _INTO}, "half-space"),
            _exactly("taken up", {"heat_passed": "wall.left"}, "half-space"),
            _exactly("taken up by series", {"heat_passed": "wall.left"}),
        ],
        working={"a": "k_clay/(rho*c_clay)", **working},
        **_FINE,
    )


_DEEP_HELD = _deep(
    "deep-wall-held",
    "Deep wall whose face is suddenly held",
    "Kiln floor under a hot plate",
    {"temperature": "T_face"},
    {"T_face": "310 °C"},
    {"T_deep": "T_start + (T_face - T_start)*erfc(x/(2*sqrt(a*t)))"},
)
_DEEP_FLUX = _deep(
    "deep-wall-flux",
    "Deep wall under an even heat flux",
    "Kiln floor under the torch",
    {"flux": "q"},
    {"q": "3.2 kW/m²"},
    {"T_deep": "T_start + 2*q/k_clay*sqrt(a*t/pi)*exp(-x^2/(4*a*t)) - q*x/k_clay*erfc(x/(2*sqrt(a*t)))"},
)
_DEEP_FILM = _deep(
    "deep-wall-film",
    "Deep wall that a hot gas meets",
    "Chimney base when the kiln is lit",
    {"film": {"h": "h_gas", "temperature": "T_gas"}},
    {"h_gas": "24 W/(m² K)", "T_gas": "540 °C"},
    {
        "T_deep": "T_start + (T_gas - T_start)*(erfc(x/(2*sqrt(a*t))) - exp(h_gas*x/k_clay + h_gas^2*a*t/k_clay^2)"
        "*erfc(x/(2*sqrt(a*t)) + h_gas*sqrt(a*t)/k_clay))"
    },
)

_SWINGING = _family(
    "swinging-wall",
    "Wall whose face swings in temperature, the other one held",
    "Kiln yard wall, day and night",
    {"thickness": "240 mm", **_CLAY, "T_mean": "14 °C", "swing": "9 K", "period": "24 hour", "T_room": "20 °C"},
    "clay",
    _wall("clay"),
    [
        {"on": "wall.left", "temperature": "T_mean + swing*sin(2*pi*t/period)"},
        {"on": "wall.right", "temperature": "T_room"},
    ],
    {"start": "T_mean", "end": "1.5*period"},
    [
        _exactly("middle", {"temperature": _MIDDLE}),
        _exactly("into the face", {"heat_flow": "wall.left", "time": "period/4"}, tolerance="1 %"),
        _exactly("middle after 8 h", {"temperature": _MIDDLE, "time": "period/3"}),
    ],
)

_SWINGING_DEEP = _family(
    "swinging-deep-wall",
    "Deep wall whose face swings in temperature",
    "Floor of the clay store, a year",
    {
        "thickness": "24 m",
        "k_clay": "1.1 W/(m K)",
        "rho": "1950 kg/m³",
        "c_clay": "880 J/(kg K)",
        "T_mean": "11 °C",
        "swing": "12 K",
        "period": "365 day",
    },
    "clay",
    _wall("clay"),
    [{"on": "wall.left", "temperature": "T_mean + swing*sin(2*pi*t/period)"}],
    {"start": "T_mean", "end": "4*period"},
    [
        _exactly("below frost", {"temperature": ["2 m", "thickness/16"]}),
        {
            "name": "below frost by hand",
            "temperature": ["2 m", "thickness/16"],
            "expect": {"working": "T_settled"},
            "tolerance": "1 %",
        },
    ],
    working={
        "a": "k_clay/(rho*c_clay)",
        "reach": "sqrt(a*period/pi)",
        "T_settled": "T_mean + swing*exp(-x/reach)*sin(2*pi*t/period - x/reach)",
    },
    mesh={**_COARSE, "local": [{"on": "wall.left", "size": "150 mm"}]},
)

_BALL = {"shape": "ring sector", "outer": "r_out", "start": "-90°", "end": "90°", "material": "casting"}
_BEAD = {"kind": "turned section", "regions": {"bead": _BALL}}
_LUMPED_FILM = _family(
    "lumped-film",
    "Small body that cools in a fluid at one temperature throughout",
    "Tip of the thermocouple",
    {"r_out": "1.5 mm", **_STEEL, "h_out": "40 W/(m² K)", "T_air": "18 °C", "T_start": "640 °C", "t_end": "4 min"},
    "casting",
    _BEAD,
    [_film("bead.rim")],
    _COOLING,
    [
        {"name": "by hand", "temperature": ["0 mm", "0 mm"], "expect": {"working": "T_bead"}, "tolerance": "0.2 %"},
        _exactly("one temperature", {"mean": "body"}, "lumped", "0.2 %"),
        {
            "name": "time to halve",
            "when": {"passes": "(T_air + T_start)/2", "mean": "body"},
            "expect": {"working": "t_half"},
            "tolerance": "0.3 %",
        },
        _exactly("series", {"temperature": ["0 mm", "0 mm"]}),
    ],
    working={
        "tau": "rho*c_casting*r_out/(3*h_out)",
        "T_bead": "T_air + (T_start - T_air)*exp(-t/tau)",
        "t_half": "tau*ln(2)",
    },
)
_LUMPED_RADIATION = _family(
    "lumped-radiation",
    "Small body that cools by radiation alone",
    "Bead of the thermocouple in a cold kiln",
    {"r_out": "1.5 mm", **_STEEL, "emissivity_1": "0.8", "T_walls": "30 °C", "T_start": "1180 °C", "t_end": "2 min"},
    "casting",
    _BEAD,
    [{"on": "bead.rim", "radiation": {"emissivity": "emissivity_1", "temperature": "T_walls"}}],
    _COOLING,
    [
        {"name": "one temperature", "mean": "body", "expect": {"exact": "lumped"}, "tolerance": "0.2 %"},
        {
            "name": "time to pass 800",
            "when": {"passes": "800 °C", "mean": "body"},
            "expect": {"working": "t_800"},
            "tolerance": "0.3 %",
        },
    ],
    working={
        "b": "3*emissivity_1*sigma/(rho*c_casting*r_out)",
        "T_goal": "800 °C",
        "t_800": "(ln((T_goal + T_walls)/(T_goal - T_walls)) - ln((T_start + T_walls)/(T_start - T_walls))"
        " + 2*(atan(T_goal/T_walls) - atan(T_start/T_walls)))/(4*b*T_walls^3)",
    },
)

_SETTLING = _family(
    "settling-wall",
    "Wall under a heat flux, its back held, from one temperature to the steady answer",
    "Radiant panel switched on",
    {"thickness": "35 mm", **_CLAY, "q": "4.5 kW/m²", "T_back": "25 °C"},
    "clay",
    _wall("clay"),
    [{"on": "wall.left", "flux": "q"}, {"on": "wall.right", "temperature": "T_back"}],
    {"start": "T_back", "until": {"settled": "0.05 K"}},
    [
        _exactly("face on the way", {"mean": "wall.left", "time": "6 min"}),
        {"name": "face in the end", "mean": "wall.left", "expect": {"working": "T_face"}, "tolerance": "0.1 K"},
        _exactly("steady again", {"mean": "wall.left"}, "plane-wall", "0.1 K"),
        _exactly("through the back", {"heat_flow": "wall.right", "direction": "out"}, tolerance="0.5 %"),
    ],
    working={"T_face": "T_back + q*thickness/k_clay"},
)

_BAR = _family(
    "cooling-bar",
    "Rectangular bar that cools on four sides",
    "Setter bar on the rack",
    {"width": "40 mm", "height": "24 mm", **_CLAY, **_AIR, "t_end": "12 min"},
    "clay",
    {
        "kind": "section",
        "depth": "1 m",
        "regions": {
            "bar": {"shape": "rectangle", "size": ["width", "height"], "at": ["0 mm", "0 mm"], "material": "clay"}
        },
    },
    [_film("bar.left", "bar.right", "bar.top", "bar.bottom")],
    _COOLING,
    [
        _exactly("middle", {"temperature": ["width/2", "height/2"]}, "product-in-time"),
        _exactly("corner", {"temperature": ["0 mm", "0 mm"]}, "product-in-time"),
        _exactly("lost in all", {"heat_stored": "body"}, "product-in-time"),
    ],
    mesh={"size": "width/10", "across": 2},
)
_SHORT = _family(
    "cooling-short-cylinder",
    "Short cylinder that cools all round",
    "Prop cut from a post",
    {"r_out": "25 mm", "height": "40 mm", **_CLAY, **_AIR, "t_end": "12 min"},
    "clay",
    {
        "kind": "turned section",
        "regions": {
            "prop": {"shape": "rectangle", "size": ["r_out", "height"], "at": ["0 mm", "0 mm"], "material": "clay"}
        },
    },
    [_film("prop.right", "prop.top", "prop.bottom")],
    _COOLING,
    [
        _exactly("middle", {"temperature": ["0 mm", "height/2"]}, "product-in-time"),
        _exactly("rim of the top", {"temperature": ["r_out", "height"]}, "product-in-time"),
        _exactly("lost in all", {"heat_stored": "body"}, "product-in-time"),
    ],
)
_BLOCK = _family(
    "cooling-block",
    "Block that cools on all six sides",
    "Brick lifted off the kiln car",
    {"length": "70 mm", "width": "50 mm", "height": "40 mm", **_CLAY, **_AIR, "t_end": "14 min"},
    "clay",
    {
        "kind": "stacked",
        "regions": {
            "brick": {
                "shape": "rectangle",
                "size": ["length", "width"],
                "at": ["0 mm", "0 mm"],
                "z": ["0 mm", "height"],
                "material": "clay",
            }
        },
    },
    [_film("brick.left", "brick.right", "brick.front", "brick.back", "brick.top", "brick.bottom")],
    _COOLING,
    [
        _exactly("middle", {"temperature": ["length/2", "width/2", "height/2"]}, "product-in-time"),
        _exactly("corner", {"temperature": ["0 mm", "0 mm", "0 mm"]}, "product-in-time", "0.5 %"),
        _exactly("lost in all", {"heat_stored": "body"}, "product-in-time"),
    ],
    mesh={"size": "length/8", "across": 2},
)

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

WARMING_FAMILIES = (
    _TWO_SIDED,
    _ONE_SIDED,
    _CYLINDER,
    _SPHERE,
    _QUENCHED,
    _DEEP_HELD,
    _DEEP_FLUX,
    _DEEP_FILM,
    _SWINGING,
    _SWINGING_DEEP,
    _LUMPED_FILM,
    _LUMPED_RADIATION,
    _SETTLING,
    _BAR,
    _SHORT,
    _BLOCK,
    _FIRING,
)
