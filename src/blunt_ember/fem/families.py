"""Cell families: shape functions, their gradients and quadrature on the reference cell.

Reference cells are [-1, 1] in each direction. Source: Zienkiewicz, Taylor & Zhu, *The Finite Element Method: Its
Basis and Fundamentals*, 7th ed. (2013), ch. 6 (shape functions) and 3 (Gauss rules).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Shape = Callable[[Floats], Floats]


@dataclass(frozen=True)
class Family:
    """A cell family.

    ``values(xi)``: (q, dim) → (q, k). ``gradients(xi)``: (q, dim) → (q, k, dim). ``nodes`` (k, dim) are the reference
    places of the nodes, ``points`` (q, dim) and ``weights`` (q,) the quadrature, and ``drawn`` splits the cell into
    linear pieces for pictures.
    """

    name: str
    order: int
    nodes: Floats
    values: Shape
    gradients: Shape
    points: Floats
    weights: Floats
    drawn: tuple[tuple[int, ...], ...]
    corners: int

    @property
    def dimension(self) -> int:
        """Dimension of the reference cell."""
        return self.nodes.shape[1]


def _lagrange(order: int, x: Floats) -> tuple[Floats, Floats]:
    """Values and derivatives (q, order + 1) of the Lagrange polynomials on equally spaced points of [-1, 1]."""
    if order == 1:
        return np.stack([(1 - x) / 2, (1 + x) / 2], -1), np.stack([np.full_like(x, -0.5), np.full_like(x, 0.5)], -1)
    values = np.stack([x * (x - 1) / 2, (1 - x) * (1 + x), x * (x + 1) / 2], -1)
    return values, np.stack([x - 0.5, -2 * x, x + 0.5], -1)


def _line(name: str, order: int, places: list[int]) -> Family:
    chosen = np.array(places)
    points, weights = np.polynomial.legendre.leggauss(order + 1)
    return Family(
        name, order, np.linspace(-1, 1, order + 1)[chosen, None],
        lambda xi: _lagrange(order, xi[:, 0])[0][:, chosen],
        lambda xi: _lagrange(order, xi[:, 0])[1][:, chosen, None],
        points[:, None], weights, ((0, 1),) if order == 1 else ((0, 2), (2, 1)), 2,
    )  # fmt: skip


def _quad(name: str, order: int, places: list[tuple[int, int]], drawn: tuple[tuple[int, ...], ...]) -> Family:
    i, j = np.array(places).T
    grid = np.linspace(-1, 1, order + 1)
    gauss, weight = np.polynomial.legendre.leggauss(order + 1)

    def values(xi: Floats) -> Floats:
        return _lagrange(order, xi[:, 0])[0][:, i] * _lagrange(order, xi[:, 1])[0][:, j]

    def gradients(xi: Floats) -> Floats:
        (u, du), (v, dv) = _lagrange(order, xi[:, 0]), _lagrange(order, xi[:, 1])
        return np.stack([du[:, i] * v[:, j], u[:, i] * dv[:, j]], axis=-1)

    return Family(
        name, order, np.column_stack([grid[i], grid[j]]), values, gradients,
        np.stack(np.meshgrid(gauss, gauss, indexing="ij"), -1).reshape(-1, 2), np.outer(weight, weight).ravel(),
        drawn, 4,
    )  # fmt: skip


#: Every family by name; nodes are ordered corners, mid-sides, centre.
FAMILIES: Mapping[str, Family] = MappingProxyType({
    "line2": _line("line2", 1, [0, 1]),
    "line3": _line("line3", 2, [0, 2, 1]),
    "quad4": _quad("quad4", 1, [(0, 0), (1, 0), (1, 1), (0, 1)], ((0, 1, 2, 3),)),
    "quad9": _quad(
        "quad9", 2, [(0, 0), (2, 0), (2, 2), (0, 2), (1, 0), (2, 1), (1, 2), (0, 1), (1, 1)],
        ((0, 4, 8, 7), (4, 1, 5, 8), (8, 5, 2, 6), (7, 8, 6, 3)),
    ),
})  # fmt: skip
