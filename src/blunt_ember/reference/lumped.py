"""A body at one temperature throughout, which films, fluxes and radiation warm and cool."""

from __future__ import annotations

from functools import cached_property
from typing import Any

import numpy as np

from blunt_ember.immutable import immutable
from blunt_ember.reference.side import Side

LUMPED_SOURCE = "lumped: one temperature throughout, Incropera et al. (2007), sections 5.1 to 5.3"


@immutable
class Lumped:
    """Heat ``capacity`` in J/K, at first at ``temperature`` K; ``faces`` are areas in m² with what they meet, ``power``
    in W arises inside; asked for up to ``latest`` s."""

    capacity: float
    temperature: float
    faces: tuple[tuple[float, Side], ...]
    power: float
    latest: float

    def at(self, t: float) -> float:
        """Return the temperature in K at a time in s: closed where nothing radiates, else to 12 digits by steps."""
        if t <= 0:
            return self.temperature
        if not any(side.radiation for _, side in self.faces):
            gained = self.power + sum(area * side.inflow(0.0) for area, side in self.faces)
            leaving = sum(area * side.h for area, side in self.faces)
            if leaving == 0:
                return self.temperature + gained * t / self.capacity
            end = gained / leaving
            return float(end + (self.temperature - end) * np.exp(-leaving * t / self.capacity))
        return float(self._stepped(min(t, self.latest))[0])

    def inflow(self, area: float, side: Side, t: float) -> float:
        """Return the heat in W that enters a face at a time in s."""
        return area * side.inflow(self.at(t))

    @cached_property
    def _stepped(self) -> Any:
        def rate(_: float, temperature: Any) -> Any:
            gained = self.power + sum(area * side.inflow(float(temperature[0])) for area, side in self.faces)
            return [gained / self.capacity]

        from scipy.integrate import solve_ivp  # here, as it takes a while and few cases need it

        made = solve_ivp(
            rate, (0, self.latest), [self.temperature], "DOP853", dense_output=True, rtol=3e-13, atol=1e-10
        )
        return made.sol
