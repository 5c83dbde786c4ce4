"""Case files on disk: read whole, written atomically."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from blunt_ember.case.case import Case, case_from_data, case_from_text, case_to_text
from blunt_ember.errors import BluntEmberError, CaseError, Fault

SUFFIX = ".ember"


class CaseFileError(BluntEmberError):
    """A case file cannot be reached, read or written."""


def read_case(path: Path) -> Case:
    """Read a case file; raise :class:`CaseError` for what it says, :class:`CaseFileError` when it cannot be read."""
    try:
        raw = path.read_bytes()
    except OSError as error:
        raise CaseFileError(f"{path} cannot be read: {_reason(error)}") from error
    try:
        text = raw.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        what = f"the file is not UTF-8 text (byte {error.start}); save it as UTF-8"
        raise CaseError((Fault((), what),)) from error
    return case_from_text(text, str(path.resolve().parent))


def write_case(case: Case, path: Path) -> None:
    """Write a case file atomically: the old file stays whole until the new one is on the disk.

    Files the case refers to are named from its new folder.
    """
    write_text(case_to_text(moved_to(case, path.resolve().parent)), path)


def moved_to(case: Case, folder: Path) -> Case:
    """Return the case as it is to be written into another folder."""
    body = case.data["body"]
    if body["kind"] != "imported" or Path(body["file"]).is_absolute() or not case.folder or case.folder == str(folder):
        return case
    file = os.path.relpath(Path(case.folder) / body["file"], folder)
    return case_from_data({**case.data, "body": {**body, "file": file}}, str(folder))


def write_text(text: str, path: Path, lasting: bool = True) -> None:
    """Write, flush and rename; raise :class:`CaseFileError` and leave the old file as it was when that fails.

    What need not be ``lasting`` outlives the program, but is not waited for until it is on the disk.
    """
    target = Path(os.path.realpath(path))  # keep a symbolic link a link
    scratch = None
    try:
        mode = target.stat().st_mode & 0o777 if target.exists() else 0o666 & ~_umask()
        handle, scratch = tempfile.mkstemp(prefix=f".{target.name}.", dir=target.parent)
        with os.fdopen(handle, "w", encoding="utf-8") as stream:
            stream.write(text)
            stream.flush()
            if lasting:
                os.fsync(stream.fileno())
        os.chmod(scratch, mode)
        os.replace(scratch, target)
        scratch = None
        if not lasting:
            return
        directory = os.open(target.parent, os.O_RDONLY)
        try:
            os.fsync(directory)
        finally:
            os.close(directory)
    except OSError as error:
        raise CaseFileError(f"{path} cannot be written: {_reason(error)}") from error
    finally:
        if scratch is not None:
            os.unlink(scratch)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def _reason(error: OSError) -> str:
    return (error.strerror or str(error)).lower()
