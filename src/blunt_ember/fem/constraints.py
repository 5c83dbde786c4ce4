"""Nodes whose temperature is not free: held ones, those tied to the other surface of a periodic pair, and those of what
has one temperature."""

from __future__ import annotations

from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array, csr_array, diags_array, eye_array
from scipy.sparse.csgraph import connected_components

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.values.display import shown
from blunt_ember.case.values.units import TEMPERATURE
from blunt_ember.errors import CaseError, Fault
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.terms.term import sampled
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import FacetSet, Mesh
from blunt_ember.mesh.motion import laid_upon
from blunt_ember.tree_of_places import tree_of

#: How far, as a share of its extent, a surface may lie from where its partner is laid upon it.
_FIT = 1e-6
#: Held temperatures that differ by less are one, K.
_SAME_TEMPERATURE = 1e-9
#: Facets near a place among which the one it lies on is looked for.
_NEAREST_FACETS = 9


@immutable
class Tie:
    """``nodes`` (t,) that follow others by ``weights`` (t, n).

    They are those of the second surface of a periodic ``pair``, which follow nodes of the first; or, where it is None,
    those of what has one temperature. ``held`` (h, 2) are nodes of the second and of the first that lie on each other
    and are held.
    """

    pair: tuple[str, str] | None
    nodes: Ints
    weights: csr_array
    held: Ints

    @cached_property
    def collected(self) -> csr_array:
        """What comes to the nodes that are followed (n, t) from those that follow."""
        return csr_array(self.weights.T)


@immutable
class Constraints:
    """All temperatures from the free ones: ``T = prolongation @ free_ones + held``.

    Rows of ``prolongation`` (n, f) sum to one for nodes that are not held. It merely picks nodes where none follows
    another, and ``free`` (n,) tells which.
    """

    held_nodes: Ints
    held_values: Floats
    free: NDArray[np.bool_]
    prolongation: csr_array
    ties: tuple[Tie, ...]

    @cached_property
    def _collecting(self) -> csr_array:
        return csr_array(self.prolongation.T)

    def every(self, free: Floats) -> Floats:
        """Return all temperatures (n,) from the ``free`` ones (f,), less those that are held."""
        if self.ties:
            return np.asarray(self.prolongation @ free)
        whole = np.zeros(len(self.free))
        whole[self.free] = free
        return whole

    def collected(self, heat: Floats) -> Floats:
        """Return what of the ``heat`` (n,) of all nodes the free ones (f,) see."""
        return np.asarray(self._collecting @ heat) if self.ties else heat[self.free]

    def reduced(self, matrix: csr_array) -> csr_array:
        """Return the matrix (f, f) that the free ones see."""
        if not self.ties:
            return csr_array(matrix[self.free][:, self.free])
        return csr_array(self.prolongation.T @ matrix @ self.prolongation)


def constraints_of(problem: Problem, t: float = 0.0) -> Constraints:
    """Return the constraints of a problem at a time ``t`` in s.

    Raises :class:`CaseError` where a periodic pair does not fit together, or what has one temperature is held at two.
    """
    mesh, count = problem.mesh, problem.mesh.node_count
    value = np.full(count, np.nan)
    for name, law in problem.held.items():
        nodes = mesh.surfaces[name].nodes
        value[nodes] = sampled(law, {**mesh.space.variables(mesh.points[nodes]), "t": np.full(len(nodes), t)})
    held = np.flatnonzero(~np.isnan(value))
    taken = ~np.isnan(value)
    ties = []
    for first, second in problem.periodic:
        tie = _tied(first, second, mesh, taken)
        taken[tie.nodes] = True
        ties.append(tie)
    for name, nodes in _of_one_temperature(problem, count):
        _require_followed(name, nodes, ties)
        tie = _evened(name, nodes, value, taken)
        taken[tie.nodes] = True
        ties.append(tie)
    free = ~taken
    picked = eye_array(count, format="csr")[:, free].tocsr()
    prolongation = picked
    if ties:
        follow = csr_array(diags_array((~_tied_nodes(ties, count)).astype(float)))
        for tie in ties:
            place = csr_array(
                (np.ones(len(tie.nodes)), (tie.nodes, np.arange(len(tie.nodes)))), shape=(count, len(tie.nodes))
            )
            follow = csr_array(follow + place @ tie.weights)
        every = follow
        for _ in range(8):  # a node may follow one that follows another: corners, at most three times over
            every = csr_array(follow @ every)
        # What follows a held node is held as it is.
        at_held = csr_array(every[:, held])
        fixed = at_held @ value[held]
        also = (at_held.sum(axis=1) > 0) & np.isnan(value)
        partly = also & (np.asarray(every[:, free].sum(axis=1)).ravel() > 0)
        if partly.any():
            raise CaseError(
                (
                    Fault(
                        ("surroundings",),
                        "a held surface ends between nodes of a periodic one; "
                        "state the same divisions for both sides of the pair",
                    ),
                )
            )
        value[also] = fixed[also]
        held = np.flatnonzero(~np.isnan(value))
        prolongation = csr_array(every[:, free])
    return Constraints(held, value[held], free, prolongation, tuple(ties))


def _of_one_temperature(problem: Problem, count: int) -> list[tuple[str, Ints]]:
    """The nodes of what has one temperature; parts that share a node have it together."""
    sets = problem.isothermal
    if not sets:
        return []
    place = np.repeat(np.arange(len(sets)), [len(each.nodes) for each in sets])
    nodes = np.concatenate([each.nodes for each in sets])
    size = count + len(sets)
    _, group = connected_components(coo_array((np.ones(len(nodes)), (nodes, count + place)), shape=(size, size)))
    together: dict[int, list[int]] = {}
    for number, label in enumerate(group[count:].tolist()):
        together.setdefault(label, []).append(number)
    found = []
    for members in together.values():
        every = np.concatenate([sets[number].nodes for number in members])
        _, first = np.unique(every, return_index=True)
        found.append((", ".join(sets[number].name for number in members), every[np.sort(first)]))
    return found


def _require_followed(name: str, nodes: Ints, ties: list[Tie]) -> None:
    """Refuse what has one temperature where its nodes follow those of a periodic partner that has not."""
    for tie in ties:
        led = tie.weights[np.isin(tie.nodes, nodes)].indices
        if tie.pair is not None and not np.isin(led, nodes).all():
            first, second = tie.pair
            what = f"'{name}' has one temperature where '{second}' is to be as '{first}' is, which has not"
            raise CaseError((Fault(("isothermal",), f"{what}; let '{first}' have it too, or remove one of the two"),))


def _evened(name: str, nodes: Ints, value: Floats, taken: NDArray[np.bool_]) -> Tie:
    """All nodes but one follow that one, which is held where any of them is."""
    held = nodes[~np.isnan(value[nodes])]
    if len(held) and np.ptp(value[held]) > _SAME_TEMPERATURE:
        low, high = (shown(float(each), TEMPERATURE) for each in (value[held].min(), value[held].max()))
        what = f"'{name}' is said to have one temperature, and is held at {low} and {high}"
        raise CaseError((Fault(("isothermal",), f"{what}; hold it at one, or let temperatures differ"),))
    open_ones = nodes[~taken[nodes]]
    lead = held[:1] if len(held) else open_ones[:1]
    following = open_ones[~np.isin(open_ones, lead)]
    at = (np.ones(len(following)), (np.arange(len(following)), np.repeat(lead, len(following))))
    empty = np.zeros((0, 2), dtype=np.int64)
    return Tie(None, following, csr_array(at, shape=(len(following), len(value))), empty)


def _tied_nodes(ties: list[Tie], count: int) -> NDArray[np.bool_]:
    tied = np.zeros(count, dtype=bool)
    for tie in ties:
        tied[tie.nodes] = True
    return tied


def _tied(first: str, second: str, mesh: Mesh, taken: NDArray[np.bool_]) -> Tie:
    near, far = mesh.surfaces[first], mesh.surfaces[second]
    # Where the two meet, a node lies upon itself and stays free.
    shared = np.isin(far.nodes, near.nodes)
    nodes = far.nodes[~taken[far.nodes] & ~shared]
    corners = far.nodes[taken[far.nodes] & ~shared]
    laid = laid_upon(mesh, far, near)(mesh.points[nodes])
    cells, columns, weights, gap = _projected(mesh, near, laid)
    extent = float(np.ptp(mesh.points[near.nodes], axis=0).max())
    if len(gap) and gap.max() > _FIT * max(extent, 1e-300) and mesh.dimension > 1:
        what = f"'{first}' and '{second}' do not fit upon each other, so they cannot be periodic"
        raise CaseError((Fault(("surroundings",), what),))
    rows = np.repeat(np.arange(len(nodes)), cells)
    kept = np.abs(weights) > 1e-12
    matrix = csr_array((weights[kept], (rows[kept], columns[kept])), shape=(len(nodes), mesh.node_count))
    matrix = csr_array(diags_array(1 / matrix.sum(axis=1)) @ matrix)
    away, opposite = tree_of(mesh.points[near.nodes]).query(laid_upon(mesh, far, near)(mesh.points[corners]))
    pairs = np.column_stack([corners, near.nodes[np.asarray(opposite, dtype=np.int64)]])
    return Tie((first, second), nodes, matrix, pairs[(np.asarray(away) < _FIT * extent) & taken[pairs[:, 1]]])


def _projected(mesh: Mesh, facets: FacetSet, places: Floats) -> tuple[Ints, Ints, Floats, Floats]:
    """For each place the number of weights, the nodes and weights of the nearest facet, and how far it lies off.

    Where a node lies at the place itself, it is followed alone.
    """
    found_gap, nearest = tree_of(mesh.points[facets.nodes]).query(places)
    gap: Floats = np.asarray(found_gap)
    extent = float(np.ptp(mesh.points[facets.nodes], axis=0).max())
    found = [(facets.nodes[[node]], np.ones(1)) for node in np.asarray(nearest).tolist()]
    for block in facets.blocks:
        off = np.flatnonzero(gap > 1e-9 * extent)
        family = CELL_FAMILIES[block.family]
        if not len(off) or not family.dimension:
            continue
        corners = mesh.points[block.nodes]
        most = min(_NEAREST_FACETS, len(corners))
        _, nearby = tree_of(corners.mean(axis=1)).query(places[off], k=[*range(1, most + 1)])
        close = np.asarray(nearby)
        aim, cell = np.repeat(places[off], most, axis=0), close.ravel()
        local = np.tile(family.middle, (len(cell), 1))
        for _ in range(12):
            at = np.einsum("pk,pkd->pd", family.values(local), corners[cell])
            slopes = np.einsum("pki,pkd->pid", family.gradients(local), corners[cell])
            step = np.linalg.solve(slopes @ slopes.swapaxes(1, 2), (slopes @ (aim - at)[..., None]))[..., 0]
            local = _clipped(local + step, family.name)
        shape = family.values(local)
        away = np.linalg.norm(np.einsum("pk,pkd->pd", shape, corners[cell]) - aim, axis=1).reshape(-1, most)
        best = np.argmin(away, axis=1)
        for row, (place, which) in enumerate(zip(off.tolist(), best.tolist(), strict=True)):
            if away[row, which] < gap[place]:
                gap[place] = away[row, which]
                found[place] = (block.nodes[close[row, which]], shape[row * most + which])
    counts = np.array([len(nodes) for nodes, _ in found], dtype=np.int64)
    empty = np.zeros(0, dtype=np.int64)
    return counts, np.concatenate([empty, *(n for n, _ in found)]), np.concatenate([empty, *(w for _, w in found)]), gap


def _clipped(local: Floats, family: str) -> Floats:
    if family.startswith("tri"):
        local = np.maximum(local, 0.0)
        return local / np.maximum(local.sum(axis=1, keepdims=True), 1.0)
    return np.clip(local, -1.0, 1.0)
