"""What couples the environments of a case: coefficients and weighting factors from unit solutions (ISO 10211).

In a linear case the temperature at every place is a mean of the environments, T = Σ gₑ Tₑ, with weights that sum to 1;
gₑ is the solution for one environment at 1 and the others at 0, all of them from one factorisation; the last is what
the others leave of 1. The coupling
coefficient of two is the heat that one gives at 1 K above the other, Lᵢⱼ = ∫ hᵢ gⱼ dA over what faces i.
"""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.errors import BluntEmberError
from blunt_ember.fem.laws.film import FilmLaw
from blunt_ember.fem.laws.radiation import RadiationLaw
from blunt_ember.fem.laws.surface_law import SurfaceLaw
from blunt_ember.fem.linear import Solved
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.steady.adjoint import Influences
from blunt_ember.immutable import immutable
from blunt_ember.reference.humid_air import dew_point, saturation_pressure


class UncoupledError(BluntEmberError):
    """A case whose environments have no coefficients; the message says why."""


@immutable
class EnvironmentCoupling:
    """The ``names`` (e,) of environments, the ``surfaces`` that face each, their ``coefficients`` (e, e) in W/K, of
    which each row sums to what its films pass in all, and the ``weights`` (e, n) of each at every node, which are
    ``off`` (e,) by so much at most."""

    names: tuple[str, ...]
    surfaces: tuple[tuple[str, ...], ...]
    coefficients: Floats
    weights: Floats
    off: Floats

    def between(self, first: str, second: str) -> float:
        """Return the coupling coefficient of two environments, W/K; NaN where one is not met."""
        if first not in self.names or second not in self.names:
            return float("nan")
        return float(self.coefficients[self.names.index(first), self.names.index(second)])

    def temperature(self, problem: Problem) -> Solved | None:
        """Return the temperatures (n,) in K that the environments of a problem with these weights make, where nothing
        else acts; None where one of theirs follows place or time."""
        found = [_rooms(problem).temperatures.get(name) for name in self.names]
        if None in found:
            return None
        known = np.array(found, dtype=float)
        # All weights are 1 together: what is off in one is the less, the nearer the temperatures are to each other.
        off = float(np.abs(known - known.mean()) @ self.off)
        return Solved(known @ self.weights, "from known weights", off)


def environment_coupling(problem: Problem, temperature: Floats, as_it_stands: bool = False) -> EnvironmentCoupling:
    """Return what couples the environments of a problem; ``temperature`` (n,) in K is that of its solution.

    ``as_it_stands`` takes conductivities, film coefficients and what is radiated for each kelvin as they are in that
    solution: heat flows are then those of it, and of no other temperatures.

    Raises :class:`UncoupledError` where heat comes in another way, or something follows temperature.
    """
    faced = _faced(problem, as_it_stands)
    if len(faced) < 2:
        raise UncoupledError("films to two environments are needed")
    influences = Influences(problem, temperature, as_it_stands=as_it_stands)
    *some, _ = faced.values()
    found = [influences.on_heat(surfaces) for surfaces in some]
    weights = np.array([*found, 1 - np.sum(found, axis=0)])
    off = np.array([influences.off(surfaces, known) for surfaces, known in zip(some, found, strict=True)])
    loads = np.array([influences.exchange_of(surfaces) for surfaces in faced.values()])
    coefficients = loads @ weights.T
    return EnvironmentCoupling(
        tuple(faced), tuple(faced.values()), (coefficients + coefficients.T) / 2, weights, np.array([*off, off.sum()])
    )


#: What is said where a coefficient would hold at one state alone.
_ASK_NOW = "; asked as it stands, it is that of this solution"


def _faced(problem: Problem, as_it_stands: bool) -> dict[str, tuple[str, ...]]:
    """The surfaces that face each environment."""
    if problem.enclosures:
        raise UncoupledError("surfaces see each other, and radiation follows temperature")
    if problem.held:
        raise UncoupledError(f"'{next(iter(problem.held))}' is held at a temperature, which is no environment")
    if not as_it_stands and any(k.follows_temperature for conductor in problem.conductors for k in conductor.k):
        raise UncoupledError(f"a conductivity follows temperature{_ASK_NOW}")
    arising = [source.per_volume for source in problem.sources] + [source.total for source in problem.points]
    if not as_it_stands and any(law.follows_temperature for law in arising):
        raise UncoupledError(f"heat that arises inside follows temperature{_ASK_NOW}")
    faced: dict[str, list[str]] = {}
    for surface, laws in problem.exchanges.items():
        for law in laws:
            if not isinstance(law, FilmLaw):
                continue
            if not law.environment:
                raise UncoupledError(f"the film on '{surface}' names no environment")
            if law.h.follows_temperature and not as_it_stands:
                raise UncoupledError(f"the film coefficient on '{surface}' follows temperature{_ASK_NOW}")
            faced.setdefault(law.environment, []).append(surface)
        _require_one(surface, laws, as_it_stands)
    return {name: tuple(surfaces) for name, surfaces in faced.items()}


def _require_one(surface: str, laws: tuple[SurfaceLaw, ...], as_it_stands: bool) -> None:
    """Raise :class:`UncoupledError` where a surface exchanges heat with more than one environment, or in a way that
    follows temperature."""
    fluids = [law.fluid.constant for law in laws if isinstance(law, FilmLaw)]
    radiating = [law for law in laws if isinstance(law, RadiationLaw)]
    if radiating and not as_it_stands:
        raise UncoupledError(f"'{surface}' radiates, which follows temperature{_ASK_NOW}")
    if any(not fluids or fluids[0] is None or law.surroundings.constant != fluids[0] for law in radiating):
        raise UncoupledError(f"'{surface}' radiates to what is not the environment of its film")
    others = [law for law in laws if not isinstance(law, FilmLaw | RadiationLaw)]
    if len(fluids) > 1 or any(not law.linear for law in others):
        raise UncoupledError(f"several things follow the temperature of '{surface}'")


@immutable
class _Rooms:
    """The temperatures of environments in K by name, None where one follows place or time, and of each surface that
    faces one the film."""

    temperatures: dict[str, float | None]
    films: tuple[tuple[str, FilmLaw], ...]

    def coldest(self, problem: Problem, temperature: Floats, room: str) -> float:
        """Return the lowest temperature in K of the surfaces that face a room."""
        faced = [problem.mesh.surfaces[name].nodes for name, law in self.films if law.environment == room]
        return float(temperature[np.unique(np.concatenate(faced))].min())


def _rooms(problem: Problem) -> _Rooms:
    films = tuple((name, law) for name, laws in problem.exchanges.items() for law in laws if isinstance(law, FilmLaw))
    return _Rooms({law.environment: law.fluid.constant for _, law in films if law.environment}, films)


def temperature_factor(problem: Problem, temperature: Floats, room: str) -> float:
    """Return (T_si − T_min)/(T_room − T_min) at the coldest place of the surfaces that face a room, T_min being the
    coldest environment (ISO 13788, f_Rsi); NaN where there is none colder, or a temperature follows the place."""
    rooms = _rooms(problem)
    known = [value for value in rooms.temperatures.values() if value is not None]
    inside = rooms.temperatures.get(room)
    if inside is None or len(known) < len(rooms.temperatures) or inside <= min(known):
        return float("nan")
    return (rooms.coldest(problem, temperature, room) - min(known)) / (inside - min(known))


def surface_humidity(problem: Problem, temperature: Floats, room: str, humidity: float) -> float:
    """Return the relative humidity at the coldest place of the surfaces that face a room whose air has a ``humidity``,
    0 to 1: the vapour pressure of the air over what saturates it there (ISO 13788); NaN where the room has no one
    temperature. From 1 on it condenses."""
    rooms = _rooms(problem)
    inside = rooms.temperatures.get(room)
    if inside is None:
        return float("nan")
    there = rooms.coldest(problem, temperature, room)
    return humidity * saturation_pressure(inside) / saturation_pressure(there)


def faced_by(problem: Problem) -> dict[str, str]:
    """Return the environment, by its name, that each surface with a film faces."""
    return {name: law.environment for name, law in _rooms(problem).films}


def faces_of(problem: Problem, room: str) -> tuple[str, ...]:
    """Return the surfaces that face a room."""
    return tuple(name for name, law in _rooms(problem).films if law.environment == room)


def room_dew_point(problem: Problem, room: str, humidity: float) -> float | None:
    """Return the dew point in K of the air of a room with a ``humidity``, 0 to 1; None where it has no one
    temperature."""
    inside = _rooms(problem).temperatures.get(room)
    return None if inside is None or humidity <= 0 else dew_point(inside, humidity)
