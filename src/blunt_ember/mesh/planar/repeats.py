"""Sides at which a section repeats: one is laid upon the other, so that cells are the same on both."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.mesh.motion import Motion


def repeats_of(geometry: SectionGeometry, pairs: Sequence[tuple[str, str]]) -> tuple[Motion, ...]:
    """Return the motions of the ``pairs`` of surfaces that the section has, there and back."""
    found = []
    for first, second in pairs:
        if first in geometry.surfaces and second in geometry.surfaces:
            (middle, normal), (aim, facing) = _frame(geometry, first), _frame(geometry, second)
            angle = np.arctan2(-facing[1], -facing[0]) - np.arctan2(normal[1], normal[0])
            turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
            there = Motion(turn, middle, aim)
            found += [there, there.inverse]
    return tuple(found)


def _frame(geometry: SectionGeometry, name: str) -> tuple[Floats, Floats]:
    """Middle (2,) in m of a surface and its mean normal (2,) out of the body."""
    plan, edges = geometry.arrangement, geometry.surfaces[name].edges
    curves, half = plan.curves.take(edges), np.full(len(edges), 0.5)
    along = curves.direction(half)
    outward = np.where(plan.left[edges] == VOID, 1.0, -1.0)[:, None] * np.column_stack([-along[:, 1], along[:, 0]])
    share = (curves.length / curves.length.sum())[:, None]
    return (share * curves.at(half)).sum(axis=0), (share * outward).sum(axis=0)
