"""The heat flux: its size, and its components."""

from __future__ import annotations

from functools import cache

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.units import HEAT_FLUX
from blunt_ember.fem.reading import flux_at, flux_at_nodes
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.body.flow_lines import flow_lines
from blunt_ember.picture.lenses.field import Field, reach_of
from blunt_ember.picture.lenses.lens import Lens


def _heat_flow(outcome: Outcome, part: str) -> Field | None:
    mesh, solution, problem = outcome.mesh, outcome.solution, outcome.problem
    assert mesh is not None and solution is not None and problem is not None
    fluxes = flux_at_nodes(problem, solution.temperature, outcome.t)
    kind = outcome.case.units.of(HEAT_FLUX)
    follow = cache(lambda: flow_lines(mesh, fluxes)) if mesh.dimension > 1 else None

    def flux_of(places: Floats) -> Floats:
        return flux_at(problem, solution.temperature, places, outcome.t)

    flux = flux_of if mesh.dimension > 1 else None
    if part in ("", "size"):
        sizes = tuple(np.linalg.norm(each, axis=-1) for each in fluxes)
        ends = 0.0, reach_of(sizes)
        return Field("Heat flux", kind, sizes, ends, False, True, follow, flux)
    if part.startswith("along "):
        axis = "xyz".index(part[-1])
        values = tuple(each[..., axis] for each in fluxes)
    else:
        values = tuple(
            (each * _direction(mesh.points[block.nodes], part, outcome)).sum(axis=-1)
            for each, block in zip(fluxes, mesh.blocks, strict=True)
        )
    far = reach_of(values)
    return Field(f"Heat flux {part}", kind, values, (-far, far), True, follow=follow, flux=flux)


def _direction(points: Floats, part: str, outcome: Outcome) -> Floats:
    """Unit vectors (…, d) away from the axis that r and theta of formulas go about, or the way round it."""
    assert outcome.mesh is not None
    theta = outcome.mesh.space.variables(points)["theta"]
    cosine, sine = np.cos(theta), np.sin(theta)
    first, second = (cosine, sine) if part == "radial" else (-sine, cosine)
    if points.shape[-1] == 2:
        return np.stack([first, second], axis=-1)
    nil = np.zeros_like(theta)
    turned = outcome.mesh.space.turned
    return np.stack([first, nil, second] if turned else [first, second, nil], axis=-1)


def _parts(outcome: Outcome) -> tuple[str, ...]:
    mesh = outcome.mesh
    if mesh is None or mesh.dimension == 1:
        return ()
    along = tuple(f"along {axis}" for axis in "xyz"[: mesh.dimension])
    about = ("radial", "tangential") if "theta" in mesh.space.variables(mesh.points[:1]) else ()
    return ("size", *along, *about)


HEAT_FLOW_LENS = Lens("Heat flow", _heat_flow, _parts, smooth=True)
