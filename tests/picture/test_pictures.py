"""Pictures hold what they should: colours by value, outlines in their place, curves over each other."""

from __future__ import annotations

import numpy as np
import pytest

from blunt_ember.case.editing.edits import with_value
from blunt_ember.checks.questions.profile import profile_through
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family
from blunt_ember.picture.annotated import body_picture
from blunt_ember.picture.body.drawn import drawn_box, pose_of
from blunt_ember.picture.body.renderer import BodyRenderer
from blunt_ember.picture.body.view import View, view_of_box
from blunt_ember.picture.charts.charts import ProfileChart
from blunt_ember.picture.lenses.registry import LENSES, shade
from blunt_ember.picture.look import Look
from blunt_ember.picture.palette import DARK, LIGHT, difference_map, from_lab, rgb, temperature_map, to_lab


@pytest.fixture(scope="module")
def outcome() -> Outcome:
    return Flow().answered(family("composite-wall").case())


@pytest.fixture(scope="module")
def renderer() -> BodyRenderer:
    return BodyRenderer()


def view_of(outcome: Outcome) -> View:
    assert outcome.geometry is not None
    return view_of_box(np.array(outcome.geometry.low), np.array(outcome.geometry.high), 400, 300, (40, 30, 50, 60))


def test_lightness_rises_evenly_along_the_temperature_map() -> None:
    steps = np.diff(to_lab(temperature_map())[:, 0])
    assert steps.min() > 0.9 * steps.max() > 0
    lightness = to_lab(difference_map())[:, 0]
    assert np.argmax(lightness) == len(lightness) // 2
    sample = np.array([[0.2, 0.5, 0.9], [0.01, 0.02, 0.0], [1.0, 1.0, 1.0]])
    np.testing.assert_allclose(from_lab(to_lab(sample)), sample, atol=1e-6)
    np.testing.assert_allclose(to_lab(np.ones((1, 3)))[0], [100, 0, 0], atol=0.01)


def test_a_view_is_undone_by_its_inverse_and_zooms_about_a_place() -> None:
    view = View(400, 300, (0.2, -0.1), 0.001)
    places = np.array([[0.1, 0.2], [-0.3, 0.0]])
    np.testing.assert_allclose(view.metres(view.pixels(places)), places)
    fixed = view.metres(np.array([[70.0, 30.0]]))
    np.testing.assert_allclose(view.zoomed(3, (70.0, 30.0)).metres(np.array([[70.0, 30.0]])), fixed)
    np.testing.assert_allclose(view.moved(10, 20).pixels(places), view.pixels(places) + np.array([10, 20]))


@pytest.mark.parametrize("ratio", [1.0, 2.0])
def test_the_temperature_picture_has_the_colour_of_each_value(
    outcome: Outcome, renderer: BodyRenderer, ratio: float
) -> None:
    view = view_of(outcome)
    found = shade(outcome, "Temperature")
    assert found is not None and outcome.exact is not None
    image = renderer.draw(outcome, "Temperature", found, view, LIGHT, ratio)
    assert image.shape == (300 * ratio, 400 * ratio, 4)
    for x in (0.01, 0.05, 0.1, 0.13, 0.155):
        place = np.array([[x, 0.043]])
        column, row = (view.pixels(place)[0] * ratio).astype(int)
        share = (outcome.exact.temperature(place)[0] - found.low) / (found.high - found.low)
        expected = temperature_map()[int(share * 255)]
        assert np.abs(image[row, column, :3] / 255 - expected).max() < 0.05
    background = np.array(rgb(LIGHT.stage))
    assert np.abs(image[2, 2, :3] / 255 - background).max() < 0.01


def test_every_lens_draws_something_of_its_own(outcome: Outcome, renderer: BodyRenderer) -> None:
    view = view_of(outcome)
    # Material fills as Shape does, its key is the stage's; some are offered only where there is what they show.
    own = [name for name, lens in LENSES.items() if name != "Material" and not lens.seldom]
    images = [
        renderer.draw(outcome, lens, shade(outcome, lens), view, theme) for lens in own for theme in (LIGHT, DARK)
    ]
    for place, image in enumerate(images):
        assert all((image != other).any() for other in images[:place])
        assert len(np.unique(image.reshape(-1, 4), axis=0)) >= 5, "paper, ink and three tints at least"
    shape = {tuple(pixel) for pixel in np.unique(images[0].reshape(-1, 4)[:, :3], axis=0).tolist()}
    wanted = [np.array(rgb(colour)) * 255 for colour in (LIGHT.stage, LIGHT.ink, *LIGHT.tints[:3])]
    assert all(min(np.abs(np.array(seen) - colour).max() for seen in shape) <= 1 for colour in wanted)


def test_the_body_is_drawn_before_it_is_solved(outcome: Outcome, renderer: BodyRenderer) -> None:
    bare = Outcome(outcome.case, outcome.geometry)
    image = renderer.draw(bare, "Temperature", shade(bare, "Temperature"), view_of(outcome), LIGHT)
    ink = (np.abs(image[..., :3].astype(int) - (np.array(rgb(LIGHT.ink)) * 255)).max(axis=-1) < 60).sum()
    assert ink > 500


def test_legend_ticks_are_round_and_in_place(outcome: Outcome) -> None:
    found = shade(outcome, "Temperature")
    assert found is not None
    ticks = found.ticks(5)
    assert [text for _, text in ticks] == ["200", "400", "600", "800"]
    span = found.high - found.low
    for share, text in ticks:
        assert found.low + share * span - 273.15 == pytest.approx(float(text))


def test_the_chart_fills_its_size_and_differs_with_the_curve(outcome: Outcome) -> None:
    assert outcome.geometry and outcome.mesh and outcome.solution
    temperature = outcome.solution.temperature
    chart = ProfileChart()
    profiles = [
        profile_through(axis, outcome.geometry, outcome.mesh, temperature, exact)
        for axis, exact in ((0, outcome.exact), (0, None), (1, outcome.exact))
    ]
    images = [chart.draw(profile, 600, 200, LIGHT) for profile in profiles]
    assert all(image.shape == (200, 600, 4) for image in images)
    assert (images[0] != images[1]).any() and (images[0] != images[2]).any()
    assert chart.draw(profiles[0], 600, 200, DARK, 2.0).shape == (400, 1200, 4)


def test_what_is_unstated_is_stroked_on_a_solid_until_it_is_said(renderer: BodyRenderer) -> None:
    case = family("stacked-floor").case()
    silent = next(o for o in Flow().outcomes(case) if o.ledger)
    said = with_value(
        case, ("surroundings",), [*case.data["surroundings"], {"on": list(silent.unstated), "insulated": True}]
    )
    spoken = next(o for o in Flow().outcomes(said) if o.ledger)
    assert len(silent.unstated) == 12 and spoken.unstated == ()
    assert silent.geometry is not None
    view = view_of_box(*drawn_box(silent.geometry), 400, 300, (20, 20, 20, 20), pose_of(silent.geometry))
    stroked, plain = (renderer.draw(o, "Shape", None, view, LIGHT)[..., :3].astype(int) for o in (silent, spoken))
    changed = np.abs(stroked - plain).max(axis=2) > 20
    assert 200 < changed.sum() < 0.1 * changed.size
    assert (stroked[changed].sum(axis=1) < plain[changed].sum(axis=1)).mean() > 0.95, "strokes are darker"
    top = view.pixels(np.array([[0.25, 0.25, 0.264]]))[0].astype(int)
    assert not changed[top[1] - 8 : top[1] + 8, top[0] - 8 : top[0] + 8].any(), "the top is stated"


@pytest.mark.parametrize("title", ["Wall", "A wall " * 30, "W" * 300])
def test_a_title_ends_within_the_picture_and_says_what_is_seen(
    outcome: Outcome, renderer: BodyRenderer, title: str
) -> None:
    def ink(said: str) -> list[int]:
        line = body_picture(renderer, outcome, Look("Temperature"), 500, 300, LIGHT, said)[:30]
        return np.flatnonzero((line.astype(int).min(axis=2) < 128).any(axis=0)).tolist()

    columns = ink(f"{title}: temperature at 20 s")
    assert columns[0] >= 14 and columns[-1] <= 500 - 14
    if len(title) > 10:  # as much as there is room for, and then the end of it
        assert columns[-1] > 500 - 40
        end = ink(": temperature at 20 s")
        assert np.diff(columns[-40:]).tolist() == np.diff(end[-40:]).tolist()
