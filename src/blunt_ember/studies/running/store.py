"""What was computed for studies, beside the case: kept row by row, so that none is computed twice."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.content_hash import content_hash
from blunt_ember.studies.points import StudyError
from blunt_ember.studies.result import Row
from blunt_ember.studies.running.program import program_version

#: What is said of a case that changes no answer.
_ASIDE = ("title", "units", "studies")
#: What is kept of a row besides its key, the version and why it has no answers: a JSON object each.
_KEPT = ("answers", "expected", "errors", "allowed")
_MAKE = "CREATE TABLE IF NOT EXISTS points (key TEXT PRIMARY KEY, version TEXT, trouble TEXT)"
_GET = f"SELECT trouble, {', '.join(_KEPT)} FROM points WHERE key = ?"
_PUT = f"INSERT OR REPLACE INTO points (key, version, trouble, {', '.join(_KEPT)}) VALUES (?, ?, ?, ?, ?, ?, ?)"


def key_of(case: Case) -> str:
    """Return the key of a case: of all it says that an answer depends on, of the files it is read from as they are now,
    and of the program's version."""
    return keys_of(case, [dict(case.data)])[0]


def keys_of(case: Case, stated: Iterable[Mapping[str, Any]]) -> list[str]:
    """Return the keys of what is stated in place of a case that reads the same files."""
    files = [_stamp(Path(case.folder) / name) for name in case.document.body.files]
    found = []
    for data in stated:
        said = {key: entry for key, entry in data.items() if key not in _ASIDE}
        found.append(content_hash((program_version(), json.dumps(said, sort_keys=True), files)))
    return found


def _stamp(path: Path) -> tuple[str, int, int]:
    """What changes when a file does."""
    try:
        state = path.stat()
    except (OSError, ValueError):
        return str(path), 0, 0
    return str(path), state.st_mtime_ns, state.st_size


class ResultsStore:
    """Rows by the key of their case, in a file or in memory; every row is on the disk as soon as it is put."""

    def __init__(self, path: Path | None) -> None:
        try:
            self._base = sqlite3.connect(":memory:" if path is None else path, timeout=60)
            self._base.execute("PRAGMA journal_mode=WAL")
            self._base.execute(_MAKE)
            there = {column[1] for column in self._base.execute("PRAGMA table_info(points)")}
            for name in _KEPT:
                if name not in there:  # it is new, or of an earlier version
                    self._base.execute(f"ALTER TABLE points ADD COLUMN {name} TEXT")
            self._base.commit()
        except sqlite3.Error as error:
            raise StudyError(f"{path} cannot hold results: {error}; move it away, or say another one") from error

    def known(self, keys: Iterable[str], with_errors: bool = False) -> dict[str, Row]:
        """Return the rows there are of some keys; if that is wanted, only those whose errors are known too."""
        found = {}
        for key in keys:
            for trouble, *kept in self._base.execute(_GET, (key,)):
                answers, expected, errors, allowed = (None if text is None else _read(text) for text in kept)
                if errors is not None or trouble or not with_errors:
                    found[key] = Row(answers or {}, trouble, expected or {}, allowed or {}, errors)
        return found

    def put(self, key: str, row: Row) -> None:
        """Keep a row."""
        kept = (None if data is None else json.dumps(data) for data in (getattr(row, name) for name in _KEPT))
        values = (key, program_version(), row.trouble, *kept)
        with self._base:
            self._base.execute(_PUT, values)

    def close(self) -> None:
        """Let go of the file."""
        self._base.close()


def _read(text: str) -> dict[str, float]:
    data: dict[str, Any] = json.loads(text)
    return {name: float(value) for name, value in data.items()}
