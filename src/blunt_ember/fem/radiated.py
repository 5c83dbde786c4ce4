"""What the surfaces of enclosures emit, absorb and exchange at some temperatures."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.document.enclosures import OPENING
from blunt_ember.case.document.questions.question import RadiatedHow
from blunt_ember.fem.laws.black_body import emissive_power
from blunt_ember.fem.problem.enclosures import EnclosureLaw
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.terms.enclosure import Absorbing, RadiatingState, enclosure_terms
from blunt_ember.immutable import immutable
from blunt_ember.radiation.chamber import Chamber


@immutable
class RadiatedFlux:
    """Heat per area (m, k), W/m², at the nodes (m, k) of facets of one ``family`` of a ``surface`` of an enclosure."""

    surface: str
    family: str
    nodes: Ints
    values: Floats


@immutable
class Radiated:
    """Heat in W of each of the ``surfaces`` (s,) of an enclosure, and what passes between them.

    ``exchanged`` (s + 1, s + 1) is the net heat from the row to the column; the last of both is what lies behind the
    opening. ``seen`` (s + 1, s + 1) in m² are areas times view factors likewise, and ``areas`` (s + 1,) the sizes, of
    the opening what is seen of it.
    """

    name: str
    surfaces: tuple[str, ...]
    areas: Floats
    emitted: Floats
    incident: Floats
    absorbed: Floats
    exchanged: Floats
    seen: Floats

    def of(self, how: RadiatedHow) -> Floats:
        """Return one of the heats (s,) in W; the ``net`` one is that into the body."""
        return radiated_heat(self.emitted, self.incident, self.absorbed, how)

    @property
    def view_factors(self) -> Floats:
        """View factors (s + 1, s + 1) from the row to the column; NaN from an opening that is not there."""
        with np.errstate(all="ignore"):
            return self.seen / np.where(self.areas > 0, self.areas, np.nan)[:, None]

    def place(self, surface: str) -> int:
        """Return the row of a surface, or of the opening."""
        return len(self.surfaces) if surface == OPENING else self.surfaces.index(surface)


class EnclosureHeat:
    """Reads the radiation in every enclosure of a problem; what follows from emissivities alone is kept."""

    def __init__(self, problem: Problem) -> None:
        self._problem = problem
        self._absorbing = [_absorbing(law, problem) for law in problem.enclosures]

    def at(self, temperature: Floats, t: float = 0.0) -> tuple[Radiated, ...]:
        """Return the radiation at temperatures (n,) in K and a time ``t`` in s."""
        return tuple(_radiated(each, temperature, t) for each in self._absorbing)

    def fluxes(self, how: RadiatedHow, temperature: Floats, t: float = 0.0) -> tuple[RadiatedFlux, ...]:
        """Return what of the radiation is asked for on every surface, at temperatures (n,) in K and a time in s."""
        return tuple(flux for each in self._absorbing for flux in _fluxes(each, how, temperature, t))


def _absorbing(law: EnclosureLaw, problem: Problem) -> Absorbing:
    *_, absorbing = enclosure_terms(law, problem.mesh, 0.0)
    assert isinstance(absorbing, Absorbing)
    return absorbing


def _radiated(absorbing: Absorbing, temperature: Floats, t: float) -> Radiated:
    chamber = absorbing.law.chamber
    count = len(chamber.surfaces)
    own = (np.arange(count)[:, None] == chamber.surface).astype(float)
    state = absorbing.state(temperature[absorbing.nodes], t)
    passed, seen_out = absorbing.absorption(state.emissivity)
    absorbed = absorbing.absorbed(state)
    exchanged, seen = np.zeros((count + 1, count + 1)), np.zeros((count + 1, count + 1))
    exchanged[:count, :count] = own @ (state.power[:, None] * passed - passed * state.power) @ own.T
    exchanged[:count, count] = own @ (seen_out * (state.power - state.behind))
    exchanged[count, :count] = -exchanged[:count, count]
    seen[:count, :count] = chamber.between()
    seen[:count, count] = seen[count, :count] = chamber.openings()
    return Radiated(
        absorbing.law.name,
        chamber.surfaces,
        np.append(chamber.areas(), chamber.open_area),
        own @ (state.emissivity * chamber.area * state.power),
        own @ _incident(chamber, state, absorbed),
        own @ absorbed,
        exchanged,
        seen,
    )


def _fluxes(absorbing: Absorbing, how: RadiatedHow, temperature: Floats, t: float) -> list[RadiatedFlux]:
    """What falls on a patch is even over it; what is emitted, and what is absorbed, follows its places."""
    chamber = absorbing.law.chamber
    state = absorbing.state(temperature[absorbing.nodes], t)
    falling = _falling(chamber, state) / chamber.area
    found = []
    for each in absorbing.emitting:
        strip, here = each.strip, temperature[each.nodes]
        emissivity = each.emissivity_at(here @ strip.shape.T, t)[:, None]
        incident = np.broadcast_to(falling[strip.patch][:, None], here.shape)
        values = radiated_heat(emissivity * emissive_power(here), incident, emissivity * incident, how)
        found.append(RadiatedFlux(strip.surface, strip.family, strip.nodes, values))
    return found


def radiated_heat(emitted: Floats, incident: Floats, absorbed: Floats, how: RadiatedHow) -> Floats:
    """Return one of the heats of surfaces, or of places on them, from three; the ``net`` one is that into the body."""
    reflected = incident - absorbed
    heats = {
        "net": absorbed - emitted,
        "emitted": emitted,
        "reflected": reflected,
        "incident": incident,
        "absorbed": absorbed,
        "leaving": emitted + reflected,
    }
    return heats[how]


def _incident(chamber: Chamber, state: RadiatingState, absorbed: Floats) -> Floats:
    """What falls on every patch (p,), W; where one absorbs nothing it does not follow from what is ``absorbed``."""
    if (state.emissivity > 0).all():
        return absorbed / state.emissivity
    return _falling(chamber, state)


def _falling(chamber: Chamber, state: RadiatingState) -> Floats:
    """What falls on every patch (p,), W, from the balance of the radiosities."""
    system = -chamber.exchange * (1 - state.emissivity)
    system[np.diag_indices(len(chamber.area))] += chamber.area
    given = chamber.exchange @ (state.emissivity * state.power) + chamber.opening * state.behind
    return chamber.area * np.linalg.solve(system, given)
