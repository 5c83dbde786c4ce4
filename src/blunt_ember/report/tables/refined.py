"""What refinement found, as text and for other programs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.values.display import in_shown_unit, number, shown, shown_difference
from blunt_ember.case.values.units import Kind
from blunt_ember.refinement.trend import RefinementLevel, Trend, left_over, trend
from blunt_ember.report.tables.checks import in_blocks

#: Characters of a line where no terminal tells.
_LINE = 120


def trends(levels: Sequence[RefinementLevel]) -> tuple[Trend, ...]:
    """Return what each answer of a sequence tends to whose cells were halved from level to level; of its band no less
    is left than what the finest of them do not tell."""
    columns = list(zip(*(level.values for level in levels), strict=True))
    in_time = list(zip(*(level.in_time for level in levels), strict=True)) or [()] * len(columns)
    highest, unseen = levels[-1].highest, levels[-1].unseen or (0.0,) * len(columns)
    return tuple(
        trend(values, abs(values[-1]), off, highest, least)
        for values, off, least in zip(columns, in_time, unseen, strict=True)
    )


def refined_rows(
    case: Case, kinds: Sequence[Kind], levels: Sequence[RefinementLevel], follows_error: bool
) -> list[list[str]]:
    """Return a sequence of meshes as rows of a table, with what its answers tend to below them."""
    names = [question.name for question in case.document.questions]
    rows = [["nodes", "cells", *names, "time", *(["flux off by"] if follows_error else [])]]
    for level in levels:
        values = [shown(value, kind, 8) for value, kind in zip(level.values, kinds, strict=True)]
        off = [f"{level.off:.2%}"] if level.off is not None else []
        rows.append([number(level.nodes, 7), number(level.cells, 7), *values, f"{level.seconds:.2f} s", *off])
    if follows_error:
        gaps = [f"± {shown_difference(gap, kind)}" for gap, kind in zip(left_over(levels), kinds, strict=True)]
        rows.append(["may be off by", "", *gaps, ""])
    elif len(levels) > 1:
        found = trends(levels)
        rows.append(["order seen", "", *("–" if each.order is None else f"{each.order:.2f}" for each in found), ""])
        rows.append(
            ["tends to", "", *(shown(each.limit, kind, 8) for each, kind in zip(found, kinds, strict=True)), ""]
        )
        bands = [f"± {shown_difference(each.band, kind)}" for each, kind in zip(found, kinds, strict=True)]
        rows.append(["within", "", *bands, ""])
        if levels[-1].in_time:
            rows.append(
                ["of it in time", "", *(_in_time(each, kind) for each, kind in zip(found, kinds, strict=True)), ""]
            )
        if any(each.note for each in found):
            rows.append(["", "", *(each.note for each in found), ""])
    return [[*row, *[""] * (len(rows[0]) - len(row))] for row in rows]


def _in_time(found: Trend, kind: Kind) -> str:
    """How much of a band is that of steps in time, and whether that is the larger part."""
    larger = "larger" if found.in_time > found.band - found.in_time else "smaller"
    return f"± {shown_difference(found.in_time, kind)}, the {larger} part"


def refined_text(
    case: Case, kinds: Sequence[Kind], levels: Sequence[RefinementLevel], follows_error: bool, most: int = _LINE
) -> str:
    """Return a sequence of meshes as text for a terminal whose lines have ``most`` characters, and what its answers
    tend to."""
    rows = refined_rows(case, kinds, levels, follows_error)
    return "\n".join([case.document.title, "", *in_blocks(rows, 2, most), "", summed_up(levels, follows_error)])


def summed_up(levels: Sequence[RefinementLevel], follows_error: bool) -> str:
    """Return how many meshes there are, the time they took, and why they are no more, with what else can be done."""
    told = f"{len(levels)} meshes, {sum(level.seconds for level in levels):.1f} s"
    ended = levels[-1].ended if levels else ""
    if not ended:
        return told
    way_out = "ask for less" if follows_error else "let the meshes follow the error"
    return f"{told}; {ended}: begin with larger cells, or {way_out}"


def refined_object(
    case: Case, kinds: Sequence[Kind], levels: Sequence[RefinementLevel], follows_error: bool
) -> dict[str, Any]:
    """Return the same as plain data; values, limit, band and the part of it in time are in ``unit``, as the case shows
    them."""
    answers: list[dict[str, Any]] = []
    gaps = left_over(levels)
    found = [None] * len(gaps) if follows_error else trends(levels)
    for place, (question, kind) in enumerate(zip(case.document.questions, kinds, strict=True)):
        values = [in_shown_unit(level.values[place], kind) for level in levels]
        entry = {"name": question.name, "unit": kind.shown, "values": values}
        answers.append({**entry, **_tends_to(found[place], gaps[place], kind)})
    meshes = [
        {"nodes": level.nodes, "cells": level.cells, "seconds": level.seconds, "off": level.off} for level in levels
    ]
    ended = levels[-1].ended if levels else ""
    return {"title": case.document.title, "meshes": meshes, "answers": answers, "ended": ended}


def _tends_to(found: Trend | None, gap: float, kind: Kind) -> dict[str, Any]:
    """What is told of an answer, in the unit it is shown in; of one that followed the error how far it may be off."""
    if found is None:
        return {"band": gap * kind.factor}
    told = asdict(found)
    return {
        **told,
        "limit": in_shown_unit(found.limit, kind),
        "band": found.band * kind.factor,
        "in_time": found.in_time * kind.factor,
    }
