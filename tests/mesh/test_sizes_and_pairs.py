"""How large cells may be, how they are divided and paired, and how points find the cells that hold them."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial import Delaunay

from blunt_ember import tree_of_places
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.mesh.cells.facets import chained
from blunt_ember.mesh.grading import places_between
from blunt_ember.mesh.planar.mapped import divided_edges
from blunt_ember.mesh.planar.pairing import paired
from blunt_ember.mesh.planar.size_field import size_field
from blunt_ember.tree_of_places import boxed

RNG = np.random.default_rng(11)


def section(name: str) -> SectionGeometry:
    geometry = Flow().geometry(family(name).case())
    assert isinstance(geometry, SectionGeometry)
    return geometry


@pytest.mark.parametrize("name", ["composite-wall", "hollow-cylinder", "wall-corner"])
@pytest.mark.parametrize("growth", [0.1, 0.5])
def test_sizes_grow_no_faster_than_they_may(name: str, growth: float) -> None:
    geometry = section(name)
    largest = geometry.extent / 8
    place = np.array(geometry.low) + np.ptp([geometry.low, geometry.high], axis=0) * RNG.uniform(size=(400, 2))
    sizes = size_field(geometry.arrangement, largest, 4, growth).at(place)
    assert (sizes > 0).all() and (sizes <= largest).all()
    other = place + RNG.normal(scale=geometry.extent / 200, size=place.shape)
    moved = size_field(geometry.arrangement, largest, 4, growth).at(other)
    gap = np.linalg.norm(other - place, axis=1)
    assert (np.abs(moved - sizes) <= 1.01 * growth * gap + 0.02 * largest).all()


def test_thin_layers_bends_and_stated_places_are_finer() -> None:
    wall = section("composite-wall")
    field = size_field(wall.arrangement, 0.05, 4, 0.25)
    in_shell, in_brick = field.at(np.array([[0.1655, 0.05], [0.05, 0.05]]))
    assert in_shell <= 1.6 * 0.003 / 4 and in_brick > 5 * in_shell
    disc = section("generating-cylinder")
    coarse, fine = (
        size_field(disc.arrangement, 0.5, 1, 0.25, refinement=r).at(np.array([[0.014, 0.0]]))[0] for r in (1, 2)
    )
    assert coarse <= 0.014 * np.pi / 2 / 6 * 1.1 and fine <= coarse / 1.9
    stated = size_field(wall.arrangement, 0.05, 1, 0.2, [(np.array([[0.05, 0.05]]), 0.001)])
    near, further = stated.at(np.array([[0.05, 0.05], [0.05, 0.07]]))
    assert near == pytest.approx(0.001) and further == pytest.approx(0.001 + 0.2 * 0.02)


@given(st.lists(st.floats(1e-3, 2), min_size=1, max_size=6), st.floats(0.01, 1), st.integers(1, 9))
def test_no_cell_is_longer_than_asked_nor_a_part_with_too_few(widths: list[float], size: float, across: int) -> None:
    lengths = np.array(widths)
    each = [np.arange(len(lengths)) == number for number in range(len(lengths))]
    counts = divided_edges(lengths, each, size, across)
    assert (lengths / counts <= size * (1 + 1e-8)).all() and (counts >= across).all()
    together = divided_edges(lengths, [np.ones(len(lengths), dtype=bool)], size, across)
    assert together.sum() >= across and (lengths / together <= size * (1 + 1e-8)).all()
    assert (together <= counts).all()
    stations = np.concatenate([[0.0], np.cumsum(lengths)])
    ends = places_between(stations, counts)
    assert len(ends) == counts.sum() + 1 and (np.diff(ends) > 0).all()
    np.testing.assert_allclose(ends[np.concatenate([[0], np.cumsum(counts)])], stations, atol=1e-12)


def test_the_best_pairs_of_triangles_become_quadrilaterals() -> None:
    nx, ny = 6, 4
    points = np.array([(x, y) for x in range(nx) for y in range(ny)], dtype=float)
    number = np.arange(nx * ny).reshape(nx, ny)
    cells = []
    for i, j in np.ndindex(nx - 1, ny - 1):
        a, b, c, d = number[i, j], number[i + 1, j], number[i + 1, j + 1], number[i, j + 1]
        cells += [(a, b, c), (a, c, d)]
    triangles = np.array(cells)
    region = np.zeros(len(triangles), dtype=np.int64)
    quads, pairs = paired(points, triangles, region)
    assert len(quads) == (nx - 1) * (ny - 1) and len(np.unique(pairs)) == len(triangles)
    corners = points[quads]
    ahead = np.roll(corners, -1, axis=1) - corners
    area = 0.5 * np.abs(
        (
            corners[..., 0] * np.roll(corners[..., 1], -1, axis=1)
            - np.roll(corners[..., 0], -1, axis=1) * corners[..., 1]
        ).sum(axis=1)
    )
    np.testing.assert_allclose(area, 1.0)
    np.testing.assert_allclose(np.linalg.norm(ahead, axis=-1), 1.0)
    # Whatever order the triangles come in, the pairs are the same.
    order = RNG.permutation(len(triangles))
    again, _ = paired(points, triangles[order], region)
    assert {frozenset(each) for each in again.tolist()} == {frozenset(each) for each in quads.tolist()}
    # Regions do not mix.
    halves = (np.arange(len(triangles)) % 6 == 0).astype(np.int64)
    apart, partners = paired(points, triangles, halves)
    assert (halves[partners[:, 0]] == halves[partners[:, 1]]).all() and len(apart) < len(quads)


@given(st.integers(4, 60), st.integers(0, 10_000))
def test_quadrilaterals_of_any_triangles_are_fair_and_cover_what_they_were(count: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    points = rng.uniform(size=(count, 2))
    triangles = Delaunay(points).simplices.astype(np.int64)
    first, second = (points[triangles[:, corner]] - points[triangles[:, 0]] for corner in (1, 2))
    cross = first[:, 0] * second[:, 1] - first[:, 1] * second[:, 0]
    triangles[cross < 0] = triangles[cross < 0][:, ::-1]
    quads, pairs = paired(points, triangles, np.zeros(len(triangles), dtype=np.int64))
    assert len(np.unique(pairs)) == pairs.size
    if not len(quads):
        return
    corners = points[quads]
    ahead, behind = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
    turn = ahead[..., 0] * behind[..., 1] - ahead[..., 1] * behind[..., 0]
    assert (turn > 0).all()  # no corner is turned inwards
    area = 0.5 * (
        corners[..., 0] * np.roll(corners[..., 1], -1, axis=1) - np.roll(corners[..., 0], -1, axis=1) * corners[..., 1]
    ).sum(axis=1)
    np.testing.assert_allclose(area, np.abs(cross[pairs]).sum(axis=1) / 2, atol=1e-12)


@pytest.mark.parametrize("dimension", [1, 2, 3])
@pytest.mark.parametrize("spread", [1.0, 300.0])
def test_points_find_their_boxes_as_if_all_were_compared(
    dimension: int, spread: float, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Also where sizes differ much, and boxes are long and thin."""
    low = RNG.uniform(size=(400, dimension))
    high = low + RNG.uniform(1e-3, 0.05, size=(400, dimension)) * np.exp(RNG.uniform(0, np.log(spread), size=(400, 1)))
    points = RNG.uniform(-0.1, 1.3, size=(300, dimension))
    points[:20] = low[:20]  # on a corner counts
    compared = boxed(points, low, high)
    monkeypatch.setattr(tree_of_places, "_PAIRS_AT_ONCE", 0)
    found = boxed(points, low, high)
    for ours, theirs in zip(found, compared, strict=True):
        np.testing.assert_array_equal(ours, theirs)
    nothing = boxed(points + 50, low, high)
    assert not len(nothing[0]) and not len(nothing[1])


@given(st.integers(2, 12), st.booleans(), st.integers(0, 10_000))
def test_pieces_are_put_in_the_order_in_which_they_follow_each_other(count: int, closed: bool, seed: int) -> None:
    rng = np.random.default_rng(seed)
    names = rng.permutation(100)[: count + 1]
    chain = np.column_stack([names[:-1], names[1:]])
    if closed and count > 2:
        chain = np.concatenate([chain, [[names[-1], names[0]]]])
    shuffled = chain[rng.permutation(len(chain))]
    flips = rng.uniform(size=len(chain)) < 0.5
    shuffled[flips] = shuffled[flips][:, ::-1]
    order, turned = chained(shuffled)
    followed = np.where(turned[:, None], shuffled[:, ::-1], shuffled)[order]
    assert sorted(order.tolist()) == list(range(len(chain)))
    np.testing.assert_array_equal(followed[1:, 0], followed[:-1, 1])
    if not (closed and count > 2):
        assert {followed[0, 0], followed[-1, 1]} == {names[0], names[-1]}
