"""What else bounds the empty space that some surfaces bound."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from blunt_ember.mesh.mesh import Mesh
from blunt_ember.radiation.images import images_at
from blunt_ember.radiation.mirrors import Mirror
from blunt_ember.radiation.section.skin import surfaces_about
from blunt_ember.radiation.standing import surfaces_within

_AXIS = Mirror(np.zeros(2), np.array([-1.0, 0.0]))


def surfaces_bounding(
    mesh: Mesh, sides: Sequence[str], mirrors: Sequence[str], repeats: Sequence[str] = ()
) -> list[str]:
    """Return the outer surfaces that bound the empty space of ``sides`` of a void, what stands in it too.

    Raises :class:`MirrorError` for ``mirrors`` that are none, :class:`RepeatError` for two surfaces between which
    nothing ``repeats``.
    """
    turned = mesh.space.axisymmetric
    if mesh.dimension == 2 and not (mirrors or repeats or turned):
        return surfaces_about(mesh, sides)
    images = images_at(mesh, mirrors, repeats)
    # Of a turned section the other half closes what reaches the axis.
    whole = replace(images, mirrors=(_AXIS, *images.mirrors)) if turned else images
    return [name for name in surfaces_within(mesh, sides, whole) if not images.cut(mesh, name)]
