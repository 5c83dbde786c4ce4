"""Thermal resistances in series between two sides, each held, or with a flux and a film in any mix."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import accumulate

from blunt_ember.errors import ReferenceRefusedError


@dataclass(frozen=True)
class Side:
    """What one side meets: ``held`` temperature (K), or ``flux`` (W/m² into the body) with a film ``h``, ``fluid``."""

    held: float | None = None
    flux: float = 0.0
    h: float = 0.0
    fluid: float = 0.0

    @property
    def drives(self) -> bool:
        """Whether this side can anchor a temperature."""
        return self.held is not None or self.h > 0


def require_drive(start: Side, end: Side) -> None:
    """Raise :class:`ReferenceRefusedError` when neither side anchors a temperature."""
    if not (start.drives or end.drives):
        raise ReferenceRefusedError("neither side is held or meets a fluid, so any temperature would do")


def series(
    resistances: Sequence[float], start: Side, end: Side, start_area: float = 1.0, end_area: float = 1.0
) -> tuple[float, tuple[float, ...]]:
    """Return the heat from start to end and the temperatures (K) at the start, at every joint and at the end.

    ``resistances`` are in K per unit of that heat; the areas turn fluxes and films of the sides into the same unit
    (1 for a wall, where heat is per m²). Each side is a driving temperature behind a resistance, or a given heat when
    nothing else drives it. Raises :class:`ReferenceRefusedError` when neither side drives.
    """
    require_drive(start, end)
    if not start.drives:
        heat = start.flux * start_area
    elif not end.drives:
        heat = -end.flux * end_area
    else:
        (hot, before), (cold, behind) = _driven(start, start_area), _driven(end, end_area)
        heat = (hot - cold) / (before + sum(resistances) + behind)
    if start.drives:
        driving, resistance = _driven(start, start_area)
        first = driving - heat * resistance
        return heat, tuple(accumulate(resistances, lambda t, r: t - heat * r, initial=first))
    driving, resistance = _driven(end, end_area)
    last = driving + heat * resistance
    backward = accumulate(reversed(resistances), lambda t, r: t + heat * r, initial=last)
    return heat, tuple(reversed(list(backward)))


def _driven(side: Side, area: float) -> tuple[float, float]:
    """Return driving temperature (K) and resistance that stand for a held or film side with its flux."""
    if side.held is not None:
        return side.held, 0.0
    return side.fluid + side.flux / side.h, 1.0 / (side.h * area)
