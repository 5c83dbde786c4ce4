"""Temperature along a line through the body, with the exact curve where one is known."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import csr_array, vstack

from blunt_ember.checks.fits.field import ExactField
from blunt_ember.fem.reading import weights_at
from blunt_ember.mesh.any_body import AnyGeometry
from blunt_ember.mesh.mesh import Floats, Ints, Mesh


@dataclass(frozen=True)
class Profile:
    """Values along a line: ``distance`` (p,) in m, temperatures (p,) in K; ``joints`` are (distance, name) pairs."""

    title: str
    distance: Floats
    mesh: Floats
    exact: Floats | None
    source: str
    joints: tuple[tuple[float, str], ...]


@dataclass(frozen=True)
class ReadingLine:
    """A straight line laid through a mesh, to be read again and again.

    ``distance`` (p,) in m of its ``places`` (p, d) in m, the ``region`` (p,) each lies in, -1 for none, and the
    ``weights`` (p, n) of the nodes in what is read there.

    What meets at a joint is there twice, as the temperature may jump.
    """

    title: str
    distance: Floats
    places: Floats
    region: Ints
    weights: csr_array
    joints: tuple[tuple[float, str], ...]

    def read(self, values: Floats) -> Floats:
        """Return what values (n,) at the nodes are along the line, (p,); NaN outside the body."""
        return np.where(np.diff(self.weights.indptr) > 0, self.weights @ values, np.nan)


def reading_line(
    title: str, start: Floats, end: Floats, geometry: AnyGeometry, mesh: Mesh, samples: int = 401
) -> ReadingLine:
    """Lay a line from ``start`` to ``end`` (d,) in m, with every joint sampled exactly."""
    cuts = geometry.cuts(start, end)
    even = np.linspace(0, 1, samples)
    clear = np.abs(even[:, None] - cuts).min(axis=1, initial=1.0) > 1e-9
    ends = np.concatenate([[0.0], cuts, [1.0]])
    owners = geometry.owner_at(start + (ends[:-1] + ends[1:])[:, None] / 2 * (end - start)).tolist()
    length = float(np.linalg.norm(end - start))
    joints = [
        (float(ends[place]) * length, geometry.regions[owner].name if owner >= 0 else "")
        for place, owner in enumerate(owners)
        if place == 0 or owner != owners[place - 1]
    ]
    # Each piece has its own ends, as the temperature may jump where two meet.
    shares, places, weights = [], [], []
    for low_end, high_end, owner in zip(ends[:-1], ends[1:], owners, strict=True):
        share = np.concatenate([[low_end], even[clear & (even > low_end) & (even < high_end)], [high_end]])
        shares.append(share)
        places.append(start + share[:, None] * (end - start))
        weights.append(weights_at(mesh, places[-1], owner if owner >= 0 else None))
    region = np.repeat(owners, [len(share) for share in shares])
    return ReadingLine(
        title, np.concatenate(shares) * length, np.concatenate(places), region, csr_array(vstack(weights)),
        tuple(joints),
    )  # fmt: skip


def through_middle(axis: int, geometry: AnyGeometry, mesh: Mesh, samples: int = 401) -> ReadingLine:
    """Lay a line along x (``axis`` 0), y (1) or z (2) through the middle of the body."""
    low, high = np.array(geometry.low), np.array(geometry.high)
    start, end = (low + high) / 2, (low + high) / 2
    start[axis], end[axis] = low[axis], high[axis]
    return reading_line(f"Along {'xyz'[axis]}, through the middle", start, end, geometry, mesh, samples)


def profile_on(line: ReadingLine, temperature: Floats, exact: ExactField | None) -> Profile:
    """Read the temperatures (n,) in K of the nodes along a line, and an exact field beside them."""
    curve = None
    if exact is not None:
        curve = np.empty(len(line.distance))
        for region in np.unique(line.region).tolist():
            own = line.region == region
            curve[own] = exact.temperature(line.places[own], region if region >= 0 else None)
    source = exact.source if exact is not None else ""
    return Profile(line.title, line.distance, line.read(temperature), curve, source, line.joints)


def profile_through(
    axis: int, geometry: AnyGeometry, mesh: Mesh, temperature: Floats, exact: ExactField | None, samples: int = 401
) -> Profile:
    """Read along x (``axis`` 0), y (1) or z (2) through the middle of the body."""
    return profile_on(through_middle(axis, geometry, mesh, samples), temperature, exact)


def main_axis(geometry: AnyGeometry, mesh: Mesh, temperature: Floats) -> int:
    """Return the axis, 0, 1 or 2, along which the temperature changes more through the middle of the body."""
    spans = []
    for axis in range(len(geometry.low)):
        values = profile_through(axis, geometry, mesh, temperature, None, samples=21).mesh
        spans.append(float(np.nanmax(values) - np.nanmin(values)) if not np.isnan(values).all() else 0.0)
    return int(np.argmax(spans))
