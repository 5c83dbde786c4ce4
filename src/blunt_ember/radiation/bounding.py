"""What else bounds the empty space that some surfaces bound."""

from __future__ import annotations

from collections.abc import Sequence

from blunt_ember.mesh.mesh import Mesh
from blunt_ember.radiation.images import images_at
from blunt_ember.radiation.section.skin import surfaces_about
from blunt_ember.radiation.standing import surfaces_within


def surfaces_bounding(
    mesh: Mesh, sides: Sequence[str], mirrors: Sequence[str], repeats: Sequence[str] = ()
) -> list[str]:
    """Return the outer surfaces that bound the empty space of ``sides`` of a void, what stands in it too.

    Raises :class:`MirrorError` for ``mirrors`` that are none, :class:`RepeatError` for two surfaces between which
    nothing ``repeats``.
    """
    if mesh.dimension == 2 and not mirrors and not repeats:
        return surfaces_about(mesh, sides)
    images = images_at(mesh, mirrors, repeats)
    return [name for name in surfaces_within(mesh, sides, images) if not images.cut(mesh, name)]
