"""Quadrature on halved reference cells: what it is exact for, and how fast it gets there for all else."""

from __future__ import annotations

import numpy as np
import pytest

from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.cells.fine_rules import fine_rule

CELLS = ["line2", "line3", "tri3", "tri6", "quad4", "quad9", "tet4", "tet10", "wedge6", "wedge18", "hex8", "hex27"]


@pytest.mark.parametrize("name", CELLS)
def test_halved_cells_fill_the_whole_and_come_to_what_is_steep_by_more_than_the_fourth_power(name: str) -> None:
    family = CELL_FAMILIES[name]
    shares = np.arange(1, family.dimension + 1) / family.dimension
    sums, steep = [], []
    for halvings in range(4):
        points, weights = fine_rule(name, halvings)
        assert family.holds(points, 1e-12).all() and (weights > 0).all() == (family.weights > 0).all()
        sums.append((weights.sum(), *(weights @ points**2)))
        steep.append(float(weights @ np.exp(3 * points @ shares)))
    np.testing.assert_allclose(sums, np.broadcast_to(sums[0], np.shape(sums)), rtol=1e-13)
    assert sums[0][0] == pytest.approx(family.weights.sum(), rel=1e-14)
    steps = np.abs(np.diff(steep))
    assert steps[0] > 14 * steps[1] and steps[1] > 14 * steps[2]
    assert steps[2] < 1e-5 * abs(steep[-1])
