"""What would make an answer better: the setting that is to be changed, where an answer is off or not told well."""

from __future__ import annotations

import math

from blunt_ember.case.values.units import TEMPERATURE, TIME
from blunt_ember.checks.source import Provenance
from blunt_ember.checks.verdict import Check

#: Share of a time beyond which its error is worth a word.
_WELL_TOLD = 2e-3
#: Share of any other answer, of a temperature of the span of the body, beyond which its error is.
_BARELY_TOLD = 0.05


def hint(check: Check, error: float | None, steps: bool) -> str:
    """Return what would help a ``check`` whose answer has an estimated ``error`` in SI; empty where nothing need.

    ``steps`` tells whether steps in time lost something too.
    """
    ways = "a smaller size of cells, or a smaller 'tolerance' of the clock," if steps else "a smaller size of cells"
    if math.isnan(check.value):  # the note says why
        return ""
    if check.verdict == "off" and check.deviation is not None:
        if error is None:
            return f"how far off it may be is not known: see whether {ways} changes it"
        if abs(check.deviation) <= error:
            return f"its own error may be as large as that: {ways} tells more"
        if check.source is not None and check.source.provenance is Provenance.THEORY:
            return "it is off by more than its error: the theory is of an idealised body, and may be what is off"
        return "it is off by more than its error: look first at what is stated, and at the case it is expected of"
    of_time = check.kind.dimension == TIME.dimension
    if of_time and error is not None and error > _WELL_TOLD * abs(check.value):
        smaller = "'tolerance' of the clock" if steps else "size of cells"
        return f"a smaller {smaller} tells this time better"
    if error is not None and _BARELY_TOLD * check.scale < error < math.inf:
        whole = "the span of temperatures" if check.kind.dimension == TEMPERATURE.dimension else "it"
        return f"± is {_percent(error / check.scale)} of {whole}: {ways} tells more"
    return ""


def _percent(share: float) -> str:
    return f"{100 * share:.0f} %" if share < 1 else f"{share:.2g} times the size"
