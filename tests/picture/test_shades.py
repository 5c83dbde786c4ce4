"""Scales of colours: places and values, round ticks, bands, tens, and lines of one value."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import assume, example, given, settings
from hypothesis import strategies as st

from blunt_ember.case.values.display import in_shown_unit
from blunt_ember.case.values.units import HEAT_FLUX, LENGTH, TEMPERATURE, TEMPERATURE_DIFFERENCE
from blunt_ember.fem.assembly import facet_weights
from blunt_ember.fem.radiated import EnclosureHeat
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Kept, Outcome
from blunt_ember.gallery.families import family
from blunt_ember.mesh.cells.facets import skin_of
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import FacetBlock
from blunt_ember.picture.body.actors import faded_ends
from blunt_ember.picture.body.arrows import arrow_shapes, even_places, usual_most
from blunt_ember.picture.body.isolines import isolines
from blunt_ember.picture.lenses.field import Field, Shade, shaded
from blunt_ember.picture.lenses.registry import field_of, lens_parts, shade
from blunt_ember.picture.look import CutPlane, Look, widened
from blunt_ember.picture.palette import LIGHT, rgb

ENDS = st.tuples(st.floats(-500, 2000), st.floats(1e-3, 3000)).map(lambda pair: (pair[0], pair[0] + pair[1]))


def scale(low: float, high: float, **more: object) -> Shade:
    return Shade(TEMPERATURE, (), low, high, **more)


@given(ENDS, st.floats(0, 1))
def test_a_place_on_the_scale_is_a_value_and_back(ends: tuple[float, float], place: float) -> None:
    found = scale(*ends)
    value = found.value_at(place)
    assert ends[0] <= value <= ends[1] + 1e-9
    assert found.places(np.array([value]))[0] == pytest.approx(place, abs=1e-9)
    tens = Shade(HEAT_FLUX, (), 1e-3, 1e5, log=True)
    assert tens.places(np.array([tens.value_at(place)]))[0] == pytest.approx(place, abs=1e-12)
    assert tens.places(np.array([0.0, -3.0])).tolist() == [-1.0, -1.0]  # what has no logarithm lies below


@given(ENDS, st.integers(2, 12))
def test_ticks_are_round_and_in_their_place(ends: tuple[float, float], count: int) -> None:
    found = scale(*ends)
    ticks = found.ticks(count)
    shown = [in_shown_unit(end, TEMPERATURE) for end in ends]
    places = np.array([place for place, _ in ticks])
    assert (places > -1e-9).all() and (places < 1 + 1e-9).all() and 1 <= len(ticks) <= 2.6 * count + 2
    values = np.array([found.value_at(place) for place in places]) - 273.15
    if len(values) > 1:
        steps = np.diff(values)
        step = steps.mean()
        np.testing.assert_allclose(steps, step, rtol=1e-6)
        lead = step / 10 ** np.floor(np.log10(step) + 1e-9)
        assert np.abs(lead - np.array([1, 2, 5, 10])).min() < 1e-6  # 1, 2 or 5 times a power of ten
        assert np.abs(values / step - np.round(values / step)).max() < 1e-6 * max(
            1, np.abs(np.array(shown)).max() / step
        )


@given(st.floats(-4, 3), st.floats(0.3, 9))
def test_ticks_by_tens_are_one_two_or_five(low: float, decades: float) -> None:
    found = Shade(HEAT_FLUX, (), 10**low, 10 ** (low + decades), log=True)
    for place, text in found.ticks(6):
        value = found.value_at(place)
        lead = value / 10 ** np.floor(np.log10(value) + 1e-9)
        assert np.abs(lead - np.array([1, 2, 5])).min() < 1e-6 and text


@given(ENDS)
def test_bands_have_one_colour_each_and_end_at_round_values(ends: tuple[float, float]) -> None:
    found = scale(*ends, bands=True)
    smooth = scale(*ends)
    assert len(found.levels) >= 3 and (np.diff(found.levels) > 0).all()
    assert ends[0] < found.levels[0] and found.levels[-1] < ends[1]
    colours = np.unique(found.colours.round(6), axis=0)
    assert len(colours) == len(found.levels) + 1 or len(colours) == len(found.levels)
    first, last = found.places(found.levels[[0, -1]])
    if first > 0.01 and last < 0.99:  # bands narrower than a colour are not there
        np.testing.assert_allclose(found.colours[[0, -1]], smooth.colours[[0, -1]])
    assert len(np.unique(smooth.colours.round(6), axis=0)) > 400


def test_what_is_outside_fades_into_the_stage_and_differences_are_even_about_nothing() -> None:
    narrowed = scale(300, 400, narrowed=(True, True))
    below, above = faded_ends(narrowed, LIGHT)
    for end, colour in ((below, narrowed.colours[0]), (above, narrowed.colours[-1])):
        assert np.abs(end - rgb(LIGHT.stage)).max() < 0.35 * np.abs(colour - rgb(LIGHT.stage)).max()
    signed = Shade(TEMPERATURE_DIFFERENCE, (), -2.0, 2.0, signed=True)
    middle = signed.colours[len(signed.colours) // 2]
    assert middle.min() > 0.9 and np.abs(signed.colours[0] - signed.colours[-1]).max() > 0.4
    outer = scale(300, 400, outer=(200.0, 500.0)).scale
    assert (outer.low, outer.high) == (200.0, 500.0) and scale(300, 400, what="Temperature").title == "Temperature, °C"


def field(values: np.ndarray, **more: object) -> Field:
    ends = float(np.nanmin(values)), float(np.nanmax(values))
    return Field("Heat flux", HEAT_FLUX, (values,), ends, **more)


def test_a_look_narrows_the_range_fixes_it_and_divides_it_by_tens() -> None:
    values = np.array([[1.0, 10.0, 1e4]])
    whole = shaded(field(values, positive=True), Look("Heat flow"))
    assert (whole.low, whole.high) == (1.0, 1e4) and whole.narrowed == (False, False)
    narrowed = shaded(field(values, positive=True), Look("Heat flow", low=5.0, high=100.0, vanish=True))
    assert (narrowed.low, narrowed.high) == (5.0, 100.0) and narrowed.narrowed == (True, True)
    assert narrowed.vanish and narrowed.outer == (1.0, 1e4)
    wider = shaded(field(values, positive=True), Look("Heat flow", low=0.1, high=1e6))
    assert (wider.low, wider.high) == (0.1, 1e6) and wider.narrowed == (False, False)
    tens = shaded(field(values, positive=True), Look("Heat flow", log=True))
    assert tens.log and tens.low > 0 and tens.high == 1e4
    signed = shaded(field(values - 5000, signed=True), Look("Difference", log=True))
    assert not signed.log  # about nothing there are no tens
    even = shaded(field(np.full((1, 3), 7.0)), Look("Heat flow"))
    assert even.low < 7.0 < even.high
    free = widened(Look("Heat flow", low=1.0, high=2.0, bands=True))
    assert free.low is None and free.high is None and free.bands
    two = (CutPlane(0, 0.1), CutPlane(2, 0.2))
    assert shaded(field(values), Look("Heat flow", cuts=two, flat=2)).cuts == (CutPlane(2, 0.2),)
    assert shaded(field(values), Look("Heat flow", cuts=two)).cuts == two


@pytest.fixture(scope="module")
def plate() -> Outcome:
    return Flow().answered(family("hot-edge-plate").case())


def test_a_corner_that_burns_does_not_set_the_range(plate: Outcome) -> None:
    flux = field_of(plate, "Heat flow", "size")
    assert flux is not None
    every = np.concatenate([block.ravel() for block in flux.values])
    assert every.max() > 5 * flux.ends[1] and (every <= flux.ends[1]).mean() > 0.95
    error = field_of(plate, "Error", "estimated")
    assert error is not None and error.ends[1] < max(float(block.max()) for block in error.values)
    pipe = Flow().answered(family("hollow-cylinder").case())
    smooth = field_of(pipe, "Heat flow", "size")
    assert smooth is not None
    assert smooth.ends[1] == pytest.approx(max(float(block.max()) for block in smooth.values))


def test_what_each_lens_offers(plate: Outcome) -> None:
    assert lens_parts(plate, "Heat flow") == ("size", "along x", "along y", "radial", "tangential")
    assert lens_parts(plate, "Error") == ("estimated", "against exact") and lens_parts(plate, "Temperature") == ()
    assert lens_parts(plate, "Difference") == ("mesh − exact",)
    for lens in ("Shape", "Mesh", "Material"):
        assert field_of(plate, lens) is None and shade(plate, lens) is None
    bare = Outcome(plate.case, plate.geometry, plate.mesh)
    assert field_of(bare, "Temperature") is None and lens_parts(Outcome(plate.case), "Error") == ()
    corner = Flow().answered(family("wall-corner").case())
    assert lens_parts(corner, "Error") == ("estimated",) and lens_parts(corner, "Difference") == ()
    assert field_of(corner, "Difference") is None
    assert corner.mesh is not None and corner.solution is not None
    kept = replace(corner, kept=Kept("before", corner.mesh, corner.solution.temperature - 3))
    assert lens_parts(kept, "Difference") == ("now − kept",)
    change = field_of(kept, "Difference")
    assert change is not None and change.signed
    np.testing.assert_allclose(np.concatenate([block.ravel() for block in change.values]), 3.0, atol=1e-6)


@given(st.integers(0, 10_000), st.floats(0.05, 0.95))
def test_lines_of_one_value_have_that_value(seed: int, share: float) -> None:
    rng = np.random.default_rng(seed)
    for dimension in (2, 3):
        corners, slope = rng.normal(size=(40, 3, dimension)), rng.normal(size=dimension)
        values = corners @ slope
        levels = np.quantile(values, [share, min(share + 0.04, 1.0)])
        assume(levels[1] > levels[0])
        pieces, numbers = isolines(corners, values, levels)
        assert len(pieces) == len(numbers) and len(pieces)
        np.testing.assert_allclose(
            pieces @ slope, np.broadcast_to(levels[numbers][:, None], pieces.shape[:2]), atol=1e-9
        )
    nothing, _ = isolines(corners, values, np.array([values.max() + 1]))
    assert nothing.shape == (0, 2, 3)


@settings(max_examples=40, deadline=None)
@given(st.floats(0.04, 0.3))
@example(0.08357365313557225)  # where lattice and triangles once fell so that a third of the places was left
def test_arrows_stand_evenly_whatever_the_triangles(spacing: float) -> None:
    square = np.array([[[0, 0, 0], [1, 0, 0], [1, 1, 0]], [[0, 0, 0], [1, 1, 0], [0, 1, 0]]], dtype=float)
    places, normals = even_places(square, spacing)
    np.testing.assert_allclose(normals, [[0, 0, 1]] * len(normals))
    expected = (1 / spacing) ** 2
    assert 0.5 * expected <= len(places) <= 2 * expected + 4
    gaps = np.linalg.norm(places[:, None] - places[None], axis=2) + 9 * np.eye(len(places))
    assert len(places) < 2 or gaps.min() >= 0.799 * spacing


def test_arrows_are_as_long_as_the_flux_but_for_what_burns() -> None:
    flux = np.array([[0, 0, 1.0], [0, 2.0, 0], [100.0, 0, 0], [0, 0, 0]])
    shapes = arrow_shapes(np.zeros((4, 3)), np.tile([0, 0, 1.0], (4, 1)), flux, 2.0, 0.1)
    assert shapes.GetNumberOfPoints() > 0
    one = arrow_shapes(np.zeros((1, 3)), np.array([[0, 0, 1.0]]), np.array([[0, 2.0, 0]]), 2.0, 0.1)
    assert shapes.GetNumberOfPoints() == 3 * one.GetNumberOfPoints()  # where nothing flows there is none
    low, high = one.GetBounds()[2:4]
    assert high - low == pytest.approx(0.08, rel=0.02)
    assert usual_most(np.array([1.0] * 95 + [500.0] * 5)) == 1.0 and usual_most(np.zeros(0)) == 0.0
    assert LENGTH.shown == "mm"


@pytest.mark.parametrize(("name", "apart"), [("ware-chamber", 3e-3), ("setting-chamber", 0.02)])
def test_what_surfaces_radiate_is_shown_on_them_alone_and_adds_up_to_their_heat(name: str, apart: float) -> None:
    found = Flow().answered(family(name).case())
    mesh, problem, solution = found.mesh, found.problem, found.solution
    assert mesh is not None and problem is not None and solution is not None
    (law,) = problem.enclosures
    (whole,) = EnclosureHeat(problem).at(solution.temperature)
    parts = lens_parts(found, "Radiation")
    skin = skin_of(mesh)
    for part in parts:
        field = field_of(found, "Radiation", part)
        assert field is not None and field.surfaces == set(law.chamber.surfaces)
        every, heat = np.concatenate([block.ravel() for block in field.values]), np.zeros(len(law.chamber.surfaces))
        seen = np.zeros(len(every), dtype=bool)
        for facets in skin.parts:
            shape = CELL_FAMILIES[facets.family].at_points
            for place, surface in enumerate(law.chamber.surfaces):
                own = facets.surface == skin.names.index(surface)
                values, block = every[facets.places[own]], FacetBlock(facets.family, facets.nodes[own])
                heat[place] += float((values @ shape.T * facet_weights(mesh.surfaces[surface], block, mesh)).sum())
                seen[facets.places[own]] = True
        # What is shown are values at nodes: between them T⁴ follows the temperature, but what is shown is interpolated.
        np.testing.assert_allclose(heat, whole.of(part), rtol=1e-9, atol=apart * whole.emitted.max())
        assert np.isnan(every[~seen]).all() and not np.isnan(every[seen]).any()
    assert (
        parts[:2] == ("incident", "net") and lens_parts(Flow().answered(family("plane-wall").case()), "Radiation") == ()
    )
