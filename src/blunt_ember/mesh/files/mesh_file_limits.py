"""What a mesh file unfolds to and what else it reads, found out before it is read."""

from __future__ import annotations

import base64
import lzma
import re
import zlib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np

from blunt_ember.ordinary_file import MOST_OF_A_MESH, FileRefusedError, require_ordinary

#: Bytes of numbers in a mesh at most, unfolded; some ten million cells.
MOST_UNFOLDED = 2 * 2**30
#: How many bytes one compressed byte can stand for at most, and bytes unfolded at a time.
_FOLDED, _AT_A_TIME = 10_000, 2**24
_FOLDS: dict[str, Callable[[], Any]] = {
    "vtkZLibDataCompressor": zlib.decompressobj,
    "vtkLZMADataCompressor": lzma.LZMADecompressor,
}
#: What parsers raise where a file breaks off, or says what it is not.
_BROKEN = (ValueError, LookupError, TypeError, EOFError, ElementTree.ParseError, zlib.error, lzma.LZMAError)
_HEADERS = {"UInt32": "u4", "UInt64": "u8", "Int32": "i4", "Int64": "i8"}


def require_readable(path: Path, most: int = MOST_UNFOLDED) -> None:
    """Raise :class:`FileRefusedError` for no ordinary file, and one that unfolds beyond ``most`` bytes or reads others.

    The numbers of an XDMF file may lie in an HDF5 file beside it or below; nothing else is opened for it. What is
    broken is left to whoever reads it.
    """
    require_ordinary(path, MOST_OF_A_MESH)
    if not path.exists():
        return
    if path.suffix.lower() == ".vtu" and path.stat().st_size * _FOLDED > most:
        _require_bounded(path, most)
    elif path.suffix.lower() == ".xdmf":
        _require_own(path, most)


def _require_bounded(path: Path, most: int) -> None:
    left = most
    try:
        for block, fresh in _folded(path.read_bytes()):
            left -= _unfolded(block, fresh(), left)
            if left < 0:
                raise _too_much(path, most)
    except _BROKEN:
        return


def _too_much(path: Path, most: int) -> FileRefusedError:
    return FileRefusedError(f"{path.name} unfolds to more than {most / 2**20:,.0f} MB of numbers, which is not read")


def _unfolded(block: bytes, unfold: Any, most: int) -> int:
    """Return the bytes a compressed block unfolds to, counted up to a little more than ``most``."""
    found = 0
    while block or not getattr(unfold, "needs_input", True):
        piece = unfold.decompress(block, _AT_A_TIME)
        block = getattr(unfold, "unconsumed_tail", b"")
        found += len(piece)
        if found > most or unfold.eof or not piece:
            break
    return found


def _folded(raw: bytes) -> Iterator[tuple[bytes, Callable[[], Any]]]:
    """Yield every compressed block of a VTU file and what makes a fresh reader for it."""
    start = re.search(rb'<AppendedData[^>]*encoding\s*=\s*["\']raw["\'][^>]*>\s*_', raw)
    appended: bytes = b""
    if start is not None:
        end = raw.rfind(b"</AppendedData>")
        appended, raw = raw[start.end() : end], raw[: start.start()] + raw[end + len(b"</AppendedData>") :]
    root = ElementTree.fromstring(raw)
    fold = _FOLDS.get(root.get("compressor", ""))
    if fold is None:
        return
    order = ">" if root.get("byte_order") == "BigEndian" else "<"
    item = np.dtype(order + _HEADERS[root.get("header_type", "UInt32")])
    text = (root.findtext("AppendedData") or "").strip().removeprefix("_")
    for array in root.iter("DataArray"):
        if array.get("format") == "binary":
            blocks = _in_base64((array.text or "").strip(), item)
        elif array.get("format") == "appended" and start is not None:
            blocks = _in_bytes(appended[int(array.get("offset", 0)) :], item)
        elif array.get("format") == "appended":
            blocks = _in_base64(text[int(array.get("offset", 0)) :], item)
        else:
            continue
        for block in blocks:
            yield block, fold


def _in_base64(text: str, item: np.dtype[Any]) -> Iterator[bytes]:
    """Yield the blocks of an array whose header and blocks are coded one after the other."""
    count = int(np.frombuffer(base64.b64decode(text[: _signs(item.itemsize)]), item, 1)[0])
    ahead = _signs(item.itemsize * (3 + count))
    sizes = np.frombuffer(base64.b64decode(text[:ahead]), item, 3 + count)[3:]
    yield from _parted(base64.b64decode(text[ahead : ahead + _signs(int(sizes.sum()))]), sizes)


def _in_bytes(raw: bytes, item: np.dtype[Any]) -> Iterator[bytes]:
    count = int(np.frombuffer(raw, item, 1)[0])
    sizes = np.frombuffer(raw, item, 3 + count)[3:]
    yield from _parted(raw[item.itemsize * (3 + count) :], sizes)


def _parted(raw: bytes, sizes: Any) -> Iterator[bytes]:
    ends = np.cumsum(sizes.astype(np.int64))
    for start, end in zip(ends - sizes, ends, strict=True):
        yield raw[int(start) : int(end)]


def _signs(count: int) -> int:
    """Return how many signs of base64 stand for so many bytes."""
    return -(-count // 3) * 4


def _require_own(path: Path, most: int) -> None:
    try:
        root = ElementTree.parse(path).getroot()
    except _BROKEN:
        return
    left = most
    for item in root.iter("DataItem"):
        kind, text = item.get("Format", "XML"), (item.text or "").strip()
        if kind == "Binary":
            raise FileRefusedError(f"{path.name} takes numbers from a file without a form of its own; write it as HDF5")
        if kind == "HDF":
            left -= _bytes_in_hdf5(path, *text.rpartition(":")[::2])
        if left < 0:
            raise _too_much(path, most)


def _bytes_in_hdf5(path: Path, name: str, place: str) -> int:
    """Return the bytes of a set of numbers in the HDF5 file ``name`` beside an XDMF file."""
    import h5py  # here, as few cases need it

    folder = path.resolve().parent
    own = (folder / name).resolve()
    if not own.is_relative_to(folder):
        raise FileRefusedError(f"{path.name} takes numbers from {name[:200]}, which lies outside its folder")
    require_ordinary(own, MOST_OF_A_MESH)
    try:
        with h5py.File(own, "r") as opened:
            found: Any = opened
            for key in place.strip("/").split("/"):
                if isinstance(found.get(key, getlink=True), h5py.ExternalLink):
                    raise FileRefusedError(f"{own.name} takes '{place}' from another file, which is not opened")
                found = found[key]
            if found.external or found.is_virtual:
                raise FileRefusedError(f"{own.name} takes '{place}' from another file, which is not opened")
            return int(found.nbytes)
    except (OSError, KeyError, AttributeError, ValueError, RuntimeError):
        return 0
