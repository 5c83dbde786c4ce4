"""What one side of an exact solution meets."""

from __future__ import annotations

from blunt_ember.case.values.evaluation import STEFAN_BOLTZMANN
from blunt_ember.immutable import immutable


@immutable
class Side:
    """A ``held`` temperature (K), or ``flux`` (W/m² into the body) with a film ``h``, ``fluid`` and ``radiation``.

    ``radiation`` are pairs of emissivity and temperature of the surroundings (K).
    """

    held: float | None = None
    flux: float = 0.0
    h: float = 0.0
    fluid: float = 0.0
    radiation: tuple[tuple[float, float], ...] = ()

    @property
    def drives(self) -> bool:
        """Whether this side can anchor a temperature."""
        return self.held is not None or self.h > 0 or bool(self.radiation)

    @property
    def driving(self) -> tuple[float, ...]:
        """The temperatures that are stated of it, K."""
        film = (self.fluid,) if self.h > 0 else ()
        held = (self.held,) if self.held is not None else ()
        return (*held, *film, *(around for _, around in self.radiation))

    def inflow(self, temperature: float) -> float:
        """Heat flux in W/m² that enters a face at a temperature (K); of a held side it is not given."""
        radiated = sum(
            emissivity * STEFAN_BOLTZMANN * (around**4 - temperature * abs(temperature) ** 3)
            for emissivity, around in self.radiation
        )
        return self.flux + self.h * (self.fluid - temperature) + radiated
