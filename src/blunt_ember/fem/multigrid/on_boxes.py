"""The matrix of a linear problem on a lattice in boxes: its products, and cycles of multigrid, without ever being
written out by rows."""

from __future__ import annotations

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import AnyFloats, Flags, Floats, Ints
from blunt_ember.fem.multigrid.boxes import BoxSpace, KeptSpaces, box_of_cells, has_spaces, node_boxes
from blunt_ember.fem.multigrid.cycle import FACTORED, WORTH, Correction, Level, cycle_through, last_solver
from blunt_ember.fem.multigrid.diagonals import Diagonals
from blunt_ember.fem.multigrid.smoothing import Smoothing
from blunt_ember.fem.multigrid.spaces import InParts, conductivity_of
from blunt_ember.mesh.mesh import Mesh


class WithRest:
    """What ``diagonals`` (n, n) conduct and a symmetric ``rest`` (n, n) of few entries, as one matrix."""

    def __init__(self, diagonals: Diagonals, rest: csr_array) -> None:
        self.shape = diagonals.shape
        self._diagonals = diagonals
        self._places = np.unique(rest.indices)
        self._rest = csr_array(rest[self._places][:, self._places].astype(diagonals.digits))

    def __matmul__(self, x: AnyFloats) -> AnyFloats:
        result = self._diagonals @ x
        result[self._places] += self._rest @ x[self._places]
        return result

    @property
    def sums_of_sizes(self) -> AnyFloats:
        """The sums (n,) of the sizes of the entries of each row, at most."""
        sums = self._diagonals.sums_of_sizes.copy()
        sums[self._places] += abs(self._rest).sum(axis=1)
        return sums


class OnBoxes:
    """The matrix of free temperatures (f,), which lie at ``places`` (f,) of a ``space``; ``rest`` is what it has beside
    conduction, at all places of boxes (b, b)."""

    def __init__(self, space: BoxSpace, places: Ints, rest: csr_array) -> None:
        self._space, self._places, self._rest = space, places, rest
        self.matrix = WithRest(space.conduction, rest)

    @property
    def finite(self) -> bool:
        """Whether all that its entries are made of is."""
        return bool(np.isfinite(self._space.cells.k).all() and np.isfinite(self._rest.data).all())

    def spread(self, values: Floats) -> Floats:
        """Return values of free temperatures (f,) at their places (b,)."""
        boxes = np.zeros(len(self._space.free))
        boxes[self._places] = values
        return boxes

    def collected(self, boxes: AnyFloats) -> Floats:
        """Return what is at the places (b,) of free temperatures (f,)."""
        return np.asarray(boxes[self._places], dtype=float)

    def times(self, x: Floats) -> Floats:
        """Return the product (f,) with ``x`` (f,)."""
        return self.collected(self.matrix @ self.spread(x))

    def cycle(self, single: bool) -> Correction:
        """Return a cycle of multigrid at the places of all boxes, with half the digits if ``single``."""
        levels: list[Level] = []
        space, rest = self._space, self._rest
        while space.count > FACTORED:
            coarser = space.next
            if coarser is None or coarser.count > WORTH * space.count:
                break
            smoothing = Smoothing(WithRest(space.single if single else space.conduction, rest))
            levels.append(Level(smoothing, *(coarser.single_up_and_down if single else coarser.up_and_down)))
            up, down = coarser.up_and_down
            rest = csr_array(down @ csr_array(rest @ up))
            space = coarser
        places = np.flatnonzero(space.free)
        solve = last_solver(csr_array((space.conduction.written() + rest)[places][:, places]))

        def last(left: AnyFloats) -> Floats:
            found = np.zeros(len(left))
            found[places] = solve(left[places].astype(float))
            return found

        return cycle_through(levels, last, np.dtype(np.float32 if single else np.float64))


def on_boxes(mesh: Mesh, free: Flags, parts: InParts, known: KeptSpaces) -> OnBoxes | None:
    """Return the matrix of nodes that are ``free`` (n,) in boxes; None where it would be mostly empty, or its coarser
    spaces are none of its own. ``known`` spaces of the same mesh are taken again."""
    neighbours, lattice = mesh.neighbours, mesh.lattice
    boxes = None if neighbours is None else node_boxes(neighbours, mesh.order)
    if neighbours is None or lattice is None or boxes is None:
        return None
    cells = box_of_cells(lattice, neighbours.axes, conductivity_of(lattice, parts.conduction))
    if not has_spaces(cells, mesh.order):
        return None
    places = boxes.where[free]
    taken = np.zeros(boxes.count, dtype=bool)
    taken[places] = True
    rest = parts.rest().tocoo()
    rows, columns = (places[each] for each in rest.coords)
    spread = csr_array((rest.data, (rows, columns)), shape=(boxes.count, boxes.count))
    space = known.of(cells, mesh.order, taken)
    return OnBoxes(space, places, spread)
