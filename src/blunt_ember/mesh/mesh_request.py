"""What is asked of a mesh: the analyst's wish, and what refinement adds to it."""

from __future__ import annotations

from collections.abc import Callable

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.document.case_document import CaseDocument, MeshWish
from blunt_ember.immutable import immutable
from blunt_ember.mesh.planar.size_field import LocalSizes
from blunt_ember.mesh.singular_lines import NOTHING_STATED, StatedSurfaces

#: Tells the surfaces that a name stands for.
Members = Callable[[str], tuple[str, ...]]
#: Where cells end along u and v of a lattice, its lines among them, and along a path, its stations among them.
Ends = tuple[Floats, Floats, Floats]
#: Cells across every region at least, by the dimensions of the body.
ACROSS = {1: 4, 2: 4, 3: 2}


@immutable
class MeshRequest:
    """The ``wish`` of an analyst; ``refinement`` divides every cell, a half makes mapped ones twice as large.

    ``finer`` are places of a rod, a section, or the plan of a solid that are to have cells of their own size, which
    takes free triangles; ``layers`` are the cells of a solid between the stations of its path, ``ends`` where those
    of a solid on a lattice end. What is ``stated`` tells where the flux is singular.
    """

    wish: MeshWish
    refinement: float = 1
    members_of: Members = lambda name: (name,)
    finer: LocalSizes = ()
    layers: Ints | None = None
    stated: StatedSurfaces = NOTHING_STATED
    ends: Ends | None = None
    #: Pairs of surfaces at which the body repeats, whose cells are to be the same.
    repeating: tuple[tuple[str, str], ...] = ()

    @classmethod
    def of(cls, document: CaseDocument, refinement: float = 1) -> MeshRequest:
        """Return what a case asks for."""
        pairs = tuple((names[0], names[1]) for names in document.periodic_pairs if len(names) == 2)
        stated = StatedSurfaces.of(document)
        return cls(document.mesh, refinement, document.members_of, stated=stated, repeating=pairs)

    def across(self, dimension: int) -> int:
        """Return the cells that every region has across it at least."""
        return self.wish.across if self.wish.across is not None else ACROSS[dimension]

    def size(self, usual: float) -> float:
        """Return the size of a cell in m, the ``usual`` one where the choice is ours."""
        return usual if self.wish.size == "auto" else self.wish.size.si
