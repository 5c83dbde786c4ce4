"""Rods of one piece or several."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.checks.references.fits.field import contact_of, generation_of, plain_conductivity, side_of
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.rod import RodGeometry
from blunt_ember.immutable import immutable
from blunt_ember.reference.along.radiating_chain import RADIATING_CHAIN_SOURCE, RadiatingChain
from blunt_ember.reference.along.rod_chain import ROD_CHAIN_SOURCE, RodChain, RodPiece


@immutable
class RodField:
    """A chain of pieces under the names of the case."""

    chain: RodChain | RadiatingChain
    names: tuple[str, ...]
    name: str = "rod"

    @property
    def source(self) -> str:
        """Where the solution comes from."""
        return ROD_CHAIN_SOURCE if isinstance(self.chain, RodChain) else RADIATING_CHAIN_SOURCE

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, 1) in m."""
        return self.chain.temperature_at(points[:, 0], region)

    def heat(self, surface: str) -> float:
        """Heat in W through an end, a side or a joint."""
        last = len(self.names) - 1
        for piece, name in enumerate(self.names):
            length = self.chain.pieces[piece].length
            into, out = self.chain.heat_along(piece, 0.0), self.chain.heat_along(piece, length)
            if surface == f"{name}.side":
                return out - into - self.chain.pieces[piece].generation * self.chain.pieces[piece].area * length
            if surface == f"{name}.start" and piece == 0:
                return into
            if surface == f"{name}.end" and piece == last:
                return -out
            if piece < last and surface == f"{name}|{self.names[piece + 1]}":
                return out
        return float("nan")


def rod(geometry: RodGeometry, problem: Problem) -> RodField:
    """Fit the chain of pieces; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    names = tuple(region.name for region in geometry.regions)
    heat, space = generation_of(problem), geometry.space
    contact = [
        contact_of(problem, f"{before}|{after}") / min(space.areas[place : place + 2])
        for place, (before, after) in enumerate(pairwise(names))
    ]
    pieces = tuple(
        RodPiece(
            float(length),
            space.areas[place],
            space.perimeters[place],
            plain_conductivity(problem, place),
            side_of(f"{names[place]}.side", problem),
            heat.get(place, 0.0),
            [*contact, 0.0][place],
        )
        for place, length in enumerate(np.diff(geometry.stations))
    )
    ends = side_of(f"{names[0]}.start", problem), side_of(f"{names[-1]}.end", problem)
    radiates = any(piece.side.radiation for piece in pieces) or all(end.radiation for end in ends)
    return RodField((RadiatingChain if radiates else RodChain)(pieces, *ends), names)
