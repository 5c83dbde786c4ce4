"""Places sorted so that those near to another are found quickly: SciPy's tree, which is imported when one is needed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from blunt_ember.arrays import Floats

if TYPE_CHECKING:
    from scipy.spatial import cKDTree


def tree_of(places: Floats) -> cKDTree:
    """Return the tree of places (p, d)."""
    from scipy.spatial import cKDTree  # a tenth of all that a window would import

    return cKDTree(places)
