"""Studies as the report has them: what was found, a chart of every answer, and the points."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from blunt_ember.picture.charts.plot import Plot
from blunt_ember.picture.charts.studies.ways import charts_of
from blunt_ember.studies.result import StudyDone
from blunt_ember.studies.telling import findings_table, found_lines, result_table

#: Points that are tabulated at most, the first ones; a file has all of them.
_MOST_POINTS = 120


def studied(done: StudyDone, drawn: Callable[[Plot], str]) -> dict[str, Any]:
    """Return the title, the lines, the tables (rows under their headings) and the charts of a study; ``drawn`` makes
    a picture of a chart."""
    case, result = done.case, done.result
    points = result_table(case, result)
    tables = [table for table in (findings_table(case, result), points[: _MOST_POINTS + 1]) if len(table) > 1]
    lines = found_lines(case, result)
    if len(points) - 1 > _MOST_POINTS:
        lines.append(f"the first {_MOST_POINTS} of {len(points) - 1:,} points are tabulated")
    charts = []
    for question in case.document.questions:
        for chart in charts_of(done, question.name).values():
            charts.append({"caption": chart.title, "data": drawn(chart), "wide": True})
    kind = case.document.studies[done.name].kind
    return {"title": f"Study “{done.name}”: {kind}", "lines": lines, "tables": tables, "charts": charts}
