"""Small pictures of bodies, for cards and beside a line."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.body.drawn import drawn_box, pose_of
from blunt_ember.picture.body.renderer import BodyRenderer
from blunt_ember.picture.body.view import view_of_box
from blunt_ember.picture.lenses.registry import shade
from blunt_ember.picture.look import Look
from blunt_ember.picture.palette import Theme

#: Pixels between a body and the edge of its picture.
_MARGIN = 8


class SmallPictures:
    """Draws small pictures; holds a graphics context from the first one until it is closed."""

    def __init__(self) -> None:
        self._renderer: BodyRenderer | None = None

    def of(
        self, outcome: Outcome, lens: str, size: tuple[int, int], ratio: float, theme: Theme
    ) -> NDArray[np.uint8] | None:
        """Return the pixels (h, w, 4) of a body through a lens, as large as ``size`` (width, height) at so many dots a
        point; None where it has no shape."""
        if outcome.geometry is None:
            return None
        self._renderer = self._renderer or BodyRenderer()
        low, high = drawn_box(outcome.geometry)
        view = view_of_box(low, high, *size, (_MARGIN,) * 4, pose_of(outcome.geometry))
        return self._renderer.draw(outcome, lens, shade(outcome, Look(lens, whole_run=False)), view, theme, ratio)

    def close(self) -> None:
        """Give back the graphics context."""
        if self._renderer is not None:
            self._renderer.close()
            self._renderer = None
