"""What refinement found, as text and for other programs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.display import number, shown, shown_difference
from blunt_ember.case.units import Kind
from blunt_ember.refinement import Level, Trend, left_over, trend
from blunt_ember.report.table import aligned


def trends(levels: Sequence[Level]) -> tuple[Trend, ...]:
    """Return what each answer of a sequence tends to whose cells were halved from level to level."""
    columns = zip(*(level.values for level in levels), strict=True)
    return tuple(trend(values, abs(values[-1])) for values in columns)


def refined_text(case: Case, kinds: Sequence[Kind], levels: Sequence[Level], follows_error: bool) -> str:
    """Return a sequence of meshes as text for a terminal, and what its answers tend to."""
    names = [question.name for question in case.document.questions]
    head = ("nodes", "cells", *(("flux off by",) if follows_error else ()), *names, "time")
    rows = [
        (number(level.nodes, 7), number(level.cells, 7), *((f"{level.off:.2%}",) if level.off is not None else ()),
         *(shown(value, kind, 8) for value, kind in zip(level.values, kinds, strict=True)), f"{level.seconds:.2f} s")
        for level in levels
    ]  # fmt: skip
    lines = [case.document.title, "", *aligned([head, *rows]), ""]
    if follows_error:
        said = [(name, f"± {shown_difference(gap, kind)}")
                for name, gap, kind in zip(names, left_over(levels), kinds, strict=True)]  # fmt: skip
        total = sum(level.seconds for level in levels)
        lines += ["may still be off by", *aligned(said), "", f"{len(levels)} meshes, {total:.1f} s"]
        return "\n".join(lines)
    said_of = [("", "order seen", "tends to", "within", "")]
    for name, found, kind in zip(names, trends(levels), kinds, strict=True):
        order = "–" if found.order is None else f"{found.order:.2f}"
        said_of.append(
            (name, order, shown(found.limit, kind, 8), f"± {shown_difference(found.band, kind)}", found.note)
        )
    return "\n".join([*lines, *aligned(said_of)])


def refined_object(case: Case, kinds: Sequence[Kind], levels: Sequence[Level], follows_error: bool) -> dict[str, Any]:
    """Return the same as plain data; values in SI, temperatures in K."""
    answers: list[dict[str, Any]] = []
    gaps = left_over(levels)
    found = [None] * len(gaps) if follows_error else trends(levels)
    for place, (question, kind) in enumerate(zip(case.document.questions, kinds, strict=True)):
        entry = {"name": question.name, "unit": kind.unit, "values": [level.values[place] for level in levels]}
        each = found[place]
        answers.append({**entry, **(asdict(each) if each is not None else {"band": gaps[place]})})
    meshes = [{"nodes": level.nodes, "cells": level.cells, "seconds": level.seconds, "off": level.off}
              for level in levels]  # fmt: skip
    return {"title": case.document.title, "meshes": meshes, "answers": answers}
