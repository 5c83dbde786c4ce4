"""What surfaces that see each other send out, receive and exchange, on the surfaces alone."""

from __future__ import annotations

from typing import get_args

from blunt_ember.case.document.questions.question import RadiatedHow
from blunt_ember.case.values.units import HEAT_FLUX
from blunt_ember.fem.radiated import EnclosureHeat
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.lenses.field import Field, ends_of, reach_of
from blunt_ember.picture.lenses.lens import Lens
from blunt_ember.picture.lenses.on_facets import in_cells

_PARTS: dict[str, RadiatedHow] = {how: how for how in ("incident", *get_args(RadiatedHow))}


def _radiation(outcome: Outcome, part: str) -> Field | None:
    mesh, solution, problem = outcome.mesh, outcome.solution, outcome.problem
    assert mesh is not None and solution is not None and problem is not None
    fluxes = EnclosureHeat(problem).fluxes(_PARTS[part], solution.temperature, outcome.t)
    values, signed = in_cells(mesh, fluxes), part == "net"
    far = reach_of(values)
    return Field(
        part.capitalize(),
        outcome.case.units.of(HEAT_FLUX),
        values,
        (-far, far) if signed else (min(ends_of(values)[0], 0.0), far),
        signed,
        not signed,
        surfaces=frozenset(flux.surface for flux in fluxes),
    )


def _parts(outcome: Outcome) -> tuple[str, ...]:
    return tuple(_PARTS) if outcome.problem is not None and outcome.problem.enclosures else ()


RADIATION_LENS = Lens("Radiation", _radiation, _parts, smooth=True, wants_parts=True, seldom=True)
