"""The heat flux of an exact field, by differences of its temperatures."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from blunt_ember.arrays import Floats
from blunt_ember.checks.references.fits.field import ExactField
from blunt_ember.fem.problem.conductors import conducted
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.body_geometry import BodyGeometry

#: Step of the differences, as a share of the extent of the region along the axis: truncation and round-off of fourth
#: order are then alike, about 1e-10 of the flux.
_STEP = 2e-3
#: Steps and weights of fourth order, from the middle and from either end (Fornberg, Math. Comp. 51 (1988) 699).
_STENCILS = (
    ((-2, -1, 1, 2), (1 / 12, -2 / 3, 2 / 3, -1 / 12)),
    ((0, 1, 2, 3, 4), (-25 / 12, 4, -3, 4 / 3, -1 / 4)),
    ((0, -1, -2, -3, -4), (25 / 12, -4, 3, -4 / 3, 1 / 4)),
)


def exact_flux(
    exact: ExactField, problem: Problem, geometry: BodyGeometry, places: Floats, region: int | None, t: float = 0.0
) -> Floats:
    """Return −k∇T in W/m², (p, d), at ``places`` (p, d) in m of a region; NaN where the field does not say it.

    The differences stay within the region; outside the body, ``region`` None, nothing is said.
    """
    gradient = np.full(places.shape, np.nan)
    if region is None:
        return gradient
    mesh = problem.mesh
    nodes = np.concatenate([block.nodes[block.region == region].ravel() for block in mesh.blocks])
    size = np.ptp(mesh.points[nodes], axis=0)
    for axis in range(places.shape[1]):
        step = np.zeros(places.shape[1])
        step[axis] = _STEP * size[axis]
        open_ = np.ones(len(places), dtype=bool)
        for steps, weights in _STENCILS:
            reached = [places + number * step for number in steps if number != 0]
            within = open_ & np.all([_touches(geometry, region, each, 1e-9 * size) for each in reached], axis=0)
            if not within.any():
                continue
            values = [exact.temperature(places[within] + number * step, region) for number in steps]
            gradient[within, axis] = np.einsum("s,sp->p", np.array(weights), np.array(values)) / step[axis]
            open_ &= ~within | np.isnan(gradient[:, axis])
    temperature = exact.temperature(places, region)
    return conducted(
        problem.conductors,
        mesh,
        np.full(len(places), region),
        places[:, None],
        temperature[:, None],
        gradient[:, None],
        t,
    )[:, 0]


def _touches(geometry: BodyGeometry, region: int, places: Floats, slack: Floats) -> NDArray[np.bool_]:
    """Whether places (p, d) lie in a region or on its skin: what lies on it may be told to belong to either side."""
    nudges = [np.zeros(len(slack)), *np.diag(slack), *-np.diag(slack)]
    return np.any([geometry.owner_at(places + nudge) == region for nudge in nudges], axis=0)
