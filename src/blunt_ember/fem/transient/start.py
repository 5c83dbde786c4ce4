"""How a run begins, where regions that meet begin at temperatures of their own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.values.laws import Law
from blunt_ember.fem.assembly import in_runs, weighted_gradients
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.terms.term import sampled
from blunt_ember.fem.transient.enthalpy import Enthalpy
from blunt_ember.fem.transient.storage import Storage, storage_of
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import CellBlock, Mesh

#: Steps of the secant method towards the temperatures at which no heat is gained, and the share of it that is as good
#: as none.
_STEPS, _CLOSE = 20, 1e-13


@immutable
class Start:
    """Temperatures (n,) in K at the start.

    At nodes where regions meet that begin otherwise it is that at which as much heat is stored beside them as there is
    in both: with that of one region alone, half a cell of the other would begin without its heat. ``begins`` (p,) in K
    is what each region begins at there, at its ``pairs`` (p,), node + region × nodes, in order.
    """

    temperature: Floats
    pairs: Ints
    begins: Floats

    def gained(self, storage: Sequence[Storage], reference_temperature: float) -> list[Floats]:
        """Return the heat in J, (m, n) by cell and node of every storage, that regions gain from each other to begin
        at one temperature where they meet; it is shared by the nodes at which they do."""
        if not len(self.pairs):
            return [np.zeros(each.nodes.shape) for each in storage]
        count = len(self.temperature)
        found = []
        for each in storage:
            keys = each.nodes + each.regions[:, None] * count
            place = np.minimum(np.searchsorted(self.pairs, keys), len(self.pairs) - 1)
            here = self.pairs[place] == keys
            after = self.temperature[each.nodes]
            before = np.where(here, self.begins[place], after)
            more = each.content(after - reference_temperature) - each.content(before - reference_temperature)
            found.append(here / np.maximum(here.sum(axis=1, keepdims=True), 1) * more.sum(axis=1, keepdims=True))
        return found


def start_of(problem: Problem, temperature: Floats, own: Mapping[int, Law]) -> Start:
    """Return how a body begins at temperatures (n,) in K, and regions by their numbers at those of their ``own``."""
    mesh, count = problem.mesh, problem.mesh.node_count
    pairs = np.unique(np.concatenate([_pairs(block, count).ravel() for block in mesh.blocks]))
    region, node = np.divmod(pairs, count)
    begins = temperature[node]
    for number, law in own.items():
        here = region == number
        begins[here] = sampled(law, mesh.space.variables(mesh.points[node[here]]))
    low, high = np.full(count, np.inf), np.full(count, -np.inf)
    np.minimum.at(low, node, begins)
    np.maximum.at(high, node, begins)
    result = temperature.copy()
    result[node] = begins
    meeting = (high > low)[node]
    start = Start(result, pairs[meeting], begins[meeting])
    return _evened(start, problem) if meeting.any() else start


def _evened(start: Start, problem: Problem) -> Start:
    """The start with the temperatures, where regions meet, at which none gains heat from the others by it."""
    count, middle = len(start.temperature), float(start.begins.mean())
    region, node = np.divmod(start.pairs, count)
    near = _about(problem.mesh, node)
    contents = [Enthalpy(capacity, middle) for capacity in problem.capacities]
    per_kelvin = np.empty(len(node))
    for number in np.unique(region).tolist():
        own = region == number
        per_kelvin[own] = contents[number].per_kelvin(start.begins[own])
    heat = per_kelvin * _volumes(near, start.pairs)
    whole = np.bincount(node, heat, minlength=count)
    asked = np.unique(node)
    result = start.temperature.copy()
    result[asked] = (np.bincount(node, heat * start.begins, minlength=count)[asked]) / whole[asked]
    storage = storage_of(replace(problem, mesh=near), middle)
    enough = _CLOSE * float(heat.sum()) * float(np.ptp(start.begins))
    # What is left over, where capacities follow temperature, is made up along each line or face of such nodes.
    label = _joined(near, asked, count)
    way = np.zeros(count)
    np.maximum.at(way, node, np.abs(start.begins - start.temperature[node]))
    way[asked] = np.maximum(way[asked], _CLOSE)
    mixed = replace(start, temperature=result)

    def left_over(by: Floats) -> tuple[Start, Floats]:
        moved = replace(mixed, temperature=mixed.temperature + np.where(label >= 0, by[label], 0.0) * way)
        gained = np.zeros(len(by))
        for each, more in zip(storage, moved.gained(storage, middle), strict=True):
            own = label[each.nodes]
            np.add.at(gained, own[own >= 0], more[own >= 0])
        return moved, gained

    before = np.zeros(int(label.max()) + 1)
    found, gained = left_over(before)
    slope = np.bincount(label[asked], (whole * way)[asked])
    by = before - gained / slope
    for _ in range(_STEPS):
        if np.abs(gained).sum() <= enough:
            break
        found, again = left_over(by)
        steep = np.divide(again - gained, by - before, out=slope.copy(), where=again != gained)
        before, by, gained, slope = by, by - again / steep, again, steep
    return found


def _joined(mesh: Mesh, nodes: Ints, count: int) -> Ints:
    """By node (n,), the number of the group that cells join it to, of those that are among ``nodes``, −1 for all
    others."""
    asked = np.zeros(count, dtype=bool)
    asked[nodes] = True
    ends: list[Ints] = []
    for block in mesh.blocks:
        here = asked[block.nodes]
        first = np.take_along_axis(block.nodes, here.argmax(axis=1)[:, None], axis=1)
        ends.append(np.stack([np.broadcast_to(first, block.nodes.shape)[here], block.nodes[here]]))
    one, other = np.concatenate(ends, axis=1)
    graph = csr_array((np.ones(len(one)), (one, other)), shape=(count, count))
    group = connected_components(graph, directed=False)[1]
    label = np.full(count, -1, dtype=np.int64)
    label[nodes] = np.unique(group[nodes], return_inverse=True)[1].reshape(-1)
    return label


def _about(mesh: Mesh, nodes: Ints) -> Mesh:
    """The cells that have one of the nodes."""
    asked = np.zeros(mesh.node_count, dtype=bool)
    asked[nodes] = True
    near = [(block, asked[block.nodes].any(axis=1)) for block in mesh.blocks]
    blocks = tuple(CellBlock(block.family, block.nodes[own], block.region[own]) for block, own in near if own.any())
    return replace(mesh, blocks=blocks)


def _pairs(block: CellBlock, count: int) -> Ints:
    """Nodes of cells with the region of the cell, (m, k), as node + region × nodes."""
    return block.nodes + block.region[:, None] * count


def _volumes(mesh: Mesh, pairs: Ints) -> Floats:
    """The volume (p,) in m³ of the cells of its region about a node, of each an even share for all of its nodes."""
    volume = np.zeros(len(pairs))
    for block in mesh.blocks:
        runs = in_runs(block, len(CELL_FAMILIES[block.family].points))
        each = np.concatenate([weighted_gradients(block, mesh, run)[1].sum(axis=1) for run in runs])
        keys = _pairs(block, mesh.node_count)
        place = np.minimum(np.searchsorted(pairs, keys), len(pairs) - 1)
        share = np.where(pairs[place] == keys, each[:, None] / keys.shape[1], 0.0)
        np.add.at(volume, place, share)
    return volume
