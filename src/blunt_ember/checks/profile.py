"""Temperature along a line through the body, with the exact curve where one is known."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from blunt_ember.checks.exact_field import ExactField
from blunt_ember.fem.reading import temperature_at
from blunt_ember.geometry.section import SectionGeometry
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
    axis: int, geometry: SectionGeometry, mesh: Mesh, temperature: Floats, exact: ExactField | None, samples: int = 401
) -> Profile:
    """Read along the middle of the body in x (``axis`` 0) or y (1), with every joint on the way sampled exactly."""
    lines = geometry.xs if axis == 0 else geometry.ys
    across = geometry.ys if axis == 0 else geometry.xs
    middle = float((across[0] + across[-1]) / 2)
    places = np.unique(np.concatenate([np.linspace(lines[0], lines[-1], samples), lines]))
    points = np.full((len(places), 2), middle)
    points[:, axis] = places
    row = int(np.clip(np.searchsorted(across, middle) - 1, 0, len(across) - 2))
    owners = geometry.owner[:, row] if axis == 0 else geometry.owner[row]
    joints = [
        (float(lines[start] - lines[0]), geometry.regions[owner].name if owner >= 0 else "")
        for start, owner in enumerate(owners.tolist())
        if start == 0 or owner != owners[start - 1]
    ]
    return Profile(
        f"Along {'xy'[axis]}, through the middle", places - lines[0], temperature_at(mesh, temperature, points),
        None if exact is None else exact.temperature(points), exact.source if exact else "", tuple(joints),
    )  # fmt: skip


def main_axis(geometry: SectionGeometry, mesh: Mesh, temperature: Floats) -> int:
    """Return the axis, 0 or 1, along which the temperature changes more through the middle of the body."""
    spans = []
    for axis in (0, 1):
        values = profile_through(axis, geometry, mesh, temperature, None, samples=21).mesh
        spans.append(float(np.nanmax(values) - np.nanmin(values)) if not np.isnan(values).all() else 0.0)
    return int(spans[1] > spans[0])
