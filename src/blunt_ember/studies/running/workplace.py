"""Where many points are solved at once: what there is to be of it, and the processes of this machine."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from multiprocessing import get_context
from typing import Any, Protocol

from blunt_ember.flow.process.own_end import end_with
from blunt_ember.studies.points import StudyError
from blunt_ember.studies.result import Row
from blunt_ember.studies.running.program import program_version
from blunt_ember.studies.running.solving import CaseFiles, OtherVersionError, solved_bundle

Bundle = Sequence[Mapping[str, Any]]


class Workplace(Protocol):
    """Takes bundles of cases and solves them somewhere."""

    @property
    def room(self) -> int:
        """How many bundles are worth being there at once."""
        ...

    @property
    def workers(self) -> int:
        """How many solve at a time."""
        ...

    def submit(self, bundle: Bundle, files: CaseFiles, with_errors: bool) -> Future[list[Row]]:
        """Solve a bundle some time."""
        ...

    def look(self) -> None:
        """Called while nothing comes: raise where nothing will come any more."""
        ...

    def failed(self, error: Exception) -> None:
        """Called where a bundle was not solved: raise where it is the workplace that failed, not the cases."""
        ...

    def refused(self, error: OtherVersionError) -> None:
        """Called where a bundle came back as its worker has another program: raise where others will have it too."""
        ...

    def close(self) -> None:
        """Give up what is left, and leave."""
        ...


#: Opens a workplace; it is only asked where there is enough to do.
OpenWorkplace = Callable[[], Workplace]


class LocalPool:
    """Processes of this machine, which do not outlive this one."""

    def __init__(self, workers: int) -> None:
        self.workers = workers
        self.room = 3 * workers
        os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
        self._pool = ProcessPoolExecutor(workers, get_context("spawn"), initializer=end_with, initargs=(os.getpid(),))

    def submit(self, bundle: Bundle, files: CaseFiles, with_errors: bool) -> Future[list[Row]]:
        """Solve a bundle some time."""
        return self._pool.submit(solved_bundle, program_version(), bundle, files, with_errors)

    def look(self) -> None:
        """A pool that breaks says so by itself."""

    def failed(self, error: Exception) -> None:
        """A pool that breaks says so by itself."""

    def refused(self, error: OtherVersionError) -> None:
        """Raise: all processes have the program that is installed now."""
        raise StudyError("the program was changed while it ran; what was solved is kept: start it again") from error

    def close(self) -> None:
        """Give up what is left."""
        self._pool.shutdown(wait=True, cancel_futures=True)
