"""What surfaces that see each other send out, receive and exchange, on the surfaces alone."""

from __future__ import annotations

from typing import get_args

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.questions.question import RadiatedHow
from blunt_ember.case.values.units import HEAT_FLUX
from blunt_ember.fem.radiated import EnclosureHeat, RadiatedFlux
from blunt_ember.flow.outcome import Outcome
from blunt_ember.mesh.cells.facets import facet_keys, skin_of
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.picture.lenses.field import Field, ends_of, reach_of
from blunt_ember.picture.lenses.lens import Lens

_PARTS: dict[str, RadiatedHow] = {how: how for how in ("incident", *get_args(RadiatedHow))}


def _radiation(outcome: Outcome, part: str) -> Field | None:
    mesh, solution, problem = outcome.mesh, outcome.solution, outcome.problem
    assert mesh is not None and solution is not None and problem is not None
    fluxes = EnclosureHeat(problem).fluxes(_PARTS[part], solution.temperature, outcome.t)
    values, signed = _in_cells(mesh, fluxes), part == "net"
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


def _in_cells(mesh: Mesh, fluxes: tuple[RadiatedFlux, ...]) -> tuple[Floats, ...]:
    """Values (m, k) at the nodes of the cells of every block, in those behind the facets; NaN elsewhere.

    Where a cell has several of the facets, each node has the mean of them.
    """
    skin = skin_of(mesh)
    total = np.zeros(sum(block.nodes.size for block in mesh.blocks))
    count = np.zeros(len(total))
    for flux in fluxes:
        corners = CELL_FAMILIES[flux.family].corners
        keys = facet_keys(flux.nodes[:, :corners])
        order = np.argsort(keys)
        for part in (part for part in skin.parts if part.family == flux.family):
            chosen = np.flatnonzero(part.surface == skin.names.index(flux.surface))
            known = facet_keys(part.corners[chosen])
            own = order[np.minimum(np.searchsorted(keys[order], known), len(order) - 1)]
            met = keys[own] == known
            chosen, own = chosen[met], own[met]
            # The same nodes may stand in another order there.
            asked, stated = np.argsort(part.nodes[chosen], axis=1), np.argsort(flux.nodes[own], axis=1)
            places = np.take_along_axis(part.places[chosen], asked, axis=1)
            np.add.at(total, places, np.take_along_axis(flux.values[own], stated, axis=1))
            np.add.at(count, places, 1.0)
    with np.errstate(invalid="ignore"):
        every = total / np.where(count > 0, count, np.nan)
    ends = np.cumsum([block.nodes.size for block in mesh.blocks])[:-1]
    return tuple(own.reshape(block.nodes.shape) for own, block in zip(np.split(every, ends), mesh.blocks, strict=True))


def _parts(outcome: Outcome) -> tuple[str, ...]:
    return tuple(_PARTS) if outcome.problem is not None and outcome.problem.enclosures else ()


RADIATION_LENS = Lens("Radiation", _radiation, _parts, smooth=True, wants_parts=True, seldom=True)
