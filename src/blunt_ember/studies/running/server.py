"""A study as a job behind a pipe."""

from __future__ import annotations

from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from blunt_ember.flow.process.job import do_job


def serve_study(connection: Connection, data: dict[str, Any], folder: str, name: str, results: str) -> None:
    """Send (done, of) as a study goes on, then its result, then a line that says how it ended.

    ``results`` is the file that keeps the rows; empty for none.
    """

    def job(send: Callable[[Any], None]) -> None:
        from blunt_ember.case.case import case_from_data
        from blunt_ember.studies.running.store import ResultsStore
        from blunt_ember.studies.study import study

        store = ResultsStore(Path(results) if results else None)
        try:
            send(study(case_from_data(data, folder), name, store, lambda done, of: send((done, of))))
        finally:
            store.close()

    do_job(connection, "study", job)
