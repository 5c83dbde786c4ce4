"""What else bounds the empty space that some surfaces bound."""

from __future__ import annotations

from collections.abc import Sequence

from blunt_ember.mesh.mesh import Mesh
from blunt_ember.radiation.mirrors import Mirror, mirrors_at
from blunt_ember.radiation.section.skin import surfaces_about
from blunt_ember.radiation.standing import surfaces_within


def surfaces_bounding(mesh: Mesh, sides: Sequence[str], mirrors: Sequence[str]) -> list[str]:
    """Return the outer surfaces that bound the empty space of ``sides`` of a void, what stands in it too.

    Raises :class:`MirrorError` for ``mirrors`` that are none.
    """
    if mesh.dimension == 2 and not mirrors:
        return surfaces_about(mesh, sides)
    planes = mirrors_at(mesh, mirrors)
    return [name for name in surfaces_within(mesh, sides, planes) if not lies_in(mesh, name, planes)]


def lies_in(mesh: Mesh, name: str, mirrors: Sequence[Mirror]) -> bool:
    """Whether a surface is where the body is cut by a mirror, and looks at nothing."""
    nodes = mesh.surfaces[name].nodes
    return any(not each.height(mesh.points)[nodes].any() for each in mirrors)
