"""Lenses: what of an outcome is drawn on the body, as plain data for the renderer."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from blunt_ember.case.display import in_shown_unit, number
from blunt_ember.case.units import HEAT_FLUX, TEMPERATURE, Kind
from blunt_ember.fem.reading import flux_at_nodes
from blunt_ember.outcome import Outcome

Floats = NDArray[np.float64]
Lens = Literal["Shape", "Mesh", "Temperature", "Heat flow"]
LENSES: tuple[Lens, ...] = ("Shape", "Mesh", "Temperature", "Heat flow")
#: Lenses that need a solution.
SOLVED: frozenset[Lens] = frozenset({"Temperature", "Heat flow"})


@dataclass(frozen=True)
class Shade:
    """Values at the nodes of each cell, (m, k) for each block in SI, and the range they are coloured over."""

    kind: Kind
    values: tuple[Floats, ...]
    low: float
    high: float

    @property
    def title(self) -> str:
        """What the legend says above its colours."""
        return f"{'Temperature' if self.kind.name == TEMPERATURE.name else 'Heat flux'}, {self.kind.shown}"

    def ticks(self, count: int = 5) -> list[tuple[float, str]]:
        """Return (share of the range, text) of round values between the ends."""
        low, high = in_shown_unit(self.low, self.kind), in_shown_unit(self.high, self.kind)
        step = _round_step((high - low) / count)
        first = np.ceil(low / step - 1e-9) * step
        values = np.arange(first, high + 1e-9 * step, step)
        return [((v - low) / (high - low), number(v)) for v in values.tolist()]


def shade(outcome: Outcome, lens: Lens, whole_run: bool = True) -> Shade | None:
    """Return what a lens colours the body by; None for lenses that show no field, or while there is none.

    Temperatures of a run are coloured over the range of the ``whole_run``, or of the instant.
    """
    mesh, solution, problem = outcome.mesh, outcome.solution, outcome.problem
    if mesh is None or solution is None or problem is None:
        return None
    if lens == "Temperature":
        values = tuple(solution.temperature[block.nodes] for block in mesh.blocks)
        low, high = float(solution.temperature.min()), float(solution.temperature.max())
        if outcome.run is not None and whole_run:
            low, high = float(outcome.run.lowest.min()), float(outcome.run.highest.max())
        if high - low < 1e-9 * max(high, 1.0):  # an even temperature still needs a range to be coloured over
            low, high = low - 0.5, high + 0.5
        return Shade(outcome.case.units.of(TEMPERATURE), values, low, high)
    if lens == "Heat flow":
        fluxes = flux_at_nodes(problem, solution.temperature, outcome.t)
        values = tuple(np.linalg.norm(flux, axis=-1) for flux in fluxes)
        return Shade(outcome.case.units.of(HEAT_FLUX), values, 0.0, max(float(v.max()) for v in values) or 1.0)
    return None


def _round_step(step: float) -> float:
    size = 10.0 ** np.floor(np.log10(step))
    return float(size * next(nice for nice in (1, 2, 5, 10) if nice >= step / size * (1 - 1e-9)))
