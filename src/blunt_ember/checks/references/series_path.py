"""The chain of resistances that heat passes one after the other, as one would draw it on paper, and the mesh beside it.

Source: Incropera, DeWitt, Bergman & Lavine, *Fundamentals of Heat and Mass Transfer*, 6th ed. (2007), secs. 3.1, 3.3.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.units import AREA_RESISTANCE, HEAT_FLOW, HEAT_FLUX, RESISTANCE, Kind
from blunt_ember.checks.questions.probes import surface_mean
from blunt_ember.checks.references.fits.field import ExactField, MovingField
from blunt_ember.checks.references.fits.layered import LayeredField
from blunt_ember.checks.references.fits.rods import RodField
from blunt_ember.checks.references.fits.solids import SolidField
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.immutable import immutable
from blunt_ember.reference.side import Side

#: Heat that is less than this share of what its resistances would let pass is none.
_NO_HEAT = 1e-12


@immutable
class Link:
    """A resistance of the chain, in K/W or m² K/W, and the drops of temperature (K) over it, by theory and on the mesh;
    of a film there is no mesh beyond its face, so the stated fluid counts."""

    name: str
    resistance: float
    drop: float
    mesh_drop: float
    mesh_resistance: float


@immutable
class Junction:
    """Where two links meet, or the chain ends: the temperature in K by theory, and on the mesh where it is part of the
    body."""

    name: str
    temperature: float
    mesh: float | None


@immutable
class SeriesPath:
    """Links from first to last between junctions, one more than links; ``heat`` passes from first to last, W, or W/m²
    where resistances are per area."""

    links: tuple[Link, ...]
    junctions: tuple[Junction, ...]
    heat: float
    mesh_heat: float
    per_area: bool
    source: str

    @property
    def resistance_kind(self) -> Kind:
        """The kind of its resistances."""
        return AREA_RESISTANCE if self.per_area else RESISTANCE

    @property
    def heat_kind(self) -> Kind:
        """The kind of its heat."""
        return HEAT_FLUX if self.per_area else HEAT_FLOW

    @property
    def total(self) -> float:
        """All resistances together."""
        return sum(link.resistance for link in self.links)


@immutable
class _Chain:
    """What a chain is made of: regions in order with their ``faces`` (K), the surfaces before, between and behind them,
    what the two ends meet, heat from first to last in W, and the area in m² it is told for, 0 for none."""

    regions: Sequence[int]
    faces: Sequence[tuple[float, float]]
    surfaces: Sequence[str]
    sides: tuple[Side, Side]
    heat: float
    area: float
    source: str


def series_path(
    exact: ExactField | MovingField | None, problem: Problem, temperature: Floats, heat: Mapping[str, float]
) -> SeriesPath:
    """Return the chain of a case whose exact solution is one, beside mesh temperatures (n,), K, and ``heat`` by
    surface, W.

    Raises :class:`ReferenceRefusedError` with the reason why there is none.
    """
    chain = _chain_of(exact, problem)
    mesh = problem.mesh
    mesh_heat = heat[chain.surfaces[0]] if chain.surfaces[0] else -heat[chain.surfaces[-1]]
    per = chain.area or 1.0
    drops = [abs(first - last) for first, last in chain.faces]
    if abs(chain.heat) <= _NO_HEAT * max(sum(drops), 1e-300) or not np.isfinite(chain.heat):
        raise ReferenceRefusedError("no heat passes, so a drop of temperature tells no resistance")

    def read(surface: str, region: int) -> float:
        facets = mesh.surfaces[surface].side(region)
        return float((surface_mean(facets, mesh) @ temperature)[0])

    on_mesh = [
        (read(before, region), read(behind, region))
        for region, before, behind in zip(chain.regions, chain.surfaces[:-1], chain.surfaces[1:], strict=True)
    ]
    links: list[Link] = []
    junctions: list[Junction] = []

    def link(name: str, drop: float, mesh_drop: float) -> None:
        mesh_resistance = mesh_drop / mesh_heat * per if mesh_heat else float("nan")
        links.append(Link(name, drop / chain.heat * per, drop, mesh_drop, mesh_resistance))

    before, behind = (_beyond(side) for side in chain.sides)
    if before is not None:
        junctions.append(Junction(before[0], before[1], None))
        link(before[2], before[1] - chain.faces[0][0], before[1] - on_mesh[0][0])
    junctions.append(Junction(chain.surfaces[0], chain.faces[0][0], on_mesh[0][0]))
    for place, region in enumerate(chain.regions):
        (first, last), (mesh_first, mesh_last) = chain.faces[place], on_mesh[place]
        link(mesh.regions[region], first - last, mesh_first - mesh_last)
        surface = chain.surfaces[place + 1]
        if surface in problem.joints and place + 1 < len(chain.regions):
            junctions.append(Junction(f"{mesh.regions[region]} side", last, mesh_last))
            following, mesh_following = chain.faces[place + 1][0], on_mesh[place + 1][0]
            link("contact", last - following, mesh_last - mesh_following)
            other = mesh.regions[chain.regions[place + 1]]
            junctions.append(Junction(f"{other} side", following, mesh_following))
        else:
            junctions.append(Junction(surface, last, mesh_last))
    if behind is not None:
        link(behind[2], chain.faces[-1][1] - behind[1], on_mesh[-1][1] - behind[1])
        junctions.append(Junction(behind[0], behind[1], None))
    return SeriesPath(tuple(links), tuple(junctions), chain.heat / per, mesh_heat / per, chain.area > 0, chain.source)


def _beyond(side: Side) -> tuple[str, float, str] | None:
    """What lies beyond a face that is not held: its name, its temperature in K, and what resists; None for nothing that
    one resistance could stand for."""
    around = set(side.driving)
    if side.held is not None or side.flux or len(around) != 1:
        return None
    what = [word for word, acts in (("film", side.h > 0), ("radiation", bool(side.radiation))) if acts]
    return ("surroundings" if side.radiation else "fluid"), around.pop(), " + ".join(what)


def _chain_of(exact: ExactField | MovingField | None, problem: Problem) -> _Chain:
    if isinstance(exact, SolidField) and isinstance(exact.flat, LayeredField):
        reduction = exact.reduction
        own: dict[str, str] = {}
        for name, flat in reduction.names.items():
            own.setdefault(flat, name)
        chain = _layered(exact.flat)
        # A wall that stands for a pile has an area of its own, as large a share of the solid's.
        return _Chain(
            [reduction.order[region] for region in chain.regions],
            chain.faces,
            [own.get(surface, "") for surface in chain.surfaces],
            chain.sides,
            chain.heat * reduction.share,
            chain.area * reduction.share,
            chain.source,
        )
    if isinstance(exact, LayeredField):
        return _layered(exact)
    if isinstance(exact, RodField):
        return _rod(exact, problem)
    if isinstance(exact, MovingField):
        raise ReferenceRefusedError("the clock runs, so what passes one layer does not pass the next")
    raise ReferenceRefusedError("heat does not pass one layer after the other here, as far as is known")


def _layered(field: LayeredField) -> _Chain:
    layers = field.layers
    if any(layer.gap for layer in layers.layers):
        raise ReferenceRefusedError("heat is radiated across a gap, whose resistance follows the temperatures")
    if any(layer.generation for layer in layers.layers):
        raise ReferenceRefusedError("heat arises in a layer, so one resistance does not stand for it")
    if layers.solid:
        raise ReferenceRefusedError("the body reaches the middle, so no heat passes through")
    between = [
        next(name for name, crossed in field.crossing.items() if place in [before for before, _ in crossed])
        for place in range(len(layers.layers) - 1)
    ]
    faces = [layers.faces(place) for place in range(len(layers.layers))]
    area = field.factor if layers.form == "wall" else 0.0
    return _Chain(
        field.order,
        faces,
        [field.ends[0], *between, field.ends[1]],
        (layers.inner, layers.outer),
        layers.heat_in * field.factor,
        area,
        field.source,
    )


def _rod(field: RodField, problem: Problem) -> _Chain:
    chain, names = field.chain, field.names
    if any(piece.generation for piece in chain.pieces):
        raise ReferenceRefusedError("heat arises in a piece, so one resistance does not stand for it")
    if any(piece.side != Side() for piece in chain.pieces):
        raise ReferenceRefusedError("heat passes through the sides of the rod, so it is no series of resistances")
    faces = [
        (chain.temperature_in(place, 0.0), chain.temperature_in(place, piece.length))
        for place, piece in enumerate(chain.pieces)
    ]
    between = [f"{before}|{after}" for before, after in pairwise(names)]
    surfaces = [f"{names[0]}.start", *between, f"{names[-1]}.end"]
    return _Chain(
        range(len(names)), faces, surfaces, (chain.start, chain.end), chain.heat_along(0, 0.0), 0.0, field.source
    )
