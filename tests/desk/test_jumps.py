"""A click on an open item leads to what states it, wherever that is and whatever it is called."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QToolButton, QWidget
from pytestqt.qtbot import QtBot

from blunt_ember.case.case import case_from_data
from blunt_ember.desk.app.window import Window
from blunt_ember.desk.sheet.rows import RowWidget
from blunt_ember.errors import DataPath, path_text
from blunt_ember.gallery.families import family
from tests.desk.conftest import PATIENCE, settled


def without_at(data: Any, path: DataPath) -> Any:
    """Data less the entry at a path."""
    if len(path) == 1:
        return {key: entry for key, entry in data.items() if key != path[0]}
    if isinstance(data, list):
        return [without_at(entry, path[1:]) if at == path[0] else entry for at, entry in enumerate(data)]
    return {key: without_at(entry, path[1:]) if key == path[0] else entry for key, entry in data.items()}


def place_of(window: Window, widget: QWidget) -> DataPath:
    """The place of the document that a field or word of the sheet states; empty where it states none."""
    parts = (each for row in window.sheet.findChildren(RowWidget) for each in row.focusable_parts())
    return next((part.at for part, other in parts if other is widget and part.at), ())


def data_of(name: str) -> dict[str, Any]:
    return dict(family(name).case().data)


def with_space(data: dict[str, Any]) -> dict[str, Any]:
    regions = {"part 2" if name == "shell" else name: region for name, region in data["body"]["regions"].items()}
    entries = [{**entry, "on": entry["on"].replace("shell", "part 2")} for entry in data["surroundings"]]
    return {**data, "body": {**data["body"], "regions": regions}, "surroundings": entries, "questions": []}


PIECE = next(iter(data_of("rod-held-tip")["body"]["pieces"]))
FLOOR = data_of("stacked-floor")["body"]["regions"]
REGION = next(name for name, region in FLOOR.items() if "levels" in region)
LEVEL = next(iter(FLOOR[REGION]["levels"]))
WALL = data_of("composite-wall")


OPEN: tuple[tuple[dict[str, Any], DataPath], ...] = (
    (data_of("rod-held-tip"), ("body", "pieces", PIECE, "material")),
    (data_of("stacked-floor"), ("body", "regions", REGION, "levels", LEVEL, "material")),
    (WALL, ("body", "regions", "blanket", "material")),
    (with_space(WALL), ("body", "regions", "part 2", "material")),
    (WALL, ("materials", "brick", "k")),
)


def test_an_open_item_is_one_click_from_its_field(window: Window, qtbot: QtBot) -> None:
    for data, path in OPEN:
        window.show_case(case_from_data(without_at(data, path)), None)
        settled(qtbot, window)
        link = window.sheet.findChild(QToolButton, f"open {path_text(path)}")
        assert link is not None
        QTest.mouseClick(link, Qt.MouseButton.LeftButton)
        place = QApplication.focusWidget()
        assert place is not None and place_of(window, place)[:2] == path[:2]
        assert place_of(window, place)[: len(path) - 1] == path[:-1], "the row of what is open"


PLACES: tuple[DataPath, ...] = (
    ("questions", 2, "tolerance"),
    ("surroundings", 1, "film", "h"),
    ("mesh", "size"),
    ("working", "q"),
    ("clock",),
)


def test_any_place_of_a_case_is_found(window: Window) -> None:
    for path in PLACES:
        window.sheet.jump_to(path)
        place = QApplication.focusWidget()
        assert place is not None
        found = place_of(window, place)
        assert found[: min(2, len(path))] == path[:2] or path == ("clock",)


def test_a_name_that_was_meant_is_used_by_a_click(window: Window, qtbot: QtBot) -> None:
    wrong = [{**entry, "on": [entry["on"].replace("brick.left", "brick.lefft")]} for entry in WALL["surroundings"]]
    questions = [{**WALL["questions"][0], "heat_flow": ["brick.left", "shel.right"]}, *WALL["questions"][1:]]
    window.show_case(case_from_data({**WALL, "surroundings": wrong, "questions": questions}), None)
    for right in ("brick.left", "shell.right"):
        name = f"use {right}"
        qtbot.waitUntil(lambda name=name: window.sheet.findChild(QToolButton, name) is not None, timeout=PATIENCE)
        button = window.sheet.findChild(QToolButton, name)
        assert button is not None
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    settled(qtbot, window)
    assert window.current.case is not None
    data = window.current.case.data
    assert data["surroundings"][0]["on"] == ["brick.left"]
    assert data["questions"][0]["heat_flow"] == ["brick.left", "shell.right"]
    assert window.sheet.findChild(QToolButton, "use brick.left") is None
