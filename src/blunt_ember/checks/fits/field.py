"""What an exact solution offers once it is fitted to a case."""

from __future__ import annotations

from itertools import pairwise
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from blunt_ember.fem.problem import Exchange, Problem
from blunt_ember.geometry.regions import Geometry, outer_surfaces
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.reference.series import Side

Floats = NDArray[np.float64]


class ExactField(Protocol):
    """An exact solution in the coordinates of the case."""

    @property
    def name(self) -> str:
        """Name of the solution, as a case refers to it."""

    @property
    def source(self) -> str:
        """Where it comes from."""

    def temperature(self, points: Floats) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m."""

    def heat(self, surface: str) -> float:
        """Heat in W through a surface, with the sign of the ledger; NaN where the solution does not say it."""


def side_of(surface: str, problem: Problem) -> Side:
    """Return what a surface meets, as a side of a resistance chain."""
    if surface in problem.held:
        return Side(held=problem.held[surface].temperature)
    exchange = problem.exchanges.get(surface, Exchange())
    return Side(flux=exchange.flux, h=exchange.h, fluid=exchange.fluid if exchange.h else 0.0)


def passing_heat(geometry: Geometry, problem: Problem) -> set[str]:
    """Return the outer surfaces through which heat may pass."""
    return {surface.name for surface in outer_surfaces(geometry) if side_of(surface.name, problem) != Side()}


def crossings_of(order: list[int], geometry: SectionGeometry) -> dict[str, float]:
    """Return the sign of heat that goes through layers in ``order``, for each interface it crosses."""
    names = [region.name for region in geometry.regions]
    crossing: dict[str, float] = {}
    for a, b in pairwise(order):
        if a != b:
            i, j = sorted((a, b))
            key = f"{names[i]}|{names[j]}"
            crossing[key] = crossing.get(key, 0.0) + (1.0 if a == i else -1.0)
    return crossing
