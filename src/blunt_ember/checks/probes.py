"""What a question reads from temperatures, found once and read at any instant: weights of nodes, and what of them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.sparse import csr_array, vstack

from blunt_ember.case.clock import WHOLE_BODY, Condition
from blunt_ember.case.document import Question
from blunt_ember.case.places import Line
from blunt_ember.errors import CaseError, Fault
from blunt_ember.fem.assembly import facet_weights, in_runs, weighted_gradients
from blunt_ember.fem.reading import weights_at
from blunt_ember.mesh.any_body import AnyGeometry
from blunt_ember.mesh.families import FAMILIES
from blunt_ember.mesh.mesh import FacetSet, Floats, Ints, Mesh

#: Places at which a line is read.
LINE_SAMPLES = 201
Reduction = Literal["highest", "lowest", "sum"]


@dataclass(frozen=True)
class Probe:
    """Reads ``weights`` (p, n) of temperatures, and of what they give the highest, the lowest or the sum."""

    weights: csr_array
    reduction: Reduction

    def __call__(self, temperature: Floats) -> float:
        """Return what is read of temperatures (n,) in K."""
        values = self.weights @ temperature
        return float(values.sum() if self.reduction == "sum" else getattr(values, _OF[self.reduction])())


_OF = {"highest": "max", "lowest": "min"}


def line_points(line: Line, count: int = LINE_SAMPLES) -> Floats:
    """Return ``count`` places (count, 2) in m, evenly spaced from start to end."""
    start, end = (np.array([place.si for place in point]) for point in (line.start, line.end))
    result: Floats = start + np.linspace(0, 1, count)[:, None] * (end - start)
    return result


def line_shares(count: int) -> Floats:
    """Return the share (count,) each of evenly spaced places has in a mean: the ends count half."""
    shares = np.ones(count)
    shares[[0, -1]] = 0.5 if count > 1 else 1.0
    return shares / shares.sum()


def probe_of(
    asking: Question | Condition, members: tuple[str, ...], mesh: Mesh, geometry: AnyGeometry, path: str,
    side: int | None = None,
) -> Probe:  # fmt: skip
    """Return what a question or condition reads of temperatures.

    ``members`` are the surfaces its target stands for, where it is a surface; ``side`` the region it is read from at a
    joint. Raises :class:`CaseError` at ``path`` where a place lies outside the body.
    """
    target, asks = asking.target, asking.asks
    if isinstance(target, Line):
        weights = weights_at(mesh, line_points(target), side)
        inside = np.asarray(weights.sum(axis=1)).ravel() > 0.5
        if not inside.any():
            raise CaseError((Fault(path, "no part of the line lies in the body"),))
        weights = csr_array(weights[inside])
        return _reduced(asks, weights, line_shares(weights.shape[0]))
    if not isinstance(target, str):
        assert isinstance(target, tuple)
        weights = weights_at(mesh, np.array([[place.si for place in target]]), side)
        if not weights.nnz:
            raise CaseError((Fault(path, f"the point ({', '.join(p.text for p in target)}) lies outside the body"),))
        return Probe(weights, "sum")
    if target == WHOLE_BODY or (target in mesh.regions and target not in mesh.surfaces):
        regions = range(len(mesh.regions)) if target == WHOLE_BODY else [mesh.regions.index(target)]
        return _of_regions(asks, list(regions), mesh)
    facets = [mesh.surfaces[name] for name in members]
    if side is not None:
        facets = [each.side(side) for each in facets]
    if asks != "mean":
        return Probe(_stacked([_samples(each, mesh) for each in facets]), "highest" if asks == "highest" else "lowest")
    areas = np.array([geometry.surfaces[name].area for name in members])
    means = _stacked([_mean(each, mesh) for each in facets])
    return Probe(csr_array((areas / areas.sum())[None] @ means), "sum")


def _reduced(asks: str, weights: csr_array, shares: Floats) -> Probe:
    if asks == "mean":
        return Probe(csr_array(csr_array(shares[None]) @ weights), "sum")
    return Probe(weights, "highest" if asks == "highest" else "lowest")


def _stacked(parts: list[csr_array]) -> csr_array:
    return csr_array(vstack(parts))


def _samples(facets: FacetSet, mesh: Mesh) -> csr_array:
    """Weights (s, n) of places on each facet, enough to find the extremes."""
    rows = []
    for block in facets.blocks:
        shape = FAMILIES[block.family].values(FAMILIES[block.family].samples)
        count = len(block.nodes) * len(shape)
        columns = np.repeat(block.nodes, len(shape), axis=0)
        values = np.tile(shape, (len(block.nodes), 1))
        index = np.repeat(np.arange(count), shape.shape[1])
        rows.append(csr_array((values.ravel(), (index, columns.ravel())), shape=(count, mesh.node_count)))
    return _stacked(rows)


def _mean(facets: FacetSet, mesh: Mesh) -> csr_array:
    """Weights (1, n) of the mean over a surface."""
    share = np.zeros(mesh.node_count)
    for block in facets.blocks:
        family = FAMILIES[block.family]
        share += _gathered(facet_weights(facets, block, mesh) @ family.at_points, block.nodes, mesh)
    return csr_array(share[None] / share.sum())


def _of_regions(asks: str, regions: list[int], mesh: Mesh) -> Probe:
    """Extremes at the nodes of regions, or the mean over their volume."""
    if asks != "mean":
        inside = [block.nodes[np.isin(block.region, regions)].ravel() for block in mesh.blocks]
        nodes = np.unique(np.concatenate(inside))
        ones = np.ones(len(nodes))
        weights = csr_array((ones, (np.arange(len(nodes)), nodes)), shape=(len(nodes), mesh.node_count))
        return Probe(weights, "highest" if asks == "highest" else "lowest")
    share = np.zeros(mesh.node_count)
    for block in mesh.blocks:
        family = FAMILIES[block.family]
        runs = in_runs(block, len(family.points))
        volumes = np.concatenate([weighted_gradients(block, mesh, run)[1] for run in runs])
        own = np.isin(block.region, regions)
        share += _gathered(volumes[own] @ family.at_points, block.nodes[own], mesh)
    return Probe(csr_array(share[None] / share.sum()), "sum")


def _gathered(values: Floats, nodes: Ints, mesh: Mesh) -> Floats:
    return np.asarray(np.bincount(nodes.ravel(), values.ravel(), minlength=mesh.node_count), dtype=np.float64)
