"""Whether a temperature can settle in every part of the body, and which parts exchange no heat with each other."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array, csgraph

from blunt_ember.arrays import Ints
from blunt_ember.errors import Fault, Note, OpenCaseError
from blunt_ember.fem.constraints import Constraints
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.terms.term import Term
from blunt_ember.mesh.mesh import Mesh

#: Cells from which on a lattice is looked through as a picture.
_LARGE = 100_000

#: Number of parts that exchange no heat with each other inside the body, and the part (n,) of every node.
SeparateParts = tuple[int, Ints]


def separate_parts_of(problem: Problem, terms: Sequence[Term], constraints: Constraints) -> SeparateParts:
    """Return the parts of a body; surfaces that are tied join them."""
    known = _parts_on_lattice(problem.mesh)
    first, second = [np.zeros(0, dtype=np.int64)], [np.zeros(0, dtype=np.int64)]
    for term in terms:
        if known is not None and term.kind == "conduction":
            continue
        nodes = term.links()
        first.append(np.repeat(nodes[:, 0], nodes.shape[1] - 1))
        second.append(nodes[:, 1:].ravel())
    for tie in constraints.ties:
        rows = tie.weights.tocoo()
        first.append(tie.nodes[rows.row])
        second.append(rows.col.astype(np.int64))
    links = np.concatenate(first), np.concatenate(second)
    count = problem.mesh.node_count
    if known is not None:
        links, count = (known[links[0]], known[links[1]]), int(known.max()) + 1
    number, found = csgraph.connected_components(
        coo_array((np.ones(len(links[0])), links), shape=(count, count)), directed=False
    )
    part: Ints = np.asarray(found, dtype=np.int64)
    return int(number), part if known is None else part[known]


def _parts_on_lattice(mesh: Mesh) -> Ints | None:
    """The parts (n,) that cells of a lattice make which meet at a node; None where nodes are not those of places."""
    lattice = mesh.lattice
    if lattice is None or mesh.neighbours is None:
        return None
    part = np.zeros(mesh.node_count, dtype=np.int64)
    taken = np.zeros([len(lines) - 1 for lines in lattice.lines], dtype=np.int32)
    taken[tuple(lattice.cells.T)] = 1
    if taken.all():
        return part
    if mesh.cell_count < _LARGE:
        return None
    from scipy import ndimage  # which takes longer to come than small bodies to be linked

    (block,) = mesh.blocks
    ndimage.label(taken, np.ones([3] * taken.ndim), output=taken)
    part[block.nodes] = (taken[tuple(lattice.cells.T)] - 1)[:, None]
    return part


def _regions_of(problem: Problem, nodes: NDArray[np.bool_]) -> str:
    """Names of the regions whose cells stand on marked nodes, in order."""
    found = {
        problem.mesh.regions[region]
        for block in problem.mesh.blocks
        for region in np.unique(block.region[nodes[block.nodes[:, 0]]]).tolist()
    }
    return ", ".join(name for name in problem.mesh.regions if name in found)


def require_anchor(problem: Problem, terms: Sequence[Term], constraints: Constraints, parts: SeparateParts) -> None:
    """Raise :class:`OpenCaseError` naming the regions in which nothing holds a temperature in place."""
    count, part = parts
    anchored = np.zeros(count, dtype=bool)
    anchored[part[constraints.held_nodes]] = True
    for term in terms:
        if term.anchors:
            anchored[part[term.nodes.ravel()]] = True
    if anchored.all():
        return
    names = _regions_of(problem, ~anchored[part])
    what = (
        f"no temperature can settle in {names}: none of its surfaces is held at a temperature, meets a fluid or "
        "radiates to surroundings or out of an opening; state one of these"
    )
    raise OpenCaseError((Fault(("surroundings",), what),))


def separate_parts(problem: Problem, parts: SeparateParts) -> tuple[Note, ...]:
    """Say which regions exchange no heat with the rest of the body inside it."""
    count, part = parts
    if count < 2:
        return ()
    each = [_regions_of(problem, part == number) for number in range(min(count, 6))]
    listed = "; ".join(f"({names})" for names in each) + (" …" if count > 6 else "")
    return (Note(("body",), f"the body is in {count} parts that exchange no heat inside it: {listed}"),)
