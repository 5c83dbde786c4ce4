"""What the surfaces of enclosures radiate, and who heats whom, as rows for tables."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.enclosures import OPENING
from blunt_ember.case.values.units import AREA, HEAT_FLOW, NUMBER, Kind
from blunt_ember.fem.radiated import EnclosureHeat, Radiated
from blunt_ember.flow.outcome import Outcome

#: A heading with words, or with the kind of the values in SI.
Words = tuple[str, Sequence[str]]
Values = tuple[str, Kind, Floats]


def radiation_rows(outcome: Outcome) -> tuple[list[Words], list[Values]]:
    """Return a row for every surface of an enclosure: what it emits, receives, and keeps."""
    found, own_name = _found(outcome), outcome.case.document.own_name
    names = [(each.name, own_name(surface)) for each in found for surface in each.surfaces]
    words: list[Words] = [("surface", [name for _, name in names]), ("enclosure", [name for name, _ in names])]
    hows: dict[str, Callable[[Radiated], Floats]] = {
        "net": lambda each: each.of("net"),
        "emitted": lambda each: each.of("emitted"),
        "incident": lambda each: each.of("incident"),
        "absorbed": lambda each: each.of("absorbed"),
        "reflected": lambda each: each.of("reflected"),
        "leaving": lambda each: each.of("leaving"),
    }
    values: list[Values] = [("area", AREA, _joined([each.areas[:-1] for each in found]))]
    values += [(heading, HEAT_FLOW, _joined([how(each) for each in found])) for heading, how in hows.items()]
    values.append(("sees the opening", NUMBER, _joined([each.view_factors[:-1, -1] for each in found])))
    return words, values


def exchange_rows(outcome: Outcome) -> tuple[list[Words], list[Values]]:
    """Return a row for every pair of surfaces that see each other, each way: the view factor, and the net heat."""
    own_name = outcome.case.document.own_name
    words: list[tuple[str, str, str]] = []
    numbers: list[tuple[float, float]] = []
    for each in _found(outcome):
        names = [*(own_name(surface) for surface in each.surfaces), OPENING]
        for row, column in np.argwhere(each.seen > 0).tolist():
            words.append((names[row], names[column], each.name))
            numbers.append((each.view_factors[row, column], each.exchanged[row, column]))
    columns = np.array(numbers, dtype=float).reshape(-1, 2)
    headings = ("from", "to", "enclosure")
    return (
        [(heading, [row[place] for row in words]) for place, heading in enumerate(headings)],
        [("view factor", NUMBER, columns[:, 0]), ("net heat", HEAT_FLOW, columns[:, 1])],
    )


def _found(outcome: Outcome) -> tuple[Radiated, ...]:
    """The radiation at the instant that is seen."""
    assert outcome.problem is not None and outcome.solution is not None and outcome.mesh is not None
    return EnclosureHeat(outcome.problem).at(outcome.solution.temperature, outcome.t)


def _joined(parts: Sequence[Floats]) -> Floats:
    return np.concatenate([np.zeros(0), *parts])
