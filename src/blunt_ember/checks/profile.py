"""Temperature along a line through the body, with the exact curve where one is known."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from blunt_ember.checks.fits.field import ExactField
from blunt_ember.fem.reading import temperature_at
from blunt_ember.mesh.any_body import AnyGeometry
from blunt_ember.mesh.mesh import Floats, Mesh


@dataclass(frozen=True)
class Profile:
    """Values along a line: ``distance`` (p,) in m, temperatures (p,) in K; ``joints`` are (distance, name) pairs."""

    title: str
    distance: Floats
    mesh: Floats
    exact: Floats | None
    source: str
    joints: tuple[tuple[float, str], ...]


def profile_through(
    axis: int, geometry: AnyGeometry, mesh: Mesh, temperature: Floats, exact: ExactField | None, samples: int = 401
) -> Profile:
    """Read along x (``axis`` 0), y (1) or z (2) through the middle of the body, with every joint sampled exactly."""
    low, high = np.array(geometry.low), np.array(geometry.high)
    start, end = (low + high) / 2, (low + high) / 2
    start[axis], end[axis] = low[axis], high[axis]
    cuts = geometry.cuts(start, end)
    even = np.linspace(0, 1, samples)
    clear = np.abs(even[:, None] - cuts).min(axis=1, initial=1.0) > 1e-9
    ends = np.concatenate([[0.0], cuts, [1.0]])
    owners = geometry.owner_at(start + (ends[:-1] + ends[1:])[:, None] / 2 * (end - start)).tolist()
    length = float(high[axis] - low[axis])
    joints = [
        (float(ends[place]) * length, geometry.regions[owner].name if owner >= 0 else "")
        for place, owner in enumerate(owners)
        if place == 0 or owner != owners[place - 1]
    ]
    # Each piece has its own ends, as the temperature may jump where two meet.
    shares, values, exacts = [], [], []
    for low_end, high_end, owner in zip(ends[:-1], ends[1:], owners, strict=True):
        share = np.concatenate([[low_end], even[clear & (even > low_end) & (even < high_end)], [high_end]])
        points = start + share[:, None] * (end - start)
        region = owner if owner >= 0 else None
        shares.append(share)
        values.append(temperature_at(mesh, temperature, points, region))
        exacts.append(None if exact is None else exact.temperature(points, region))
    share = np.concatenate(shares)
    curve = None if exact is None else np.concatenate([each for each in exacts if each is not None])
    return Profile(
        f"Along {'xyz'[axis]}, through the middle", share * length, np.concatenate(values),
        curve, exact.source if exact else "", tuple(joints),
    )  # fmt: skip


def main_axis(geometry: AnyGeometry, mesh: Mesh, temperature: Floats) -> int:
    """Return the axis, 0, 1 or 2, along which the temperature changes more through the middle of the body."""
    spans = []
    for axis in range(len(geometry.low)):
        values = profile_through(axis, geometry, mesh, temperature, None, samples=21).mesh
        spans.append(float(np.nanmax(values) - np.nanmin(values)) if not np.isnan(values).all() else 0.0)
    return int(np.argmax(spans))
