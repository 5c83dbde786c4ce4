"""The terms of the heat balance: each gives heat to nodes and tells how that changes with their temperatures.

Temperatures are passed as ``excess`` over a ``reference_temperature`` of the case, which keeps round-off to the
differences that drive heat.
"""

from __future__ import annotations

from typing import Literal, Protocol

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.values.laws import Law
from blunt_ember.errors import ExpressionError, SolverError
from blunt_ember.fem.alike_matrices import ElementMatrices

TermKind = Literal["conduction", "surface", "region", "point", "joint", "storage", "enclosure", "emission"]


class Term(Protocol):
    """A part of the heat balance on elements of one family."""

    @property
    def kind(self) -> TermKind:
        """What it stands for."""

    @property
    def name(self) -> str:
        """That of its surface, source or joint; empty for conduction."""

    @property
    def regions(self) -> Ints:
        """The region (m,) each element belongs to; of a joint the two that it parts."""

    @property
    def nodes(self) -> Ints:
        """Numbers of the nodes of each element, (m, n)."""

    @property
    def linear(self) -> bool:
        """Whether its slope does not depend on temperature."""

    @property
    def spd(self) -> bool:
        """Whether its slope is symmetric and never takes away from what holds temperatures in place."""

    @property
    def slope_time_independent(self) -> bool:
        """Whether its slope does not depend on time."""

    @property
    def time_independent(self) -> bool:
        """Whether nothing of it depends on time."""

    @property
    def anchors(self) -> bool:
        """Whether it holds temperatures of its nodes in place."""

    def links(self) -> Ints:
        """Return the nodes of each element (l, n) that exchange heat with one another."""

    def heat(self, excess: Floats, t: float) -> Floats:
        """Return the heat in W, (m, n), given to the nodes at an ``excess`` (m, n) in K.

        ``t`` is the time in s.
        """

    def slope(self, excess: Floats, t: float) -> ElementMatrices | None:
        """Return by how much less heat is given per kelvin, (m, n, n) in W/K; None where it does not change."""


def sampled(law: Law, where: dict[str, Floats]) -> Floats:
    """Return finite values of a law; raise :class:`SolverError` naming the place where it has none."""
    try:
        values = law.at(where)
    except ExpressionError as error:
        raise SolverError(f"'{law.text}': {error}") from error
    wrong = ~np.isfinite(values)
    if wrong.any():
        first = int(np.argmax(wrong))
        places = ", ".join(f"{name} = {each.flat[first]:.6g}" for name, each in where.items())
        raise SolverError(f"'{law.text}' has no finite value at {places} (SI)")
    return values
