"""Heat held per volume as a function of temperature, so that what is stored is the same however it got there."""

from __future__ import annotations

from functools import cached_property
from typing import Any

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.errors import ExpressionError, SolverError
from blunt_ember.fem.problem.problem import Capacity
from blunt_ember.immutable import immutable

#: Temperatures, K, between which the integral over the capacity is kept, and the step of it.
_RANGE = (1.0, 6000.0)
_STEP = 1.0


@immutable
class Enthalpy:
    """Heat per volume e(T) = ∫ ρ c dT from the ``reference_temperature``, K, of the case; the balance conserves it.

    Heat per kelvin ρ c alone would not do: where it changes within a step, what goes in would not be what is stored.
    """

    capacity: Capacity
    reference_temperature: float

    @cached_property
    def constant(self) -> float | None:
        """ρ c in J/(m³ K) where it does not depend on temperature."""
        density, c = self.capacity.density.constant, self.capacity.c.constant
        return None if density is None or c is None else density * c

    def per_kelvin(self, temperature: Floats) -> Floats:
        """Return ρ c in J/(m³ K); raise :class:`SolverError` where it is not more than zero."""
        values = self._product(temperature)
        if not (values > 0).all():
            worst = int(np.argmin(np.where(np.isnan(values), -np.inf, values)))
            said = f"'{self.capacity.density.text}' times '{self.capacity.c.text}'"
            raise SolverError(f"the heat capacity {said} is not more than zero at {temperature.flat[worst]:.5g} K")
        return values

    def _product(self, temperature: Floats) -> Floats:
        where = {"T": temperature}
        try:
            result: Floats = self.capacity.density.at(where) * self.capacity.c.at(where)
        except ExpressionError as error:
            raise SolverError(str(error)) from error
        return result

    def at(self, excess: Floats) -> Floats:
        """Return e in J/m³ at temperatures ``excess`` over the reference temperature, K."""
        if self.constant is not None:
            return self.constant * excess
        low, high = self._integral.x[[0, -1]]
        inside = np.clip(excess + self.reference_temperature, low, high)
        over = excess + self.reference_temperature - inside
        beyond = over * self._product(inside) if over.any() else 0.0
        return self._integral(inside) - self._at_middle + beyond

    @cached_property
    def _integral(self) -> Any:
        knots = np.arange(_RANGE[0], _RANGE[1] + _STEP / 2, _STEP)
        tables = [law.table for law in (self.capacity.density, self.capacity.c) if law.table is not None]
        knots = np.unique(np.concatenate([knots, *(table.xs for table in tables), [self.reference_temperature]]))
        at, weight = np.polynomial.legendre.leggauss(4)
        width = np.diff(knots)
        places = knots[:-1, None] + width[:, None] * (1 + at) / 2
        pieces = np.nan_to_num(self._product(places), nan=0.0, posinf=0.0, neginf=0.0) @ weight * width / 2
        slopes = np.nan_to_num(self._product(knots), nan=0.0, posinf=0.0, neginf=0.0)
        # Between knots a table is straight, so its integral is a parabola, which the cubic takes exactly.
        # Here, as it takes a while and few runs need it.
        from scipy.interpolate import CubicHermiteSpline

        return CubicHermiteSpline(knots, np.concatenate([[0.0], np.cumsum(pieces)]), slopes)

    @cached_property
    def _at_middle(self) -> float:
        return float(self._integral(self.reference_temperature))
