"""Work that is not saved outlives the window that dies, and nothing else of it does."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
from pathlib import Path

import pytest
from PyQt6.QtCore import QEvent, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from blunt_ember.case.editing.edits import value_at, with_value
from blunt_ember.case.files.case_file import read_case, write_case
from blunt_ember.desk.app.kept_work import left_work, work_folder
from blunt_ember.desk.app.left_work_dialog import LeftWorkDialog
from blunt_ember.desk.app.window import Window
from blunt_ember.desk.solver.scratch import SCRATCH, sweep
from blunt_ember.desk.solver.solver import MOST_DEATHS
from blunt_ember.gallery.families import family
from tests.desk.conftest import PATIENCE, field, settled, type_into

#: A window of its own that is edited, in a process of its own that is killed; it says where its solver is.
SCRIPT = """
import sys
from pathlib import Path
from PyQt6.QtCore import QTimer
import blunt_ember.desk.app.application as desk
from blunt_ember.desk.app.window import Window

def edit(window):
    change = lambda case: case.restated({**case.data, "title": "Half a day of work", "mesh": {"size": "0.4 mm"}})
    window.current.edit("a long day", change)
    QTimer.singleShot(int(sys.argv[2]), lambda: print(window.solver.pid, window.solver._folder.name, flush=True))

shown = Window.show
def show(window):
    shown(window)
    QTimer.singleShot(500, lambda: edit(window))
Window.show = show
if __name__ == "__main__":
    sys.exit(desk.run_window(Path(sys.argv[1]), False))
"""


@pytest.fixture
def died(tmp_path: Path, request: pytest.FixtureRequest) -> tuple[Path, int, Path]:
    """A window that was edited and then ended by a signal: its file, its solver and the folder of its fields."""
    ended_by, after = request.param
    path, script = tmp_path / "wall.ember", tmp_path / "window.py"
    write_case(family("composite-wall").case(), path)
    script.write_text(SCRIPT, encoding="utf-8")
    own = {**os.environ, "XDG_CONFIG_HOME": str(tmp_path / "config")}
    command = [sys.executable, str(script), str(path), str(after)]
    started = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=own)
    assert started.stdout is not None
    said = started.stdout.readline().split()
    assert len(said) == 2
    started.send_signal(ended_by)
    started.wait(PATIENCE / 1000)
    started.stdout.close()
    return path, int(said[0]), Path(said[1])


def stated(window: Window, *path: str) -> object:
    assert window.current.case is not None
    return value_at(window.current.case.data, path)


def gone(process: int) -> bool:
    try:
        state = Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0]
    except OSError:
        return True
    return state == "Z"


@pytest.mark.parametrize("died", [(signal.SIGKILL, 2500), (signal.SIGHUP, 0)], indirect=True)
def test_work_is_offered_back_after_the_window_died(
    window: Window, qtbot: QtBot, died: tuple[Path, int, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    path, solver, folder = died
    qtbot.waitUntil(lambda: gone(solver), timeout=PATIENCE)
    monkeypatch.setattr(tempfile, "tempdir", str(folder.parent))
    assert folder.name.startswith(SCRATCH)
    sweep()
    assert not folder.exists() and Path(window.solver._folder.name).exists()
    (found,) = left_work()
    assert found.path == path and found.kept >= path.stat().st_mtime
    assert "title" in found.differs() and "mesh.size" in found.differs() and str(path) in found.differs()
    window.offer_left_work()
    dialog = window.findChild(LeftWorkDialog)
    assert dialog is not None and dialog.isVisible()
    button = next(each for each in dialog.findChildren(QPushButton) if each.objectName().startswith("Open it"))
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    assert window.current.case is not None and window.current.path == path and window.current.edited
    assert window.current.case.document.title == "Half a day of work" and not left_work()
    assert window.save() and read_case(path).document.title == "Half a day of work"
    window.keeper.keep()
    assert not list(work_folder().glob("*")), "what is saved need not be kept"


def test_what_is_untouched_saved_or_given_up_is_not_kept(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    window.new_case("plane-wall")
    settled(qtbot, window)
    assert not window.current.edited
    window.keeper.keep()
    assert not list(work_folder().glob("*"))
    type_into(field(window, "mesh.size"), "3 mm")
    qtbot.waitUntil(lambda: len(list(work_folder().glob("*"))) == 1, timeout=PATIENCE)
    assert not left_work(), "a window that lives is not offered"
    window.current.undo()
    qtbot.waitUntil(lambda: not list(work_folder().glob("*")), timeout=PATIENCE)


def test_work_is_thrown_away_or_left_for_later(window: Window, qtbot: QtBot) -> None:
    for place, title in enumerate(("One", "Two")):
        record = work_folder() / f"1-{place}-f.work.json"
        record.parent.mkdir(parents=True, exist_ok=True)
        case = with_value(family("plane-wall").case(), ("title",), title)
        window.current.open(case, None, saved=False)
        window.keeper.keep()
        (kept,) = work_folder().glob(f"{os.getpid()}-*")
        record.write_text(kept.read_text())
    (work_folder() / "1-7-f.work.json").write_text("cut sho")
    window.current.open(family("plane-wall").case(), None)
    window.keeper.keep()
    assert {each.case.document.title for each in left_work()} == {"One", "Two"}
    window.offer_left_work()
    dialog = window.findChild(LeftWorkDialog)
    assert dialog is not None
    throw = next(each for each in dialog.findChildren(QPushButton) if each.objectName().startswith("Throw away"))
    QTest.mouseClick(throw, Qt.MouseButton.LeftButton)
    assert len(left_work()) == 1 and dialog.isVisible()
    later = next(each for each in dialog.findChildren(QPushButton) if each.text() == "Later")
    QTest.mouseClick(later, Qt.MouseButton.LeftButton)
    assert len(left_work()) == 1 and (work_folder() / "1-7-f.work.json").exists()


def test_a_solver_that_dies_at_once_is_not_started_without_end(window: Window, qtbot: QtBot) -> None:
    for death in range(MOST_DEATHS):
        qtbot.waitUntil(lambda: window.solver.pid is not None, timeout=PATIENCE)
        before = window.solver.pid
        assert before is not None
        os.kill(before, signal.SIGKILL)
        qtbot.waitUntil(lambda before=before: window.solver.pid != before, timeout=PATIENCE)
        assert (window.solver.pid is None) == (death == MOST_DEATHS - 1)
    assert window.solver.keeps_dying
    bar = window.statusBar()
    assert bar is not None and "again and again" in bar.currentMessage()
    type_into(field(window, "mesh.size"), "6 mm")  # asked for, it is started again
    settled(qtbot, window)
    assert window.solver.pid is not None and not window.solver.keeps_dying


@pytest.mark.parametrize(
    ("answer", "on"),
    [
        ("Keep mine", "focus"),
        ("Keep mine", "saving"),
        ("Take theirs", "focus"),
        ("Save mine as …", "saving"),
        ("Not now", "saving"),
    ],
)
def test_a_file_that_another_program_changed_is_noticed(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, answer: str, on: str
) -> None:
    path, elsewhere = tmp_path / "wall.ember", tmp_path / "mine.ember"
    case = family("composite-wall").case()
    write_case(case, path)
    assert window.open_path(path)
    settled(qtbot, window)
    type_into(field(window, "mesh.size"), "3 mm")
    write_case(with_value(case, ("parameters", "T_hot"), "1111 °C"), path)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(elsewhere), ""))
    said: list[str] = []

    def click() -> None:
        box = window.findChild(QMessageBox, "file changed")
        if box is None or not box.isVisible():
            QTimer.singleShot(50, click)
            return
        said.append(box.informativeText())
        QTest.mouseClick(next(each for each in box.buttons() if each.text() == answer), Qt.MouseButton.LeftButton)

    QTimer.singleShot(50, click)
    if on == "saving":
        window.save()
    else:
        QApplication.sendEvent(window, QEvent(QEvent.Type.ActivationChange))
    qtbot.waitUntil(lambda: bool(said), timeout=PATIENCE)
    assert "parameters.T_hot (980 °C → 1111 °C)" in said[0] and "mesh.size (3 mm →" in said[0]
    now = window.current.case
    assert now is not None
    theirs = read_case(path).data["parameters"]["T_hot"] == "1111 °C"
    if answer == "Take theirs":
        assert now.data["parameters"]["T_hot"] == "1111 °C" and theirs and not window.current.edited
        window.current.undo()
        assert stated(window, "mesh", "size") == "3 mm" and window.current.edited, "mine is not lost"
        window.current.redo()
    elif answer == "Not now":
        assert now.data["mesh"]["size"] == "3 mm" and theirs and window.current.edited
    elif answer == "Keep mine":
        assert now.data["mesh"]["size"] == "3 mm" and theirs == (on == "focus") == window.current.edited
    else:
        assert read_case(elsewhere).data["mesh"]["size"] == "3 mm" and theirs and window.current.path == elsewhere
    window._look_at_disk()
    assert len(said) == 1, "it is asked once"


def test_two_windows_on_one_file_know_of_each_other(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    path = tmp_path / "case.ember"
    write_case(family("plane-wall").case(), path)
    assert window.open_path(path)
    settled(qtbot, window)
    other = Window()
    try:
        other.show()
        assert other.open_path(path)
        assert "Another window" not in other.statusBar().currentMessage()  # nothing is edited there yet
        type_into(field(window, "surroundings[1].film.h"), "20")
        window.keeper.keep()
        other._look_at_disk()
        assert "Another window has edits of this file that are not saved" in other.statusBar().currentMessage()
        settled(qtbot, other)
    finally:
        other.close()
        other.deleteLater()
    settled(qtbot, window)
