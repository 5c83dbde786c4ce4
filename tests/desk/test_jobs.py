"""Whole jobs from the start page to a verdict, by clicks and keys that are counted."""

from __future__ import annotations

from typing import Any

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QPushButton, QToolButton, QWidget
from pytestqt.qtbot import QtBot

from blunt_ember.case.editing.edits import with_value
from blunt_ember.desk.app.window import Window
from tests.desk.conftest import PATIENCE, choose, field, settled, type_into


class Hand:
    """A hand at the window: each value typed, and each thing chosen from a menu, is one action."""

    def __init__(self, window: Window, qtbot: QtBot) -> None:
        self.window, self.qtbot, self.actions = window, qtbot, 0

    def begins(self, card: str) -> None:
        self.window._pages.setCurrentIndex(0)
        button = self.window.start_page.findChild(QPushButton, card)
        assert button is not None
        self.qtbot.waitUntil(lambda: not button.picture.pixmap().isNull(), timeout=PATIENCE)
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.actions += 1
        self._looks()

    def notes(self, line: str) -> None:
        """Types a problem on the start page and takes it."""
        self.window._pages.setCurrentIndex(0)
        noted = self.window.start_page.line
        QTest.mouseClick(noted.field.viewport(), Qt.MouseButton.LeftButton)
        QTest.keyClicks(noted.field, line)
        self.qtbot.waitUntil(lambda: not noted._after.isActive(), timeout=PATIENCE)
        QTest.keyClick(noted.field, Qt.Key.Key_Return)
        self.actions += 1
        settled(self.qtbot, self.window)

    def clicks(self, owner: QWidget, name: str) -> None:
        button = next(each for each in owner.findChildren(QAbstractButton, name) if each.isVisible())
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.actions += 1

    def verdicts(self) -> set[str]:
        settled(self.qtbot, self.window)
        return {check.verdict for check in self.window.outcome.checks}

    def types(self, key: str, text: str) -> None:
        type_into(field(self.window, key), text)
        self.actions += 1

    def chooses(self, key: str, *words: str) -> None:
        self._looks()
        choose(self.window, key, *words)
        self.actions += 1

    def removes(self, key: str) -> None:
        button = next(each for each in self.window.sheet.findChildren(QToolButton, key) if each.isVisible())
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.actions += 1

    def meshes(self, **stated: Any) -> None:
        """Change the mesh, which is no action: a coarse one does while the case is being stated."""
        self.window.current.edit("mesh", lambda case: with_value(case, ("mesh",), stated))

    def _looks(self) -> None:
        """What can be chosen follows from the body."""
        self.qtbot.waitUntil(
            lambda: (
                bool(self.window.outcome and self.window.outcome.case is self.window.current.case)
                and self.window.outcome.geometry is not None
            ),
            timeout=PATIENCE,
        )
        self.qtbot.wait(30)


def test_a_corner_whose_floor_pierces_the_insulation_takes_thirty_one_actions(window: Window, qtbot: QtBot) -> None:
    hand = Hand(window, qtbot)
    hand.begins("blank stacked")
    hand.meshes(size="600 mm", across=1, order=1)
    for line in (
        "foam: 1200 x 1200 x 2180 mm of foam",
        "wall: 1100 x 1100 x 2180 mm at 100, 100, 0 mm of brick",
        "floor: 1600 x 1600 x 180 mm at -400, -400, 1000 mm of concrete",
        "low: 900 x 900 x 1000 mm at 300, 300, 0 mm void",
        "high: 900 x 900 x 1000 mm at 300, 300, 1180 mm void",
    ):
        hand.types("note region", line)
    hand.removes("remove part")
    for name, k in (("foam", "0.035"), ("brick", "0.8"), ("concrete", "2.1")):
        hand.types(f"materials.{name}.k", f"{k} W/mK")
    around = (
        (15, 8, ("wall.low front", "wall.low left", "floor.low top")),
        (20, 8, ("wall.high front", "wall.high left", "floor.high bottom")),
        (-5, 25, ("foam.front", "foam.left", "floor.front", "floor.left", "floor.bottom", "floor.top")),
    )
    for place, (celsius, h, surfaces) in enumerate(around):
        hand.chooses("add surrounding", surfaces[0], "meets a fluid")
        hand.types(f"surroundings[{place}].film.h", f"{h}")
        hand.types(f"surroundings[{place}].film.temperature", f"{celsius}")
        for other in surfaces[1:]:
            hand.chooses(f"surface {place}", f"also on {other}")
    for _, _, surfaces in around:
        hand.chooses("add question", "heat flow through", f"{', '.join(surfaces[:-1])} and {surfaces[-1]}")
    assert hand.actions == 31
    hand.meshes()
    settled(qtbot, window)
    # What cells down to half the size in every direction tend to.
    for check, true in zip(window.outcome.checks, (17.0778, 51.0667, -68.1445), strict=True):
        assert check.value == pytest.approx(true, rel=2e-3) and check.error is not None
        assert abs(check.value - true) < check.error


@pytest.mark.parametrize(
    "line",
    [
        "wall 114 mm k 0.35; left 980 °C; right air 12 W/m2K 25 °C",
        "wall 4 mm k 1, 16 mm k 0.026, 4 mm k 1; left air 8 W/m2K 20 °C; right air 25 W/m2K -5 °C",
    ],
)
def test_walls_and_windows_take_one_line(line: str, window: Window, qtbot: QtBot) -> None:
    hand = Hand(window, qtbot)
    hand.notes(line)
    assert hand.verdicts() == {"agrees"} and hand.actions == 1


def test_a_fin_with_its_table_takes_three_actions(window: Window, qtbot: QtBot) -> None:
    hand = Hand(window, qtbot)
    hand.notes("fin 38 x 1.6 mm k 180, base 72 °C, film 42 W/m2K 24 °C")
    assert "off" not in hand.verdicts()
    hand.clicks(window.strip, "view table")
    tables = window.strip.tables
    tables.which.setFocus()
    while tables.which.currentText() != "nodes":
        QTest.keyClick(tables.which, Qt.Key.Key_Down)
    tables.which.activated.emit(tables.which.currentIndex())
    hand.actions += 1
    qtbot.waitUntil(lambda: tables.grid.model().rowCount() > 100, timeout=PATIENCE)
    assert hand.actions == 3


def test_a_tapered_slab_is_solved_steady_then_in_time_and_played(window: Window, qtbot: QtBot) -> None:
    hand = Hand(window, qtbot)
    hand.notes("lid 0.7 m long, 0.09 to 0.06 m thick k 1.4; under 640 °C; above air 9 W/m2K 25 °C")
    assert "off" not in hand.verdicts() and window.outcome.run is None
    hand.clicks(window.sheet, "run the clock")
    name = next(iter(window.current.case.document.materials))
    hand.types(f"materials.{name}.density", "2000 kg/m3")
    hand.types(f"materials.{name}.c", "900 J/kgK")
    hand.types("clock.start", "25 °C")
    hand.chooses("end of the clock", "at a time")
    hand.types("clock.end", "4 h")
    settled(qtbot, window)
    run = window.outcome.run
    assert run is not None and run.times[-1] == pytest.approx(4 * 3600)
    window.strip.time_bar.go(0)
    QTest.mouseClick(window.strip.time_bar.play, Qt.MouseButton.LeftButton)
    hand.actions += 1
    assert window.strip.time_bar.playing and hand.actions == 8
    QTest.mouseClick(window.strip.time_bar.play, Qt.MouseButton.LeftButton)


def test_a_cooling_block_takes_thirteen_actions(window: Window, qtbot: QtBot) -> None:
    """A plate of aluminium with a bore that water runs through, heated from above."""
    hand = Hand(window, qtbot)
    hand.begins("blank stacked")
    hand.meshes(size="30 mm", across=1, order=1)
    hand.types("note region", "block: 80 x 60 x 30 mm of aluminium")
    hand.types("note region", "bore: 20 x 60 x 12 mm at 30, 0, 9 mm void")
    hand.removes("remove part")
    hand.chooses("add surrounding", "block.top", "takes in a heat flux")
    hand.types("surroundings[0].flux", "40 kW/m2")
    hand.chooses("add surrounding", "block.bore bottom", "meets a fluid")
    hand.types("surroundings[1].film.h", "4500")
    hand.types("surroundings[1].film.temperature", "18")
    for side in ("left", "right", "top"):
        hand.chooses("surface 1", f"also on block.bore {side}")
    hand.chooses("add question", "highest temperature of a surface", "block.top")
    assert hand.actions == 13
    hand.meshes()
    settled(qtbot, window)
    (hottest,) = window.outcome.checks
    # More than were all the bore as warm, and the block without resistance; less than a fin as wide as the plate.
    least = 18 + 40e3 * 0.08 / (4500 * 2 * (0.02 + 0.012))
    assert least + 273.15 < hottest.value < least + 273.15 + 20
    assert abs(window.outcome.ledger.relative) < 1e-9
