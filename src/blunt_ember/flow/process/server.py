"""The flow behind a pipe: what the solver process of the window runs. It never imports Qt."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from multiprocessing.connection import Connection
from multiprocessing.synchronize import Event
from typing import TYPE_CHECKING, Any

from blunt_ember.flow.process.job import do_job, unforeseen

if TYPE_CHECKING:
    from blunt_ember.case.case import Case
    from blunt_ember.fem.steady.balance import NewtonStep
    from blunt_ember.fem.transient.recorded.run import Progress
    from blunt_ember.flow.flow import Flow
    from blunt_ember.flow.outcome import Outcome
    from blunt_ember.mesh.mesh import Mesh

#: Entries of an outcome that often are those of the case before, such as when a film changes: what one that asks has of
#: them already is not sent again.
LASTING = ("geometry", "mesh")

#: A reply: the number of the request, and the entries of the outcome that are new, less its case, which the asker has;
#: or in between a step of Newton's method, or how far a run has got.
Reply = tuple[int, "dict[str, Any] | NewtonStep | Progress"]

#: The data of a case, its folder, and all entries of an outcome but the case.
Packed = tuple[dict[str, Any], str, dict[str, Any]]


def serve(connection: Connection, asked_to_stop: Event, scratch: str) -> None:
    """Answer requests ``(number, case data, folder of the case)`` until the other end is closed.

    A run ends early when it is ``asked_to_stop``; fields are kept in the folder ``scratch``.
    """

    def job(send: Callable[[Any], None]) -> None:
        # Imported here, so that the process that starts this one does not wait for NumPy and SciPy.
        from blunt_ember.case.case import case_from_data
        from blunt_ember.flow.flow import Flow

        # The fields of a run go with it, and one that was stopped is kept by nothing else: so it is held here until the
        # next request, that the window may read it in its own time.
        held: list[Outcome | None] = []
        told = _Told(send)
        flow = Flow(on_progress=lambda step: send((told.number, step)), stopped=asked_to_stop.is_set, folder=scratch)
        case = None
        while True:
            told.number, data, case_folder = connection.recv()
            held.clear()
            case = case_from_data(data, case_folder, case)
            held.append(_answer(flow, case, told.tell))

    do_job(connection, "solver", job)


class _Told:
    """What was sent by ``send`` to the one that asks, whose latest request has a ``number``."""

    def __init__(self, send: Callable[[Any], None]) -> None:
        self.number = 0
        self._send, self._lasting = send, dict.fromkeys(LASTING)

    def tell(self, outcome: Outcome, before: Outcome | None) -> None:
        """Send what is new of an outcome after the one ``before`` of the same case."""
        self._send((self.number, news_of(outcome, before, self._lasting)))
        self._lasting = {key: getattr(outcome, key) for key in LASTING}


def _answer(flow: Flow, case: Case, tell: Callable[[Outcome, Outcome | None], None]) -> Outcome | None:
    """Tell what is new of every outcome of a case, whatever it meets; return the last one."""
    from blunt_ember.errors import SolverError
    from blunt_ember.flow.outcome import Outcome, without_errors

    before = None
    try:
        for outcome in flow.outcomes(case):
            tell(outcome, before)
            before = outcome
    except (BrokenPipeError, ConnectionResetError):
        raise
    except Exception as error:  # the window must hear of it, whatever it was
        what = unforeseen("solver", error)
        if before is not None and before.checks:  # the answers stand
            tell(without_errors(before, what), before)
        else:
            tell(Outcome(case, final=True, trouble=SolverError(what)), None)
    return before


def with_news(
    before: Outcome | None, news: dict[str, Any], case: Case, lasting: Mapping[str, Any] | None = None
) -> Outcome:
    """Put a reply together with what was known of the case before it; of the first one with what is ``lasting``."""
    from blunt_ember.flow.outcome import Outcome

    known = lasting or {} if before is None else {key: value for key, value in vars(before).items() if key != "case"}
    outcome = Outcome(case=case, **{**known, **news})
    if outcome.problem is None or outcome.mesh is None:
        return outcome
    return replace(outcome, problem=replace(outcome.problem, mesh=outcome.mesh))


def packed(outcome: Outcome) -> Packed:
    """Return an outcome as it is sent to another process that is to write it."""
    return dict(outcome.case.data), outcome.case.folder, news_of(outcome, None)


def unpacked(sent: Packed) -> Outcome:
    """Return the outcome that was :func:`packed`."""
    from blunt_ember.case.case import case_from_data

    data, folder, news = sent
    return with_news(None, news, case_from_data(data, folder))


def news_of(outcome: Outcome, before: Outcome | None, lasting: Mapping[str, Any] | None = None) -> dict[str, Any]:
    """Return the entries of an outcome that are not those of the one before, less its case, nor what is ``lasting``.

    Nor is there what only the solver needs: the heat of every term at every node, and a second copy of the mesh.
    """
    news = {
        key: value
        for key, value in vars(outcome).items()
        if key != "case" and not _is_known(key, value, before, lasting or {})
    }
    if outcome.solution is not None and "solution" in news:
        news["solution"] = replace(outcome.solution, heat=None)
    if outcome.problem is not None and "problem" in news:
        news["problem"] = replace(outcome.problem, mesh=_without_cells(outcome.problem.mesh))
    return news


def _is_known(key: str, value: Any, before: Outcome | None, lasting: Mapping[str, Any]) -> bool:
    if before is not None:
        return value is getattr(before, key)
    return key in lasting and value is lasting[key]


def _without_cells(mesh: Mesh) -> Mesh:
    """A mesh that stands for one that the asker has."""
    return replace(mesh, points=mesh.points[:0], blocks=(), surfaces={})
