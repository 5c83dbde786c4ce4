"""What every law of a surface says of itself, and what it is told of the surface."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Mapping
from dataclasses import fields
from typing import ClassVar

from blunt_ember.arrays import Floats
from blunt_ember.case.values.laws import Law
from blunt_ember.immutable import immutable


@immutable
class OnFacets:
    """Places on the facets of a surface, (m, q), at one time.

    ``where`` are the variables there with ``t``, s, and ``T``, K; ``excess`` is T over the ``reference_temperature``,
    K, which keeps round-off small. ``value`` reads a stated value, SI.
    """

    where: Mapping[str, Floats]
    excess: Floats
    reference_temperature: float
    value: Callable[[Law], Floats]

    @property
    def temperature(self) -> Floats:
        """T of the surface, K."""
        return self.where["T"]

    def slope(self, law: Law) -> Floats:
        """Return the derivative of a stated value with T."""
        return law.slope(self.where)


@immutable
class Limit:
    """A stated value that must stay between ``low`` and ``high``, SI: what it is called, and what is possible."""

    law: Law
    low: float
    high: float
    name: str
    possible: str


@immutable
class SurfaceLaw(ABC):
    """Something that gives heat to a surface, as a function of place, time and temperature.

    Ledger, anchoring, steps in time, time constants, notes and the report ask nothing else of it. Its fields are the
    values stated for it.
    """

    #: What it is called in the ledger.
    label: ClassVar[str]

    @property
    def values(self) -> tuple[Law, ...]:
        """Every stated value in it."""
        return tuple(value for field in fields(self) if isinstance(value := getattr(self, field.name), Law))

    @property
    def coefficients(self) -> tuple[Law, ...]:
        """The values that its slope with temperature depends on."""
        return self.values

    @property
    def follows_place(self) -> bool:
        """Whether something in it differs from place to place."""
        return any(law.variables - {"t", "T"} for law in self.values)

    @property
    def time_independent(self) -> bool:
        """Whether nothing of it depends on time."""
        return not any(law.follows_time for law in self.values)

    @property
    def slope_time_independent(self) -> bool:
        """Whether its slope does not depend on time."""
        return not any(law.follows_time for law in self.coefficients)

    @property
    def linear(self) -> bool:
        """Whether the heat is linear in the temperature of the surface."""
        return not any(law.follows_temperature for law in self.values)

    @property
    def spd(self) -> bool:
        """Whether its slope is symmetric and never takes away from what holds temperatures in place."""
        return not any(law.follows_temperature for law in self.values)

    @property
    def anchors(self) -> bool:
        """Whether it holds a temperature in place."""
        return False

    @property
    def ambient(self) -> tuple[Law, ...]:
        """The temperatures it brings in, K."""
        return ()

    @property
    def imposed(self) -> tuple[Law, ...]:
        """Heat flux that it gives whatever the temperatures around are, W/m²."""
        return ()

    @property
    def limits(self) -> Iterator[Limit]:
        """What its values must keep to."""
        yield from ()

    @abstractmethod
    def flux(self, at: OnFacets) -> Floats:
        """Return the heat flux into the body, W/m², (m, q)."""

    def exchange(self, at: OnFacets) -> Floats | None:
        """Return the heat flux into the body for each kelvin that what it exchanges heat with is above the surface, as
        it stands, W/(m² K), (m, q); None where there is no such thing."""
        return None

    def slope(self, at: OnFacets) -> Floats | None:
        """Return −d(flux)/dT, W/(m² K), (m, q); None where the flux does not follow temperature."""
        return None
