"""Heat that is stored: its content is the integral of the capacity, however it is spread over nodes."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from blunt_ember.case.document.case_document import MeshWish
from blunt_ember.case.values.laws import Law, law_of
from blunt_ember.case.values.units import DENSITY, HEAT_CAPACITY
from blunt_ember.errors import SolverError
from blunt_ember.fem.problem.problem import Capacity
from blunt_ember.fem.transient.enthalpy import Enthalpy
from blunt_ember.fem.transient.storage import Storage
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import MeshRequest


def law(stated: object, kind: object) -> Law:
    return law_of(stated, kind, {}, frozenset({"T"}))


def content(c: object, middle: float = 400.0, density: object = "2000 kg/m³") -> Enthalpy:
    return Enthalpy(Capacity(law(density, DENSITY), law(c, HEAT_CAPACITY)), middle)


@given(st.floats(-350, 1500), st.floats(300, 900))
def test_a_content_is_the_integral_of_the_capacity(rise: float, middle: float) -> None:
    even = content("900 J/(kg K)", middle)
    assert even.constant == 1.8e6 and even.at(np.array([rise]))[0] == pytest.approx(1.8e6 * rise)
    bent = content("800 J/(kg K) + 0.5 J/(kg K**2)*T", middle)
    end = middle + rise
    if end > 5:
        expected = 2000 * (800 * rise + 0.25 * (end**2 - middle**2))
        assert bent.at(np.array([rise]))[0] == pytest.approx(expected, rel=1e-9, abs=1e-3)
        slope = (bent.at(np.array([rise + 1e-3])) - bent.at(np.array([rise - 1e-3])))[0] / 2e-3
        assert slope == pytest.approx(bent.per_kelvin(np.array([end]))[0], rel=1e-6)
    assert bent.constant is None and bent.at(np.array([0.0]))[0] == pytest.approx(0.0, abs=1e-6)


def test_a_table_is_integrated_piece_by_piece_and_goes_on_level() -> None:
    found = content({"table": [["300 K", "800 J/(kg K)"], ["500 K", "1200 J/(kg K)"]]}, 400.0)
    # 1000 J/(kg K) at the middle; a trapezoid up to the end of the table, then level.
    assert found.at(np.array([100.0]))[0] == pytest.approx(2000 * (1000 + 1200) / 2 * 100)
    assert found.at(np.array([300.0]))[0] == pytest.approx(2000 * (1100 * 100 + 1200 * 200))
    assert found.at(np.array([-200.0]))[0] == pytest.approx(-2000 * (900 * 100 + 800 * 100))


def test_a_capacity_that_falls_to_nothing_says_where() -> None:
    falling = content("1000 J/(kg K) - 2 J/(kg K**2)*T")
    with pytest.raises(SolverError, match="not more than zero at 600 K"):
        falling.per_kelvin(np.array([300.0, 600.0]))


def meshed(name: str, order: int, **wish: object) -> Mesh:
    geometry = Flow().geometry(family(name).case())
    return generate_mesh(geometry, MeshRequest(MeshWish.model_validate({"order": order, **wish})))


@pytest.mark.parametrize("lumped", [False, True])
@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize(
    ("name", "wish"),
    [
        ("plane-wall", {}),
        ("wall-corner", {"size": "200 mm"}),
        ("hollow-sphere", {}),
        ("rod-film-tip", {}),
        ("pipe-wedge", {}),
        ("room-corner", {"cells": "triangles", "size": "240 mm"}),
    ],
)
def test_what_nodes_store_is_what_the_body_does(name: str, wish: dict[str, object], order: int, lumped: bool) -> None:
    mesh = meshed(name, order, **wish)
    for c in ("900 J/(kg K)", "800 J/(kg K) + 0.5 J/(kg K**2)*T"):
        contents = [content(c)] * len(mesh.regions)
        for block in mesh.blocks:
            stored = Storage(block, mesh, contents, lumped)
            volume = stored.volumes.sum()
            even = np.full(block.nodes.shape, 80.0)
            assert stored.content(even).sum() == pytest.approx(volume * contents[0].at(np.array([80.0]))[0], rel=1e-9)
            if lumped:
                assert (stored.content(even) > 0).all()  # no node of a quadratic cell is left out, or worse
            slope = stored.slope(even)
            rng = np.random.default_rng(3)
            step = rng.normal(size=block.nodes.shape)
            change = stored.content(even + 1e-4 * step) - stored.content(even - 1e-4 * step)
            np.testing.assert_allclose(
                (slope @ step[..., None])[..., 0], change / 2e-4, rtol=2e-5, atol=1e-6 * float(np.abs(slope).max())
            )
            np.testing.assert_allclose(slope, slope.transpose(0, 2, 1), atol=1e-13 * float(np.abs(slope).max()))
            if lumped:
                off = slope - np.einsum("maa->ma", slope)[:, :, None] * np.eye(slope.shape[1])
                assert np.abs(off).max() == 0
