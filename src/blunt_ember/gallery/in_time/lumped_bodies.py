"""Families of small bodies that have one temperature throughout."""

from __future__ import annotations

from blunt_ember.gallery.in_time.common_statements import COOLING, STEEL, exactly, family_in_time, film_on

_BALL = {"shape": "ring sector", "outer": "r_out", "start": "-90°", "end": "90°", "material": "casting"}
_BEAD = {"kind": "turned section", "regions": {"bead": _BALL}}
_LUMPED_FILM = family_in_time(
    "lumped-film",
    "Small body that cools in a fluid at one temperature throughout",
    "Tip of the thermocouple",
    {"r_out": "1.5 mm", **STEEL, "h_out": "40 W/(m² K)", "T_air": "18 °C", "T_start": "640 °C", "t_end": "4 min"},
    "casting",
    _BEAD,
    [film_on("bead.rim")],
    COOLING,
    [
        {"name": "by hand", "temperature": ["0 mm", "0 mm"], "expect": {"working": "T_bead"}, "tolerance": "0.2 %"},
        exactly("one temperature", {"mean": "body"}, "lumped", "0.2 %"),
        {
            "name": "time to halve",
            "when": {"passes": "(T_air + T_start)/2", "mean": "body"},
            "expect": {"working": "t_half"},
            "tolerance": "0.3 %",
        },
        exactly("series", {"temperature": ["0 mm", "0 mm"]}),
    ],
    working={
        "tau": "rho*c_casting*r_out/(3*h_out)",
        "T_bead": "T_air + (T_start - T_air)*exp(-t/tau)",
        "t_half": "tau*ln(2)",
    },
)
_LUMPED_RADIATION = family_in_time(
    "lumped-radiation",
    "Small body that cools by radiation alone",
    "Bead of the thermocouple in a cold kiln",
    {"r_out": "1.5 mm", **STEEL, "emissivity_1": "0.8", "T_walls": "30 °C", "T_start": "1180 °C", "t_end": "2 min"},
    "casting",
    _BEAD,
    [{"on": "bead.rim", "radiation": {"emissivity": "emissivity_1", "temperature": "T_walls"}}],
    COOLING,
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

LUMPED_BODY_FAMILIES = (_LUMPED_FILM, _LUMPED_RADIATION)
