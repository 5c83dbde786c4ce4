"""What a question reads from temperatures, found once and read at any instant: weights of nodes, and what of them."""

from __future__ import annotations

from functools import partial
from typing import Literal

import numpy as np
from scipy.sparse import csr_array, vstack

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.clock import WHOLE_BODY
from blunt_ember.case.document.places import Line
from blunt_ember.case.document.questions.question import Reading
from blunt_ember.checks.questions.extreme_probe import BETWEEN, ExtremeProbe
from blunt_ember.checks.questions.reading_line import laid
from blunt_ember.content_hash import content_hash
from blunt_ember.errors import CaseError, DataPath, Fault
from blunt_ember.fem.assembly import facet_weights, in_runs, weighted_gradients
from blunt_ember.fem.between_nodes import quadratic_about
from blunt_ember.fem.reading import weights_at
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import FacetSet, Mesh

#: Places along a line that are looked at for how far the best of all may lie beyond them.
_BEST = 12
#: Points that are found together at most, of which a mesh keeps all.
_TOGETHER = 48
ProbeReduction = Literal["highest", "lowest", "sum"]


@immutable
class Probe:
    """Reads ``weights`` (p, n) of temperatures, and of what they give the highest, the lowest or the sum."""

    weights: csr_array
    reduction: ProbeReduction

    @property
    def nodes(self) -> Ints:
        """The nodes it reads (k,), some of them more than once."""
        return self.weights.indices.astype(np.int64)

    def __call__(self, temperature: Floats) -> float:
        """Return what is read of temperatures (n,) in K."""
        if self.reduction == "sum":
            return float((self.weights @ temperature).sum())
        values = sampled_temperatures(self.weights, temperature)
        return float(values.max() if self.reduction == "highest" else values.min())

    def missed(self, temperature: Floats, mesh: Mesh) -> float:
        """Return by how much the highest or lowest may lie beyond what linear cells, which are straight between their
        nodes, have at the places that are read, in K; 0 for quadratic cells and for sums."""
        if mesh.order != 1 or self.reduction == "sum":
            return 0.0
        sign = 1.0 if self.reduction == "highest" else -1.0
        values, beyond = sign * sampled_temperatures(self.weights, temperature), 0.0
        for row in np.argsort(-values)[:_BEST].tolist():
            own = slice(*self.weights.indptr[row : row + 2])
            nodes, shares = self.weights.indices[own].astype(np.int64), self.weights.data[own]
            bent = quadratic_about(mesh, temperature, nodes[None], shares[None])
            beyond = max(beyond, float(sign * bent[0, 0]) - float(values.max()))
        return beyond

    def slope(self, temperature: Floats) -> Floats:
        """Return by how much what is read follows every temperature (n,)."""
        if self.reduction == "sum":
            return np.asarray(self.weights.sum(axis=0), dtype=np.float64).ravel()
        values = self.weights @ temperature
        row = int(values.argmax() if self.reduction == "highest" else values.argmin())
        return self.weights[[row]].toarray().ravel()


def sampled_temperatures(weights: csr_array, temperature: Floats) -> Floats:
    """Return temperatures (p,) in K read by ``weights`` (p, n), none of them farther out than the cells allow: what
    lies beyond the nodes that a place is read from by more than a share of the span is cut to them, as
    :class:`ExtremeProbe` says.
    """
    values = np.asarray(weights @ temperature)
    slack = BETWEEN * float(np.ptp(temperature))
    known = np.diff(weights.indptr) > 0
    starts = weights.indptr[:-1][known]
    at_nodes = temperature[weights.indices]
    low, high = np.minimum.reduceat(at_nodes, starts), np.maximum.reduceat(at_nodes, starts)
    inside = values[known]
    values[known] = np.where(inside > high + slack, high, np.where(inside < low - slack, low, inside))
    return values


def probe_of(
    reading: Reading, document: CaseDocument, mesh: Mesh, geometry: BodyGeometry, path: DataPath
) -> Probe | ExtremeProbe:
    """Return what a reading takes of temperatures, by the names of a ``document``.

    Raises :class:`CaseError` at ``path`` where a place lies outside the body, or what is taken together with others is
    no surface.
    """
    members = tuple(document.members_asked(reading.target)) if reading.how != "temperature" else ()
    return mesh.found(_key(reading, members), lambda: _found(reading, members, mesh, geometry, path))


def locate_points(document: CaseDocument, mesh: Mesh) -> None:
    """Find all points at which a ``document`` asks for a temperature together, which takes about as long as to find one
    of them; what lies outside the body is told when it is read."""
    wanted: dict[str | None, dict[str, list[float]]] = {}
    for question in document.questions:
        for reading in question.readings:
            if reading.how != "temperature" or len(reading.place) != mesh.dimension:
                continue
            key = _key(reading, ())
            if not mesh.knows(key):
                wanted.setdefault(reading.side, {})[key] = [place.si for place in reading.place]
    for side, points in wanted.items():
        if not 1 < len(points) <= _TOGETHER:
            continue
        weights = weights_at(mesh, np.array(list(points.values())), None if side is None else mesh.regions.index(side))
        for key, first, last in zip(points, weights.indptr[:-1], weights.indptr[1:], strict=True):
            if first < last:
                row = weights.data[first:last], weights.indices[first:last], [0, last - first]
                mesh.found(key, partial(Probe, csr_array(row, shape=(1, mesh.node_count)), "sum"))


def _key(reading: Reading, members: tuple[str, ...]) -> str:
    return content_hash("probe", reading.how, reading.target, reading.side, members)


def _found(
    reading: Reading, members: tuple[str, ...], mesh: Mesh, geometry: BodyGeometry, path: DataPath
) -> Probe | ExtremeProbe:
    target, asks = reading.target, reading.how
    side = mesh.regions.index(reading.side) if reading.side is not None else None
    if isinstance(target, Line):
        line = laid(target, "", members, geometry, mesh, path, side)
        if asks == "mean":
            return Probe(csr_array(csr_array(line.shares[None]) @ line.weights), "sum")
        return Probe(csr_array(line.weights[line.inside]), "highest" if asks == "highest" else "lowest")
    if asks == "temperature":
        weights = weights_at(mesh, np.array([[place.si for place in reading.place]]), side)
        if not weights.nnz:
            where = ", ".join(place.text for place in reading.place)
            raise CaseError((Fault(path, f"the point ({where}) lies outside the body"),))
        return Probe(weights, "sum")
    if isinstance(target, str) and (target == WHOLE_BODY or target in set(mesh.regions) - set(mesh.surfaces)):
        regions = range(len(mesh.regions)) if target == WHOLE_BODY else [mesh.regions.index(target)]
        if not any(np.isin(block.region, regions).any() for block in mesh.blocks):
            what = f"'{target}' is void, so that nothing in it has a temperature; ask about a region or a surface"
            raise CaseError((Fault(path, what),))
        if asks != "mean":
            inside = [(block, block.nodes[np.isin(block.region, regions)]) for block in mesh.blocks]
            return ExtremeProbe.of(inside, asks == "highest", mesh)
        return _mean_of_regions(list(regions), mesh)
    strange = next((name for name in members if name not in mesh.surfaces), None)
    if strange is not None:
        what = f"'{strange}' is no surface, and only surfaces are taken together; ask about it alone"
        raise CaseError((Fault(path, what),))
    facets = [mesh.surfaces[name] for name in members]
    if side is not None:
        facets = [each.side(side) for each in facets]
    if asks != "mean":
        blocks = [(block, block.nodes) for each in facets for block in each.blocks]
        return ExtremeProbe.of(blocks, asks == "highest", mesh)
    areas = np.array([geometry.surfaces[name].area for name in members])
    means = _stacked([surface_mean(each, mesh) for each in facets])
    return Probe(csr_array((areas / areas.sum())[None] @ means), "sum")


def _stacked(parts: list[csr_array]) -> csr_array:
    return csr_array(vstack(parts))


def surface_mean(facets: FacetSet, mesh: Mesh) -> csr_array:
    """Return weights (1, n) of the mean over a surface."""
    share = np.zeros(mesh.node_count)
    for block in facets.blocks:
        family = CELL_FAMILIES[block.family]
        share += _gathered(facet_weights(facets, block, mesh) @ family.at_points, block.nodes, mesh)
    return csr_array(share[None] / share.sum())


def _mean_of_regions(regions: list[int], mesh: Mesh) -> Probe:
    """The mean over the volume of regions."""
    share = np.zeros(mesh.node_count)
    for block in mesh.blocks:
        family = CELL_FAMILIES[block.family]
        runs = in_runs(block, len(family.points))
        volumes = np.concatenate([weighted_gradients(block, mesh, run)[1] for run in runs])
        own = np.isin(block.region, regions)
        share += _gathered(volumes[own] @ family.at_points, block.nodes[own], mesh)
    return Probe(csr_array(share[None] / share.sum()), "sum")


def _gathered(values: Floats, nodes: Ints, mesh: Mesh) -> Floats:
    return np.asarray(np.bincount(nodes.ravel(), values.ravel(), minlength=mesh.node_count), dtype=np.float64)
