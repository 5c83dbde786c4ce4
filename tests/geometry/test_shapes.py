"""Shapes of every kind laid over each other, against polygons cut by Shapely."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import TypeAdapter

from blunt_ember.case.document.bodies import Body
from blunt_ember.errors import CaseError
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.placing import placed_regions
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.mesh.any_body import geometry_of

BODY: TypeAdapter[Any] = TypeAdapter(Body)


def body(kind: str = "section", **regions: dict[str, Any]) -> SectionGeometry:
    return geometry_of(BODY.validate_python({"kind": kind, "regions": regions}))


def rectangle(width: float, height: float, **more: Any) -> dict[str, Any]:
    return {"shape": "rectangle", "size": [f"{width} m", f"{height} m"], **more}


def disc(radius: float, x: float = 0.0, y: float = 0.0, **more: Any) -> dict[str, Any]:
    return {"shape": "disc", "radius": f"{radius} m", "at": [f"{x} m", f"{y} m"], **more}


def area_of(geometry: SectionGeometry, region: int) -> float:
    """Area of a region by Green's theorem along its lines and arcs."""
    plan = geometry.arrangement
    total = 0.0
    for sign, side in ((1.0, plan.left), (-1.0, plan.right)):
        c = plan.curves.take(side == region)
        chord = (c.start[:, 0] * c.end[:, 1] - c.end[:, 0] * c.start[:, 1]) / 2
        sliver = c.radius**2 / 2 * (c.sweep - np.sin(c.sweep))
        total += sign * float((chord + sliver).sum())
    return total


@pytest.mark.parametrize(
    ("regions", "lengths"),
    [
        (
            {"plate": rectangle(4, 3), "hole": disc(0.5, 2, 1.5, void=True)},
            {"plate.left": 3, "plate.right": 3, "plate.top": 4, "plate.bottom": 4, "plate.hole": np.pi},
        ),
        (
            {"plate": rectangle(4, 3), "slot": rectangle(1, 1, at=["2 m", "0 m"], void=True)},
            {
                "plate.left": 3,
                "plate.right": 3,
                "plate.top": 4,
                "plate.bottom": 3,
                "plate.slot left": 1,
                "plate.slot right": 1,
                "plate.slot top": 1,
            },
        ),
        ({"a": disc(1), "b": disc(1, 1)}, {"a.rim": 4 / 3 * np.pi, "b.rim": 4 / 3 * np.pi, "a|b": 2 / 3 * np.pi}),
        ({"a": disc(1), "b": disc(1, 2)}, {"a.rim": 2 * np.pi, "b.rim": 2 * np.pi}),
        (
            {
                "pipe": {"shape": "ring", "inner": "1 m", "outer": "2 m"},
                "lag": {"shape": "ring", "inner": "2 m", "outer": "3 m", "around": "pipe"},
            },
            {"pipe.bore": 2 * np.pi, "pipe|lag": 4 * np.pi, "lag.rim": 6 * np.pi},
        ),
        (
            {
                "base": rectangle(10, 1),
                "fin": rectangle(0.2, 3, at=["1 m", "1 m"], repeat={"count": 8, "step": ["1 m", "0 m"]}),
            },
            {
                "base.left": 1,
                "base.right": 1,
                "base.bottom": 10,
                "base.top": 8.4,
                "base|fin": 1.6,
                "fin.left": 24,
                "fin.right": 24,
                "fin.top": 1.6,
            },
        ),
        (
            {"hub": disc(1), "rod": disc(0.1, 0.6, repeat={"count": 6, "turn": "60°"})},
            {"hub.rim": 2 * np.pi, "hub|rod": 1.2 * np.pi},
        ),
        (
            {
                "arch": {
                    "shape": "outline",
                    "start": ["-1 m", "0 m"],
                    "path": [
                        {"to": ["1 m", "0 m"], "side": "sill"},
                        {"to": ["-1 m", "0 m"], "through": ["0 m", "1 m"], "side": "vault"},
                    ],
                }
            },
            {"arch.sill": 2, "arch.vault": np.pi},
        ),
        (
            {"nut": {"shape": "regular polygon", "sides": 6, "radius": "1 m"}, "bore": {**disc(0.4), "void": True}},
            {**{f"nut.side {n}": 1 for n in range(1, 7)}, "nut.bore": 0.8 * np.pi},
        ),
    ],
)
def test_surfaces_are_named_and_as_long_as_they_should_be(regions: dict[str, Any], lengths: dict[str, float]) -> None:
    geometry = body(**regions)
    assert {n: s.length for n, s in geometry.surfaces.items()} == pytest.approx(lengths, rel=1e-12)


def test_names_stay_when_dimensions_change() -> None:
    names = [
        list(body(plate=rectangle(4, h), hole=disc(r, 2, 1.4, void=True)).surfaces) for h, r in ((3, 0.5), (5, 1.2))
    ]
    assert names[0] == names[1]


def test_a_gap_of_a_tenth_of_a_micrometre_is_a_gap() -> None:
    geometry = body(a=rectangle(0.1, 0.1), b=rectangle(0.1, 0.1, at=["0.1 m + 0.1 µm", "0 m"]))
    assert not geometry.interfaces
    assert {"a.right", "b.left"} <= set(geometry.surfaces)


def test_a_turned_section_measures_the_full_turn_and_leaves_the_axis_out() -> None:
    bowl = {"shape": "ring sector", "inner": "1 m", "outer": "2 m", "start": "-90°", "end": "0°"}
    geometry = body("turned section", bowl=bowl)
    areas = {name: surface.area for name, surface in geometry.surfaces.items()}
    assert areas == pytest.approx({"bowl.bore": 2 * np.pi, "bowl.rim": 8 * np.pi, "bowl.end": 3 * np.pi}, rel=1e-12)
    solid = body("turned section", rod=rectangle(1, 3))
    assert {n: s.area for n, s in solid.surfaces.items()} == pytest.approx(
        {"rod.bottom": np.pi, "rod.top": np.pi, "rod.right": 6 * np.pi}, rel=1e-12
    )
    with pytest.raises(CaseError, match=r"body.regions.rod: it reaches across the axis"):
        body("turned section", rod=rectangle(1, 3, at=["-0.1 m", "0 m"]))


LENGTH = st.integers(2, 20).map(lambda n: n / 10)
PLACE = st.integers(-15, 15).map(lambda n: n / 10)
MORE = st.sampled_from([{}, {}, {"void": True}])
SHAPES = st.one_of(
    st.builds(
        lambda w, h, x, y, more: rectangle(w, h, at=[f"{x} m", f"{y} m"], **more), LENGTH, LENGTH, PLACE, PLACE, MORE
    ),
    st.builds(lambda r, x, y, more: disc(r, x, y, **more), LENGTH, PLACE, PLACE, MORE),
    st.builds(
        lambda r, t, x, y, more: {
            "shape": "ring",
            "inner": f"{r} m",
            "outer": f"{r + t} m",
            "at": [f"{x} m", f"{y} m"],
            **more,
        },
        LENGTH,
        LENGTH,
        PLACE,
        PLACE,
        MORE,
    ),
    st.builds(
        lambda r, a, s, x, y: {
            "shape": "ring sector",
            "outer": f"{r} m",
            "start": f"{a}°",
            "end": f"{a + s}°",
            "at": [f"{x} m", f"{y} m"],
        },
        LENGTH,
        st.sampled_from([-90, 0, 45, 200]),
        st.sampled_from([20, 90, 180, 300]),
        PLACE,
        PLACE,
    ),
    st.builds(
        lambda n, r, x, y: {"shape": "regular polygon", "sides": n, "radius": f"{r} m", "at": [f"{x} m", f"{y} m"]},
        st.integers(3, 7),
        LENGTH,
        PLACE,
        PLACE,
    ),
)


def polygon_of(region: dict[str, Any]) -> shapely.Geometry:
    """The region as a polygon with fine arcs, for Shapely."""
    stated = BODY.validate_python({"kind": "section", "regions": {"it": region}}).regions
    (shape,) = placed_regions(stated)[0]
    rings: list[list[tuple[float, float]]] = [[]]
    last = np.zeros(2)
    for place in range(len(shape.curves)):
        one = shape.curves.take(np.array([place]))
        if rings[-1] and np.linalg.norm(one.start[0] - last) > 1e-9:
            rings.append([])
        steps = 100 if one.is_arc[0] else 1
        rings[-1] += [tuple(one.at(np.array([s]))[0]) for s in np.linspace(0, 1, steps + 1)[:-1]]
        last = one.end[0]
    parts = [shapely.Polygon(ring) for ring in rings]
    whole = parts[0] if len(parts) == 1 else parts[0].difference(parts[1])
    return shapely.set_precision(whole, 1e-9)


@settings(max_examples=70, deadline=None)
@given(st.lists(SHAPES, min_size=1, max_size=4))
def test_random_bodies_are_cut_as_polygons_would_be(shapes: list[dict[str, Any]]) -> None:
    regions = {f"r{number}": shape for number, shape in enumerate(shapes)}
    polygons = [polygon_of(shape) for shape in shapes]
    left = [p.difference(shapely.union_all(polygons[n + 1 :])) for n, p in enumerate(polygons)]
    solid = [n for n, shape in enumerate(shapes) if not shape.get("void")]
    if not solid or any(left[n].area < 1e-3 for n in solid):
        return  # nothing is left of a region: refused, which another test covers
    geometry = body(**regions)
    for n in solid:
        assert area_of(geometry, n) == pytest.approx(left[n].area, rel=3e-4, abs=3e-4)
    plan = geometry.arrangement
    at = plan.curves.at(np.full(len(plan.curves), 0.5))
    assert ((plan.left != VOID) | (plan.right != VOID)).all()
    assert np.isfinite(at).all()
    flow = np.zeros(len(plan.points))  # every corner is entered as often as it is left, region by region
    for n in solid:
        flow[:] = 0
        for sign, side in ((1, plan.left), (-1, plan.right)):
            np.add.at(flow, plan.end[side == n], sign)
            np.add.at(flow, plan.start[side == n], -sign)
        assert not flow.any()
