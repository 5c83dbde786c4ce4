"""What families in which the clock runs state alike."""

from __future__ import annotations

from typing import Any

from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.gallery import family
from blunt_ember.gallery.family import Family

STEEL = {"k_casting": "44 W/(m K)", "rho": "7300 kg/m³", "c_casting": "540 J/(kg K)"}
CLAY = {"k_clay": "1.1 W/(m K)", "rho": "1950 kg/m³", "c_clay": "880 J/(kg K)"}
AIR = {"h_out": "85 W/(m² K)", "T_air": "18 °C", "T_start": "640 °C"}


def made_of(name: str) -> dict[str, Any]:
    """Return a material whose values are parameters of its name."""
    return {name: {"k": f"k_{name}", "density": "rho", "c": f"c_{name}"}}


def wall_of(name: str) -> dict[str, Any]:
    """Return a flat strip of a wall of one material."""
    region = {"shape": "rectangle", "size": ["thickness", "thickness/8"], "at": ["0 mm", "0 mm"], "material": name}
    return {"kind": "section", "depth": "1 m", "regions": {"wall": region}}


def film_on(*on: str) -> dict[str, Any]:
    """Return a film on surfaces, to the air about them."""
    return {"on": on[0] if len(on) == 1 else list(on), "film": {"h": "h_out", "temperature": "T_air"}}


#: Heat flows one way in walls, so a few cells across do.
COARSE = {"size": "thickness/16", "across": 2}
ROUND = {"size": "r_out/6", "across": 2}


def family_in_time(
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
    """Return a family of one material whose mesh is as coarse as heat that flows one way allows."""
    return Family(
        name,
        summary,
        {
            "format": FORMAT,
            "title": title,
            "parameters": parameters,
            "materials": made_of(material),
            "body": body,
            "surroundings": surroundings,
            "clock": clock,
            "mesh": COARSE if "thickness" in parameters else ROUND,
            **more,
            "questions": questions,
        },
    )


def exactly(name: str, asks: dict[str, Any], exact: str = "series-in-time", tolerance: str = "0.3 %") -> dict[str, Any]:
    """Return a question that is compared with an exact solution, in time a series unless another is named."""
    return family.exactly(name, asks, exact, tolerance)


MIDDLE = ["thickness/2", "thickness/16"]
COOLING = {"start": "T_start", "end": "t_end"}
