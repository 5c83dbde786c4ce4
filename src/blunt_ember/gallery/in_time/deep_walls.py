"""Families of walls so deep that nothing reaches their back."""

from __future__ import annotations

from typing import Any

from blunt_ember.gallery.family import Family
from blunt_ember.gallery.in_time.common_statements import CLAY, COARSE, COOLING, exactly, family_in_time, wall_of

_DEEP = {"thickness": "600 mm", **CLAY, "T_start": "20 °C", "t_end": "50 min"}
_INTO = ["30 mm", "thickness/16"]
_FINE = {"mesh": {**COARSE, "local": [{"on": "wall.left", "size": "4 mm"}]}}


def _deep(
    name: str, summary: str, title: str, face: dict[str, Any], parameters: dict[str, str], working: dict[str, str]
) -> Family:
    expected = {"name": "inside by hand", "temperature": _INTO, "expect": {"working": "T_deep"}, "tolerance": "0.3 %"}
    return family_in_time(
        name,
        summary,
        title,
        {**_DEEP, **parameters},
        "clay",
        wall_of("clay"),
        [{"on": "wall.left", **face}],
        COOLING,
        [
            expected,
            exactly("inside", {"temperature": _INTO}, "half-space"),
            exactly("taken up", {"heat_passed": "wall.left"}, "half-space"),
            exactly("taken up by series", {"heat_passed": "wall.left"}),
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

DEEP_WALL_FAMILIES = (_DEEP_HELD, _DEEP_FLUX, _DEEP_FILM)
