"""The clock through the window: stated in the sheet, run, scrubbed, compared, stopped, exported."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QLabel, QPushButton, QToolButton, QWidget
from pytestqt.qtbot import QtBot

from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.values.display import shown
from blunt_ember.desk.app.exports import export_animation
from blunt_ember.desk.app.window import Window
from blunt_ember.desk.stage.tools.readings import values_seen
from blunt_ember.gallery.families import family
from tests.desk.conftest import PATIENCE, answered, choose, field, settled, type_into


@pytest.fixture
def window(empty_window: Window) -> Window:
    """Every test here opens a case of its own."""
    return empty_window


def opened(window: Window, qtbot: QtBot, name: str) -> None:
    # A rough run does for what is looked at here.
    window.show_case(with_value(family(name).case(), ("clock", "tolerance"), "0.5 %"), None)
    settled(qtbot, window)


def clicked(window: Window, key: str) -> None:
    """Click a word that has but one thing to do."""
    word = next(each for each in window.sheet.findChildren(QToolButton, key) if each.isVisibleTo(window.sheet))
    window.sheet.ensureWidgetVisible(word)
    QTest.mouseClick(word, Qt.MouseButton.LeftButton)


def image_of(widget: QWidget) -> bytes:
    """What is painted, byte by byte."""
    return bytes(widget.grab().toImage().bits().asarray(widget.grab().toImage().sizeInBytes()))


def heat_of(window: Window, name: str) -> float:
    label = window.checks.findChild(QLabel, f"ledger {name}")
    assert label is not None
    return float(label.text().replace("\u2009", "").replace("−", "-"))


def test_a_steady_case_is_made_to_run_and_asked_for_what_it_lacks(window: Window, qtbot: QtBot) -> None:
    window.show_case(family("plane-wall").case(), None)
    answered(qtbot, window)
    clicked(window, "run the clock")
    answered(qtbot, window)
    assert window.outcome is not None and "state the density of 'plate'" in str(window.outcome.trouble)
    type_into(field(window, "materials.plate.density"), "2400 kg/m³")
    type_into(field(window, "materials.plate.c"), "900 J/(kg K)")
    answered(qtbot, window)
    outcome = window.outcome
    assert outcome is not None and outcome.trouble is None and outcome.run is not None and outcome.scales is not None
    assert outcome.run.met  # with nothing said of its end it runs until it has settled
    said = " ".join(label.text() for label in window.sheet.findChildren(QLabel))
    assert "slowest time constant" in said and "first step" in said
    clicked(window, "suggested end")
    answered(qtbot, window)
    assert window.outcome is not None and window.outcome.run is not None
    assert window.outcome.run.times[-1] == pytest.approx(5 * outcome.scales.slowest, rel=0.05)
    assert window.current.case is not None
    assert window.current.case.document.running_clock is not None
    assert window.current.case.document.running_clock.end is not None
    window.current.undo()
    window.current.undo()
    assert (
        window.current.case.data["materials"]["plate"].get("c") is None
        or "end" not in window.current.case.data["clock"]
    )


def test_a_run_is_scrubbed_by_hand_and_by_key_and_plays(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "cooling-wall")
    bar, run = window.strip.time_bar, window.outcome.run
    assert run is not None and bar.isVisible() and bar.frame == len(run.fields.times) - 1
    last = window.stage.picture()
    QTest.keyClick(window, Qt.Key.Key_Home, Qt.KeyboardModifier.ControlModifier)
    qtbot.wait(60)
    assert bar.frame == 0 and window.stage.picture() != last
    assert heat_of(window, "wall.left") == pytest.approx(-85 * 622 * 0.0075, rel=0.03)  # h A (T_start − T_air)
    QTest.keyClick(window, Qt.Key.Key_Right, Qt.KeyboardModifier.ControlModifier)
    assert bar.frame == 1
    bar.go(bar.slider.maximum() // 2)
    qtbot.waitUntil(lambda: window.stage.picture() is not None and not window.strip._soon.isActive())
    profile = window.strip.chart.profile
    assert profile is not None and profile.exact is not None
    assert np.nanmax(np.abs(profile.mesh - profile.exact)) < 0.005 * (run.highest.max() - run.lowest.min())
    window.strip.choose_view("over time")
    view = window.strip.history
    qtbot.wait(60)
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(view.width() // 2, view.height() // 2))
    assert view.cursor_time == pytest.approx(run.times[-1] / 2, rel=0.1)
    assert bar.frame == pytest.approx(np.searchsorted(run.fields.times, view.cursor_time), abs=1)
    whole = window.checks.findChild(QPushButton, "whole run")
    assert whole is not None
    QTest.mouseClick(whole, Qt.MouseButton.LeftButton)
    instant = int(np.argmin(np.abs(run.times - view.cursor_time)))
    assert heat_of(window, "wall.left") == pytest.approx(run.passed[instant, run.column("wall.left")] / 1e3, rel=1e-3)
    bar.speed.setCurrentIndex(bar.speed.count() - 1)
    bar.go(0)
    QTest.mouseClick(bar.play, Qt.MouseButton.LeftButton)
    assert bar.playing
    qtbot.waitUntil(lambda: not bar.playing, timeout=PATIENCE)
    assert bar.frame == len(run.fields.times) - 1


def test_the_picture_is_coloured_over_the_run_or_the_instant(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "quenched-wall")
    bar = window.strip.time_bar
    bar.go(bar.slider.maximum() // 2)
    qtbot.wait(60)
    over_run = window.stage.picture()
    QTest.mouseClick(bar.whole, Qt.MouseButton.LeftButton)
    qtbot.wait(60)
    assert bar.whole.text() == "range of the instant" and window.stage.picture() != over_run


def test_stages_are_stated_drawn_and_obeyed(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "cooling-wall-one-sided")
    choose(window, "more of the clock", "a stage with surroundings of its own")
    answered(qtbot, window)
    choose(window, "more of the clock", "a stage with surroundings of its own")
    answered(qtbot, window)
    choose(window, "add to stage 1", "wall.right", "held at a temperature")
    answered(qtbot, window)
    type_into(field(window, "clock.stages[1].surroundings[0].temperature"), "300 °C")
    answered(qtbot, window)
    outcome = window.outcome
    assert outcome is not None and outcome.run is not None and len(outcome.run.stage_ends) == 2
    assert outcome.run.stage_ends[0] == pytest.approx(1500.0)
    assert outcome.problem is not None and outcome.problem.held["wall.right"].constant == pytest.approx(573.15)
    window.strip.choose_view("time line")
    qtbot.wait(60)
    assert window.strip.time_line.grab().toImage().pixelColor(5, 5).isValid()
    assert {check.verdict for check in outcome.checks} == {"open"}  # no series holds for two stages
    type_into(field(window, "clock.stages[1].lasts"), "5 mm")
    assert "is not a time" in field(window, "clock.stages[1].lasts").toolTip()


def a_run_in_steps(window: Window, qtbot: QtBot) -> None:
    """A film that hardly swings: what follows time is not exact in time."""
    film = {"h": "h_out*(1 + 1e-9*sin(t/1 h))", "temperature": "T_air"}
    window.show_case(with_value(family("cooling-wall").case(), ("surroundings", 0, "film"), film), None)
    settled(qtbot, window)


def test_a_long_run_says_how_far_it_is_and_stopping_keeps_what_it_has(window: Window, qtbot: QtBot) -> None:
    a_run_in_steps(window, qtbot)
    window.set_live(False)
    type_into(field(window, "clock.tolerance"), "0.00002 %")
    assert window.current.case is not None
    with qtbot.waitSignal(window.solver.stepped, timeout=PATIENCE):
        window.solve_or_stop()
    qtbot.wait(400)
    state = window.header.findChild(QLabel, "state")
    assert state is not None and state.text().startswith("reached ") and "steps" in state.text()
    window.solve_or_stop()
    settled(qtbot, window)
    outcome = window.outcome
    assert outcome is not None and outcome.run is not None and outcome.run.unfinished
    assert 0 < outcome.run.times[-1] < 1200 and state.text().startswith("unfinished")
    assert any("stopped" in note.message for note in outcome.notes)
    window.strip.time_bar.go(0)  # what was kept can be looked at
    assert window.strip.time_bar.slider.maximum() > 3


def test_a_run_that_does_not_end_when_asked_is_ended_and_that_is_said(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("blunt_ember.desk.solver.solver.STOP_PATIENCE_MS", 0)
    a_run_in_steps(window, qtbot)
    window.set_live(False)
    type_into(field(window, "clock.tolerance"), "0.00002 %")
    with qtbot.waitSignal(window.solver.stepped, timeout=PATIENCE):
        window.solve_or_stop()
    with qtbot.waitSignal(window.solver.stopped, timeout=PATIENCE):
        window.solve_or_stop()
    solve, state = (window.header.findChild(*each) for each in ((QPushButton, "solve"), (QLabel, "state")))
    assert solve is not None and solve.text().startswith("Solve") and not window.solver.busy
    assert state is not None and state.text() == "stopped; F5 solves again"
    assert "stopped" in window.stage._stale


@pytest.mark.parametrize("suffix", [".gif", ".png"])
def test_the_run_is_exported_as_moving_pictures(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, suffix: str
) -> None:
    opened(window, qtbot, "settling-wall")
    assert window.current.case is not None
    window.show_case(
        window.current.case.restated(
            {**window.current.case.data, "clock": {"start": "25 °C", "end": "9 min", "every": "90 s"}}
        ),
        None,
    )
    answered(qtbot, window)
    path = tmp_path / f"run{suffix}"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    export_animation(window)
    bar = window.statusBar()
    assert bar is not None
    qtbot.waitUntil(lambda: bar.currentMessage() == f"exported {path}", timeout=PATIENCE)
    if suffix == ".png":
        pictures = sorted(tmp_path.glob("run-*.png"))
        assert len(pictures) == 7
        assert (
            np.abs(np.asarray(Image.open(pictures[0]), float) - np.asarray(Image.open(pictures[-1]), float)).max() > 50
        )
    else:
        with Image.open(path) as made:
            assert getattr(made, "n_frames", 1) == 7


def test_time_is_asked_for_in_the_sheet(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "cooling-sphere")
    choose(window, "add question", "the time when a temperature is passed")
    answered(qtbot, window)
    type_into(field(window, "questions[4].when.passes"), "400 °C")
    answered(qtbot, window)
    card = window.checks.cards["time"]
    assert "the highest temperature of the body passes 400 °C" in card.asked.text()
    assert "min" in card.value.text()
    choose(window, "time 0", "at a time")
    answered(qtbot, window)
    assert window.outcome is not None and window.outcome.run is not None
    assert np.abs(window.outcome.run.times - 600.0).min() < 1e-6
    assert ", at 10 min" in window.checks.cards["middle"].asked.text()


def test_several_histories_stand_in_one_chart_with_the_steady_answer(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "cooling-wall")
    window.strip.choose_view("over time")
    view = window.strip.history
    before = image_of(view)
    offered = [action.text() for action in view.beside.menu().actions()]
    assert offered == ["face", "middle after 5 min", "the steady answer"]
    view.beside.menu().actions()[0].trigger()
    with_face = image_of(view)
    assert with_face != before
    view.beside.menu().actions()[-1].trigger()
    qtbot.waitUntil(lambda: view.steady is not None, timeout=PATIENCE)
    assert view.steady == pytest.approx(18 + 273.15, abs=1e-6)  # the air, as nothing else acts
    qtbot.waitUntil(lambda: image_of(view) != with_face, timeout=PATIENCE)
    view.choose("heat stored")
    assert not view.beside.isVisible()


def test_what_has_no_steady_answer_says_why(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "swinging-wall")
    window.strip.choose_view("over time")
    window.strip.history.beside.menu().actions()[-1].trigger()
    said = window.strip._source
    qtbot.waitUntil(lambda: "no steady answer" in said.text(), timeout=PATIENCE)
    assert "depends on t" in said.text()


def test_what_is_read_on_the_picture_is_of_the_instant_that_is_seen(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "cooling-wall")
    outcome, bar = window.outcome, window.strip.time_bar
    assert outcome is not None and outcome.run is not None
    at_the_end = values_seen(outcome)
    asked = {check.name: shown(check.value, check.kind) for check in outcome.checks}
    assert at_the_end == asked
    bar.go(bar.slider.maximum() // 2)
    seen = outcome.at_frame(bar.slider.value())
    assert seen.instant is not None and 0 < seen.instant < outcome.run.times[-1]
    now = values_seen(seen)
    middle = next(history for history in outcome.histories if history.name == "middle")
    assert now["middle"] == shown(float(np.interp(seen.instant, outcome.run.times, middle.values)), middle.kind)
    assert now["middle"] != asked["middle"] and now["middle after 5 min"] == asked["middle after 5 min"]
