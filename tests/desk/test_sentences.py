"""Sentences of the sheet edited through their own words: questions, names of surfaces, finer places, films."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QToolButton
from pytestqt.qtbot import QtBot

from blunt_ember.case.document.places import Line
from blunt_ember.desk.app.window import Window
from blunt_ember.desk.sheet.option_list import OptionList
from blunt_ember.gallery.families import family
from tests.desk.conftest import PATIENCE, choose, field, settled, type_into


def question(window: Window, place: int) -> dict[str, Any]:
    assert window.current.case is not None
    return window.current.case.data["questions"][place]


def test_a_question_is_turned_about_word_by_word(window: Window, qtbot: QtBot) -> None:
    choose(window, "direction 0", "into")
    assert question(window, 0)["direction"] == "in"
    choose(window, "basis 0", "for 1 m depth")
    bar = window.statusBar()
    assert bar is not None and "'q' is not a heat flow" in bar.currentMessage(), "q is per m²"
    choose(window, "expect 0", "exact: composite-wall")
    choose(window, "basis 0", "for 1 m depth")
    settled(qtbot, window)
    assert "for 1 m depth" in window.checks.cards["heat flow"].asked.text()
    assert window.checks.cards["heat flow"].verdict.text() == "✓ agrees"
    assert window.checks.cards["heat flow"].value.text().startswith("−115.6481")
    choose(window, "target 0", "brick|blanket")
    choose(window, "direction 0", "from first to second")
    settled(qtbot, window)
    assert window.checks.cards["heat flow"].value.text().startswith("115.6481")
    choose(window, "measure 4", "mean")
    assert question(window, 4)["mean"] == "shell.right" and "highest" not in question(window, 4)
    choose(window, "expect 4", "what is known exactly")
    settled(qtbot, window)
    assert window.checks.cards["outer surface"].source.text() == "exact"  # it is known without being asked for
    assert window.checks.cards["outer surface"].verdict.text() == "✓ agrees"
    choose(window, "expect 4", "a value with its source")
    type_into(field(window, "questions[4].expect.value"), "121 °C")
    type_into(field(window, "questions[4].expect.source"), "measured on a Tuesday")
    settled(qtbot, window)
    assert window.checks.cards["outer surface"].source.text() == "measured on a Tuesday"
    assert window.checks.cards["outer surface"].verdict.text() == "✓ agrees"


def test_a_long_list_is_filtered_as_one_types_and_lights_what_it_is_on(window: Window, qtbot: QtBot) -> None:
    button = next(b for b in window.sheet.findChildren(QToolButton, "add question") if b.isVisibleTo(window.sheet))
    pointed: list[tuple[str, ...]] = []
    window.sheet.pointed.connect(pointed.append)
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    (listed,) = [each for each in button.findChildren(OptionList) if each.isVisible()]
    QTest.keyClicks(listed.filter, "mean shell")
    shown = [listed.rows.item(row).text() for row in range(listed.rows.count())]
    assert shown and all("mean" in text and "shell" in text for text in shown)
    row = shown.index("mean temperature of a surface › shell.right")
    for _ in range(row):
        QTest.keyClick(listed.filter, Qt.Key.Key_Down)
    assert pointed[-1] == ("shell.right",)
    QTest.keyClick(listed.filter, Qt.Key.Key_Return)
    assert question(window, 5)["mean"] == "shell.right" and not pointed[-1]
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    (listed,) = [each for each in button.findChildren(OptionList) if each.isVisible()]
    QTest.keyClicks(listed.filter, "nothing like it")
    assert listed.rows.count() == 0
    QTest.keyClick(listed.filter, Qt.Key.Key_Return)
    QTest.keyClick(listed.filter, Qt.Key.Key_Escape)
    assert len(window.current.case.document.questions) == 6 if window.current.case is not None else False


def test_a_formula_over_answers_is_asked_and_follows_a_name(window: Window, qtbot: QtBot) -> None:
    choose(window, "add question", "a formula over other answers")
    place = len(window.current.case.document.questions) - 1 if window.current.case is not None else 0
    type_into(field(window, f"questions[{place}].derived"), "(T_hot - outer_surface)/heat_flow")
    settled(qtbot, window)
    card = window.checks.cards["derived"]
    assert card.value.text().startswith("0.742447") and card.value.text().endswith("m² K/W")
    assert card.verdict.text() == "✓ agrees" and "Derived" in card.asked.text()
    type_into(field(window, "question 0"), "loss")
    assert question(window, place)["derived"] == "(T_hot - outer_surface)/loss"
    type_into(field(window, f"questions[{place}].derived"), "loss/nothing")
    faults = [label.text() for label in window.sheet.findChildren(QLabel, "fault") if label.isVisibleTo(window.sheet)]
    assert any("there is no question, parameter or line of the working 'nothing'" in text for text in faults)
    assert question(window, place)["derived"] == "(T_hot - outer_surface)/loss"


def test_a_working_line_of_the_wrong_kind_is_refused_in_words(window: Window) -> None:
    before = window.current.case
    choose(window, "expect 0", "working: T_joint")
    bar = window.statusBar()
    assert bar is not None and "'T_joint' is not a heat flux" in bar.currentMessage()
    assert window.current.case is before


def test_points_and_lines_are_asked_for_and_placed(window: Window, qtbot: QtBot) -> None:
    choose(window, "add question", "temperature at a point")
    type_into(field(window, "questions[5].temperature[0]"), "t_brick/2")
    type_into(field(window, "questions[5].temperature[1]"), "50 mm")
    choose(window, "add question", "mean temperature along a line")
    type_into(field(window, "questions[6].mean.end[0]"), "t_brick")
    choose(window, "expect 6", "exact: composite-wall")
    settled(qtbot, window)
    assert window.outcome is not None
    hot, joint = 1253.15, 876.4676098815552
    assert [check.value for check in window.outcome.checks[5:]] == pytest.approx([(hot + joint) / 2] * 2, rel=1e-9)
    type_into(field(window, "questions[5].temperature[0]"), "2 m")
    qtbot.waitUntil(lambda: window.outcome is not None and window.outcome.trouble is not None, timeout=PATIENCE)
    link = window.sheet.findChild(QToolButton, "open questions[5].temperature")
    assert link is not None and "outside the body" in link.text()


def test_a_question_asks_about_several_surfaces_together(window: Window, qtbot: QtBot) -> None:
    choose(window, "target 0", "brick.left")
    choose(window, "target 0", "and shell.right too")
    settled(qtbot, window)
    assert window.current.case is not None and window.outcome is not None and window.outcome.ledger is not None
    assert window.current.case.data["questions"][0]["heat_flow"] == ["brick.left", "shell.right"]
    # What comes in on one side goes out on the other.
    flows = [abs(row.heat) for row in window.outcome.ledger.rows]
    assert abs(window.outcome.checks[0].value) < 1e-9 * max(flows)
    choose(window, "target 0", "without brick.left")
    settled(qtbot, window)
    assert window.current.case.data["questions"][0]["heat_flow"] == "shell.right"
    assert window.outcome.checks[0].value == pytest.approx(flows[1] / 0.1, rel=1e-9)  # per m² of 0.1 m by 1 m
    choose(window, "basis 0", "per metre")  # what is expected of it is per m²
    bar = window.statusBar()
    assert bar is not None and "a heat flow per length" in bar.currentMessage()


def test_surfaces_get_names_and_finer_places_get_triangles(window: Window, qtbot: QtBot) -> None:
    choose(window, "add surface name", "shell.right")
    type_into(field(window, "surface name surface"), "outer skin")
    choose(window, "members outer skin", "and shell.top")
    assert window.current.case is not None
    assert window.current.case.data["surfaces"] == {"outer skin": ["shell.right", "shell.top"]}
    choose(window, "members outer skin", "without shell.top")
    settled(qtbot, window)
    choose(window, "target 4", "outer skin")
    settled(qtbot, window)
    assert window.checks.cards["outer surface"].verdict.text() == "✓ agrees"
    assert window.outcome is not None and window.outcome.ledger is not None
    assert [row.name for row in window.outcome.ledger.rows] == ["brick.left", "outer skin"]
    button = window.sheet.findChild(QToolButton, "remove surface name outer skin")
    assert button is not None
    button.click()
    bar = window.statusBar()
    assert bar is not None and "'outer skin' is still used: the question" in bar.currentMessage()
    choose(window, "add finer place", "brick|blanket", "cells of a size")
    type_into(field(window, "mesh.local[0].size"), "2 mm")
    settled(qtbot, window)
    assert window.outcome.mesh is not None and window.outcome.mesh.blocks[0].family == "tri6"
    assert window.checks.cards["hot face"].verdict.text() == "✓ agrees"


def test_a_film_gains_a_flux_and_the_exact_wall_follows(window: Window, qtbot: QtBot) -> None:
    choose(window, "more 1", "and takes in a heat flux")
    type_into(field(window, "surroundings[1].flux"), "-0.4 kW/m²")
    choose(window, "mesh order", "linear")
    settled(qtbot, window)
    resistance = 0.114 / 0.35 + 0.05 / 0.12 + 0.003 / 45
    face = (980 / resistance + 12 * 25 - 400) / (1 / resistance + 12)
    assert window.outcome is not None
    assert window.outcome.checks[4].value - 273.15 == pytest.approx(face, rel=1e-9)
    assert window.checks.cards["hot face"].verdict.text() == "✓ agrees"
    assert window.checks.cards["heat flow"].verdict.text() == "✕ off", "the hand calculation knows nothing of the flux"


def test_a_part_is_cut_out_of_a_surface_and_moved(window: Window, qtbot: QtBot) -> None:
    choose(window, "add surface part", "brick.left")
    assert window.current.case is not None
    spot = window.current.case.data["surfaces"]["spot"]
    assert spot["on"] == "brick.left" and {spot["start"][0], spot["end"][0]} == {"0 mm"}
    type_into(field(window, "surfaces.spot.start[1]"), "25 mm")
    type_into(field(window, "surfaces.spot.end[1]"), "75 mm")
    settled(qtbot, window)
    assert window.outcome is not None and window.outcome.geometry is not None
    assert window.outcome.geometry.surfaces["spot"].area == pytest.approx(0.05)
    type_into(field(window, "surfaces.spot.start[0]"), "3 mm")
    settled(qtbot, window)
    assert "does not lie on the surface" in str(window.outcome.trouble)
    window.current.undo()
    type_into(field(window, "surface name spot"), "peephole")
    settled(qtbot, window)
    choose(window, "add surrounding", "peephole", "meets a fluid")
    settled(qtbot, window)
    assert window.outcome.ledger is not None
    assert "peephole" in {row.name for row in window.outcome.ledger.rows}
    for words, cells in (("free triangles", "triangles"), ("free, mostly four-sided", "mostly quadrilaterals")):
        choose(window, "mesh cells", words)
        assert window.current.case.data["mesh"]["cells"] == cells
    settled(qtbot, window)
    assert window.outcome.mesh is not None and "quad9" in {block.family for block in window.outcome.mesh.blocks}


def test_a_surface_is_divided_by_hand_in_the_sheet(window: Window, qtbot: QtBot) -> None:
    choose(window, "add finer place", "brick.bottom", "divided by hand")
    type_into(field(window, "divisions 0"), "23")
    settled(qtbot, window)
    assert window.outcome is not None and window.outcome.mesh is not None
    (edges,) = window.outcome.mesh.surfaces["brick.bottom"].blocks
    assert len(edges.nodes) == 23 and window.outcome.mesh.blocks[0].family == "quad9"
    type_into(field(window, "divisions 0"), "0")
    assert "greater than or equal to 1" in field(window, "divisions 0").toolTip()


def test_removing_a_region_says_what_goes_with_it(window: Window) -> None:
    button = next(b for b in window.sheet.findChildren(QToolButton, "remove shell"))
    window.sheet.ensureWidgetVisible(button)
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    said = window.statusBar().currentMessage()
    assert "the statement on shell.right" in said and "the question 'outer surface'" in said and "Ctrl+Z" in said
    assert window.current.case is not None and "shell" not in window.current.case.document.body.regions
    before = window.current.case
    button = next(b for b in window.sheet.findChildren(QToolButton, "remove brick"))
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    assert window.current.case is before  # the blanket is placed by it
    assert "'blanket' is placed by it" in window.statusBar().currentMessage()


def test_what_is_asked_at_a_place_begins_in_the_middle_of_the_body(window: Window, qtbot: QtBot) -> None:
    assert window.outcome is not None and window.outcome.geometry is not None
    low, high = (np.array(end) for end in (window.outcome.geometry.low, window.outcome.geometry.high))
    choose(window, "add question", "temperature at a point")
    choose(window, "add question", "mean temperature along a line")
    settled(qtbot, window)
    assert window.current.case is not None and window.outcome.trouble is None
    point, line = (each.readings[0] for each in window.current.case.document.questions[-2:])
    middle = (low + high) / 2
    assert [each.si for each in point.place] == pytest.approx(middle)
    assert isinstance(line.target, Line) and line.target.start is not None and line.target.end is not None
    assert [each.si for each in line.target.start] == pytest.approx([low[0], middle[1]])
    assert [each.si for each in line.target.end] == pytest.approx([high[0], middle[1]])
    window.show_case(family("hollow-cylinder").case(), None)  # in whose middle is none of it
    settled(qtbot, window)
    choose(window, "add question", "temperature at a point")
    settled(qtbot, window)
    assert window.outcome.trouble is None and not np.isnan(window.outcome.checks[-1].value)
