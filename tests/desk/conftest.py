"""A real window with a real solver process; settings in a folder of the test."""

from __future__ import annotations

import gc
import multiprocessing
import os
import tempfile
import threading
from collections.abc import Iterator
from multiprocessing.util import get_temp_dir
from pathlib import Path

import pytest
from PyQt6.QtCore import QCoreApplication, QEvent, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMenu, QToolButton, QWidget
from pytestqt.qtbot import QtBot

from blunt_ember.desk.app.application import application
from blunt_ember.desk.app.window import Window
from blunt_ember.desk.sheet.fields import EntryField
from blunt_ember.desk.sheet.option_list import OptionList
from blunt_ember.gallery.families import demo_case
from blunt_ember.in_threads import NAME as SHARED_WORK
from blunt_ember.kept_imports import keep_imported
from blunt_ember.picture.charts.plot import charts_imported

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

#: How long a test waits for what is instant on a machine that is not busy, ms.
PATIENCE = int(os.environ.get("BLUNT_EMBER_PATIENCE_MS", "120000"))


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    for item in items:
        item.add_marker(pytest.mark.qt_log_level_fail("WARNING"))
        item.add_marker(pytest.mark.qt_log_ignore("^This plugin does not support", extend=True))


@pytest.fixture(scope="session", autouse=True)
def imported() -> None:
    """What was imported is not looked through again after every test, and no thread still imports."""
    charts_imported().result()
    gc.collect()
    keep_imported()


@pytest.fixture(scope="session")
def _cached(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """What one test has drawn need not be drawn for the next."""
    return tmp_path_factory.mktemp("cache")


@pytest.fixture(autouse=True)
def _own_settings(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, _cached: Path) -> None:
    from PyQt6.QtCore import QSettings

    monkeypatch.setenv("XDG_CACHE_HOME", str(_cached))
    QSettings.setPath(QSettings.Format.IniFormat, QSettings.Scope.UserScope, str(tmp_path / "config"))
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))


@pytest.fixture(autouse=True)
def _leaves_nothing(qapp: QApplication, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Fail a test that leaves a widget, a thread, a process or a temporary file behind."""
    scratch = tmp_path / "scratch"
    scratch.mkdir()
    get_temp_dir()  # of the processes to come, which lasts as long as the tests
    monkeypatch.setattr(tempfile, "tempdir", str(scratch))
    threads = set(threading.enumerate())
    yield
    for _ in range(2):  # what is let go of may let go of more
        gc.collect()
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    keep_imported()  # nor is what stays, which was imported or is kept meanwhile
    for process in multiprocessing.active_children():  # one that was killed may not be told of yet
        process.join(PATIENCE / 1000)
    widgets = qapp.topLevelWidgets()
    left = [f"{type(each).__name__} '{each.windowTitle() or each.objectName()}'" for each in widgets]
    begun = [thread.name for thread in set(threading.enumerate()) - threads]
    left += [f"thread {name}" for name in begun if not name.startswith(SHARED_WORK)]  # which stay for good
    left += [f"process {process.name}" for process in multiprocessing.active_children()]
    left += [f"file {path.relative_to(scratch)}" for path in scratch.rglob("*")]
    assert not left, "\n".join(left)


@pytest.fixture
def empty_window(qapp: object, qtbot: QtBot, tmp_path: Path) -> Iterator[Window]:
    """The desk, without a case on it yet."""
    application()
    made = Window()
    made._pages.setCurrentIndex(1)
    made.show()
    qtbot.waitExposed(made)
    yield made
    made.commit_typing()
    made.current.saved(tmp_path / "left.ember")  # nothing is left to save
    made.close()
    made.deleteLater()


@pytest.fixture
def window(empty_window: Window, qtbot: QtBot) -> Window:
    """The desk with the demo on it, solved."""
    empty_window.show_case(demo_case(), None)
    settled(qtbot, empty_window)
    return empty_window


def settled(qtbot: QtBot, window: Window) -> None:
    """Wait for the final outcome of the case as it stands."""
    qtbot.waitUntil(
        lambda: window.outcome is not None and window.outcome.final and window.outcome.case is window.current.case,
        timeout=PATIENCE,
    )
    qtbot.wait(20)


def answered(qtbot: QtBot, window: Window) -> None:
    """Wait for the answers of the case as it stands, or for why there are none, without the errors, which take the
    longest where a clock runs."""

    def is_answered() -> bool:
        found = window.outcome
        return found is not None and found.case is window.current.case and bool(found.checks or found.final)

    qtbot.waitUntil(is_answered, timeout=PATIENCE)
    qtbot.wait(20)


def field(window: Window, key: str) -> EntryField:
    found = window.sheet.entry(key)
    assert found is not None, key
    window.sheet.ensureWidgetVisible(found)
    return found


def type_into(widget: QWidget, text: str, key: Qt.Key = Qt.Key.Key_Return) -> None:
    """Replace the text of a field by real key events."""
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton)
    QTest.keyClick(widget, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClicks(widget, text)
    QTest.keyClick(widget, key)


def take(listed: OptionList, *words: str) -> None:
    """Take an option of a long list, one within the other, by its keys."""
    for word in words:
        row = next(row for row in range(listed.rows.count()) if listed.rows.item(row).text() in (word, f"{word} ›"))
        while listed.rows.currentRow() != row:
            QTest.keyClick(listed.filter, Qt.Key.Key_Down if row > listed.rows.currentRow() else Qt.Key.Key_Up)
        QTest.keyClick(listed.filter, Qt.Key.Key_Return)


def choose(window: Window, key: str, *words: str) -> None:
    """Open a word's alternatives by a click and take one."""
    button = next(b for b in window.sheet.findChildren(QToolButton, key) if b.isVisibleTo(window.sheet))
    window.sheet.ensureWidgetVisible(button)
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    listed = next((each for each in button.findChildren(OptionList) if each.isVisible()), None)
    if listed is not None:
        take(listed, *words)
        return
    menu = next(menu for menu in button.findChildren(QMenu) if menu.isVisible())
    for word in words:
        action = next(action for action in menu.actions() if action.text() == word)
        submenu = action.menu()
        if submenu is None:
            action.trigger()
        else:
            menu = submenu
    for popup in button.findChildren(QMenu):
        popup.close()
