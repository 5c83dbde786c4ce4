"""Where many points are solved at once: what there is to be of it, and the processes of this machine."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import CancelledError, Future, ProcessPoolExecutor, ThreadPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from multiprocessing import get_context
from typing import Any, Protocol

from blunt_ember.flow.process.own_end import begin_forking, end_without
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

    @property
    def ready(self) -> bool:
        """Whether they stand by; until then the one that asks can solve something itself."""
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


#: What processes are forked from imports first; none of them outlives this one.
_IMPORTED = [
    "blunt_ember.flow.process.fork_server",
    "blunt_ember.studies.running.solving",
    "blunt_ember.flow.process.built_models",
]


class LocalPool:
    """Processes of this machine, which do not outlive this one, forked from one that imports all there is to import."""

    def __init__(self, workers: int) -> None:
        self.workers = workers
        self.room = 3 * workers
        os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
        context = get_context("forkserver")
        context.set_forkserver_preload(_IMPORTED)
        begin_forking()  # in this thread, as it ends with the one that starts it
        self._pool = ProcessPoolExecutor(workers, context, initializer=end_without, initargs=(os.getpid(),))
        self._starting = ThreadPoolExecutor(1)
        self._started = self._starting.submit(self._start)

    @property
    def ready(self) -> bool:
        """Whether all processes stand by, or none will."""
        return self._started.done()

    def _start(self) -> None:
        """Wait until every process stands by."""
        for standing in [self._pool.submit(os.getpid) for _ in range(self.workers)]:
            standing.result()

    def submit(self, bundle: Bundle, files: CaseFiles, with_errors: bool) -> Future[list[Row]]:
        """Solve a bundle some time; it is taken at once, though there be no process yet."""
        if self.ready:
            return self._pool.submit(solved_bundle, program_version(), bundle, files, with_errors)
        taken: Future[list[Row]] = Future()
        self._starting.submit(self._hand_on, taken, bundle, files, with_errors)
        return taken

    def _hand_on(self, taken: Future[list[Row]], bundle: Bundle, files: CaseFiles, with_errors: bool) -> None:
        """Let a bundle that was ``taken`` be solved, and tell what became of it."""

        def told(solved: Future[list[Row]]) -> None:
            error = CancelledError() if solved.cancelled() else solved.exception()
            if error is not None:
                taken.set_exception(error)
            else:
                taken.set_result(solved.result())

        try:
            version = program_version()
            self._pool.submit(solved_bundle, version, bundle, files, with_errors).add_done_callback(told)
        except (BrokenProcessPool, RuntimeError) as error:  # it broke, or was closed
            taken.set_exception(error)

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
        self._starting.shutdown(wait=True, cancel_futures=True)
