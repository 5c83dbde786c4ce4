"""Files put in place whole: what stood there stays until all of the new one is on the disk."""

from __future__ import annotations

import contextlib
import glob
import os
import shutil
import socket
import tempfile
import time
import zlib
from collections.abc import Iterator
from pathlib import Path

from blunt_ember.errors import BluntEmberError
from blunt_ember.process_mark import is_alive, own_mark

#: What a folder is called in which something is being written, and seconds after which nobody on another machine is
#: writing it any more.
_LEFT, _OLD = ".part", 600.0
#: Letters of the name of a file that the folder begins with.
_LETTERS = 40


class NotWrittenError(BluntEmberError):
    """A file cannot be written; the message names it and says why."""


def write_text(text: str, path: Path, lasting: bool = True) -> None:
    """Write a text, as :func:`written` does."""
    with written(path, lasting) as scratch:
        scratch.write_text(text, encoding="utf-8")


@contextlib.contextmanager
def written(path: Path, lasting: bool = True) -> Iterator[Path]:
    """Give the place where a file is to be written, of the same name in an empty folder; put it in place at the end.

    Whatever else was written into that folder is put beside it. A file that was there keeps its mode, its owner where
    that is allowed, its extended attributes, and that it goes by several names. What need not be ``lasting`` outlives
    the program, but is not waited for until it is on the disk.

    Raises :class:`NotWrittenError` where that fails, and where what is done raises :class:`OSError`; all is then as it
    was.
    """
    folder = None
    try:
        target = Path(os.path.realpath(path))  # keep a symbolic link a link
        _require_own(path, target)
        _sweep(target)
        start = f".{target.name[:_LETTERS]}.{_machine()}-{own_mark()}-"
        folder = Path(tempfile.mkdtemp(prefix=start, suffix=_LEFT, dir=target.parent))
        yield folder / target.name
        made = sorted(folder.iterdir(), key=lambda each: each.name == target.name)  # what it refers to comes first
        for each in made:
            _require_own(path, target.with_name(each.name))
        for each in made:
            _put(each, target.with_name(each.name), lasting)
        if lasting:
            _flush(target.parent)
    except OSError as error:
        raise NotWrittenError(f"{path} cannot be written: {reason(error)}") from error
    finally:
        if folder is not None:
            shutil.rmtree(folder, ignore_errors=True)


def reason(error: OSError) -> str:
    """Return in words why the system refused."""
    return (error.strerror or str(error)).lower()


def _require_own(path: Path, target: Path) -> None:
    """Raise :class:`NotWrittenError` where something stands that is not to be written over."""
    if not target.exists():
        return
    if not target.is_file():
        raise NotWrittenError(f"{path} is a folder, a device or a pipe, and is not written over; choose another name")
    if not target.stat().st_mode & 0o222:
        raise NotWrittenError(f"{target} is read-only; make it writable, or save under another name")


def _put(made: Path, target: Path, lasting: bool) -> None:
    mode = target.stat().st_mode & 0o777 if target.exists() else 0o666 & ~_umask()
    if lasting:
        _flush(made)
    os.chmod(made, mode)
    if target.exists():
        _keep_what_it_has(made, target)
    if target.exists() and target.stat().st_nlink > 1:
        # Its other names must see what is written; the whole of it is beside it until all of it is there.
        shutil.copyfile(made, target)
    else:
        os.replace(made, target)


def _flush(place: Path) -> None:
    """Wait until a file or a folder is on the disk."""
    handle = os.open(place, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _keep_what_it_has(made: Path, target: Path) -> None:
    """Give a file that takes the place of another its owner and its extended attributes, as far as that is allowed."""
    stated = target.stat()
    with contextlib.suppress(OSError):
        if (stated.st_uid, stated.st_gid) != (os.geteuid(), os.getegid()):
            os.chown(made, stated.st_uid, stated.st_gid)
    for name in os.listxattr(target):
        with contextlib.suppress(OSError):
            os.setxattr(made, name, os.getxattr(target, name))


def _sweep(target: Path) -> None:
    """Remove what was left when an earlier writing of the same file died."""
    for left in target.parent.glob(f".{glob.escape(target.name[:_LETTERS])}.*{_LEFT}"):
        with contextlib.suppress(OSError):
            machine, _, mark = left.name.removesuffix(_LEFT).rpartition(".")[2].rpartition("-")[0].partition("-")
            dead = machine == _machine() and not is_alive(mark)
            if dead or time.time() - left.stat().st_mtime > _OLD:
                shutil.rmtree(left) if left.is_dir() else left.unlink()


def _machine() -> str:
    """What tells this machine from others that write into the same folder."""
    return f"{zlib.crc32(socket.gethostname().encode()):08x}"


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
