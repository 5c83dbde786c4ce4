"""Many cases solved, each kept as soon as it is done: a few here, many in processes or on a cluster."""

from __future__ import annotations

import os
import time
from collections import deque
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import FIRST_COMPLETED, CancelledError, Future, wait
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress
from pathlib import Path
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.cache import Step
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.keys import StepKeys
from blunt_ember.studies.points import Point, data_with
from blunt_ember.studies.result import Row
from blunt_ember.studies.running.solving import CaseFiles, OtherVersionError, RowSolver
from blunt_ember.studies.running.store import ResultsStore, keys_of
from blunt_ember.studies.running.workplace import LocalPool, OpenWorkplace, Workplace

#: Points that are sent to a process at once: neighbours share a mesh, and much else, in it.
_TOGETHER = 8
#: Processes are started where more seconds than this are left to solve here: they take some themselves.
_WORTH = 4.0
#: How long nothing may come before it is looked why, s.
_LOOK = 1.0
#: Hears of how many are done of how many.
OnProgress = Callable[[int, int], None]
#: A point to be solved: its key, and what states its case.
Todo = tuple[str, Mapping[str, Any]]


def rows_of(
    case: Case,
    points: Sequence[Point],
    store: ResultsStore,
    on_progress: OnProgress = lambda done, of: None,
    jobs: int | None = None,
    flow: Flow | None = None,
    elsewhere: OpenWorkplace | None = None,
    with_errors: bool = False,
) -> list[Row]:
    """Return the row of every point; what the store knows is not computed again, and what is new is kept at once.

    They are solved ``elsewhere``, or by a number of processes (``jobs``), as many as there are cores where nothing is
    said and much is to be done; few are solved here, by a ``flow`` that may know already what they share.
    """
    stated = [data_with(case, point) for point in points]
    keys = keys_of(case, stated)
    known = store.known(dict.fromkeys(keys), with_errors)
    rows = [known.get(key) for key in keys]
    places: dict[str, list[int]] = {}
    for place, (key, row) in enumerate(zip(keys, rows, strict=True)):
        if row is None:
            places.setdefault(key, []).append(place)
    order = _by_mesh(case, points)
    firsts = sorted(((found[0], key) for key, found in places.items()), key=lambda each: order[each[0]])
    todo: list[Todo] = [(key, stated[place]) for place, key in firsts]
    done = len(rows) - sum(len(found) for found in places.values())
    on_progress(done, len(rows))
    solved = _each_solved(case, todo, jobs, flow or Flow(curves=False), elsewhere, with_errors)
    for key, row in solved:
        if not row.passing:
            store.put(key, row)
        for place in places[key]:
            rows[place] = row
        done += len(places[key])
        on_progress(done, len(rows))
    return [Row({}, "it was not computed") if row is None else row for row in rows]


def _by_mesh(case: Case, points: Sequence[Point]) -> list[tuple[tuple[float, ...], int]]:
    """By point, its place in an order in which those with the same mesh follow each other."""
    varied = sorted({name for point in points for name in point})
    meshing: list[str] = []
    if len(varied) > 1:
        steps = StepKeys()
        plain = steps.of(case, Step.SPLIT_MESH)
        for name in varied:
            other = next((point[name] for point in points if name in point), 0.0)
            if other == float(case.parameters[name].magnitude):
                other = next((point[name] for point in points if point.get(name, other) != other), other)
            try:
                changed = case.restated(data_with(case, {name: other}))
                meshing += [name] if steps.of(changed, Step.SPLIT_MESH) != plain else []
            except BluntEmberError:  # its row will say what is wrong
                meshing.append(name)
    return [(tuple(point.get(name, 0.0) for name in meshing), place) for place, point in enumerate(points)]


def _each_solved(
    case: Case, todo: list[Todo], jobs: int | None, flow: Flow, elsewhere: OpenWorkplace | None, with_errors: bool
) -> Iterator[tuple[str, Row]]:
    """Yield every key with its row as it is done."""
    rest = deque(todo)
    workers = min(jobs or os.cpu_count() or 1, max(len(todo) // 2, 1))
    started, here, solver = time.perf_counter(), 0, RowSolver(flow)
    while rest:
        left = (time.perf_counter() - started) / here * len(rest) if here else 0.0
        if elsewhere is not None or (workers > 1 and (jobs is not None or left > _WORTH)):
            break
        key, data = rest.popleft()
        yield key, solver.row(data, case.folder, with_errors)
        here += 1
    if not rest:
        return
    workplace: Workplace = LocalPool(workers) if elsewhere is None else elsewhere()
    try:
        files = _files_of(case, elsewhere is not None)
        yield from _solved_at(
            workplace, rest, files, with_errors, lambda data: solver.row(data, case.folder, with_errors)
        )
    except BrokenProcessPool:
        # A process that died took what was in flight with it; the rest goes on here.
        while rest:
            key, data = rest.popleft()
            yield key, solver.row(data, case.folder, with_errors)
    finally:
        workplace.close()


def _solved_at(
    workplace: Workplace,
    rest: deque[Todo],
    files: CaseFiles,
    with_errors: bool,
    here: Callable[[Mapping[str, Any]], Row],
) -> Iterator[tuple[str, Row]]:
    """Yield every key with its row as a workplace solves it, or as is done ``here`` until that is ready; what is not
    solved is left over in ``rest``."""
    together = max(1, min(_TOGETHER, len(rest) // (2 * max(workplace.workers, 1))))
    waiting: dict[Future[list[Row]], list[Todo]] = {}
    singly: deque[Todo] = deque()
    try:
        while rest or singly or waiting:
            while (rest or singly) and len(waiting) < workplace.room:
                bundle = [rest.popleft() for _ in range(min(together, len(rest)))] or [singly.popleft()]
                try:
                    future = workplace.submit([data for _, data in bundle], files, with_errors)
                except BaseException:
                    rest.extendleft(reversed(bundle))
                    raise
                waiting[future] = bundle
            if rest and not workplace.ready:
                key, data = rest.pop()
                yield key, here(data)
                continue
            finished, _ = wait(waiting, timeout=_LOOK, return_when=FIRST_COMPLETED)
            if not finished:
                workplace.look()
            for future in finished:
                bundle = waiting.pop(future)
                try:
                    rows = future.result()
                except OtherVersionError as error:  # it reached a worker that is none of ours
                    rest.extendleft(reversed(bundle))
                    workplace.refused(error)
                except (BrokenProcessPool, CancelledError, BluntEmberError) as error:
                    waiting[future] = bundle
                    workplace.failed(error)
                    raise
                # A case that ended whoever solved it (KilledWorker), a worker that misses a module, a fault nobody
                # thought of: one row says so, and the others go on.
                except Exception as error:
                    waiting[future] = bundle
                    workplace.failed(error)
                    del waiting[future]
                    if len(bundle) > 1:
                        singly += bundle
                    else:
                        yield bundle[0][0], Row({}, _why_not(error), passing=True)
                else:
                    for (key, _), row in zip(bundle, rows, strict=True):
                        yield key, row
    finally:
        rest.extendleft(each for bundle in (*waiting.values(), singly) for each in bundle)


def _why_not(error: Exception) -> str:
    """Why a case could not be solved elsewhere, in words."""
    if type(error).__name__ == "KilledWorker":
        return (
            "it ended every worker that took it on; it may want more memory than they have: look at what they said last"
        )
    return f"it could not be solved there ({type(error).__name__}: {error})"


def _files_of(case: Case, far: bool) -> CaseFiles:
    """What a case reads besides what it states, with the contents where it is solved ``far`` away."""
    if not far:
        return CaseFiles(case.folder)
    contents = {}
    for name in case.document.body.files:
        with suppress(OSError):  # a case that misses one says so itself
            contents[name] = Path(case.folder, name).read_bytes()
    return CaseFiles(case.folder, contents)
