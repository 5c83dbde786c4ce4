"""Charts: drawn to scale, readable where much is crowded, and written as lines or pixels."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure
from matplotlib.image import imread
from matplotlib.patches import Rectangle
from matplotlib.text import Text

from blunt_ember.case.values.unit_sets import DEFAULT_UNITS, UnitSet
from blunt_ember.checks.questions.profile import Profile, flux_profile, profile_through
from blunt_ember.checks.questions.reading_line import through_middle
from blunt_ember.checks.references.series_path import series_path
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family
from blunt_ember.picture.charts.chain_chart import _apart, chain_plot
from blunt_ember.picture.charts.charts import LINE_MARGINS, ProfileChart, profile_plot
from blunt_ember.picture.charts.history_chart import history_plot
from blunt_ember.picture.charts.plot import DPI, Plot, image_of, write_plot
from blunt_ember.picture.charts.run_curves import time_curves
from blunt_ember.picture.charts.time_line import time_line_plot, tracks
from blunt_ember.picture.palette import DARK, LIGHT, rgb

FLOW = Flow()


@pytest.fixture(scope="module")
def wall() -> Outcome:
    return FLOW.answered(family("composite-wall").case())


def chain_of(outcome: Outcome) -> Plot:
    assert outcome.problem is not None and outcome.solution is not None
    return chain_plot(
        series_path(outcome.exact, outcome.problem, outcome.solution.temperature, outcome.heat), DEFAULT_UNITS
    )


def profile_of(outcome: Outcome) -> Profile:
    assert outcome.geometry is not None and outcome.mesh is not None and outcome.solution is not None
    return profile_through(0, outcome.geometry, outcome.mesh, outcome.solution.temperature, outcome.exact_now)


def filled(plot: Plot, width: int = 880, height: int = 170) -> Figure:
    figure = Figure(figsize=(width / DPI, height / DPI), dpi=DPI)
    plot(figure, width, height, LIGHT)
    return figure


def texts(figure: Figure) -> list[str]:
    return [each.get_text() for each in figure.findobj(Text) if each.get_text()]


def test_a_chain_is_drawn_to_scale(wall: Outcome) -> None:
    figure = filled(chain_of(wall))
    boxes = [
        each for each in figure.findobj(Rectangle) if isinstance(each, Rectangle) and 20 > each.get_linewidth() == 1
    ]
    widths = np.array([each.get_width() for each in boxes if 0 < each.get_height() < 1 and each.get_width() < 880])
    resistances = np.array([0.114 / 0.35, 0.05 / 0.12, 0.003 / 45, 1 / 12])
    room = 880 - 32
    expected = np.maximum(room * resistances / resistances.sum() - 2, 1.5)
    np.testing.assert_allclose(widths[-4:], expected, rtol=1e-6)
    said = texts(figure)
    for wanted in (
        "brick",
        "R 0.3257 m² K/W",
        "ΔT 376.7 K",
        "film",
        "brick|blanket",
        "603.318 °C",
        "mesh 603.318",
        "fluid",
        "25 °C",
    ):
        assert wanted in said
    assert any("R in all 0.82578 m² K/W" in each and "on the mesh" in each for each in said)


@given(st.lists(st.floats(0, 900), min_size=1, max_size=7), st.lists(st.integers(1, 16), min_size=7, max_size=7))
def test_texts_stand_apart_in_their_order(wanted: list[float], lengths: list[int]) -> None:
    places = np.sort(np.array(wanted))
    lines = [["x" * lengths[number]] for number in range(len(places))]
    found = _apart(places, lines, 900.0)
    half = np.array([lengths[number] * 6.2 / 2 for number in range(len(places))])
    room = 2 * half.sum() + 16 * (len(places) - 1)
    if room < 880:
        assert (found[1:] - half[1:] >= found[:-1] + half[:-1] + 16 - 1e-6).all()
        assert found[0] - half[0] >= 0 and found[-1] + half[-1] <= 900
        # Nothing is moved that need not be.
        free = (np.diff(places) > half[1:] + half[:-1] + 16).all() and (places - half > 8).all()
        if free and (places + half < 892).all():
            np.testing.assert_allclose(found, places)
    else:
        assert (np.diff(found) > 0).all()


def test_difference_and_quantity_are_named_beside_their_axes(wall: Outcome) -> None:
    said = texts(filled(profile_plot(profile_of(wall), DEFAULT_UNITS)))
    assert {"°C", "Δ K", "distance, mm", "brick", "blanket"} <= set(said)
    assert any(each.startswith("mesh − exact: at most") for each in said)
    pipe = FLOW.answered(family("hollow-cylinder").case())
    assert (
        pipe.geometry is not None and pipe.mesh is not None and pipe.problem is not None and pipe.solution is not None
    )
    profile = flux_profile(
        through_middle(0, pipe.geometry, pipe.mesh),
        "heat flux",
        pipe.problem,
        pipe.solution.temperature,
        pipe.geometry,
        pipe.exact_now,
    )
    assert {"W/m²", "Δ W/m²"} <= set(texts(filled(profile_plot(profile, DEFAULT_UNITS))))


def test_a_flux_that_does_not_change_is_a_straight_line(wall: Outcome) -> None:
    assert wall.geometry is not None and wall.mesh is not None and wall.problem is not None
    assert wall.solution is not None
    profile = flux_profile(
        through_middle(0, wall.geometry, wall.mesh),
        "flux along x",
        wall.problem,
        wall.solution.temperature,
        wall.geometry,
        wall.exact_now,
    )
    figure = filled(profile_plot(profile, DEFAULT_UNITS))
    low, high = figure.axes[0].get_ylim()
    assert high - low > 0.15 * 1156  # round-off does not fill the scale
    left, right, _, _ = LINE_MARGINS
    box = figure.axes[0].get_position()
    assert (box.x0 * 880, 880 - box.x1 * 880) == pytest.approx((left, right))


@pytest.mark.parametrize("reach", [1.0, 100.0])
def test_the_last_figure_of_the_scale_stays_within_the_chart(wall: Outcome, reach: float) -> None:
    profile = profile_of(wall)
    longer = replace(profile, distance=profile.distance * reach / profile.distance.max())
    figure = filled(profile_plot(longer, DEFAULT_UNITS))
    FigureCanvasAgg(figure).draw()  # type: ignore[no-untyped-call]
    last = [label for label in figure.axes[-1].get_xticklabels() if label.get_text()][-1]
    assert float(last.get_text()) == 1000 * reach and last.get_window_extent().x1 < 880


def test_what_stands_still_has_a_scale_of_its_own_and_what_comes_after_its_own_again(wall: Outcome) -> None:
    """One chart draws one profile after the other."""
    figure, moving = Figure(figsize=(8.8, 1.7), dpi=DPI), profile_of(wall)
    chart = ProfileChart(figure)
    still = replace(moving, mesh=np.full(len(moving.mesh), 1423.15) + 1e-11 * moving.mesh, exact=moving.exact)
    for units, middle in ((DEFAULT_UNITS, 1150.0), (UnitSet(own=(("temperature", "K"),)), 1423.15)):
        chart.fill(moving, 880, 170, LIGHT, units)
        whole = figure.axes[0].get_ylim()
        chart.fill(still, 880, 170, LIGHT, units)
        low, high = figure.axes[0].get_ylim()
        assert 2 <= high - low <= 2.5 and (low + high) / 2 == pytest.approx(middle, abs=1e-6)
        chart.fill(moving, 880, 170, LIGHT, units)
        assert figure.axes[0].get_ylim() == pytest.approx(whole)


def test_a_curve_has_a_gap_where_what_is_exact_has_no_bound() -> None:
    """At a wire that gives off heat; its chart could not be drawn at all."""
    outcome = Flow(curves=False).answered(family("hot-wire").case())
    assert outcome.geometry is not None and outcome.mesh is not None and outcome.solution is not None
    read = profile_through(0, outcome.geometry, outcome.mesh, outcome.solution.temperature, outcome.exact_now)
    assert read.exact is not None and np.isnan(read.exact).sum() == 1 and not np.isinf(read.exact).any()
    assert np.ptp(ProfileChart().draw(read, 880, 170, LIGHT)) > 0


@pytest.mark.parametrize("suffix", [".svg", ".pdf", ".png"])
def test_charts_are_written_as_lines_or_pixels(wall: Outcome, tmp_path: Path, suffix: str) -> None:
    for name, plot in (("chain", chain_of(wall)), ("profile", profile_plot(profile_of(wall), DEFAULT_UNITS))):
        path, again = tmp_path / f"{name}{suffix}", tmp_path / f"again{suffix}"
        write_plot(plot, path, 900, 320, LIGHT)
        write_plot(plot, again, 900, 320, LIGHT)
        assert path.read_bytes() == again.read_bytes()  # the same chart is the same file
        if suffix == ".svg":
            text = path.read_text("utf-8")
            assert "<svg" in text and "brick" in text and "date" not in text.lower().replace("update", "")
            assert re.search(r'width="\d+(\.\d+)?pt"', text) and "<image" not in text
        elif suffix == ".pdf":
            assert path.read_bytes().startswith(b"%PDF") and b"CreationDate" not in path.read_bytes()
        else:
            assert imread(path).shape[:2] == (640, 1800)


def test_another_suffix_is_refused_with_those_there_are(wall: Outcome, tmp_path: Path) -> None:
    with pytest.raises(BluntEmberError, match=r"\.svg, \.pdf, \.png; '\.gif' is none"):
        write_plot(chain_of(wall), tmp_path / "chain.gif", 900, 320, LIGHT)
    assert not list(tmp_path.iterdir())


@pytest.mark.parametrize("theme", [LIGHT, DARK])
def test_images_have_the_paper_of_their_theme_and_sharper_ones_more_pixels(wall: Outcome, theme: object) -> None:
    assert theme in (LIGHT, DARK)
    plot = chain_of(wall)
    image = image_of(plot, 400, 200, theme)
    sharp = image_of(plot, 400, 200, theme, 2.0)
    assert image.shape == (200, 400, 4) and sharp.shape == (400, 800, 4)
    np.testing.assert_allclose(image[2, 2, :3] / 255, rgb(theme.paper), atol=0.01)


def test_curves_over_time_and_the_time_line_fill_a_figure() -> None:
    outcome = FLOW.answered(family("cooling-wall").case())
    assert outcome.run is not None
    curves = time_curves(outcome)
    name, first = next(iter(curves.items()))
    said = texts(filled(history_plot(first, outcome.case.units)))
    assert name and "exact" in said and any(each.startswith("time, ") for each in said) and "Δ K" in said
    stored = texts(filled(history_plot(curves["heat stored"], outcome.case.units)))
    assert "kJ" in stored and "exact" not in stored
    firing = family("firing").case()
    rows = tracks(firing, 36_000.0)
    assert len(rows) > 3
    line = filled(time_line_plot(rows, 36_000.0, firing))
    assert all(any(row.label in each for each in texts(line)) for row in rows)
