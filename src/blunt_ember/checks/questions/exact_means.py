"""Means of an exact field over regions: on the body itself where its section lies on a lattice, else on the cells."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.fem.assembly import by_rule, in_runs
from blunt_ember.geometry.section import SectionGeometry, drawing_plane_of, outlines_of
from blunt_ember.geometry.section_lattice import Lattice
from blunt_ember.mesh.cells.fine_rules import fine_rule
from blunt_ember.mesh.mesh import CellBlock
from blunt_ember.quadrature import gauss_rule

#: Places of Gauss's rule along each side of a piece, how often pieces are halved at most, and places up to which.
_GAUSS, _HALVINGS, _FEW = 6, 5, 10_000
#: Share of the span of temperatures by which a mean changes that has settled.
_SETTLED = 1e-9

#: What temperatures in K (p,) are at places (p, d) in m of a region.
ReadIn = Callable[[Floats, int], Floats]
#: A region, places (p, d) in m in it, and what of the body each of them stands for (p,).
Part = tuple[int, Floats, Floats]


def mean_in(regions: Sequence[int], read: ReadIn, solved: SolvedField) -> float:
    """Return the mean temperature over regions, K, on pieces that are halved until it settles, where they are few; NaN
    on straight cells in a body with arcs, beyond which fields go on that the body does not."""
    section, plan = outlines_of(solved.geometry), drawing_plane_of(solved.geometry)
    lattice = None if section is None else section.lattice or section.rings
    found = np.nan
    if lattice is None and solved.mesh.order == 1 and plan is not None and plan.arrangement.curves.is_arc.any():
        return found
    for halvings in range(_HALVINGS + 1):
        if section is not None and lattice is not None:
            parts, count = _on_lattice(lattice, regions, section, halvings), _places_on(lattice, regions, halvings)
        else:
            parts, count = _on_cells(regions, solved, halvings), _places_in(regions, solved, halvings)
        if halvings and count > _FEW:
            break
        before, total, volume = found, 0.0, 0.0
        for region, places, volumes in parts:
            total += float(read(places, region) @ volumes)
            volume += float(volumes.sum())
        found = total / volume
        if abs(found - before) <= _SETTLED * solved.span:
            break
    return found


def _places_on(lattice: Lattice, regions: Sequence[int], halvings: int) -> int:
    return int(np.isin(lattice.owner, regions).sum()) * (_GAUSS * 2**halvings) ** 2


def _on_lattice(lattice: Lattice, regions: Sequence[int], section: SectionGeometry, halvings: int) -> Iterator[Part]:
    """By Gauss's rule in every piece between lines of the lattice."""
    at, weight = gauss_rule(_GAUSS)
    pieces = 2**halvings
    share = ((np.arange(pieces)[:, None] + (at + 1) / 2) / pieces).ravel()
    weights = np.tile(weight, pieces) / (2 * pieces)
    for region in regions:
        i, j = np.nonzero(lattice.owner == region)
        if not len(i):
            continue
        wide, high = np.diff(lattice.us)[i], np.diff(lattice.vs)[j]
        u, v = np.broadcast_arrays(
            (lattice.us[i, None] + wide[:, None] * share)[:, :, None],
            (lattice.vs[j, None] + high[:, None] * share)[:, None, :],
        )
        area = (wide * high)[:, None, None] * np.multiply.outer(weights, weights)
        if lattice.centre is not None:
            area = area * u
        places = lattice.places(u.ravel(), v.ravel())
        factor = section.space.of_cells(np.array([region]), places[None])[0]
        yield region, places, area.ravel() * factor


def _places_in(regions: Sequence[int], solved: SolvedField, halvings: int) -> int:
    """How many places those are in cells."""
    counts = (
        int(np.isin(block.region, regions).sum()) * len(fine_rule(block.family, halvings)[1])
        for block in solved.mesh.blocks
    )
    return sum(counts)


def _on_cells(regions: Sequence[int], solved: SolvedField, halvings: int) -> Iterator[Part]:
    """By the rule of quadratic cells in every part of a halved one."""
    mesh = solved.mesh
    for block in mesh.blocks:
        kept = np.isin(block.region, regions)
        own = CellBlock(block.family, block.nodes[kept], block.region[kept])
        points, weights = fine_rule(block.family, halvings)
        for run in in_runs(own, len(points)):
            places, volumes = by_rule(own, mesh, run, points, weights)
            for region in np.unique(own.region[run]).tolist():
                here = own.region[run] == region
                yield region, places[here].reshape(-1, mesh.dimension), volumes[here].ravel()
