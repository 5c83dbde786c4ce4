"""Meshes that follow the error beside evenly refined ones: nodes and seconds until an answer is within 0.1 %.

Both begin on the same coarse mesh of linear cells, as the usual quadratic ones are within 0.1 % from the start.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import with_value
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.gallery.reference_cases import reference_cases
from blunt_ember.refinement.adaptive import adaptive_refinement
from blunt_ember.refinement.trend import RefinementLevel
from blunt_ember.refinement.uniform import uniform_refinement

SHARE = 1e-3
MOST = 150_000


def main() -> None:
    """Print a table for each case."""
    plate = family("hot-edge-plate").case()
    named = {check.name: check.expected for check in Flow().run(plate).checks}
    _compare(plate, "out through the bottom", named["out through the bottom"], "50 mm")
    iso = dict(reference_cases())["ISO 10211 case 2"]
    fine = list(uniform_refinement(Flow(), with_value(iso, ("mesh",), {"order": 2}), 3))
    heat = next(place for place, question in enumerate(iso.document.questions) if question.asks == "heat_flow")
    name = iso.document.questions[heat].name
    _compare(iso, name, fine[-1].values[heat], "40 mm")
    corner = family("wall-corner").case()
    # The limit of Richardson's series, whose band is two in 10⁵.
    from blunt_ember.report.tables.refined import trends

    limit = trends(list(uniform_refinement(Flow(), corner, 4)))[0].limit
    _compare(corner, corner.document.questions[0].name, limit, "120 mm")


def _compare(case: Case, name: str, known: float | None, size: str) -> None:
    assert known is not None
    asked = next(place for place, question in enumerate(case.document.questions) if question.name == name)
    # Only this is asked, as closely as it is compared, so that following ends for its sake.
    question = {**case.data["questions"][asked], "tolerance": "0.02 %"}
    bare = with_value(with_value(case, ("mesh",), {"order": 1, "size": size, "across": 1}), ("questions",), [question])
    print(f"\n{case.document.title}: {name}, {known:.6g} W")
    for how, levels in (
        ("even", uniform_refinement(Flow(), bare, 9)),
        ("following the error", adaptive_refinement(Flow(), bare, MOST)),
    ):
        _tell(how, levels, known)


def _tell(how: str, levels: Iterable[RefinementLevel], known: float) -> None:
    seconds, reached, last = 0.0, None, None
    for level in levels:
        if level.nodes > MOST:
            break
        seconds += level.seconds
        off = abs(level.values[0] / known - 1)
        last = f"{level.nodes:>7,} nodes, off by {off:.1e} at the end"
        if reached is None and off < SHARE:
            reached = f"{level.nodes:>7,} nodes, {seconds:5.2f} s"
        elif off >= SHARE:
            reached = None  # it was there by chance
    print(f"  {how:<20} within 0.1 %: {reached or 'not reached'};  {last}")


if __name__ == "__main__":
    np.seterr(all="ignore")
    main()
