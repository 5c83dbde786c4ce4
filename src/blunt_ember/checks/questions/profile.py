"""What is read along a line through the body, with the exact curve where one is known."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import get_args

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Floats
from blunt_ember.case.document.questions.question import RadiatedHow
from blunt_ember.case.values.units import HEAT_FLUX, TEMPERATURE, Kind
from blunt_ember.checks.questions.reading_line import ReadingLine, through_middle
from blunt_ember.checks.references.exact_flux import exact_flux
from blunt_ember.checks.references.fits.field import ExactField
from blunt_ember.checks.references.working_field import source_of
from blunt_ember.checks.source import Source
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.radiated import EnclosureHeat
from blunt_ember.fem.reading import weights_at
from blunt_ember.fem.recovery import recovered
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh

#: What can be read along a line: the temperature, how large the heat flux is, and what of it goes along the line,
#: or along an axis.
QUANTITIES = ("temperature", "heat flux", "flux along the line", "flux along x", "flux along y", "flux along z")
#: What can be read besides along a surface of an enclosure, by what it is of the radiation.
RADIATED: Mapping[str, RadiatedHow] = MappingProxyType({f"{how} radiation": how for how in get_args(RadiatedHow)})
#: Places along each axis by which the one is found along which a body is looked at first.
_AXIS_SAMPLES = 21
#: Share of the largest change that is as much.
_AS_MUCH = 0.97


@immutable
class Profile:
    """Values of a ``kind`` in SI along a line: ``distance`` (p,) in m, ``mesh`` and ``exact`` (p,); ``joints`` are
    (distance, name) pairs."""

    title: str
    distance: Floats
    mesh: Floats
    exact: Floats | None
    source: Source | None
    joints: tuple[tuple[float, str], ...]
    kind: Kind = TEMPERATURE


def quantities_of(mesh: Mesh) -> tuple[str, ...]:
    """Return what of :data:`QUANTITIES` can be read in a mesh."""
    if mesh.dimension == 1:
        return QUANTITIES[0], QUANTITIES[3]
    return QUANTITIES[: 3 + mesh.dimension]


def radiated_on(line: ReadingLine, problem: Problem) -> tuple[str, ...]:
    """Return what of :data:`RADIATED` can be read along a line."""
    return tuple(RADIATED) if set(line.surfaces) & set(problem.enclosed) else ()


def radiation_profile(
    line: ReadingLine, quantity: str, problem: Problem, temperature: Floats, t: float = 0.0
) -> Profile:
    """Read the radiation along a line on surfaces of an enclosure, one of :data:`RADIATED`."""
    total, count = np.zeros(problem.mesh.node_count), np.zeros(problem.mesh.node_count)
    for flux in EnclosureHeat(problem).fluxes(RADIATED[quantity], temperature, t):
        if flux.surface in line.surfaces:
            np.add.at(total, flux.nodes, flux.values)
            np.add.at(count, flux.nodes, 1.0)
    with np.errstate(invalid="ignore"):
        values = line.read(total / np.where(count > 0, count, np.nan))
    return Profile(f"{line.title}: {quantity}", line.distance, values, None, None, line.joints, HEAT_FLUX)


def profile_on(line: ReadingLine, temperature: Floats, exact: ExactField | None) -> Profile:
    """Read the temperatures (n,) in K of the nodes along a line, and an exact field beside them."""
    values, curve, source = line.read(temperature), None, None
    if exact is not None:
        # Outside the body a formula still says something, and means nothing.
        curve = _drawable(np.where(np.isnan(values), np.nan, line.of_each_region(exact.temperature)))
        source = None if curve is None else source_of(exact)
    return Profile(line.title, line.distance, values, curve, source, line.joints)


def flux_profile(
    line: ReadingLine,
    quantity: str,
    problem: Problem,
    temperature: Floats,
    geometry: BodyGeometry,
    exact: ExactField | None,
    t: float = 0.0,
) -> Profile:
    """Read the recovered heat flux along a line, one of :data:`QUANTITIES`, and that of an exact field beside it."""
    mesh, curve = problem.mesh, None
    fluxes = recovered(problem, temperature, t).at_nodes
    found = line.of_each_region(lambda places, region: np.full((len(places), mesh.dimension), np.nan))
    for region in np.unique(line.region).tolist():
        own = line.region == region
        # Along what no region is known of, as in a mesh that was read, the first one stands for all.
        at_nodes = _in_region(mesh, fluxes, max(region, 0) if len(mesh.regions) > 1 or region >= 0 else 0)
        found[own] = line.read(at_nodes)[own] if region >= 0 else np.nan
    values = _part(found, line, quantity)
    if exact is not None:
        held = exact
        curve = _part(
            line.of_each_region(lambda places, region: exact_flux(held, problem, geometry, places, region, t)),
            line,
            quantity,
        )
        curve = _drawable(curve)
    source = source_of(exact) if exact is not None and curve is not None else None
    return Profile(f"{line.title}: {quantity}", line.distance, values, curve, source, line.joints, HEAT_FLUX)


def _drawable(curve: Floats) -> Floats | None:
    """A curve with gaps where it is not finite, as at the source of heat that is a point; None where it never is."""
    finite = np.isfinite(curve)
    return np.where(finite, curve, np.nan) if finite.any() else None


def _in_region(mesh: Mesh, fluxes: tuple[Floats, ...], region: int) -> Floats:
    """Fluxes (n, d) at the nodes as the cells of one region have them, NaN elsewhere."""
    at_nodes = np.zeros((mesh.node_count, mesh.dimension))
    for block, flux in zip(mesh.blocks, fluxes, strict=True):
        own = block.region == region
        at_nodes[block.nodes[own]] = flux[own]
    return at_nodes


def _part(flux: Floats, line: ReadingLine, quantity: str) -> Floats:
    if quantity == "heat flux":
        return np.asarray(np.linalg.norm(flux, axis=1))
    if quantity == "flux along the line":
        return np.asarray((flux * line.along).sum(axis=1))
    return np.asarray(flux[:, "xyz".index(quantity[-1])])


def profile_through(
    axis: int, geometry: BodyGeometry, mesh: Mesh, temperature: Floats, exact: ExactField | None, samples: int = 401
) -> Profile:
    """Read along x (``axis`` 0), y (1) or z (2) through the middle of the body."""
    return profile_on(through_middle(axis, geometry, mesh, samples), temperature, exact)


def main_axis(geometry: BodyGeometry, mesh: Mesh, temperature: Floats) -> int:
    """Return the axis, 0, 1 or 2, along which the temperature changes most through the middle of the body; the first of
    those along which it changes as much."""
    key = f"middle of {geometry.low} to {geometry.high}"
    spans = []
    for weights in mesh.found(key, lambda: _through_middle(geometry, mesh)):
        inside = np.diff(weights.indptr) > 0
        spans.append(float(np.ptp((weights @ temperature)[inside])) if inside.any() else 0.0)
    return int(np.argmax(np.array(spans) >= _AS_MUCH * max(spans)))


def _through_middle(geometry: BodyGeometry, mesh: Mesh) -> list[csr_array]:
    """The weights of nodes at places along each axis through the middle of the body, of which few cells are near."""
    low, high = np.array(geometry.low), np.array(geometry.high)
    # Not at its ends, which round-off may leave outside.
    shares = np.linspace(0, 1, _AXIS_SAMPLES + 2)[1:-1, None] - 0.5
    return [weights_at(mesh, (low + high) / 2 + shares * step) for step in np.diag(high - low)]
