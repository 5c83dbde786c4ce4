"""Refinement as a job behind a pipe."""

from __future__ import annotations

from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any

from blunt_ember.flow.process.job import do_job


def serve_levels(connection: Connection, data: dict[str, Any], folder: str, follow_error: bool, scratch: str) -> None:
    """Send the kinds of the answers, then every level of a refinement, then a line that says how it ended.

    Fields of runs are kept in the folder ``scratch``.
    """

    def job(send: Callable[[Any], None]) -> None:
        from blunt_ember.case.case import case_from_data
        from blunt_ember.errors import BluntEmberError
        from blunt_ember.flow.flow import Flow
        from blunt_ember.refinement.adaptive import adaptive_refinement
        from blunt_ember.refinement.uniform import uniform_refinement

        case, flow = case_from_data(data, folder), Flow(folder=scratch)
        if not case.document.questions:
            raise BluntEmberError("nothing is asked of this case; add a question, so that there is an answer to follow")
        send(flow.kinds(case, flow.solved(case)))
        for level in adaptive_refinement(flow, case) if follow_error else uniform_refinement(flow, case):
            send(level)

    do_job(connection, "refinement", job)
