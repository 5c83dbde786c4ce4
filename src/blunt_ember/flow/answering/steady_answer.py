"""What an answer of a run tends to, where what is stated stays as it is: that of the same case without its clock."""

from __future__ import annotations

from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import TYPE_CHECKING, Any

from blunt_ember.flow.process.job import do_job

if TYPE_CHECKING:
    from blunt_ember.case.case import Case

#: What a question says of time, and of what it is set beside.
_OF_TIME = ("time", "expect")


def steadied(case: Case, name: str) -> Case:
    """Return the case as it stays for ever, with the one question of a name.

    Raises :class:`BluntEmberError` where there is no such state: stages follow each other, or something follows time.
    """
    from blunt_ember.errors import BluntEmberError

    clock = case.document.running_clock
    if clock is not None and clock.stages:
        raise BluntEmberError("its stages follow each other, so that there is no one steady answer")
    question = next(stated for stated in case.data["questions"] if stated.get("name") == name)
    asked = {key: entry for key, entry in question.items() if key not in _OF_TIME}
    return case.restated({**case.data, "clock": "steady", "questions": [asked], "studies": {}})


def serve_steady(connection: Connection, data: dict[str, Any], folder: str, name: str) -> None:
    """Send the steady answer to the question of a name, SI, then a line that says how it ended."""

    def job(send: Callable[[Any], None]) -> None:
        from blunt_ember.case.case import case_from_data
        from blunt_ember.errors import BluntEmberError
        from blunt_ember.flow.flow import Flow

        case = steadied(case_from_data(data, folder), name)
        outcome = Flow().answered(case)
        value = outcome.checks[0].value
        if value is None:
            raise BluntEmberError(outcome.checks[0].note or "it has no steady answer")
        send(float(value))

    do_job(connection, "steady answer", job)
