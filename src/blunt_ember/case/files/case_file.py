"""Case files on disk: read whole, written atomically."""

from __future__ import annotations

import contextlib
import glob
import os
import shutil
import tempfile
import time
from pathlib import Path

from blunt_ember.case.case import Case, case_from_data, case_from_text, case_to_text
from blunt_ember.errors import BluntEmberError, CaseError, Fault
from blunt_ember.ordinary_file import MOST_OF_A_CASE, FileRefusedError, require_ordinary

SUFFIX = ".ember"
#: What a file is called that is being written, and seconds after which nobody is writing it any more.
_LEFT, _OLD = ".part", 600.0


class CaseFileError(BluntEmberError):
    """A case file cannot be reached, read or written."""


def read_case(path: Path) -> Case:
    """Read a case file; raise :class:`CaseError` for what it says, :class:`CaseFileError` when it cannot be read."""
    try:
        require_ordinary(path, MOST_OF_A_CASE)
        raw = path.read_bytes()
    except FileRefusedError as error:
        raise CaseFileError(str(error)) from error
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

    It keeps the mode of the file, its owner where that is allowed, its extended attributes, and that it goes by several
    names. What need not be ``lasting`` outlives the program, but is not waited for until it is on the disk.
    """
    target = Path(os.path.realpath(path))  # keep a symbolic link a link
    if target.exists() and not target.is_file():
        raise CaseFileError(f"{path} is a folder, a device or a pipe, and is not written over; choose another name")
    if target.exists() and not target.stat().st_mode & 0o222:
        raise CaseFileError(f"{path} is read-only; make it writable, or save under another name")
    scratch = None
    try:
        _sweep(target)
        mode = target.stat().st_mode & 0o777 if target.exists() else 0o666 & ~_umask()
        handle, scratch = tempfile.mkstemp(prefix=f".{target.name}.", suffix=_LEFT, dir=target.parent)
        with os.fdopen(handle, "w", encoding="utf-8") as stream:
            stream.write(text)
            stream.flush()
            if lasting:
                os.fsync(stream.fileno())
        os.chmod(scratch, mode)
        if target.exists():
            _keep_what_it_has(scratch, target)
        if target.exists() and target.stat().st_nlink > 1:
            # Its other names must see what is written; the whole text is beside it until all of it is there.
            shutil.copyfile(scratch, target)
        else:
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


def _keep_what_it_has(scratch: str, target: Path) -> None:
    """Give a file that takes the place of another its owner and its extended attributes, as far as that is allowed."""
    stated = target.stat()
    with contextlib.suppress(OSError):
        if (stated.st_uid, stated.st_gid) != (os.geteuid(), os.getegid()):
            os.chown(scratch, stated.st_uid, stated.st_gid)
    for name in os.listxattr(target):
        with contextlib.suppress(OSError):
            os.setxattr(scratch, name, os.getxattr(target, name))


def _sweep(target: Path) -> None:
    """Remove what was left when an earlier writing of the same file died."""
    for left in target.parent.glob(f".{glob.escape(target.name)}.*{_LEFT}"):
        with contextlib.suppress(OSError):
            if time.time() - left.stat().st_mtime > _OLD:
                left.unlink()


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def _reason(error: OSError) -> str:
    return (error.strerror or str(error)).lower()
