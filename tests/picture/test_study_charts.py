"""What the charts of studies show, read off the figures they fill."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from matplotlib.figure import Figure

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.gallery.families import family
from blunt_ember.picture.charts.plot import image_of
from blunt_ember.picture.charts.studies.bars import RankedBars
from blunt_ember.picture.charts.studies.curves import StudyCurves
from blunt_ember.picture.charts.studies.measured import MeasuredOverComputed
from blunt_ember.picture.charts.studies.ways import charts_of
from blunt_ember.picture.palette import LIGHT
from blunt_ember.studies.result import Row, StudyDone, StudyResult

SIZE = (600, 220)


def wall(**stated: Any) -> Case:
    return case_from_data({**family("composite-wall").case().data, "studies": {"it": stated}})


def filled(chart: Any) -> Figure:
    figure = Figure(figsize=(SIZE[0] / 100, SIZE[1] / 100), dpi=100)
    chart(figure, *SIZE, LIGHT)
    return figure


FILM = {"values": ["5 W/(m² K)", "12 W/(m² K)", "30 W/(m² K)"]}


def test_points_of_curves_are_found_where_they_stand_with_band_and_bars() -> None:
    points = tuple({"h_out": h, "t_blanket": t} for h in (5.0, 12.0, 30.0) for t in (0.02, 0.05))
    rows = tuple(
        Row(
            {"heat flow": 100 * each["h_out"] + 1e3 * each["t_blanket"]},
            "",
            {"heat flow": 500.0},
            {"heat flow": 20.0},
            {"heat flow": 7.0},
        )
        for each in points
    )
    vary = {"h_out": FILM, "t_blanket": {"values": ["20 mm", "50 mm"]}}
    charts = charts_of(StudyDone(wall(kind="sweep", vary=vary), "it", StudyResult(points, rows)), "heat flow")
    assert list(charts) == ["curves", "map"]
    curves = charts["curves"]
    assert isinstance(curves, StudyCurves) and curves.point_near(10, 10) is None  # it is not drawn yet
    axes = filled(curves).axes[0]
    assert len(curves.curves) == 2 and len(axes.collections) == 4  # a band and bars for each
    for place, number in zip(curves.places, curves.numbers, strict=True):
        assert curves.point_near(*place) == number
        x, y = axes.transData.inverted().transform([place[0], SIZE[1] - place[1]])
        assert (x, y) == pytest.approx((points[number]["h_out"], rows[number].answers["heat flow"]))
    assert curves.point_near(*(curves.places[0] + [0, 40])) is None
    seen = charts["map"]
    image_of(seen, *SIZE, LIGHT, 2.0)  # the places are those of the screen, whatever its pixels are
    assert sorted(seen.numbers) == list(range(6)) and (seen.places >= 0).all() and (seen.places <= SIZE).all()
    assert len(np.unique(seen.places.round(), axis=0)) == 6


def test_what_matters_stands_first_and_shares_have_what_they_are_known_within() -> None:
    found = {"outer surface": {"h_out": -7.0, "k_brick": 100.0, "T_air": 0.9}}
    (chart,) = charts_of(
        StudyDone(wall(kind="sensitivity"), "it", StudyResult((), (), found)), "outer surface"
    ).values()
    assert isinstance(chart, RankedBars) and chart.labels == ["1 K of T_air", "1 % of h_out", "1 % of k_brick"]
    assert chart.sizes == pytest.approx([0.9, -0.84, 0.35])
    assert [patch.get_width() for patch in filled(chart).axes[0].patches] == pytest.approx([0.9, -0.84, 0.35])
    told = {"mean": 1.0, "2.5 %": 0.0, "share of h_out": 0.2, "with others h_out": 0.3, "± with others h_out": 0.05}
    rows = tuple(Row({"outer surface": float(value)}) for value in range(50))
    spread = {"h_out": {"normal": "20 %"}}
    done = StudyDone(wall(kind="uncertainty", spread=spread), "it", StudyResult((), rows, {"outer surface": told}))
    charts = charts_of(done, "outer surface")
    assert list(charts) == ["histogram", "shares"]
    shares = charts["shares"]
    assert isinstance(shares, RankedBars) and "together" in shares.title
    assert shares.sizes == pytest.approx([30]) and shares.within == pytest.approx([5])
    axes = filled(charts["histogram"]).axes[0]
    assert sum(patch.get_height() for patch in axes.patches) == 50
    assert list(axes.lines[0].get_xdata()) == pytest.approx([-273.15] * 2)  # the percentile, in °C


def test_what_was_measured_stands_over_what_is_computed_and_a_target_over_its_curve() -> None:
    cooling = family("cooling-wall").case()
    question = cooling.document.questions[0].name
    parameter = next(iter(cooling.document.parameters))
    stated = {"kind": "fit", "vary": {parameter: ["1 mm", "2 mm"]}, "logs": {question: "a.csv"}}
    case = cooling.restated({**cooling.data, "studies": {"it": stated}})
    found = {
        f"{question} at {t} s": {"measured": 300.0 + t, "computed": 301.0 + t, "off": 1.0, "t": float(t)}
        for t in (20, 10)
    }
    (chart,) = charts_of(StudyDone(case, "it", StudyResult((), (), found)), question).values()
    assert isinstance(chart, MeasuredOverComputed) and chart.times == pytest.approx([10, 20])
    main, below = filled(chart).axes
    assert main.lines[0].get_ydata() - main.lines[1].get_ydata() == pytest.approx(np.ones(2))
    assert below.lines[1].get_ydata() == pytest.approx(np.ones(2))
    aim = {"kind": "target", "vary": "h_out", "start": "5 W/(m² K)", "end": "30 W/(m² K)"}
    points = ({"h_out": 5.0}, {"h_out": 12.0}, {"h_out": 30.0})
    rows = tuple(Row({"outer surface": 400.0 - each["h_out"], "heat flow": 1.0}) for each in points)
    done = StudyDone(
        wall(**aim, question="outer surface", value="115 °C"), "it", StudyResult(points, rows, found={"h_out": 11.85})
    )
    axes = filled(charts_of(done, "outer surface")["curve"]).axes[0]
    labels = axes.get_legend_handles_labels()[1]
    assert "aimed at" in labels and "found" in labels
    level = axes.lines[labels.index("aimed at")]
    assert list(level.get_ydata()) == pytest.approx([115, 115])
    assert "aimed at" not in filled(charts_of(done, "heat flow")["curve"]).axes[0].get_legend_handles_labels()[1]
