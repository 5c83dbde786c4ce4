"""What is made ready for solving on a mesh, and is taken again for the next solution on it."""

from __future__ import annotations

from blunt_ember.fem.factors import Analysis
from blunt_ember.fem.multigrid.boxes import KeptSpaces


class Prepared:
    """The order in which unknowns are eliminated and the factors last made in it, and the spaces of cells on a lattice
    that conduct as they did the last time."""

    def __init__(self) -> None:
        self.analysis, self.spaces = Analysis(), KeptSpaces()
