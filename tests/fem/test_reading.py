"""Reading anywhere with the cells' own shape functions: what cells can follow is read exactly, in every family."""

from __future__ import annotations

import numpy as np
import pytest

from blunt_ember.arrays import Floats
from blunt_ember.case.document.case_document import MeshWish
from blunt_ember.checks.questions.extreme_probe import ExtremeProbe
from blunt_ember.checks.questions.probes import surface_mean
from blunt_ember.checks.questions.reading_line import straight_line, through_middle
from blunt_ember.checks.references.exact_flux import exact_flux
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.problem.problem_from_case import problem_from_case
from blunt_ember.fem.reading import field_at, flux_at, flux_at_nodes, surface_places, temperature_at, weights_at
from blunt_ember.fem.recovery import recovered
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import MeshRequest

RNG = np.random.default_rng(5)
KINDS: dict[str, tuple[str, dict[str, object]]] = {
    "lines": ("rod-film-tip", {}),
    "quadrilaterals": ("composite-wall", {}),
    "triangles": ("wall-corner", {}),
    "bent": ("ring-sector", {}),
    "hexahedra": ("room-corner", {}),
    "about an axis": ("hollow-sphere", {}),
    "wedges": ("room-corner", {"cells": "triangles", "size": "180 mm"}),
    "turned hexahedra": ("pipe-wedge", {}),
}


def meshed(name: str, order: int) -> tuple[Mesh, BodyGeometry, Problem]:
    family_name, wish = KINDS[name]
    case = family(family_name).case()
    geometry = Flow().geometry(case)
    mesh = generate_mesh(
        geometry, MeshRequest(MeshWish.model_validate({**wish, "order": order}), 1, case.document.members_of)
    )
    return mesh, geometry, problem_from_case(case.document, mesh, 0, 0.0)


def straight(points: Floats) -> Floats:
    """A field that goes straight in every direction, K."""
    return np.asarray(300 + points @ np.array([700.0, -400.0, 250.0])[: points.shape[1]])


def inside(mesh: Mesh, count: int = 60) -> Floats:
    """Places within cells taken at random."""
    found = []
    for block in mesh.blocks:
        cells = block.nodes[RNG.integers(0, len(block.nodes), count)]
        shares = RNG.dirichlet(np.ones(cells.shape[1]), count)
        found.append(np.einsum("ck,ckd->cd", shares, mesh.points[cells]))
    return np.concatenate(found)


@pytest.mark.one_in(2)
@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("name", KINDS)
def test_a_straight_field_is_read_exactly(name: str, order: int) -> None:
    mesh, geometry, problem = meshed(name, order)
    temperature, places = straight(mesh.points), inside(mesh)
    weights = weights_at(mesh, places)
    rows = np.asarray(weights.sum(axis=1)).ravel()
    known = np.diff(weights.indptr) > 0
    assert known.mean() > 0.95  # a mix of the nodes of a bent cell may lie beside it
    np.testing.assert_allclose(rows[known], 1.0, atol=1e-9)
    np.testing.assert_allclose(temperature_at(mesh, temperature, places)[known], straight(places)[known], rtol=1e-8)
    values = tuple(temperature[block.nodes] for block in mesh.blocks)
    read = field_at(mesh, values, places)
    np.testing.assert_allclose(read[known], straight(places)[known], rtol=1e-8)
    # −k∇T, region by region.
    flux, slope = flux_at(problem, temperature, places), np.array([700.0, -400.0, 250.0])[: mesh.dimension]
    ratio = -flux[known] / slope
    conductivities = {float(law.constant) for each in problem.conductors for law in each.k if law.constant is not None}
    assert np.abs(ratio - ratio[:, :1]).max() < 1e-6 * ratio.max()
    assert {min(conductivities, key=lambda k, r=r: abs(k - r)) for r in ratio[:, 0]} <= conductivities
    np.testing.assert_allclose([min(abs(k / r - 1) for k in conductivities) for r in ratio[:, 0]], 0, atol=1e-6)
    for smooth in (flux_at_nodes(problem, temperature), recovered(problem, temperature).at_nodes):
        for block, own in zip(mesh.blocks, smooth, strict=True):
            k = np.array([problem.conductors[region].k[0].constant for region in block.region], dtype=float)
            np.testing.assert_allclose(own, -k[:, None, None] * slope + 0 * own, rtol=2e-5, atol=1e-4 * k.max())
    outside = np.array(geometry.high) + np.ptp([geometry.low, geometry.high], axis=0)
    assert np.isnan(temperature_at(mesh, temperature, outside[None])).all()
    assert np.isnan(flux_at(problem, temperature, outside[None])).all()


@pytest.mark.parametrize("name", ["quadrilaterals", "triangles", "hexahedra", "lines"])
def test_quadratic_cells_read_quadratic_fields_exactly(name: str) -> None:
    mesh, _, _ = meshed(name, 2)
    bend = RNG.normal(size=(mesh.dimension, mesh.dimension)) * 900

    def field(points: Floats) -> Floats:
        return np.asarray(straight(points) + np.einsum("pi,ij,pj->p", points, bend, points))

    places = inside(mesh)
    np.testing.assert_allclose(temperature_at(mesh, field(mesh.points), places), field(places), rtol=1e-9)


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("name", ["quadrilaterals", "bent", "hexahedra", "about an axis", "lines", "turned hexahedra"])
def test_surfaces_have_their_area_mean_and_extremes(name: str, order: int) -> None:
    mesh, geometry, _ = meshed(name, order)
    temperature = straight(mesh.points)
    for surface, facets in mesh.surfaces.items():
        places, areas = surface_places(facets, mesh)
        exact = 2e-2 if name == "turned hexahedra" and order == 1 else 5e-3 if order == 1 else 1e-5
        assert areas.sum() == pytest.approx(geometry.surfaces[surface].area, rel=exact)
        mean = float((surface_mean(facets, mesh) @ temperature)[0])
        assert mean == pytest.approx(float(areas @ straight(places) / areas.sum()), rel=1e-9)
        elements = [(block, block.nodes) for block in facets.blocks]
        low, high = (ExtremeProbe.of(elements, highest, mesh)(temperature) for highest in (False, True))
        assert low <= mean + 1e-9 and mean <= high + 1e-9
        assert high == pytest.approx(temperature[facets.nodes].max(), rel=1e-4)


@pytest.mark.parametrize("name", ["quadrilaterals", "triangles", "hexahedra"])
def test_an_extreme_is_found_between_the_nodes(name: str) -> None:
    """Of a paraboloid, which quadratic cells follow; linear ones say how far beyond their nodes it may lie."""
    for order in (1, 2):
        mesh, _, _ = meshed(name, order)
        inner = mesh.blocks[0].nodes[len(mesh.blocks[0].nodes) // 2]
        middle = 0.35 * mesh.points[inner[0]] + 0.65 * mesh.points[inner].mean(axis=0)
        temperature = 400.0 - 5e3 * ((mesh.points - middle) ** 2).sum(axis=1)
        probe = ExtremeProbe.of([(block, block.nodes) for block in mesh.blocks], True, mesh)
        found = probe.found(temperature)
        if order == 2:
            assert found.value == pytest.approx(400.0, abs=1e-3 * np.ptp(temperature) / len(mesh.points) ** 0.5)
            assert temperature.max() < found.value and probe.missed(temperature, mesh) == 0
            assert probe.slope(temperature) @ temperature == pytest.approx(found.value)
        else:
            assert found.value == temperature.max()
            assert 0.5 < (400.0 - found.value) / probe.missed(temperature, mesh) < 2


def test_at_a_joint_each_region_is_read_by_itself() -> None:
    case = family("wall-contact").case()
    outcome = Flow().answered(case)
    assert outcome.mesh is not None and outcome.solution is not None
    place = np.array([[0.012, 0.04]])
    near, far = (temperature_at(outcome.mesh, outcome.solution.temperature, place, region)[0] for region in (0, 1))
    assert near - far == pytest.approx(10.7013, abs=1e-3)
    assert np.isnan(temperature_at(outcome.mesh, outcome.solution.temperature, np.array([[0.03, 0.04]]), 0))[0]


@pytest.mark.parametrize(("name", "axis"), [("composite-wall", 0), ("hollow-cylinder", 0), ("room-corner", 2)])
def test_a_line_changes_region_exactly_and_twice(name: str, axis: int) -> None:
    outcome = Flow().answered(family(name).case())
    assert outcome.geometry is not None and outcome.mesh is not None and outcome.solution is not None
    line = through_middle(axis, outcome.geometry, outcome.mesh)
    assert line.shares.sum() == pytest.approx(1.0) and (line.shares >= 0).all()
    assert (np.diff(line.distance) >= 0).all()
    change = np.flatnonzero(np.diff(line.pieces))
    np.testing.assert_allclose(line.distance[change], line.distance[change + 1])
    assert (line.region[change] != line.region[change + 1]).all()
    values = line.read(outcome.solution.temperature)
    for place in change.tolist():
        both = line.region[[place, place + 1]]
        if (both >= 0).all():
            assert values[place] == pytest.approx(values[place + 1], abs=1e-9)  # perfect contact
    # Read backwards it is the same line.
    back = straight_line("", line.places[-1], line.places[0], outcome.geometry, outcome.mesh)
    np.testing.assert_allclose(back.read(outcome.solution.temperature)[::-1], values, rtol=1e-7, equal_nan=True)


def test_the_flux_of_an_exact_field_is_within_its_truncation() -> None:
    """A smooth field through a region of one conductivity, whose flux is known."""
    case = family("plane-wall").case()
    flow = Flow()
    geometry = flow.geometry(case)
    outcome = flow.answered(case)
    assert outcome.problem is not None

    class Wave:
        name, source = "wave", "made up"

        def temperature(self, points: Floats, region: int | None = None) -> Floats:
            return np.asarray(400 + 50 * np.sin(40 * points[:, 0]) * np.cosh(20 * points[:, 1]))

        def heat(self, surface: str) -> float:
            return float("nan")

    low, high = np.array(geometry.low), np.array(geometry.high)
    share = np.array([[0, 0], [1, 1], [0, 1], [1, 0], [0.5, 0.5], [0.013, 0.7], [0.999, 0.2]])
    places = low + share * (high - low)
    x, y = 40 * places[:, 0], 20 * places[:, 1]
    slope = 50 * np.column_stack([40 * np.cos(x) * np.cosh(y), 20 * np.sin(x) * np.sinh(y)])
    flux = exact_flux(Wave(), outcome.problem, geometry, places, 0)
    np.testing.assert_allclose(flux, -1.4 * slope, rtol=1e-7, atol=1e-5)
    assert np.isnan(exact_flux(Wave(), outcome.problem, geometry, places, None)).all()
