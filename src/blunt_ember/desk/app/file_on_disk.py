"""The file of the case on the desk: whether another program has changed it meanwhile, and which of the two stays."""

from __future__ import annotations

import hashlib
from enum import Enum
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMessageBox, QWidget

from blunt_ember.case.case import Case
from blunt_ember.case.files.case_file import read_case
from blunt_ember.desk.app.kept_work import differences
from blunt_ember.errors import BluntEmberError

#: Differences that are named.
_NAMED = 8


class KeptVersion(Enum):
    """What is to become of a file that was changed, and of the case on the desk."""

    UNCHANGED = "the file is as it was"
    MINE = "keep mine"
    THEIRS = "take theirs"
    ELSEWHERE = "save mine as …"
    LATER = "not now"


class FileOnDisk:
    """Knows what the file of the case held when it was last read or written."""

    def __init__(self, parent: QWidget) -> None:
        self._parent = parent
        self._known: tuple[Path, str] | None = None
        #: What the question was put off about; only saving asks it again.
        self._put_off: str | None = None
        self._asking = False

    def note(self, path: Path | None) -> None:
        """Take what a file holds now for what is known of it."""
        self._known = None if path is None else (path, _content(path))

    def ask_if_changed(self, path: Path | None, case: Case | None, looking: bool = False) -> KeptVersion:
        """Ask what is to be done where the file holds something else by now; the answer is not asked for again.

        Where it is only ``looking``, what was put off is not asked either.
        """
        if self._asking or path is None or case is None or self._known is None or self._known[0] != path:
            return KeptVersion.UNCHANGED
        now = _content(path)
        if now == self._known[1] or (looking and now == self._put_off):
            return KeptVersion.UNCHANGED
        self._asking = True
        try:
            chosen = self._asked(path, case, bool(now))
        finally:
            self._asking = False
        if chosen is KeptVersion.LATER:
            self._put_off = now
        else:
            self._known = (path, now)
        return chosen

    def _asked(self, path: Path, case: Case, there: bool) -> KeptVersion:
        box = QMessageBox(self._parent)
        box.setObjectName("file changed")
        box.setIcon(QMessageBox.Icon.Warning)
        box.setWindowTitle("The file was changed")
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setText(f"{path} was {'changed' if there else 'taken away'} by another program or another window.")
        box.setInformativeText(_said(path, case) if there else "The case on the desk is all there is of it.")
        roles = QMessageBox.ButtonRole
        choices = [KeptVersion.MINE, *([KeptVersion.THEIRS] if there else []), KeptVersion.ELSEWHERE]
        buttons = {box.addButton(choice.value.capitalize(), roles.AcceptRole): choice for choice in choices}
        box.addButton(KeptVersion.LATER.value.capitalize(), roles.RejectRole)
        box.exec()
        clicked = box.clickedButton()
        box.deleteLater()
        return next((choice for button, choice in buttons.items() if button is clicked), KeptVersion.LATER)


def _said(path: Path, case: Case) -> str:
    """By what the file differs from the case on the desk."""
    try:
        found = list(differences(dict(case.data), dict(read_case(path).data)))
    except BluntEmberError as error:
        return f"It is no case any more: {error}"
    if not found:
        return "It says the same as the case on the desk."
    more = [f"and {len(found) - _NAMED} more"] if len(found) > _NAMED else []
    return "From what is on the desk to what is in the file:\n" + "\n".join([*found[:_NAMED], *more])


def _content(path: Path) -> str:
    """A mark of what a file holds; empty where there is none."""
    try:
        return hashlib.sha256(path.read_bytes()).hexdigest() if path.is_file() else ""
    except OSError:
        return ""
