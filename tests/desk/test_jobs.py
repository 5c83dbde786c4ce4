"""Whole jobs from the start page to a verdict, by clicks and keys that are counted."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QPushButton, QToolButton
from pytestqt.qtbot import QtBot

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


def test_a_building_corner_whose_floor_pierces_the_insulation_takes_forty_actions(window: Window, qtbot: QtBot) -> None:
    hand = Hand(window, qtbot)
    hand.begins("blank stacked")
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
    assert hand.actions <= 40
    settled(qtbot, window)
    # What cells down to half the size in every direction tend to.
    for check, true in zip(window.outcome.checks, (17.0778, 51.0667, -68.1445), strict=True):
        assert check.value == pytest.approx(true, rel=2e-3) and check.error is not None
        assert abs(check.value - true) < check.error
