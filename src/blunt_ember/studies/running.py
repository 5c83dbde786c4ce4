"""Many cases solved on all cores; each that is done is kept at once."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from multiprocessing import get_context
from typing import Any

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.flow import Flow
from blunt_ember.studies.points import Point, data_with
from blunt_ember.studies.result import Row
from blunt_ember.studies.store import ResultsStore, keys_of

#: Points that are sent to a process at once: neighbours share a mesh, and much else, in it.
_TOGETHER = 8
#: Hears of how many are done of how many.
OnProgress = Callable[[int, int], None]

_flow: Flow | None = None


def solved_row(data: Mapping[str, Any], folder: str, flow: Flow) -> Row:
    """Read and solve a case as far as its answers; what is wrong with it stands in the row."""
    try:
        case = case_from_data(dict(data), folder)
        outcome = next(each for each in flow.outcomes(case, curves=False) if each.checks or each.trouble or each.final)
    except BluntEmberError as error:
        return Row({}, str(error))
    if outcome.trouble is not None:
        return Row({}, str(outcome.trouble))
    known = {check.name: check.expected for check in outcome.checks if check.expected is not None}
    return Row({check.name: check.value for check in outcome.checks}, expected=known)


def _solved(data: Sequence[dict[str, Any]], folder: str) -> list[Row]:
    """Solve some cases one after the other, in a process of its own that keeps what they share."""
    global _flow
    if _flow is None:
        _flow = Flow()
    return [solved_row(each, folder, _flow) for each in data]


def rows_of(
    case: Case,
    points: Sequence[Point],
    store: ResultsStore,
    on_progress: OnProgress = lambda done, of: None,
    jobs: int | None = None,
    flow: Flow | None = None,
) -> list[Row]:
    """Return the row of every point; what the store knows is not computed again, and what is new is kept at once.

    Few are solved here, by a ``flow`` that may know already what they share.
    """
    stated = [data_with(case, point) for point in points]
    keys = keys_of(case, stated)
    known = store.known(dict.fromkeys(keys))
    rows = [known.get(key) for key in keys]
    places: dict[str, list[int]] = {}
    for place, (key, row) in enumerate(zip(keys, rows, strict=True)):
        if row is None:
            places.setdefault(key, []).append(place)
    todo = [(key, stated[found[0]]) for key, found in places.items()]
    done = len(rows) - sum(len(found) for found in places.values())
    on_progress(done, len(rows))
    for key, row in _each_solved(todo, case.folder, jobs, flow or Flow()):
        store.put(key, row)
        for place in places[key]:
            rows[place] = row
        done += len(places[key])
        on_progress(done, len(rows))
    return [Row({}, "it was not computed") if row is None else row for row in rows]


def _each_solved(
    todo: list[tuple[str, dict[str, Any]]], folder: str, jobs: int | None, flow: Flow
) -> Iterator[tuple[str, Row]]:
    """Yield every key with its row as it is done: here where they are few, else in processes."""
    workers = min(jobs or os.cpu_count() or 1, max(len(todo) // 2, 1))
    if workers == 1:
        for key, data in todo:
            yield key, solved_row(data, folder, flow)
        return
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    together = max(1, min(_TOGETHER, len(todo) // (2 * workers)))
    bundles = [todo[start : start + together] for start in range(0, len(todo), together)]
    with ProcessPoolExecutor(workers, get_context("spawn")) as pool:
        waiting: dict[Future[list[Row]], list[tuple[str, dict[str, Any]]]] = {}
        try:
            for bundle in bundles:
                waiting[pool.submit(_solved, [data for _, data in bundle], folder)] = bundle
            while waiting:
                finished, _ = wait(waiting, return_when=FIRST_COMPLETED)
                for future in finished:
                    solved = future.result()
                    for (key, _), row in zip(waiting.pop(future), solved, strict=True):
                        yield key, row
        except BrokenProcessPool:
            # A process that died took what was in flight with it; the rest goes on here.
            for bundle in list(waiting.values()):
                for key, data in bundle:
                    yield key, solved_row(data, folder, flow)
