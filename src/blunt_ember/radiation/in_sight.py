"""Which surfaces see each other, told from a few of their facets: enough to say so, not to reckon with."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.radiation.facets import LookingFacets, looking_facets
from blunt_ember.radiation.images import Images
from blunt_ember.radiation.section.views import section_views
from blunt_ember.radiation.solid.views import solid_views

#: Facets that are looked from in all, and of each surface at least; what a ring sees takes longer.
_FACETS, _RINGS, _LEAST = 160, 60, 4


def view_shares(mesh: Mesh, surfaces: Sequence[str], area: Floats) -> Floats:
    """Return about which share of what each of ``surfaces`` sees every one of them takes, (s, s), itself too; ``area``
    (m,) in m² is that of all their facets."""
    facets = looking_facets(mesh, surfaces)
    chosen = _spread_out(facets.surface, _RINGS if mesh.space.axisymmetric else _FACETS)
    few = LookingFacets(facets.corners[chosen], facets.surface[chosen])
    views = (section_views if mesh.dimension == 2 else solid_views)(mesh, few, Images())
    owning = (np.arange(len(surfaces))[:, None] == few.surface).astype(float)[:, np.argsort(views.patch)]
    # What is chosen of a surface is seen for the whole of it.
    whole, some = (
        np.bincount(owner, sizes, len(surfaces))
        for owner, sizes in ((facets.surface, area), (few.surface, area[chosen]))
    )
    with np.errstate(invalid="ignore"):  # a surface of which nothing is left sees nothing
        shares = (owning @ views.exchange @ owning.T) * (whole / some) / (owning @ views.size)[:, None]
    return np.nan_to_num(shares)


def _spread_out(surface: Ints, most: int) -> Ints:
    """Facets (n,) spread over those of every ``surface`` (m,), about ``most`` of them: by steps of the golden ratio, so
    that rows of facets are not met again and again at one end."""
    found = []
    for place in np.unique(surface):
        own = np.flatnonzero(surface == place)
        wanted = min(len(own), max(_LEAST, round(most * len(own) / len(surface))))
        share = (np.arange(wanted) + 0.5) * (5**0.5 - 1) / 2 % 1
        found.append(own if wanted == len(own) else own[np.unique((share * len(own)).astype(np.int64))])
    return np.concatenate(found)
