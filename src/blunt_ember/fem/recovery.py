"""A smoother heat flux than that of the cells, and how far the cells are from it.

Superconvergent patch recovery: Zienkiewicz & Zhu, Int. J. Numer. Meth. Engng 33 (1992) 1331 and 1365. About each
corner of the cells of a region a polynomial of the order of the cells is fitted to the fluxes at the points of the
cells around it where they are most exact; about corners on a surface also to those of the cells beyond. Between the
corners of a cell the polynomials are blended by its linear shape functions. Nothing is smoothed across regions, where
the flux may jump.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations_with_replacement

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Floats, Ints
from blunt_ember.fem.assembly import in_runs, physical_gradients
from blunt_ember.fem.problem.conductors import conductivity_at
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES, CellFamily
from blunt_ember.mesh.mesh import CellBlock, Mesh

#: Polynomials fitted at once.
_AT_ONCE = 4_000
#: How flat a patch is taken to be at most.
_FLATTEST = 1e-6
#: How little of a polynomial its patch may tell before that part is left at nothing.
_UNTOLD = 1e-9


@immutable
class Recovered:
    """Of each block of cells: flux (m, k, d) in W/m² at their nodes, the squared error (m,) in W K of the flux of
    the cells, ∫ (q* − q)·k⁻¹·(q* − q) dV, what of it varies ``along`` each direction (m, d) of the reference cell,
    and the root of the mean of |q* − q|² (m,) in W/m²; ``energy`` in W K is ∫ q·k⁻¹·q dV over the body."""

    at_nodes: tuple[Floats, ...]
    error: tuple[Floats, ...]
    along: tuple[Floats, ...]
    missed: tuple[Floats, ...]
    energy: float

    @property
    def share(self) -> float:
        """Estimated error of the flux of the whole body as a share of it, in the norm of the energy."""
        missed = sum(float(block.sum()) for block in self.error)
        return float(np.sqrt(missed / max(self.energy + missed, 1e-300)))


def recovered(problem: Problem, temperature: Floats, t: float = 0.0, of: Floats | None = None) -> Recovered:
    """Return the recovered flux −k∇T of ``temperature`` (n,) in K at a time ``t`` in s, and the estimated error.

    Where a field ``of`` nodes (n,) is given it is that of −k∇ of it, and temperature only tells k.
    """
    mesh, field = problem.mesh, temperature if of is None else of
    patches = _Patches(mesh)
    sampled = [
        _fluxes(problem, block, temperature, field, t, sampling_points(CELL_FAMILIES[block.family]))
        for block in mesh.blocks
    ]
    places = np.concatenate([cells.places.reshape(-1, mesh.dimension) for cells in sampled])
    fluxes = np.concatenate([cells.flux.reshape(-1, mesh.dimension) for cells in sampled])
    fitted = patches.fitted(places, fluxes)
    at_nodes, errors, along, gaps, energy = [], [], [], [], 0.0
    for number, block in enumerate(mesh.blocks):
        family = CELL_FAMILIES[block.family]
        at_nodes.append(patches.blended(number, family.nodes, mesh.points[block.nodes], fitted))
        missed, gap = np.empty(len(block.nodes)), np.empty(len(block.nodes))
        directed = np.empty((len(block.nodes), family.dimension))
        for run in in_runs(block, len(family.points) * 2):
            part = CellBlock(block.family, block.nodes[run], block.region[run])
            cells = _fluxes(problem, part, temperature, field, t, family.points)
            smooth = patches.blended(number, family.points, cells.places, fitted, run)
            volumes = cells.stretch * family.weights * mesh.space.of_cells(part.region, cells.places)
            missed[run] = (volumes * _resisted(smooth - cells.flux, cells.k)).sum(axis=1)
            directed[run] = missed[run][:, None] * _varying(family, smooth - cells.flux)
            gap[run] = np.sqrt((volumes * ((smooth - cells.flux) ** 2).sum(axis=-1)).sum(axis=1) / volumes.sum(axis=1))
            energy += float((volumes * _resisted(cells.flux, cells.k)).sum())
        errors.append(missed)
        along.append(directed)
        gaps.append(gap)
    return Recovered(tuple(at_nodes), tuple(errors), tuple(along), tuple(gaps), energy)


def _varying(family: CellFamily, field: Floats) -> Floats:
    """Return which shares (m, d) of what a ``field`` (m, q, d) at the quadrature points varies by are along each
    direction of the reference cell; even ones of a cell that is not a product of directions."""
    directions = family.dimension
    even = np.full((len(field), directions), 1 / directions)
    each = round(len(family.points) ** (1 / directions))
    if directions < 2 or each < 2 or family.corners != 2**directions:
        return even
    grid = field.reshape(len(field), *[each] * directions, field.shape[-1])
    spread = [((grid - grid.mean(axis=axis, keepdims=True)) ** 2) for axis in range(1, directions + 1)]
    varied = np.stack([each.reshape(len(field), -1).sum(axis=1) for each in spread], axis=-1)
    total = varied.sum(axis=1, keepdims=True)
    return np.where(total > 0, varied / np.where(total > 0, total, 1.0), even)


def sampling_points(family: CellFamily) -> Floats:
    """Return where (s, dim) the gradient of a cell is most exact: its middle, or the rule of the order below."""
    if family.order == 1:
        return family.middle[None]
    return CELL_FAMILIES[_LINEAR[family.name]].points


_LINEAR = {"line3": "line2", "tri6": "tri3", "quad9": "quad4", "tet10": "tet4", "wedge18": "wedge6", "hex27": "hex8"}


def _corner_values(family: CellFamily, at: Floats) -> Floats:
    """Linear shape functions (q, corners) of a family at places (q, dim)."""
    return CELL_FAMILIES[_LINEAR.get(family.name, family.name)].values(at)


@immutable
class _Cells:
    """Within cells: places and −k∇T (m, q, d), k (m, q) or (m, q, d, d), and the determinants (m, q) of their maps."""

    places: Floats
    flux: Floats
    k: Floats
    stretch: Floats


def _fluxes(problem: Problem, block: CellBlock, temperature: Floats, field: Floats, t: float, at: Floats) -> _Cells:
    """−k∇ of a field in the cells of a block at reference places (q, dim)."""
    mesh, values = problem.mesh, CELL_FAMILIES[block.family].values(at)
    places = np.einsum("qk,mkd->mqd", values, mesh.points[block.nodes])
    gradient, stretch = np.empty(places.shape), np.empty(places.shape[:2])
    for run in in_runs(block, len(at)):
        slopes, stretch[run] = physical_gradients(block.family, mesh.points[block.nodes[run]], at)
        gradient[run] = np.einsum("mqkj,mk->mqj", slopes, field[block.nodes[run]])
    here = temperature[block.nodes] @ values.T
    k = conductivity_at(problem.conductors, mesh, block.region, places, here, t)
    k = np.broadcast_to(k, (len(block.nodes), len(at), *k.shape[2:]))
    flux = -(k[..., None] * gradient) if k.ndim == 2 else -(k @ gradient[..., None])[..., 0]
    return _Cells(places, flux, k, stretch)


def _resisted(flux: Floats, conductivity: Floats) -> Floats:
    """q·k⁻¹·q, (m, q)."""
    if conductivity.ndim == 2:
        return np.asarray((flux**2).sum(axis=-1) / conductivity)
    return np.asarray((flux * np.linalg.solve(conductivity, flux[..., None])[..., 0]).sum(axis=-1))


class _Patches:
    """The corners of the cells of each region, and the cells around them."""

    def __init__(self, mesh: Mesh) -> None:
        self.mesh = mesh
        keys = [
            block.region[:, None] * mesh.node_count + block.nodes[:, : CELL_FAMILIES[block.family].corners]
            for block in mesh.blocks
        ]
        found, numbers = np.unique(np.concatenate([key.ravel() for key in keys]), return_inverse=True)
        ends = np.cumsum([key.size for key in keys])[:-1]
        #: Number of the patch at each corner of each cell, (m, corners) for each block.
        self.corners: list[Ints] = [
            part.reshape(key.shape) for part, key in zip(np.split(numbers, ends), keys, strict=True)
        ]
        self.node = found % mesh.node_count
        order = max(CELL_FAMILIES[block.family].order for block in mesh.blocks)
        self.powers = [
            power
            for degree in range(order + 1)
            for power in combinations_with_replacement(range(mesh.dimension), degree)
        ]
        self.incidence = self._incidence()
        self.size = self._sizes()

    def _incidence(self) -> csr_array:
        """Which cells (columns) each patch (row) takes: those at its corner, or also those beyond."""
        count = sum(len(block.nodes) for block in self.mesh.blocks)
        first = np.cumsum([0, *(len(block.nodes) for block in self.mesh.blocks)])[:-1]
        rows = np.concatenate([corners.ravel() for corners in self.corners])
        columns = np.concatenate(
            [
                np.repeat(np.arange(len(corners)) + start, corners.shape[1])
                for corners, start in zip(self.corners, first, strict=True)
            ]
        )
        own = csr_array((np.ones(len(rows), dtype=np.int32), (rows, columns)), shape=(len(self.node), count))
        samples = np.concatenate(
            [np.full(len(block.nodes), len(sampling_points(CELL_FAMILIES[block.family]))) for block in self.mesh.blocks]
        )
        outer = np.zeros(self.mesh.node_count, dtype=bool)
        for facets in self.mesh.surfaces.values():
            outer[facets.nodes] = True
        few = outer[self.node] | (own @ samples < 2 * len(self.powers))
        if not few.any():
            return own
        wide = csr_array(own[np.flatnonzero(few)] @ own.T @ own)
        wide.data[:] = 1
        narrow = own.tocoo()
        kept = ~few[narrow.row]
        grown = wide.tocoo()
        rows = np.concatenate([narrow.row[kept], np.flatnonzero(few)[grown.row]])
        columns = np.concatenate([narrow.col[kept], grown.col])
        return csr_array((np.ones(len(rows), dtype=np.int32), (rows, columns)), shape=own.shape)

    def _sizes(self) -> Floats:
        """How far the cells at each corner reach along each axis, (p, d) in m: of flat ones far less along one, whose
        terms would be lost beside the others otherwise."""
        reach = np.zeros((len(self.node), self.mesh.dimension))
        for block, corners in zip(self.mesh.blocks, self.corners, strict=True):
            around: Floats = self.mesh.points[block.nodes]
            size = around.max(axis=1) - around.min(axis=1)
            np.maximum.at(reach, corners.ravel(), np.repeat(size, corners.shape[1], axis=0))
        return np.maximum(reach, _FLATTEST * reach.max(axis=1, keepdims=True))

    def fitted(self, places: Floats, fluxes: Floats) -> Floats:
        """Return the coefficients (p, m, d) of the polynomials nearest to ``fluxes`` (s, d) at ``places`` (s, d)."""
        counts = np.concatenate(
            [np.full(len(block.nodes), len(sampling_points(CELL_FAMILIES[block.family]))) for block in self.mesh.blocks]
        )
        starts = np.concatenate([[0], np.cumsum(counts)])
        terms = len(self.powers)
        result = np.zeros((len(self.node), terms, self.mesh.dimension))
        many = self.incidence @ counts
        for patches in self._alike(many):
            sample = self._samples(patches, counts, starts).reshape(len(patches), -1)
            shapes = self._polynomials(patches[:, None], places[sample])
            turned = shapes.swapaxes(1, 2)
            matrix, right = turned @ shapes, turned @ fluxes[sample]
            # What the samples do not tell, as across a body one cell thick, is taken as nothing.
            trace = np.trace(matrix, axis1=1, axis2=2)
            result[patches] = np.linalg.solve(matrix + (_UNTOLD * trace)[:, None, None] * np.eye(terms), right)
        return result

    def _alike(self, many: Ints) -> Iterator[Ints]:
        """Yield runs of patches (r,) that take as many samples each, of which they take so ``many`` (p,)."""
        for count in np.unique(many).tolist():
            alike = np.flatnonzero(many == count)
            for start in range(0, len(alike), _AT_ONCE):
                yield alike[start : start + _AT_ONCE]

    def _samples(self, patches: Ints, counts: Ints, starts: Ints) -> Ints:
        """The samples of ``patches`` (r,), one patch after the other; each cell has so many ``counts`` from ``starts``
        on."""
        cells = self.incidence[patches].indices.astype(np.int64)
        own = counts[cells]
        return np.repeat(starts[cells] - np.concatenate([[0], np.cumsum(own)[:-1]]), own) + np.arange(own.sum())

    def _polynomials(self, patch: Ints, places: Floats) -> Floats:
        """Terms (…, m) of the polynomials of patches (…) at places (…, d)."""
        local = (places - self.mesh.points[self.node[patch]]) / self.size[patch]
        terms = np.ones((*local.shape[:-1], len(self.powers)))
        for number, power in enumerate(self.powers):
            if power:
                before = self.powers.index(power[:-1])
                np.multiply(terms[..., before], local[..., power[-1]], out=terms[..., number])
        return terms

    def blended(self, number: int, at: Floats, places: Floats, fitted: Floats, run: slice = slice(None)) -> Floats:
        """Return the recovered flux (m, q, d) of a block's cells at reference places (q, dim), which are ``places``
        (m, q, d)."""
        corners = self.corners[number][run]
        weights = _corner_values(CELL_FAMILIES[self.mesh.blocks[number].family], at)
        result = np.zeros(places.shape)
        for corner in range(corners.shape[1]):
            patch = np.broadcast_to(corners[:, corner, None], places.shape[:2])
            terms = self._polynomials(patch, places)
            result += weights[:, corner, None] * (terms @ fitted[corners[:, corner]])
        return result
