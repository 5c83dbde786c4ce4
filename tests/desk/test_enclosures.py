"""Surfaces that see each other, said in the sheet and on the card of a surface."""

from __future__ import annotations

from typing import Any

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QMenu, QToolButton
from pytestqt.qtbot import QtBot

from blunt_ember.case.case import case_from_data
from blunt_ember.case.editing.edits import value_at
from blunt_ember.desk.app.window import Window
from blunt_ember.desk.sheet.surface_card import SurfaceCard
from blunt_ember.desk.stage.seen_surfaces import seen_from
from blunt_ember.gallery.families import family
from tests.desk.conftest import PATIENCE, choose, field, settled, type_into


def door() -> dict[str, Any]:
    """The kiln door with a gap, before anything is said of the gap."""
    data = dict(family("door-gap").case().data)
    del data["enclosures"]
    return {**data, "questions": data["questions"][:1]}


@pytest.fixture
def window(empty_window: Window) -> Window:
    """Every test here opens a case of its own."""
    return empty_window


def opened(window: Window, qtbot: QtBot, data: dict[str, Any]) -> None:
    window.show_case(case_from_data(data), None)
    qtbot.waitUntil(
        lambda: (
            window.outcome is not None
            and window.outcome.case is window.current.case
            and (window.outcome.final or window.outcome.trouble is not None)
        ),
        timeout=PATIENCE,
    )


def said(window: Window, *path: str | int) -> Any:
    assert window.current.case is not None
    return value_at(window.current.case.data, path)


def waits_open(window: Window, qtbot: QtBot) -> None:
    """Wait until the case as it stands is known to lack something."""
    qtbot.waitUntil(
        lambda: (
            window.outcome is not None
            and window.outcome.case is window.current.case
            and window.outcome.trouble is not None
        ),
        timeout=PATIENCE,
    )


def test_a_gap_is_stated_its_opening_asked_for_and_closed(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, door())
    choose(window, "add enclosure", "tile.right and", "sheet.left")
    assert said(window, "enclosures", "enclosure", "faces") == [{"on": "tile.right"}, {"on": "sheet.left"}]
    waits_open(window, qtbot)
    assert window.outcome is not None
    assert "it is open" in str(window.outcome.trouble)
    with_lip = teal(window)
    asks = next(b for b in window.sheet.findChildren(QToolButton, "opening enclosure") if b.isVisibleTo(window.sheet))
    assert asks.text() == "what is behind its opening?"
    choose(window, "opening enclosure", "it is closed: what is missing is shared out")
    settled(qtbot, window)
    assert teal(window) < with_lip - 100  # the dashed lip of the opening, and what is said of it
    (check,) = window.outcome.checks
    assert check.expected is not None
    assert abs(check.value / check.expected - 1) < 1e-9
    type_into(field(window, "enclosure enclosure"), "gap")
    settled(qtbot, window)
    choose(window, "more face gap 1", "ε stated here")
    settled(qtbot, window)
    type_into(field(window, "enclosures.gap.faces[1].emissivity"), "0.1")
    settled(qtbot, window)
    assert said(window, "enclosures", "gap", "faces", 1, "emissivity") == "0.1"
    assert window.outcome.checks[0].value < check.value
    window.current.undo()
    settled(qtbot, window)
    assert said(window, "enclosures", "gap", "faces", 1, "emissivity") == "0.9"


def test_a_card_offers_what_a_surface_sees_and_says_it(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, door())
    assert window.outcome is not None
    card = window.card
    card.open_on("tile.right", QPoint(60, 60), window.outcome)
    choose_on(card, "say sees other surfaces", "sheet.left")
    waits_open(window, qtbot)
    assert said(window, "enclosures", "enclosure", "faces")[1] == {"on": "sheet.left"}
    choose(window, "opening enclosure", "something is behind an opening")
    settled(qtbot, window)
    assert said(window, "enclosures", "enclosure", "opening") == "20 °C"
    words = [label.text() for label in card.findChildren(QLabel) if label.isVisibleTo(card)]
    assert "looks into 'enclosure'," in words


def test_a_card_offers_first_what_a_surface_faces_and_then_a_shield_stands_between(
    window: Window, qtbot: QtBot
) -> None:
    """One click puts both faces into an enclosure, another one a sheet of one temperature into it: less passes."""
    opened(window, qtbot, door())
    assert window.outcome is not None
    window.card.open_on("tile.right", QPoint(60, 60), window.outcome)
    button = next(b for b in window.card.findChildren(QToolButton) if "which it faces" in b.text())
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    waits_open(window, qtbot)
    assert said(window, "enclosures", "enclosure", "faces") == [{"on": "tile.right"}, {"on": "sheet.left"}]
    choose(window, "opening enclosure", "it is closed: what is missing is shared out")
    settled(qtbot, window)
    before = window.outcome.checks[0].value
    choose(window, "shield enclosure", "a shield of one temperature")
    settled(qtbot, window)
    shield = said(window, "body", "regions", "shield")
    assert shield["start"][0] == shield["end"][0] == "72.5 mm"  # in the middle of the gap
    assert window.outcome.checks[0].value < 0.8 * before
    assert said(window, "isothermal") == [{"region": "shield"}]
    type_into(field(window, "enclosures.enclosure.faces[2].emissivity"), "0.02")
    settled(qtbot, window)
    assert window.outcome.checks[0].value < 0.7 * before
    window.current.undo()
    window.current.undo()
    settled(qtbot, window)
    assert window.outcome.checks[0].value == pytest.approx(before, rel=1e-12)


def test_a_row_of_rods_is_taken_out_and_put_back_into_its_row(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, dict(family("element-row").case().data))
    assert window.outcome is not None
    alone = window.outcome.checks[0].value
    choose(window, "repeats row", "it does not repeat")
    waits_open(window, qtbot)
    assert "it is open" in str(window.outcome.trouble)
    choose(window, "repeats row", "between wall.left and wall.right")
    settled(qtbot, window)
    assert said(window, "enclosures", "row", "repeats") == ["wall.left", "wall.right"]
    assert window.outcome.checks[0].value == pytest.approx(alone, rel=1e-9)


def choose_on(card: SurfaceCard, key: str, word: str) -> None:
    """Open a word of a card by a click and take one of its alternatives."""
    button = next(b for b in card.findChildren(QToolButton, key) if b.isVisibleTo(card))
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    menu = next(menu for menu in button.findChildren(QMenu) if menu.isVisible())
    next(action for action in menu.actions() if action.text() == word).trigger()
    menu.close()


def test_questions_of_radiation_are_asked_and_turned_in_the_sheet(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, dict(family("door-gap").case().data))
    settled(qtbot, window)
    choose(window, "add question", "view factor from", "tile.right", "to sheet.left")
    settled(qtbot, window)
    assert window.outcome is not None
    assert window.outcome.checks[-1].value == pytest.approx(1.0, abs=1e-12)
    choose(window, "add question", "net heat radiated from", "tile.right", "to sheet.left")
    settled(qtbot, window)
    place = len(window.outcome.checks) - 1
    there = window.outcome.checks[-1].value
    choose(window, f"target {place}", "sheet.left")
    qtbot.waitUntil(lambda: said(window, "questions", place, "exchange") == "sheet.left", timeout=PATIENCE)
    choose(window, f"to {place}", "tile.right")
    settled(qtbot, window)
    assert window.outcome.checks[-1].value == pytest.approx(-there)


def test_pointing_at_a_surface_lights_what_it_sees(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, dict(family("door-gap").case().data))
    settled(qtbot, window)
    assert window.outcome is not None
    assert seen_from(window.outcome.problem, "tile.right") == {"sheet.left": pytest.approx(1.0)}
    assert seen_from(window.outcome.problem, "tile.left") == {}
    before = teal(window)
    window.stage.light(("tile.right",))
    assert teal(window) > before + 20
    window.stage.light(())
    assert teal(window) == before


def teal(window: Window) -> int:
    """How many pixels of the stage are of the colour of what is seen."""
    image = window.stage.grab().toImage()
    colours = (image.pixelColor(x, y) for x in range(0, image.width(), 2) for y in range(0, image.height(), 2))
    return sum(colour.blue() > colour.red() + 40 and colour.green() > colour.red() + 40 for colour in colours)


def test_half_a_chamber_in_space_is_mirrored_and_what_it_sees_is_lit_through_the_walls(
    window: Window, qtbot: QtBot
) -> None:
    """Taken out of the mirror it is open; put back, the picture shows what the floor sees, with its shares."""
    opened(window, qtbot, dict(family("setting-chamber").case().data))
    assert window.outcome is not None and window.outcome.problem is not None
    choose(window, "mirrors chamber", "no longer in kiln.cut")
    waits_open(window, qtbot)
    assert "it is open" in str(window.outcome.trouble)
    choose(window, "mirrors chamber", "in kiln.cut")
    settled(qtbot, window)
    assert said(window, "enclosures", "chamber", "mirrors") == ["kiln.cut"]
    seen = seen_from(window.outcome.problem, "kiln.chamber bottom")
    assert sum(seen.values()) == pytest.approx(1.0, abs=1e-6)
    dark = window.stage.grab().toImage()
    window.stage.light(("kiln.chamber bottom",))
    QTest.qWait(50)
    assert window.stage.grab().toImage() != dark


def test_a_plate_is_given_one_temperature_and_its_own_again(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, door())
    choose(window, "add enclosure", "tile.right and", "sheet.left")
    choose(window, "opening enclosure", "it is closed: what is missing is shared out")
    settled(qtbot, window)
    assert window.outcome is not None and window.outcome.problem is not None
    before = window.outcome.checks[0].value
    choose(window, "add isothermal", "tile")
    settled(qtbot, window)
    assert said(window, "isothermal") == [{"region": "tile"}]
    assert window.outcome.solution is not None
    tile = window.outcome.solution.temperature[window.outcome.mesh.surfaces["tile.right"].nodes]
    assert tile == pytest.approx(1213.15, abs=1e-6), "it is held on its other side"
    assert window.outcome.checks[0].value > 1.5 * before
    choose(window, "isothermal 0", "also sheet")
    waits_or_settles(window, qtbot)
    assert said(window, "isothermal") == [{"region": ["tile", "sheet"]}]
    window.current.undo()
    settled(qtbot, window)
    window.sheet.findChild(QToolButton, "remove isothermal 0").click()
    settled(qtbot, window)
    assert not said(window, "isothermal")
    assert window.outcome.checks[0].value == pytest.approx(before, rel=1e-9)


def waits_or_settles(window: Window, qtbot: QtBot) -> None:
    """Wait until what is shown is of the case as it stands."""
    qtbot.waitUntil(lambda: window.outcome is not None and window.outcome.case is window.current.case, timeout=PATIENCE)


def test_surfaces_that_radiate_to_surroundings_and_face_each_other_become_an_enclosure_by_a_click(
    window: Window, qtbot: QtBot
) -> None:
    data = door()
    radiating = {"on": ["tile.right", "sheet.left"], "radiation": {"temperature": "20 °C", "emissivity": "0.8"}}
    opened(window, qtbot, {**data, "surroundings": [*data["surroundings"], radiating]})
    button = window.sheet.findChild(QToolButton, "enclose")
    assert button is not None and button.text() == "put what sees each other into an enclosure"
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    faces = [{"on": ["tile.right", "sheet.left"], "emissivity": "0.8"}]
    qtbot.waitUntil(lambda: "enclosures" in said(window), timeout=PATIENCE)
    assert said(window, "enclosures") == {"enclosure": {"faces": faces, "opening": "20 °C"}}
    assert said(window, "surroundings") == data["surroundings"]
    settled(qtbot, window)
    qtbot.waitUntil(lambda: window.sheet.findChild(QToolButton, "enclose") is None, timeout=PATIENCE)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: "enclosures" not in said(window), timeout=PATIENCE)
