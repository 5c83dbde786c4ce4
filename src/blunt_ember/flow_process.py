"""The flow behind a pipe: what the solver process of the window runs. It never imports Qt."""

from __future__ import annotations

from multiprocessing.connection import Connection
from typing import Any

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.errors import SolverError
from blunt_ember.flow import Flow, Outcome

#: A reply: the number of the request, and the outcome less its case, which the asker has.
Reply = tuple[int, dict[str, Any]]


def serve(connection: Connection) -> None:
    """Answer requests ``(number, case data)`` until the other end is closed."""
    flow = Flow()
    while True:
        try:
            number, data = connection.recv()
        except (EOFError, OSError):
            return
        case = case_from_data(data)
        try:
            for outcome in flow.outcomes(case):
                connection.send((number, _without_case(outcome)))
        except (BrokenPipeError, ConnectionResetError):
            return
        except Exception as error:  # the window must hear of it, whatever it was
            trouble = SolverError(f"the solver met something unforeseen ({type(error).__name__}: {error})")
            connection.send((number, _without_case(Outcome(case, final=True, trouble=trouble))))


def with_case(reply: dict[str, Any], case: Case) -> Outcome:
    """Put a reply back together with the case it was asked for."""
    return Outcome(case=case, **reply)


def _without_case(outcome: Outcome) -> dict[str, Any]:
    return {key: value for key, value in vars(outcome).items() if key != "case"}
