"""What a case says of time that its clock does not bear out."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.clock import Clock
from blunt_ember.case.values.laws import Law
from blunt_ember.errors import ExpressionError, Fault

#: Fields that are kept in a stage at most, and fixed steps.
_MOST_KEPT, _MOST_STEPS = 100_000, 1_000_000
#: How often a formula may swing, at how many places it is looked at, and how far apart, as a share of the time.
_MOST_SWINGS, _LOOKED_AT, _STEP = 20_000, 4_000, 1e-9
#: A change by this share of what changes is round-off.
_ROUND_OFF = 1e-11
_RUN_IT = "let the clock run: say its 'start'"


def clock_faults(document: CaseDocument) -> list[Fault]:
    """Return a fault for everything that depends on time while the clock is steady, or lies beyond its end."""
    clock = document.running_clock
    return (
        list(_while_steady(document))
        if clock is None
        else [*_beyond_end(document, clock), *_too_many(clock), *_too_fast(document, clock)]
    )


def _while_steady(document: CaseDocument) -> Iterator[Fault]:
    for path, value in document.values:
        if isinstance(value, Law) and value.follows_time:
            yield Fault(path, f"'{value.text}' depends on t, but the clock is steady; {_RUN_IT}")
    for block in ("surroundings", "heat_inside"):
        for place, entry in enumerate(getattr(document, block)):
            for key in ("after", "before"):
                if getattr(entry, key) is not None:
                    what = f"it holds for a while, but the clock is steady; {_RUN_IT}"
                    yield Fault((block, place, key), what)
    for place, question in enumerate(document.questions):
        for key in ((question.asks,) if question.of_time else ()) + (("time",) if question.asked_time else ()):
            what = f"'{key}' is asked of a clock that runs, and this one is steady; {_RUN_IT}"
            yield Fault(("questions", place, key), what)


def _too_many(clock: Clock) -> Iterator[Fault]:
    """Steps or kept fields without number, as far as it is stated how long they go on."""
    # What a stage does not say of itself the clock says of it.
    lasting = [
        (("clock",) if stage.every is None else ("clock", "stages", place), stage.lasts, stage.every or clock.every)
        for place, stage in enumerate(clock.stages)
    ]
    for path, lasts, every in lasting or [(("clock",), clock.end, clock.every)]:
        if lasts is None:
            continue
        if every is not None and lasts.si / every.si > _MOST_KEPT:
            fewest, number = f"{lasts.si / _MOST_KEPT:.2g} s", f"{lasts.si / every.si:,.0f}"
            what = f"every {every.text} for {lasts.text} keeps {number} fields, {_MOST_KEPT:,} at most can be"
            yield Fault((*path, "every"), f"{what}; state {fewest} or more, or single times with 'at'")
        if clock.step is not None and lasts.si / clock.step.si > _MOST_STEPS:
            number = f"{lasts.si / clock.step.si:,.0f}"
            what = f"{lasts.text} in steps of {clock.step.text} takes {number} steps, {_MOST_STEPS:,} at most are taken"
            yield Fault(("clock", "step"), f"{what}; leave the step out, and 'tolerance' chooses it")


def _beyond_end(document: CaseDocument, clock: Clock) -> Iterator[Fault]:
    end = clock.end
    if end is None or clock.until is not None:
        return
    for place, question in enumerate(document.questions):
        asked = question.asked_time
        if asked is not None and asked.si > end.si * (1 + 1e-12):
            what = f"it is asked for {asked.text}, but the clock ends at {end.text}"
            yield Fault(("questions", place, "time"), what)


def _too_fast(document: CaseDocument, clock: Clock) -> Iterator[Fault]:
    """Formulas of the time alone that swing more often than can be followed, as far as it is stated how long."""
    lasting = [stage.lasts.si for stage in clock.stages if stage.lasts is not None]
    whole = sum(lasting) if clock.stages else (clock.end.si if clock.end is not None else 0.0)
    for path, value in document.values:
        if whole > 0 and isinstance(value, Law) and value.table is None and value.variables == {"t"}:
            swings = _swings(value, whole)
            if swings > _MOST_SWINGS:
                what = f"'{value.text}' swings about {swings:,.0f} times while the clock runs"
                yield Fault(
                    path, f"{what}; {_MOST_SWINGS:,} times at most are followed: state its mean, or a shorter time"
                )


def _swings(law: Law, whole: float) -> float:
    """About how often the slope of a law goes up and down in a ``whole`` time in s: how far it goes in all, told from
    many places, beside how far apart its values are. What only climbs, however steeply, does not swing."""
    places = (np.arange(_LOOKED_AT) * (5**0.5 - 1) / 2) % 1 * whole * (1 - 2 * _STEP)
    try:
        with np.errstate(all="ignore"):
            values = np.array([law.at({"t": places + step * _STEP * whole}) for step in range(3)], dtype=float)
    except ExpressionError:
        return 0.0
    # A place where it is steep, or jumps, is none where it swings.
    slopes, bends = np.diff(values, axis=0), np.sort(np.abs(np.diff(values, 2, axis=0)), axis=None)
    span = float(np.ptp(np.percentile(slopes, [1, 99])))
    if not np.isfinite(values).all() or span <= _ROUND_OFF * float(np.abs(values).max()):
        return 0.0
    return float(bends[: -_LOOKED_AT // 100].mean()) / _STEP / (2 * span)
