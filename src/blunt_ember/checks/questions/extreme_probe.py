"""Reads the highest and the lowest temperature of cells or facets, between their nodes too."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import field
from itertools import product

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.fem.between_nodes import quadratic_about
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES, CellFamily
from blunt_ember.mesh.mesh import CellBlock, FacetBlock, Mesh

#: Share of the span of temperatures by which places between nodes may lie beyond the nodes of their cell.
BETWEEN = 0.01
#: How far beside the best place it is looked, closer and closer, in an element's own coordinates; in how many elements.
_STEPS, _ELEMENTS = 0.5 ** np.arange(1, 11), 2
#: How far beside the best sample it is seen whether it is the best of all, in the element's own coordinates.
_NEAR = 1e-3
#: How far outside an element a place may lie by round-off, in its own coordinates.
_SLACK = 1e-12
#: Nodes of a region about which cells are looked into.
_NODES = 6
#: Share of the span of temperatures by which nodes may lie behind the best and still be as good.
_TIED = 1e-9
#: Elements that are looked into closely for what lies between their nodes, and how many at a time.
_CLOSELY, _AT_ONCE = 40, 2_000
#: Elements up to which all are looked into.
_FEW = 20_000


@immutable
class Elements:
    """Cells or facets of one family by their ``nodes`` (m, k)."""

    family: str
    nodes: Ints


@immutable
class Extreme:
    """A temperature in K, and the nodes (k,) it is read from with their shares (k,)."""

    value: float
    nodes: Ints
    shares: Floats


@immutable
class ExtremeProbe:
    """Reads the ``highest`` or the lowest temperature in ``blocks`` of elements.

    A quadratic cell in whose corner the temperature jumps swings beyond its own nodes, by an eighth of the jump however
    fine it is; a smooth maximum between nodes lies beyond them by ever less. So an element somewhere in which the
    temperature lies beyond its nodes by more than a share of the span is read at its nodes alone.
    """

    blocks: tuple[Elements, ...]
    highest: bool
    node_count: int
    _about: dict[tuple[int, bytes], Ints] = field(default_factory=dict, repr=False, compare=False)

    @classmethod
    def of(cls, blocks: Sequence[tuple[CellBlock | FacetBlock, Ints]], highest: bool, mesh: Mesh) -> ExtremeProbe:
        """Return what reads the elements of blocks, each with the nodes (m, k) of those that count."""
        known = tuple(Elements(block.family, nodes) for block, nodes in blocks if len(nodes))
        return cls(known, highest, mesh.node_count)

    @property
    def nodes(self) -> Ints:
        """The nodes it reads (k,), most of them more than once."""
        return np.concatenate([block.nodes.ravel() for block in self.blocks])

    def __call__(self, temperature: Floats) -> float:
        """Return what is read of temperatures (n,) in K."""
        return self.found(temperature).value

    def slope(self, temperature: Floats) -> Floats:
        """Return by how much what is read follows every temperature (n,)."""
        found, result = self.found(temperature), np.zeros(self.node_count)
        np.add.at(result, found.nodes, found.shares)
        return result

    def spread(self, temperature: Floats) -> float:
        """Return the span of the temperatures (n,) at the nodes that are read."""
        ends = [(values.min(), values.max()) for block in self.blocks if (values := temperature[block.nodes]).size]
        return float(max(high for _, high in ends) - min(low for low, _ in ends))

    def missed(self, temperature: Floats, mesh: Mesh) -> float:
        """Return by how much the extreme may lie beyond the nodes of linear elements, which are straight between them,
        in K: by a field that is quadratic about all that have the best of them. 0 for quadratic elements."""
        if mesh.order != 1:
            return 0.0
        sign = 1.0 if self.highest else -1.0
        best, up = sign * self.found(temperature).value, sign * temperature
        level, beyond = best - _TIED * float(np.ptp(temperature)), 0.0
        for block in self.blocks:
            family = CELL_FAMILIES[block.family]
            about = block.nodes[(up[block.nodes] >= level).any(axis=1)]
            samples = family.at_close_samples if len(about) <= _CLOSELY else family.at_samples
            for start in range(0, len(about), _AT_ONCE):
                bent = quadratic_about(mesh, temperature, about[start : start + _AT_ONCE], samples)
                beyond = max(beyond, float((sign * bent).max()) - best)
        return beyond

    def found(self, temperature: Floats) -> Extreme:
        """Return the extreme of temperatures (n,) in K, and where it is read."""
        up = temperature if self.highest else -temperature
        slack = BETWEEN * float(np.ptp(temperature))
        best = max((self._at_nodes(up, block) for block in self.blocks), key=lambda each: each.value)
        for number, block in enumerate(self.blocks):
            if CELL_FAMILIES[block.family].order == 1:  # nothing lies between the nodes that is not between theirs
                continue
            closer = _closer(CELL_FAMILIES[block.family], block.nodes[self._looked_into(up, number)], up, slack)
            best = max(best, closer, key=lambda each: each.value)
        return Extreme(best.value if self.highest else -best.value, best.nodes, best.shares)

    def _at_nodes(self, up: Floats, block: Elements) -> Extreme:
        node = block.nodes.ravel()[int(up[block.nodes].argmax())]
        return Extreme(float(up[node]), np.array([node]), np.ones(1))

    def _looked_into(self, up: Floats, number: int) -> Ints:
        """The elements in which the extreme may be: all where they are few, else those about the best nodes."""
        nodes = self.blocks[number].nodes
        if len(nodes) <= _FEW:
            reach = up[nodes]
            low, high = reach.min(axis=1), reach.max(axis=1)
            # A parabola through three values exceeds the largest of them by an eighth of their span at most.
            return np.flatnonzero(
                high + (high - low) / 4 * CELL_FAMILIES[self.blocks[number].family].dimension >= high.max()
            )
        flat = np.unique(nodes)
        best = flat[np.argpartition(-up[flat], _NODES)[:_NODES]]
        key = number, np.sort(best).tobytes()
        if key not in self._about:
            self._about.clear()
            self._about[key] = np.flatnonzero(np.isin(nodes, best).any(axis=1))
        return self._about[key]


def _closer(family: CellFamily, nodes: Ints, up: Floats, slack: float) -> Extreme:
    """The highest in elements (m, k), looked for closer and closer about the best of their samples; in those that swing
    beyond their nodes that of their nodes."""
    at_nodes = up[nodes]
    values = at_nodes @ family.at_samples.T
    low, high = at_nodes.min(axis=1), at_nodes.max(axis=1)
    swings = (values.max(axis=1) > high + slack) | (values.min(axis=1) < low - slack)
    reached = np.where(swings, high, values.max(axis=1))
    best = Extreme(-np.inf, nodes[:0], np.zeros(0))
    for element in np.argsort(-reached)[:_ELEMENTS].tolist():
        shares = np.eye(nodes.shape[1])[at_nodes[element].argmax()]
        found = high[element]
        if not swings[element]:
            sought = _sought(family, at_nodes[element])
            value = float(sought @ at_nodes[element])
            if found < value <= found + slack:
                shares, found = sought, value
        if found > best.value:
            best = Extreme(float(found), nodes[element], shares)
    return best


def _sought(family: CellFamily, values: Floats) -> Floats:
    """The shares (k,) of the nodes at the place of an element where its ``values`` (k,) are the highest."""
    place = family.samples[int((family.at_samples @ values).argmax())]
    beside = np.array(list(product((0.0, -1.0, 1.0), repeat=family.dimension)))
    for step in (_NEAR, *_STEPS):
        local = place + beside * step
        local = local[family.holds(local, _SLACK)]
        shares = family.values(local)
        best = int((shares @ values).argmax())
        place = local[best]
        if step == _NEAR and best == 0:  # it falls off to all sides
            break
    return np.asarray(shares[best])
