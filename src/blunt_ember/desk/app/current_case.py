"""The one case on the desk, with every state it has been in."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from blunt_ember.case.case import Case
from blunt_ember.errors import BluntEmberError


class CurrentCase(QObject):
    """Holds the case, its history and its file. Every edit makes a new case; undo is going back."""

    changed = pyqtSignal()
    #: An edit was done; neither undo nor redo is one.
    done = pyqtSignal()
    refused = pyqtSignal(str)
    #: Something worth knowing about an edit that was done.
    told = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._states: list[tuple[str, Case]] = []
        self._place = -1
        self._saved_place = -1
        self.path: Path | None = None

    @property
    def case(self) -> Case | None:
        """The case as it stands, None before one is opened."""
        return self._states[self._place][1] if self._states else None

    @property
    def edited(self) -> bool:
        """Whether the case differs from what is on disk."""
        return self._place != self._saved_place

    @property
    def undo_label(self) -> str | None:
        """What undo would take back."""
        return self._states[self._place][0] if self._place > 0 else None

    @property
    def redo_label(self) -> str | None:
        """What redo would do again."""
        return self._states[self._place + 1][0] if self._place + 1 < len(self._states) else None

    def open(self, case: Case, path: Path | None, saved: bool = True) -> None:
        """Put another case on the desk; its history begins here."""
        self._states = [("", case)]
        self._place = 0
        self._saved_place = 0 if saved else -1
        self.path = path
        self.changed.emit()

    def edit(self, label: str, change: Callable[[Case], Case]) -> BluntEmberError | None:
        """Apply an edit; return why it was refused, or None when it was done."""
        if self.case is None:
            return BluntEmberError("no case is open")
        try:
            edited = change(self.case)
        except BluntEmberError as error:
            return error
        if repr(edited.data) == repr(self.case.data):  # the order of regions counts too
            return None
        if self._saved_place > self._place:
            self._saved_place = -1
        self._states = [*self._states[: self._place + 1], (label, edited)]
        self._place += 1
        self.changed.emit()
        self.done.emit()
        return None

    def edit_or_tell(self, label: str, change: Callable[[Case], Case]) -> None:
        """Apply an edit that has no field of its own to show a refusal at; refusals are emitted."""
        why = self.edit(label, change)
        if why is not None:
            self.refused.emit(str(why))

    def undo(self) -> None:
        """Go back one state."""
        if self._place > 0:
            self._place -= 1
            self.changed.emit()

    def redo(self) -> None:
        """Go forward one state."""
        if self._place + 1 < len(self._states):
            self._place += 1
            self.changed.emit()

    def not_saved(self) -> None:
        """Note that the case as it stands is not what is on disk."""
        self._saved_place = -1
        self.changed.emit()

    def saved(self, path: Path) -> None:
        """Note that the case as it stands is on disk."""
        self.path = path
        self._saved_place = self._place
        self.changed.emit()
