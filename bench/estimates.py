"""How honest the estimated errors of answers are: how often they hold, and how much they overstate.

Every shipped reference case with an exact answer is solved; an answer whose true error is round-off is left out.
With ``--coarser`` every case is estimated by coarser cells, as those too large for finer ones are; with ``--triangles``
that is done of free triangles for all that is not a rod.
"""

from __future__ import annotations

import sys

import numpy as np

from blunt_ember.case.editing.edits import with_value
from blunt_ember.checks.source import Provenance
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.answering import error_estimate
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.reference_cases import reference_cases

#: True errors below this share of the answer, or of the span of temperatures, are round-off.
_ROUND_OFF = 1e-11
#: Cases whose expected values are those of another model, so that the deviation is not an error of the mesh: fins are
#: compared with one-dimensional theory, a run that ends when it has settled with what it would settle to, and a body
#: that is not quite even with one that is.
_OTHER_MODEL = ("straight-fin", "annular-fin", "settling-wall", "lumped-film")


def main() -> None:
    """Print the share of answers whose error is within the estimate, and by how much estimates overstate."""
    triangles = "--triangles" in sys.argv
    if triangles or "--coarser" in sys.argv:
        error_estimate.FINER_NODES = error_estimate.FINER_WORK = dict.fromkeys((1, 2, 3), 0)
    ratios, missed, exact = [], [], 0
    for name, case in reference_cases():
        if name in _OTHER_MODEL:
            continue
        if triangles:
            try:
                case = with_value(case, ("mesh", "cells"), "triangles")
                if Flow().geometry(case).space.dimension < 2:
                    continue
            except BluntEmberError:  # a rod, or a body that no free triangles follow
                continue
        for check in Flow().run(case).checks:
            if check.error is None or check.deviation is None or check.relative is None:
                continue
            # Published figures are rounded: only exact solutions tell the true error.
            if check.source is None or check.source.provenance is Provenance.STATED:
                continue
            if check.relative < _ROUND_OFF:
                exact += 1
                continue
            ratios.append(check.error / abs(check.deviation))
            if ratios[-1] < 1:
                missed.append((ratios[-1], name, check.name, check.relative))
    held = np.array(ratios) >= 1
    print(f"{len(ratios)} answers with an error ({exact} more are exact but for round-off)")
    print(
        f"{held.mean():.1%} within the estimate, which overstates {np.median(ratios):.2f} times in the median, "
        f"{np.quantile(ratios, 0.9):.1f} times or more in a tenth"
    )
    for ratio, name, asked, relative in sorted(missed):
        print(f"  {ratio:.3f}\t{relative:.1e}\t{name}: {asked}")


if __name__ == "__main__":
    main()
