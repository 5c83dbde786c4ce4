"""Work that is not saved, kept beside the settings while the window lives, and offered back after it died."""

from __future__ import annotations

import json
import os
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer

from blunt_ember.case.case import Case, case_from_text, case_to_text
from blunt_ember.case.files.case_file import read_case
from blunt_ember.desk.app.current_case import CurrentCase
from blunt_ember.errors import BluntEmberError
from blunt_ember.immutable import immutable
from blunt_ember.process_mark import is_alive, own_mark
from blunt_ember.written_file import write_text

#: Work is kept so long after an edit, ms.
KEPT_AFTER_MS = 1000
_SUFFIX = ".work.json"
#: Differences that are named.
_NAMED = 3


def work_folder() -> Path:
    """Where work is kept: in the XDG state folder."""
    state = os.environ.get("XDG_STATE_HOME") or str(Path.home() / ".local" / "state")
    return Path(state) / "blunt-ember" / "work"


@immutable
class LeftWork:
    """A case that was on the desk of a window which is no more; ``path`` is its file, ``kept`` when it was kept, s."""

    record: Path
    case: Case
    path: Path | None
    kept: float

    def differs(self) -> str:
        """Say by what the case differs from its file."""
        if self.path is None:
            return "it was never saved"
        try:
            found = list(differences(dict(read_case(self.path).data), dict(self.case.data)))
        except BluntEmberError:
            return f"{self.path} cannot be read"
        more = f" and {len(found) - _NAMED} more" if len(found) > _NAMED else ""
        return f"it differs from {self.path} in {', '.join(found[:_NAMED])}{more}" if found else "it is what is saved"

    def forget(self) -> None:
        """Do not offer it again."""
        self.record.unlink(missing_ok=True)


class WorkKeeper(QObject):
    """Keeps the case on the desk a second after every edit, until it is saved or given up."""

    def __init__(self, current: CurrentCase, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._current = current
        self._record = work_folder() / f"{own_mark()}-{id(self):x}{_SUFFIX}"
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(KEPT_AFTER_MS)
        self._timer.timeout.connect(self.keep)
        current.changed.connect(self._changed)

    def _changed(self) -> None:
        if not self._timer.isActive():
            self._timer.start()

    def keep(self) -> None:
        """Keep the case as it stands, or nothing where all of it is saved."""
        self._timer.stop()
        case, path = self._current.case, self._current.path
        if case is None or not self._current.edited:
            self.forget()
            return
        said = {"path": str(path.resolve()) if path else None, "kept": time.time(), "folder": case.folder}
        try:
            self._record.parent.mkdir(parents=True, exist_ok=True)
            write_text(json.dumps({**said, "case": case_to_text(case)}), self._record, lasting=False)
        except (BluntEmberError, OSError) as error:
            self._current.told.emit(f"What is not saved could not be kept against a crash: {error}")

    def edited_elsewhere(self, path: Path | None) -> bool:
        """Tell whether another window that lives has edits of a file which are not saved."""
        if path is None:
            return False
        others = (each for each in work_folder().glob(f"*{_SUFFIX}") if each != self._record)
        return any(_path_in(each) == path.resolve() for each in others if is_alive(_mark_of(each.name)))

    def forget(self) -> None:
        """Keep nothing any more."""
        self._timer.stop()
        self._record.unlink(missing_ok=True)


def _path_in(record: Path) -> Path | None:
    """The file whose case a record keeps."""
    try:
        stated = json.loads(record.read_text(encoding="utf-8")).get("path")
    except (OSError, ValueError, AttributeError):
        return None
    return Path(stated) if isinstance(stated, str) else None


def left_work() -> list[LeftWork]:
    """Return what windows that are no more had not saved, the newest first."""
    found = []
    for record in sorted(work_folder().glob(f"*{_SUFFIX}")):
        if is_alive(_mark_of(record.name)):
            continue
        try:
            said = json.loads(record.read_text(encoding="utf-8"))
            case = case_from_text(said["case"], said["folder"])
            found.append(LeftWork(record, case, Path(said["path"]) if said["path"] else None, float(said["kept"])))
        except (OSError, ValueError, KeyError, TypeError, BluntEmberError):
            continue  # what cannot be read is left where it is: nothing is lost by that
    return sorted(found, key=lambda each: -each.kept)


def _mark_of(name: str) -> str:
    return "-".join(name.split("-")[:2])


def differences(before: Any, after: Any, at: str = "") -> Iterator[str]:
    """Yield every place at which two documents differ, with both texts where there are two."""
    if isinstance(before, dict) and isinstance(after, dict):
        for key in dict.fromkeys([*before, *after]):
            where = f"{at}.{key}" if at else str(key)
            yield from differences(before.get(key), after.get(key), where)
    elif isinstance(before, list) and isinstance(after, list) and len(before) == len(after):
        for place, pair in enumerate(zip(before, after, strict=True)):
            yield from differences(*pair, f"{at}[{place}]")
    elif before != after:
        yield f"{at} ({before} → {after})" if isinstance(before, str) and isinstance(after, str) else at
