"""Cell families: shape functions, their gradients and quadrature on the reference cell.

Reference lines and quadrilaterals are [-1, 1] in each direction, triangles have the corners (0, 0), (1, 0), (0, 1).
Source: Zienkiewicz, Taylor & Zhu, *The Finite Element Method: Its
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
    def middle(self) -> Floats:
        """Middle of the reference cell, (dim,)."""
        return self.nodes[: self.corners].mean(axis=0)

    def holds(self, local: Floats, slack: float) -> NDArray[np.bool_]:
        """Tell which of ``local`` (q, dim) lie in the reference cell, with some ``slack``."""
        if self.name.startswith("tri"):
            inside: NDArray[np.bool_] = (local.min(axis=1) >= -slack) & (local.sum(axis=1) <= 1 + slack)
            return inside
        return np.all(np.abs(local) <= 1 + slack, axis=1)


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


def _barycentric(xi: Floats) -> tuple[Floats, Floats]:
    """Barycentric coordinates (q, 3) and their constant gradients (3, 2)."""
    first = 1 - xi[:, 0] - xi[:, 1]
    return np.column_stack([first, xi]), np.array([[-1.0, -1.0], [1.0, 0.0], [0.0, 1.0]])


def _tri3() -> Family:
    def gradients(xi: Floats) -> Floats:
        return np.tile(_barycentric(xi)[1], (len(xi), 1, 1))

    places = np.array([[1 / 6, 1 / 6], [2 / 3, 1 / 6], [1 / 6, 2 / 3]])
    nodes = np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]])
    return Family(
        "tri3", 1, nodes, lambda xi: _barycentric(xi)[0], gradients, places, np.full(3, 1 / 6), ((0, 1, 2),), 3
    )


_TRI6_SIDES = ((0, 1), (1, 2), (2, 0))


def _tri6() -> Family:
    def values(xi: Floats) -> Floats:
        corner, _ = _barycentric(xi)
        sides = [4 * corner[:, a] * corner[:, b] for a, b in _TRI6_SIDES]
        return np.column_stack([corner * (2 * corner - 1), *sides])

    def gradients(xi: Floats) -> Floats:
        corner, slope = _barycentric(xi)
        at_corners = (4 * corner - 1)[..., None] * slope
        sides = [4 * (corner[:, a, None] * slope[b] + corner[:, b, None] * slope[a]) for a, b in _TRI6_SIDES]
        return np.concatenate([at_corners, np.stack(sides, axis=1)], axis=1)

    # Dunavant (1985), degree 4, six points.
    a, b, wa, wb = 0.445948490915965, 0.091576213509771, 0.223381589678011 / 2, 0.109951743655322 / 2
    places = np.array([[a, a], [1 - 2 * a, a], [a, 1 - 2 * a], [b, b], [1 - 2 * b, b], [b, 1 - 2 * b]])
    nodes = np.array([[0, 0], [1, 0], [0, 1], [0.5, 0], [0.5, 0.5], [0, 0.5]], dtype=float)
    drawn = ((0, 3, 5), (3, 1, 4), (5, 4, 2), (3, 4, 5))
    return Family("tri6", 2, nodes, values, gradients, places, np.array([wa] * 3 + [wb] * 3), drawn, 3)


#: Every family by name; nodes are ordered corners, mid-sides, centre.
FAMILIES: Mapping[str, Family] = MappingProxyType({
    "line2": _line("line2", 1, [0, 1]),
    "line3": _line("line3", 2, [0, 2, 1]),
    "tri3": _tri3(),
    "tri6": _tri6(),
    "quad4": _quad("quad4", 1, [(0, 0), (1, 0), (1, 1), (0, 1)], ((0, 1, 2, 3),)),
    "quad9": _quad(
        "quad9", 2, [(0, 0), (2, 0), (2, 2), (0, 2), (1, 0), (2, 1), (1, 2), (0, 1), (1, 1)],
        ((0, 4, 8, 7), (4, 1, 5, 8), (8, 5, 2, 6), (7, 8, 6, 3)),
    ),
})  # fmt: skip
