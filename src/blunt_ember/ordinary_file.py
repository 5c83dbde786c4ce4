"""Whether a file may be read: an ordinary one, and no larger than what it stands for can be."""

from __future__ import annotations

from pathlib import Path

from blunt_ember.errors import BluntEmberError

#: Bytes of a case, of a drawing and of a mesh at most; none that is of use comes near.
MOST_OF_A_CASE, MOST_OF_A_DRAWING, MOST_OF_A_MESH = 64 * 2**20, 256 * 2**20, 4 * 2**30


class FileRefusedError(BluntEmberError):
    """A file that is not read; the message says why."""


def require_ordinary(path: Path, most: int) -> None:
    """Raise :class:`FileRefusedError` for a device, a pipe, a folder, and for more than ``most`` bytes.

    What is not there is left to whoever reads it.
    """
    try:
        if not path.exists():
            return
    except (OSError, ValueError) as error:
        name = str(path)[:60]
        raise FileRefusedError(f"'{name} …' is no name of a file: {getattr(error, 'strerror', error)}") from error
    if path.is_dir():
        raise FileRefusedError(f"{path} is a folder; name a file in it")
    if not path.is_file():
        raise FileRefusedError(f"{path} is no ordinary file but a device or a pipe, which is not read")
    size = path.stat().st_size
    if size > most:
        raise FileRefusedError(f"{path} has {size / 2**20:,.0f} MB; {most / 2**20:,.0f} MB can be read")
