"""Waits for what another process reads, with a way to stop it."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QEventLoop, Qt, QTimer
from PyQt6.QtWidgets import QProgressDialog, QWidget

from blunt_ember.desk.solver.child_process import ChildProcess
from blunt_ember.errors import BluntEmberError
from blunt_ember.report.files.foreign_files import ForeignCase
from blunt_ember.report.files.reading import serve_reading

#: A file that is read sooner is read without a word, ms.
_UNSEEN_MS = 400


def read_elsewhere(path: Path, unit: str | None, parent: QWidget) -> ForeignCase | None:
    """Return the case made of a drawing or a mesh, None where the analyst stopped it.

    Raises :class:`BluntEmberError` as reading it here would.
    """
    loop = QEventLoop()
    found: list[object] = []
    process = ChildProcess(serve_reading, (path, unit), "reading", parent)

    def heard(said: object) -> None:
        found.append(said)
        loop.quit()

    process.said.connect(heard)
    process.lost.connect(lambda: heard(BluntEmberError(f"what read {path.name} ended unexpectedly; nothing was read")))
    progress = QProgressDialog(f"Reading {path.name} …", "Stop", 0, 0, parent)
    progress.setObjectName("reading")
    progress.setWindowTitle("Reading")
    progress.setWindowModality(Qt.WindowModality.WindowModal)
    progress.setMinimumDuration(_UNSEEN_MS)
    progress.setAutoClose(False)
    progress.canceled.connect(loop.quit)
    unseen = QTimer()
    unseen.setSingleShot(True)
    unseen.timeout.connect(loop.quit)
    unseen.start(_UNSEEN_MS)
    # Until the dialog is seen, keys and clicks wait: they were meant for what will be on the desk.
    loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    unseen.stop()
    if not found:
        progress.show()
        loop.exec()
    process.end()
    progress.close()
    progress.deleteLater()
    said = found[0] if found else None
    if isinstance(said, BluntEmberError):
        raise said
    if isinstance(said, str):
        raise BluntEmberError(said)
    assert said is None or isinstance(said, ForeignCase)
    return said
