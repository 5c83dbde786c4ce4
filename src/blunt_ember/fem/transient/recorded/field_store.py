"""Fields of a run, kept on disk one after the other in single precision, so that memory holds only those looked at."""

from __future__ import annotations

import tempfile
import weakref
from pathlib import Path
from typing import Any

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.errors import SolverError

_KIND = np.dtype(np.float32)


def _let_go(file: Any, path: Path) -> None:
    file.close()
    path.unlink(missing_ok=True)


class FieldStore:
    """Temperatures (n,) of a run by instant, over a ``reference_temperature`` in K, in a file that goes with the store.

    What is sent to another process, or read from its file, sees the same file but does not take it away.
    """

    def __init__(self, count: int, reference_temperature: float, folder: str | None = None) -> None:
        self._count = count
        self._reference_temperature = reference_temperature
        self._times: list[float] = []
        try:
            with tempfile.NamedTemporaryFile(prefix="fields-", suffix=".f32", dir=folder, delete=False) as file:
                self._path = Path(file.name)
        except OSError as error:
            raise SolverError(f"there is no room for the fields of the run: {error}") from error
        self._file: Any = self._path.open("ab")
        self._map: Any = None
        weakref.finalize(self, _let_go, self._file, self._path)

    @property
    def times(self) -> Floats:
        """Times (f,) in s of the fields."""
        return np.array(self._times)

    @property
    def size(self) -> int:
        """Bytes on disk."""
        return len(self._times) * self._count * _KIND.itemsize

    def add(self, t: float, excess: Floats) -> None:
        """Keep the field (n,) of a time, K over the reference temperature.

        Raises :class:`SolverError` when the disk is full.
        """
        try:
            excess.astype(_KIND).tofile(self._file)
            self._file.flush()
        except OSError as error:
            raise SolverError(f"the fields of the run do not fit on the disk: {error}; keep them less often") from error
        self._times.append(t)
        self._map = None

    def field(self, number: int) -> Floats:
        """Return the temperatures (n,) in K of an instant by its number."""
        if self._map is None:
            self._map = np.memmap(self._path, _KIND, "r", shape=(len(self._times), self._count))
        return self._reference_temperature + self._map[number].astype(np.float64)

    def __getstate__(self) -> dict[str, Any]:
        return {**self.__dict__, "_file": None, "_map": None}

    def __setstate__(self, state: dict[str, Any]) -> None:
        self.__dict__.update(state)
        if self._times:  # mapped now, so that it stays readable when its owner lets go of the file
            self._map = np.memmap(self._path, _KIND, "r", shape=(len(self._times), self._count))
