"""Manufactured solutions: a field is chosen, and heat inside and surroundings are worked out so that it is the answer.

Source of the method: Roache, *Verification and Validation in Computational Science and Engineering* (1998), ch. 3.
Every term of the balance takes part: conductivity that follows temperature or the direction, heat inside, held
temperature, flux, film whose coefficient follows temperature, and radiation, each following the place.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.immutable import immutable

_PARAMETERS = {"A": "90 K", "T_0": "420 K", "w": "7 m^-1", "k_0": "2.3 W/(m K)", "h_0": "35 W/(m² K)"}
#: The shape of the field along each axis (no units), with its first and second derivatives.
_X = ("sin(w*x + 0.4)", "w*cos(w*x + 0.4)", "-w^2*sin(w*x + 0.4)")
_Y = ("cos(w*y - 0.3)", "-w*sin(w*y - 0.3)", "-w^2*cos(w*y - 0.3)")
_Z = ("exp(0.8*w*z)", "0.8*w*exp(0.8*w*z)", "0.64*w^2*exp(0.8*w*z)")
#: A radius: even about the axis, and its second derivative is all of the Laplacian but the part of the height.
_R = ("(1 + (w*x)^2/2)", "w^2*x", "2*w^2")


@immutable
class _Field:
    """A product of one shape for each axis."""

    shapes: tuple[tuple[str, str, str], ...]

    @property
    def temperature(self) -> str:
        """T."""
        return f"(T_0 + A*{'*'.join(shape[0] for shape in self.shapes)})"

    def slope(self, axis: int) -> str:
        """∂T/∂axis."""
        return f"(A*{'*'.join(shape[1 if place == axis else 0] for place, shape in enumerate(self.shapes))})"

    @property
    def laplacian(self) -> str:
        """∇²T."""
        each = (
            "*".join(shape[2 if place == axis else 0] for place, shape in enumerate(self.shapes))
            for axis in range(len(self.shapes))
        )
        return f"(A*({' + '.join(each)}))"

    @property
    def steepness(self) -> str:
        """|∇T|²."""
        return f"({' + '.join(f'{self.slope(axis)}^2' for axis in range(len(self.shapes)))})"


_BODIES: dict[str, tuple[_Field, dict[str, Any], dict[str, tuple[int, int]], list[str]]] = {
    # Field, body, faces with their axis and the side they look to, and a place to ask.
    "plane": (
        _Field((_X, _Y)),
        {"kind": "section", "regions": {"block": {"shape": "rectangle", "size": ["110 mm", "90 mm"]}}},
        {"block.left": (0, -1), "block.right": (0, 1), "block.bottom": (1, -1), "block.top": (1, 1)},
        ["37 mm", "52 mm"],
    ),
    "turned": (
        _Field((_R, _Y)),
        {"kind": "turned section", "regions": {"block": {"shape": "rectangle", "size": ["110 mm", "90 mm"]}}},
        {"block.right": (0, 1), "block.bottom": (1, -1), "block.top": (1, 1)},
        ["37 mm", "52 mm"],
    ),
    "solid": (
        _Field((_X, _Y, _Z)),
        {
            "kind": "stacked",
            "regions": {"block": {"shape": "rectangle", "size": ["110 mm", "90 mm"], "z": ["0 mm", "70 mm"]}},
        },
        {
            "block.left": (0, -1),
            "block.right": (0, 1),
            "block.front": (1, -1),
            "block.back": (1, 1),
            "block.bottom": (2, -1),
            "block.top": (2, 1),
        },
        ["37 mm", "52 mm", "33 mm"],
    ),
}
_K_OF_T = "k_0*(1 + 0.004*(T - T_0)/1 K)"


def manufactured_cases() -> Iterator[tuple[str, Case]]:
    """Yield (name, case) for lines, planes, turned sections and solids, with the cells of every family."""
    for order in (1, 2):
        yield f"manufactured rod, order {order}", case_from_data(_rod(order))
        for body in _BODIES:
            for cells in ("auto", "triangles"):
                name = f"manufactured {body}, {cells}, order {order}"
                yield name, case_from_data(_bulk(body, cells, order, name))
        yield f"manufactured slanting plane, order {order}", case_from_data(_slanting(order))
        yield f"manufactured rod in time, order {order}", case_from_data(in_time(_rod(order), "3 mm"))
    for body, cells, order in (
        ("plane", "auto", 1),
        ("plane", "auto", 2),
        ("plane", "triangles", 1),
        ("plane", "triangles", 2),
        ("turned", "auto", 2),
        ("turned", "triangles", 2),
        ("solid", "auto", 1),
        ("solid", "auto", 2),
        ("solid", "triangles", 1),
        ("solid", "triangles", 2),
    ):
        name = f"manufactured {body} in time, {cells}, order {order}"
        size = ("22 mm", "36 mm")[order - 1] if body == "solid" else ("5 mm", "10 mm")[order - 1]
        yield name, case_from_data(in_time(_bulk(body, cells, order, name), size))


#: How the amplitude A of a field swells and shrinks, and how fast, over A; at time zero it is A itself.
_SWELL, _SWELLING = "(1 + 0.4*sin(t/t_0))", "0.4*cos(t/t_0)/t_0"
_C_OF_T = "c_0*(1 + 0.003*(T - T_0)/1 K)"


def in_time(data: dict[str, Any], size: str) -> dict[str, Any]:
    """Return the data of a case in one block with its field swelling in time, and what that takes to warm it.

    The capacity follows temperature; ``size`` is that of the cells.
    """

    def swelling(entry: Any) -> Any:
        if isinstance(entry, dict):
            return {key: swelling(value) for key, value in entry.items()}
        return entry.replace("A*", f"A*{_SWELL}*") if isinstance(entry, str) else entry

    still = data["working"]["T_field"]
    moving = swelling(still)
    warming = f"rho*c_0*(1 + 0.003*({moving} - T_0)/1 K)*({still} - T_0)*{_SWELLING}"
    (heat,) = data["heat_inside"]
    return {
        **data,
        "parameters": {**data["parameters"], "t_0": "40 s", "rho": "1900 kg/m³", "c_0": "850 J/(kg K)"},
        "materials": {"block": {**data["materials"]["block"], "density": "rho", "c": _C_OF_T}},
        "surroundings": [swelling(entry) for entry in data["surroundings"]],
        "heat_inside": [{**heat, "per_volume": f"{swelling(heat['per_volume'])} + {warming}"}],
        "clock": {"start": still, "end": "40 s", "tolerance": "0.02 %"},
        "mesh": {**data["mesh"], "size": size, "across": 1},
        "working": {"T_field": moving},
        "questions": [
            {**question, "tolerance": "0.5 %" if data["mesh"]["order"] == 1 else "0.05 %"}
            for question in data["questions"]
        ],
    }


def _bulk(kind: str, cells: str, order: int, title: str) -> dict[str, Any]:
    """One of the bodies, made of one block."""
    _, body, faces, _ = _BODIES[kind]
    region = {**next(iter(body["regions"].values())), "material": "block"}
    return manufactured_in(kind, {**body, "regions": {"block": region}}, "block", faces, cells, order, title)


def manufactured_in(
    kind: str, body: dict[str, Any], region: str, faces: dict[str, tuple[int, int]], cells: str, order: int, title: str
) -> dict[str, Any]:
    """Return the data of a case in which k follows T; one face is held, the next takes a flux, the next a film whose h
    follows T, the next radiates, and so on.

    ``faces`` tell for each surface the axis it looks along and which way, ``kind`` is plane, turned or solid.
    """
    field, _, _, place = _BODIES[kind]
    temperature = field.temperature
    k = f"(k_0*(1 + 0.004*({temperature} - T_0)/1 K))"
    source = f"-({k}*{field.laplacian} + k_0*0.004 K^-1*{field.steepness})"
    surroundings = []
    for number, (face, (axis, side)) in enumerate(faces.items()):
        outward = f"({'-' if side < 0 else ''}{k}*{field.slope(axis)})"
        surroundings.append({"on": face, **_stated(number, temperature, outward)})
    return _case(
        title,
        body,
        {"block": {"k": _K_OF_T}},
        surroundings,
        [{"region": region, "per_volume": source}],
        cells,
        order,
        temperature,
        place,
    )


def _stated(number: int, temperature: str, outward: str) -> dict[str, Any]:
    """What a face must meet so that heat flows ``outward`` through it at a temperature: kinds in turn."""
    if number % 4 == 1:
        return {"flux": outward}
    if number % 4 == 2:
        h = f"(h_0*(1 + 0.002*({temperature} - T_0)/1 K))"
        return {"film": {"h": "h_0*(1 + 0.002*(T - T_0)/1 K)", "temperature": f"{temperature} + {outward}/{h}"}}
    if number % 4 == 3:
        return {
            "flux": "700 W/m²",
            "radiation": {
                "emissivity": 0.9,
                "temperature": f"({temperature}^4 + ({outward} - 700 W/m²)/(0.9*sigma))^0.25",
            },
        }
    return {"temperature": temperature}


def _slanting(order: int) -> dict[str, Any]:
    """k by directions at 25° in a plane, all constants: ∇·(K ∇T) with K_xx, K_xy, K_yy."""
    field, body, faces, place = _BODIES["plane"]
    cosine, sine = "cos(25°)", "sin(25°)"
    along, across = "k_0", "(0.2*k_0)"
    kxx = f"({along}*{cosine}^2 + {across}*{sine}^2)"
    kyy = f"({along}*{sine}^2 + {across}*{cosine}^2)"
    kxy = f"(({along} - {across})*{sine}*{cosine})"
    (fx, dx, ddx), (fy, dy, ddy) = field.shapes
    source = f"-A*({kxx}*{ddx}*{fy} + {kyy}*{fx}*{ddy} + 2*{kxy}*{dx}*{dy})"
    surroundings = []
    for number, (face, (axis, side)) in enumerate(faces.items()):
        rows = ((kxx, kxy), (kxy, kyy))[axis]
        outward = f"({'-' if side < 0 else ''}({rows[0]}*{field.slope(0)} + {rows[1]}*{field.slope(1)}))"
        surroundings.append({"on": face, **_stated(number, field.temperature, outward)})
    region = {**next(iter(body["regions"].values())), "material": "block", "direction": "25°"}
    material = {"k": {"along": "k_0", "across": "0.2*k_0"}}
    return _case(
        "Slanting block",
        {**body, "regions": {"block": region}},
        {"block": material},
        surroundings,
        [{"region": "block", "per_volume": source}],
        "auto",
        order,
        field.temperature,
        place,
    )


def _rod(order: int) -> dict[str, Any]:
    """k follows T along a rod with film on its side and a film on its end."""
    field = _Field((_X,))
    temperature = field.temperature
    k = f"(k_0*(1 + 0.004*({temperature} - T_0)/1 K))"
    source = f"-({k}*{field.laplacian} + k_0*0.004 K^-1*{field.steepness}) + h_0*({temperature} - T_0)*4/8 mm"
    body = {"kind": "rod", "pieces": {"rod": {"length": "140 mm", "diameter": "8 mm", "material": "block"}}}
    surroundings = [
        {"on": "rod.start", **_stated(0, temperature, "")},
        {"on": "rod.side", "film": {"h": "h_0", "temperature": "T_0"}},
        {"on": "rod.end", **_stated(2, temperature, f"({k}*{field.slope(0)})")},
    ]
    return _case(
        "Manufactured rod",
        body,
        {"block": {"k": _K_OF_T}},
        surroundings,
        [{"region": "rod", "per_volume": source}],
        "auto",
        order,
        temperature,
        ["37 mm"],
    )


def _case(
    title: str,
    body: dict[str, Any],
    materials: dict[str, Any],
    surroundings: list[dict[str, Any]],
    heat: list[dict[str, Any]],
    cells: str,
    order: int,
    temperature: str,
    place: list[str],
) -> dict[str, Any]:
    # Along the first axis from corner to corner, where the field is the least smooth.
    corner = ["0 mm"] * len(place)
    line = {"start": corner, "end": ["110 mm" if number == 0 else "70 mm" for number in range(len(place))]}
    expect = {"expect": {"working": "T_field"}, "tolerance": "0.5 %" if order == 1 else "0.02 %"}
    return {
        "format": FORMAT,
        "title": title,
        "parameters": dict(_PARAMETERS),
        "materials": materials,
        "body": body,
        "surroundings": surroundings,
        "heat_inside": heat,
        "mesh": {"cells": cells, "order": order},
        "working": {"T_field": temperature},
        "questions": [
            {"name": "point", "temperature": place, **expect},
            {"name": "mean along", "mean": line, **expect},
            {"name": "highest along", "highest": line, **expect},
        ],
    }
