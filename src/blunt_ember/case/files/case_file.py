"""Case files on disk: read whole, written atomically."""

from __future__ import annotations

import os
from pathlib import Path

from blunt_ember.case.case import Case, case_from_data, case_from_text, case_to_text
from blunt_ember.errors import BluntEmberError, CaseError, Fault
from blunt_ember.ordinary_file import MOST_OF_A_CASE, FileRefusedError, require_ordinary
from blunt_ember.written_file import reason, write_text

SUFFIX = ".ember"


class CaseFileError(BluntEmberError):
    """A case file cannot be reached or read."""


def read_case(path: Path) -> Case:
    """Read a case file; raise :class:`CaseError` for what it says, :class:`CaseFileError` when it cannot be read."""
    try:
        require_ordinary(path, MOST_OF_A_CASE)
        raw = path.read_bytes()
    except FileRefusedError as error:
        raise CaseFileError(str(error)) from error
    except OSError as error:
        raise CaseFileError(f"{path} cannot be read: {reason(error)}") from error
    try:
        text = raw.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        what = f"the file is not UTF-8 text (byte {error.start}); save it as UTF-8"
        raise CaseError((Fault((), what),)) from error
    return case_from_text(text, str(path.resolve().parent))


def write_case(case: Case, path: Path) -> None:
    """Write a case file atomically: the old file stays whole until the new one is on the disk.

    Files the case refers to are named from its new folder. Raises :class:`NotWrittenError`.
    """
    write_text(case_to_text(moved_to(case, path.resolve().parent)), path)


def moved_to(case: Case, folder: Path) -> Case:
    """Return the case as it is to be written into another folder."""
    body = case.data["body"]
    if body["kind"] != "imported" or Path(body["file"]).is_absolute() or not case.folder or case.folder == str(folder):
        return case
    file = os.path.relpath(Path(case.folder) / body["file"], folder)
    return case_from_data({**case.data, "body": {**body, "file": file}}, str(folder))
