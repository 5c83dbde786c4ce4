"""Points solved by the workers of a Dask scheduler that somebody started: docs/cluster.md says how."""

from __future__ import annotations

import logging
import re
import time
from collections.abc import Mapping
from concurrent.futures import CancelledError, Future
from contextlib import suppress
from typing import Any

from blunt_ember.studies.points import StudyError
from blunt_ember.studies.result import Row
from blunt_ember.studies.running.program import program_version
from blunt_ember.studies.running.solving import CaseFiles, OtherVersionError, solved_bundle
from blunt_ember.studies.running.workplace import Bundle

#: How long a scheduler may take to answer, and its workers may all be away, s.
_ANSWERS, _AWAY = 5.0, 30.0
#: Bundles that are with a worker at once: one that it solves and some that wait there.
_EACH = 3
#: Pause after a worker of another version has sent a bundle back, s.
_WAIT = 0.2
#: Pause between two looks at whether the scheduler is lost, s.
_PAUSE = 0.05
_ADDRESS = re.compile(r"(?:(?:tcp|tls|ws|wss)://)?(?:[\w.-]+|\[[\da-fA-F:]+\]):\d{1,5}")
_SILENT = logging.CRITICAL + 1


class Cluster:
    """The workers of the scheduler at an ``address``, such as ``tcp://10.0.0.7:8786``; those that have another version
    of the program are left out.

    Raises :class:`StudyError` where that is no address, none answers in time, or no worker has this version.
    """

    def __init__(self, address: str) -> None:
        if not _ADDRESS.fullmatch(address):
            raise StudyError(f"'{address}' is no address of a scheduler; write it like tcp://127.0.0.1:8786")
        # What it would log of lost connections is said in sentences of our own.
        from distributed import Client
        from distributed.client import ClosedClientError

        self._of_comms = OSError, CancelledError, ClosedClientError
        logging.getLogger("tornado").setLevel(_SILENT)
        for name in [name for name in logging.root.manager.loggerDict if name.startswith(("distributed", "asyncio"))]:
            logging.getLogger(name).setLevel(_SILENT)
        self.address = address
        try:
            self._client = Client(address, timeout=_ANSWERS, set_as_default=False)
        except (OSError, ValueError, TypeError) as error:
            said = f"no scheduler answers at '{address}' within {_ANSWERS:g} s"
            how = "start one by 'dask scheduler' and write its address like tcp://127.0.0.1:8786"
            raise StudyError(f"{said}; {how}") from error
        self._known: dict[str, str] = {}
        self._seen = time.monotonic()
        self._sent: dict[int, Any] = {}
        try:
            self._require_workers()
        except StudyError:
            self.close()
            raise

    @property
    def room(self) -> int:
        """How many bundles are worth being there at once."""
        return max(_EACH * len(self._ours()), 1)

    @property
    def workers(self) -> int:
        """How many solve at a time."""
        there = self._there().items()
        return sum(each["nthreads"] for name, each in there if self._known.get(name) == program_version())

    @property
    def ready(self) -> bool:
        """They run already."""
        return True

    def submit(self, bundle: Bundle, files: CaseFiles, with_errors: bool) -> Future[list[Row]]:
        """Solve a bundle some time."""
        # Where all of ours are lost it may reach another worker, which refuses it, or one that joins later.
        try:
            executor = self._client.get_executor(pure=False, workers=self._ours(), allow_other_workers=True)
            if id(files) not in self._sent:  # once, not with every bundle; and again if the worker that has it is lost
                self._sent[id(files)] = self._client.submit(carried, files, pure=False)
            return executor.submit(solved_bundle, program_version(), bundle, self._sent[id(files)], with_errors)
        except self._of_comms as error:
            self.failed(error)
            raise

    def look(self) -> None:
        """Raise where the scheduler is lost, or its workers have been away for long."""
        if self._client.status != "running":
            raise self._lost()
        if self._ours():
            self._seen = time.monotonic()
        elif time.monotonic() - self._seen > _AWAY:
            raise StudyError(f"no worker is left at '{self.address}'; {_GO_ON}")

    def failed(self, error: Exception) -> None:
        """Raise where what failed is the way to the scheduler; that it is lost may be known a moment later."""
        if not isinstance(error, self._of_comms):
            return
        end = time.monotonic() + _ANSWERS
        while self._client.status == "running" and time.monotonic() < end:
            time.sleep(_PAUSE)
        if self._client.status != "running" or isinstance(error, CancelledError):
            raise self._lost() from error

    def _lost(self) -> StudyError:
        return StudyError(f"the scheduler at '{self.address}' was lost; {_GO_ON}")

    def refused(self, error: OtherVersionError) -> None:
        """Wait a little, so that a worker of ours may come; raise as :meth:`look` does."""
        time.sleep(_WAIT)
        self.look()

    def close(self) -> None:
        """Give up what is left, and leave; the scheduler and its workers stay."""
        with suppress(*self._of_comms):  # one that is lost need not answer
            self._client.close(timeout=_ANSWERS)

    def _ours(self) -> list[str]:
        """The addresses of the workers that have this version of the program, those that have joined since too."""
        there = list(self._there())
        fresh = [name for name in there if name not in self._known]
        if fresh:
            try:
                self._known |= self._client.run(program_version, workers=fresh, on_error="return")
            except self._of_comms:  # it has gone meanwhile: look() will tell
                return []
        return [name for name in there if self._known.get(name) == program_version()]

    def _there(self) -> Mapping[str, Any]:
        """The workers by their addresses; none where the scheduler has gone meanwhile, which look() will tell."""
        try:
            return self._client.scheduler_info(n_workers=-1).get("workers", {})
        except self._of_comms:
            return {}

    def _require_workers(self) -> None:
        if self._ours():
            return
        if not self._known:
            raise StudyError(f"the scheduler at '{self.address}' has no worker; start some by 'dask worker'")
        others = ", ".join(sorted({str(version) for version in self._known.values()}))
        what = f"the workers at '{self.address}' have another version of the program: {others}"
        raise StudyError(f"{what}, and here it is {program_version()}; install the same one there")


_GO_ON = "what was solved is kept: do the study again to go on"


def carried(files: CaseFiles) -> CaseFiles:
    """Return what was brought along, on a worker."""
    return files
