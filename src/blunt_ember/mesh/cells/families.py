"""Cell families: shape functions, their gradients and quadrature on the reference cell.

Reference lines, quadrilaterals and hexahedra are [-1, 1] in each direction; triangles have the corners (0, 0), (1, 0),
(0, 1), tetrahedra the origin and the three unit points; wedges are a triangle times [-1, 1]. Nodes are ordered as in
VTK files: corners, middles of edges, middles of faces, centre.
Source: Zienkiewicz, Taylor & Zhu, *The Finite Element Method: Its Basis and Fundamentals*, 7th ed. (2013), ch. 6
(shape functions) and 3 (Gauss rules); Keast (1986) for tetrahedra, Dunavant (1985) for triangles.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cached_property
from itertools import product
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from blunt_ember.arrays import Floats, Ints
from blunt_ember.immutable import immutable

#: How far from its middle towards its nodes a cell is looked at just inside.
_INSIDE = 0.98
ShapeFunction = Callable[[Floats], Floats]
Facet = tuple[str, tuple[int, ...]]


@immutable
class CellFamily:
    """A cell family.

    ``values(xi)``: (q, dim) → (q, k). ``gradients(xi)``: (q, dim) → (q, k, dim). ``nodes`` (k, dim) are the reference
    places of the nodes, ``points`` (q, dim) and ``weights`` (q,) the quadrature. ``drawn`` splits a flat cell into
    linear pieces for pictures, ``facets`` lists the families and nodes of what bounds it, faces of a solid
    counter-clockwise seen from outside.
    """

    name: str
    order: int
    nodes: Floats
    values: ShapeFunction
    gradients: ShapeFunction
    points: Floats
    weights: Floats
    corners: int
    drawn: tuple[tuple[int, ...], ...] = ()
    facets: tuple[Facet, ...] = ()

    @cached_property
    def at_points(self) -> Floats:
        """Values (q, k) of the shape functions at the quadrature points."""
        return self.values(self.points)

    @property
    def dimension(self) -> int:
        """How many directions the cell has."""
        return int(self.nodes.shape[1])

    @property
    def middle(self) -> Floats:
        """Middle of the reference cell, (dim,)."""
        return self.nodes[: self.corners].mean(axis=0)

    @property
    def triangles(self) -> Ints:
        """What a flat cell is drawn by, cut into triangles of its nodes, (t, 3)."""
        return np.array([(piece[0], piece[i], piece[i + 1]) for piece in self.drawn for i in range(1, len(piece) - 1)])

    @property
    def just_inside(self) -> Floats:
        """Places (k, dim) near the nodes, for what cannot be formed where a cell is drawn together about an axis."""
        return self.middle + _INSIDE * (self.nodes - self.middle)

    @cached_property
    def at_samples(self) -> Floats:
        """Values (s, k) of the shape functions at the samples."""
        return self.values(self.samples)

    @cached_property
    def samples(self) -> Floats:
        """Places (s, dim) spread over the cell, nodes and edges among them, enough to find extremes."""
        return self._spread(8 if self.dimension == 1 else 4)

    @cached_property
    def at_close_samples(self) -> Floats:
        """The same as ``at_samples`` at places four times closer, of a line or a solid cell twice."""
        return self.values(self._spread(8 if self.dimension == 3 else 16))

    def _spread(self, steps: int) -> Floats:
        """Places (s, dim) so many steps apart along every direction."""
        places = list(product(range(steps + 1), repeat=self.dimension))
        grid = np.array(places).reshape(len(places), self.dimension) / steps
        if self._is_simplex:
            return grid[grid.sum(axis=1) <= 1]
        if self.name.startswith("wedge"):
            return (grid * (1, 1, 2) - (0, 0, 1))[grid[:, :2].sum(axis=1) <= 1]
        return 2 * grid - 1

    def holds(self, local: Floats, slack: float) -> NDArray[np.bool_]:
        """Tell which of ``local`` (q, dim) lie in the reference cell, with some ``slack``."""
        inside: NDArray[np.bool_]
        if self.name.startswith("wedge"):
            flat = (local[:, :2].min(axis=1) >= -slack) & (local[:, :2].sum(axis=1) <= 1 + slack)
            inside = flat & (np.abs(local[:, 2]) <= 1 + slack)
        elif self._is_simplex:
            inside = (local.min(axis=1) >= -slack) & (local.sum(axis=1) <= 1 + slack)
        else:
            inside = np.all(np.abs(local) <= 1 + slack, axis=1)
        return inside

    @property
    def _is_simplex(self) -> bool:
        return self.name.startswith(("tri", "tet"))


def _lagrange(order: int, x: Floats) -> tuple[Floats, Floats]:
    """Values and derivatives (q, order + 1) of the Lagrange polynomials on equally spaced points of [-1, 1]."""
    if order == 1:
        return np.stack([(1 - x) / 2, (1 + x) / 2], -1), np.stack([np.full_like(x, -0.5), np.full_like(x, 0.5)], -1)
    values = np.stack([x * (x - 1) / 2, (1 - x) * (1 + x), x * (x + 1) / 2], -1)
    return values, np.stack([x - 0.5, -2 * x, x + 0.5], -1)


def _box(
    name: str,
    order: int,
    places: list[tuple[int, ...]],
    drawn: tuple[tuple[int, ...], ...] = (),
    facets: tuple[Facet, ...] = (),
) -> CellFamily:
    """A line, quadrilateral or hexahedron; ``places`` are its nodes on the grid 0…order in each direction."""
    index = np.array(places)
    dimension = index.shape[1]
    gauss, weight = np.polynomial.legendre.leggauss(order + 1)

    def factors(xi: Floats) -> list[tuple[Floats, Floats]]:
        made = []
        for axis in range(dimension):
            value, slope = _lagrange(order, xi[:, axis])
            made.append((value[:, index[:, axis]], slope[:, index[:, axis]]))
        return made

    def values(xi: Floats) -> Floats:
        return np.prod([value for value, _ in factors(xi)], axis=0)

    def gradients(xi: Floats) -> Floats:
        made = factors(xi)
        slopes = [
            np.prod([made[axis][int(axis == along)] for axis in range(dimension)], axis=0) for along in range(dimension)
        ]
        return np.stack(slopes, axis=-1)

    return CellFamily(
        name,
        order,
        np.linspace(-1, 1, order + 1)[index],
        values,
        gradients,
        np.array(list(product(gauss, repeat=dimension))),
        np.array(list(product(weight, repeat=dimension))).prod(axis=1),
        2**dimension,
        drawn,
        facets,
    )


def _edges_of_simplex(corners: int) -> tuple[tuple[int, int], ...]:
    return ((0, 1), (1, 2), (2, 0), (0, 3), (1, 3), (2, 3))[: 3 if corners == 3 else 6]


def _simplex(
    name: str,
    order: int,
    dimension: int,
    points: Floats,
    weights: Floats,
    drawn: tuple[tuple[int, ...], ...] = (),
    facets: tuple[Facet, ...] = (),
) -> CellFamily:
    """A triangle or tetrahedron."""
    slope = np.vstack([np.full(dimension, -1.0), np.eye(dimension)])
    edges = _edges_of_simplex(dimension + 1)

    def barycentric(xi: Floats) -> Floats:
        return np.column_stack([1 - xi.sum(axis=1), xi])

    def values(xi: Floats) -> Floats:
        corner = barycentric(xi)
        if order == 1:
            return corner
        return np.column_stack([corner * (2 * corner - 1), *(4 * corner[:, a] * corner[:, b] for a, b in edges)])

    def gradients(xi: Floats) -> Floats:
        if order == 1:
            return np.tile(slope, (len(xi), 1, 1))
        corner = barycentric(xi)
        at_corners = (4 * corner - 1)[..., None] * slope
        sides = [4 * (corner[:, a, None] * slope[b] + corner[:, b, None] * slope[a]) for a, b in edges]
        return np.concatenate([at_corners, np.stack(sides, axis=1)], axis=1)

    nodes = np.vstack([np.zeros(dimension), np.eye(dimension)])
    if order == 2:
        nodes = np.vstack([nodes, [(nodes[a] + nodes[b]) / 2 for a, b in edges]])
    return CellFamily(name, order, nodes, values, gradients, points, weights, dimension + 1, drawn, facets)


def _wedge(
    name: str, order: int, flat: CellFamily, places: list[tuple[int, int]], facets: tuple[Facet, ...]
) -> CellFamily:
    """A triangle times a line; ``places`` are (node of the triangle, place 0…order along the line)."""
    on_triangle, on_line = np.array(places).T
    gauss, weight = np.polynomial.legendre.leggauss(order + 1)

    def values(xi: Floats) -> Floats:
        return flat.values(xi[:, :2])[:, on_triangle] * _lagrange(order, xi[:, 2])[0][:, on_line]

    def gradients(xi: Floats) -> Floats:
        along, slope = (part[:, on_line] for part in _lagrange(order, xi[:, 2]))
        across = flat.gradients(xi[:, :2])[:, on_triangle] * along[..., None]
        return np.concatenate([across, (flat.values(xi[:, :2])[:, on_triangle] * slope)[..., None]], axis=-1)

    nodes = np.column_stack([flat.nodes[on_triangle], np.linspace(-1, 1, order + 1)[on_line]])
    points = np.column_stack([np.repeat(flat.points, len(gauss), axis=0), np.tile(gauss, len(flat.points))])
    return CellFamily(
        name, order, nodes, values, gradients, points, np.outer(flat.weights, weight).ravel(), 6, facets=facets
    )


def _point() -> CellFamily:
    """What ends a line."""
    return CellFamily(
        "point1",
        0,
        np.zeros((1, 0)),
        lambda xi: np.ones((len(xi), 1)),
        lambda xi: np.zeros((len(xi), 1, 0)),
        np.zeros((1, 0)),
        np.ones(1),
        1,
    )


def _tri3() -> CellFamily:
    places = np.array([[1 / 6, 1 / 6], [2 / 3, 1 / 6], [1 / 6, 2 / 3]])
    facets = (("line2", (0, 1)), ("line2", (1, 2)), ("line2", (2, 0)))
    return _simplex("tri3", 1, 2, places, np.full(3, 1 / 6), ((0, 1, 2),), facets)


def _tri6() -> CellFamily:
    # Dunavant, degree 4, six points.
    a, b, wa, wb = 0.445948490915965, 0.091576213509771, 0.223381589678011 / 2, 0.109951743655322 / 2
    places = np.array([[a, a], [1 - 2 * a, a], [a, 1 - 2 * a], [b, b], [1 - 2 * b, b], [b, 1 - 2 * b]])
    drawn = ((0, 3, 5), (3, 1, 4), (5, 4, 2), (3, 4, 5))
    facets = (("line3", (0, 1, 3)), ("line3", (1, 2, 4)), ("line3", (2, 0, 5)))
    return _simplex("tri6", 2, 2, places, np.array([wa] * 3 + [wb] * 3), drawn, facets)


_TET_FACES = ((0, 2, 1), (0, 1, 3), (1, 2, 3), (0, 3, 2))


def _tet4() -> CellFamily:
    a, b = (5 - np.sqrt(5)) / 20, (5 + 3 * np.sqrt(5)) / 20
    places = np.full((4, 3), a)
    places[1:] += (b - a) * np.eye(3)
    return _simplex("tet4", 1, 3, places, np.full(4, 1 / 24), facets=tuple(("tri3", face) for face in _TET_FACES))


def _tet10() -> CellFamily:
    # Degree 5 with 15 points, as in Keast's rule 6 and Stroud's T3:5-1.
    root = np.sqrt(15.0)
    places, weights = [np.full(4, 0.25)], [16 / 135]
    for sign in (1.0, -1.0):
        a = (7 - sign * root) / 34
        for corner in range(4):
            place = np.full(4, a)
            place[corner] = 1 - 3 * a
            places.append(place)
            weights.append((2665 + sign * 14 * root) / 37800)
    half = (10 - 2 * root) / 40
    for a, b in _edges_of_simplex(4):
        place = np.full(4, half)
        place[[a, b]] = 0.5 - half
        places.append(place)
        weights.append(10 / 189)
    edges = {frozenset(edge): 4 + number for number, edge in enumerate(_edges_of_simplex(4))}
    facets = tuple(
        ("tri6", (a, b, c, *(edges[frozenset(side)] for side in ((a, b), (b, c), (c, a))))) for a, b, c in _TET_FACES
    )
    return _simplex("tet10", 2, 3, np.array(places)[:, 1:], np.array(weights) / 6, facets=facets)


_QUAD9 = [(0, 0), (2, 0), (2, 2), (0, 2), (1, 0), (2, 1), (1, 2), (0, 1), (1, 1)]
_QUAD_SIDES = ((0, 1), (1, 2), (2, 3), (3, 0))
_HEX8 = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0), (0, 0, 1), (1, 0, 1), (1, 1, 1), (0, 1, 1)]
_HEX27 = [
    (0, 0, 0),
    (2, 0, 0),
    (2, 2, 0),
    (0, 2, 0),
    (0, 0, 2),
    (2, 0, 2),
    (2, 2, 2),
    (0, 2, 2),
    (1, 0, 0),
    (2, 1, 0),
    (1, 2, 0),
    (0, 1, 0),
    (1, 0, 2),
    (2, 1, 2),
    (1, 2, 2),
    (0, 1, 2),
    (0, 0, 1),
    (2, 0, 1),
    (2, 2, 1),
    (0, 2, 1),
    (0, 1, 1),
    (2, 1, 1),
    (1, 0, 1),
    (1, 2, 1),
    (1, 1, 0),
    (1, 1, 2),
    (1, 1, 1),
]
_HEX_FACES = ((0, 4, 7, 3), (1, 2, 6, 5), (0, 1, 5, 4), (2, 3, 7, 6), (0, 3, 2, 1), (4, 5, 6, 7))
_WEDGE6 = [(0, 0), (1, 0), (2, 0), (0, 1), (1, 1), (2, 1)]
_WEDGE18 = [
    (0, 0),
    (1, 0),
    (2, 0),
    (0, 2),
    (1, 2),
    (2, 2),
    (3, 0),
    (4, 0),
    (5, 0),
    (3, 2),
    (4, 2),
    (5, 2),
    (0, 1),
    (1, 1),
    (2, 1),
    (3, 1),
    (4, 1),
    (5, 1),
]
_WEDGE_FACES = ((0, 2, 1), (3, 4, 5), (0, 1, 4, 3), (1, 2, 5, 4), (2, 0, 3, 5))


def _quadratic_facets(
    faces: tuple[tuple[int, ...], ...], nodes: list[tuple[float, ...]]
) -> tuple[tuple[str, tuple[int, ...]], ...]:
    """Add to the corners of each face the nodes half way along its sides, and in its middle where it has four."""
    places = np.array(nodes)

    def between(corners: tuple[int, ...]) -> int:
        return int(np.argmin(np.linalg.norm(places - places[list(corners)].mean(axis=0), axis=1)))

    made = []
    for face in faces:
        sides = tuple(between((a, b)) for a, b in zip(face, (*face[1:], face[0]), strict=True))
        made.append(("quad9", (*face, *sides, between(face))) if len(face) == 4 else ("tri6", (*face, *sides)))
    return tuple(made)


def _families() -> dict[str, CellFamily]:
    tri3, tri6 = _tri3(), _tri6()
    wedge18_places = [(*tri6.nodes[a], float(level)) for a, level in _WEDGE18]
    made = [
        _point(),
        _box("line2", 1, [(0,), (1,)], ((0, 1),)),
        _box("line3", 2, [(0,), (2,), (1,)], ((0, 2), (2, 1))),
        tri3,
        tri6,
        _box("quad4", 1, [(0, 0), (1, 0), (1, 1), (0, 1)], ((0, 1, 2, 3),), tuple(("line2", s) for s in _QUAD_SIDES)),
        _box(
            "quad9",
            2,
            list(_QUAD9),
            ((0, 4, 8, 7), (4, 1, 5, 8), (8, 5, 2, 6), (7, 8, 6, 3)),
            tuple(("line3", (*side, 4 + number)) for number, side in enumerate(_QUAD_SIDES)),
        ),
        _tet4(),
        _tet10(),
        _wedge("wedge6", 1, tri3, _WEDGE6, tuple(("tri3" if len(f) == 3 else "quad4", f) for f in _WEDGE_FACES)),
        _wedge("wedge18", 2, tri6, _WEDGE18, _quadratic_facets(_WEDGE_FACES, wedge18_places)),
        _box("hex8", 1, list(_HEX8), facets=tuple(("quad4", face) for face in _HEX_FACES)),
        _box("hex27", 2, list(_HEX27), facets=_quadratic_facets(_HEX_FACES, list(_HEX27))),
    ]
    return {family.name: family for family in made}


#: Every family by name.
CELL_FAMILIES: Mapping[str, CellFamily] = MappingProxyType(_families())
