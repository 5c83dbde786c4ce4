"""How much room a body takes in a picture, and where its surfaces run in it."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.geometry.path import Round
from blunt_ember.geometry.rod import RodGeometry
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.mesh.any_body import AnyGeometry
from blunt_ember.mesh.imported import ImportedGeometry
from blunt_ember.picture.body.pose import Pose, facing, first_pose
from blunt_ember.picture.look import Look

#: A rod is drawn at least so thick, as a share of its length.
THICKEST_AT_LEAST = 1 / 12


def drawn_box(geometry: AnyGeometry) -> tuple[Floats, Floats]:
    """Return the lower and upper corner (2 or 3,) in m of what is drawn."""
    if isinstance(geometry, RodGeometry):
        thick = float(half_heights(geometry).max())
        return np.array([0.0, -thick]), np.array([geometry.length, thick])
    return np.array(geometry.low), np.array(geometry.high)


def pose_of(geometry: AnyGeometry) -> Pose | None:
    """Return how a solid is first seen; None for what is drawn flat."""
    if isinstance(geometry, ImportedGeometry) and geometry.space.dimension == 3:
        return first_pose(geometry.upright)
    if isinstance(geometry, SolidGeometry):
        return first_pose(1 if isinstance(geometry.path, Round) else 2)
    return None


def seen_pose(geometry: AnyGeometry, look: Look) -> Pose | None:
    """Return how a body is first seen by a look: straight on where one plane is drawn alone."""
    pose = pose_of(geometry)
    return pose if pose is None or look.face is None else facing(look.face.axis, pose.upright)


def half_heights(geometry: RodGeometry) -> Floats:
    """Return half the height of each piece of a rod in the picture, (p,) in m: radii, all enlarged alike if thin."""
    radius = np.sqrt(np.array(geometry.space.areas) / np.pi)
    return radius * max(1.0, geometry.length * THICKEST_AT_LEAST / (2 * float(radius.max())))


def flat_segments(geometry: SectionGeometry | RodGeometry | ImportedGeometry) -> Mapping[str, Floats]:
    """Return the straight pieces (n, 2, 2) in m that each surface is drawn by."""
    if isinstance(geometry, SectionGeometry):
        return {name: surface.segments for name, surface in geometry.surfaces.items()}
    if isinstance(geometry, ImportedGeometry):
        return {
            name: np.concatenate([geometry.mesh.points[block.nodes[:, :2]] for block in facets.blocks])
            for name, facets in geometry.mesh.surfaces.items()
        }
    half, stations = half_heights(geometry), geometry.stations
    segments = {}
    for name, surface in geometry.surfaces.items():
        first, last = surface.regions[0], surface.regions[-1]
        if name.endswith(".side"):
            ends = [(stations[first], stations[first + 1])] * 2
            pieces = [[(a, y), (b, y)] for (a, b), y in zip(ends, (half[first], -half[first]), strict=True)]
        else:
            x = stations[last] if name.endswith(".start") or not surface.outer else stations[last + 1]
            y = min(half[first], half[last])
            pieces = [[(x, -y), (x, y)]]
        segments[name] = np.array(pieces)
    return segments
