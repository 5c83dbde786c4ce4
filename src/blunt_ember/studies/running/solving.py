"""Points solved, wherever that is: here, in a process of a pool, on a worker of a cluster."""

from __future__ import annotations

import shutil
import tempfile
from atexit import register
from collections.abc import Mapping, Sequence
from functools import cache
from pathlib import Path
from typing import Any

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.checks.verdict import Check
from blunt_ember.content_hash import content_hash
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.answering.error_estimate import estimate_errors
from blunt_ember.flow.flow import Flow
from blunt_ember.immutable import immutable
from blunt_ember.studies.result import Row
from blunt_ember.studies.running.program import program_version


class OtherVersionError(BluntEmberError):
    """A worker has another program than the one that asks it."""


@immutable
class CaseFiles:
    """What cases read besides what they state: the ``folder`` it lies in, and where that is on another machine the
    ``contents`` of its files by their names."""

    folder: str
    contents: Mapping[str, bytes] | None = None


class RowSolver:
    """Solves cases one after the other with a ``flow``, each of them much like the one before."""

    def __init__(self, flow: Flow) -> None:
        self._flow = flow
        self._before: Case | None = None

    def row(self, data: Mapping[str, Any], folder: str, with_errors: bool = False) -> Row:
        """Read and solve a case as far as its answers, or their errors; what is wrong with it stands in the row."""
        flow = self._flow
        try:
            case = self._before = case_from_data(dict(data), folder, self._before)
            outcome = flow.answered(case)
        except BluntEmberError as error:
            return Row({}, str(error))
        errors = None
        if with_errors:
            amounts = estimate_errors(flow, case, flow.solved(case)).amounts
            errors = {check.name: amount for check, amount in zip(outcome.checks, amounts, strict=True)}
        return _row_of(outcome.checks, errors)


def _row_of(checks: Sequence[Check], errors: dict[str, float] | None) -> Row:
    known = {check.name: check.expected for check in checks if check.expected is not None}
    allowed = {check.name: check.allowed for check in checks if check.allowed is not None}
    return Row({check.name: check.value for check in checks}, expected=known, allowed=allowed, errors=errors)


def solved_bundle(
    version: str, data: Sequence[Mapping[str, Any]], files: CaseFiles, with_errors: bool = False
) -> list[Row]:
    """Solve some cases one after the other, in a process of its own that keeps what they share.

    Raises :class:`OtherVersionError` where the program here is another one than that of a ``version``.
    """
    if version != program_version():
        raise OtherVersionError(f"the program is {program_version()} here and {version} there")
    folder = files.folder if files.contents is None else _unpacked(files)
    return [_solver().row(each, folder, with_errors) for each in data]


@cache
def _solver() -> RowSolver:
    """What this process solves with."""
    return RowSolver(Flow(curves=False))


_unpacked_folders: dict[str, str] = {}


def _unpacked(files: CaseFiles) -> str:
    """The folder in which files from another machine were put down, as long as this process lives."""
    assert files.contents is not None
    key = content_hash(dict(files.contents))
    if key not in _unpacked_folders:
        folder = tempfile.mkdtemp(prefix="blunt-ember-")
        register(shutil.rmtree, folder, ignore_errors=True)
        for name, content in files.contents.items():
            path = Path(folder, name)
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(content)
        _unpacked_folders[key] = folder
    return _unpacked_folders[key]
