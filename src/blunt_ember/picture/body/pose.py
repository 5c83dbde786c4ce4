"""How a solid is turned towards the eye."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.immutable import immutable

#: Nearest to straight up or down that the eye may go, radians.
_STEEPEST = np.pi / 2 - 1e-3


@immutable
class Pose:
    """The eye looks at the body from ``around`` the upright axis and ``above`` the level, both radians.

    ``upright`` is the axis that points up in the picture, 1 for y and 2 for z.
    """

    around: float
    above: float
    upright: int

    @property
    def axes(self) -> Floats:
        """Unit vectors (3, 3) to the right, up, and towards the eye."""
        ca, sa, ce, se = np.cos(self.around), np.sin(self.around), np.cos(self.above), np.sin(self.above)
        right, up, towards = [-sa, ca, 0.0], [-se * ca, -se * sa, ce], [ce * ca, ce * sa, se]
        axes = np.array([right, up, towards])
        # Rolled round so that the third axis is the upright one: the order of the axes stays right-handed.
        return np.roll(axes, self.upright - 2, axis=1)

    def turned(self, around: float, above: float) -> Pose:
        """Return the pose with the eye moved by so many radians."""
        return replace(
            self, around=self.around + around, above=float(np.clip(self.above + above, -_STEEPEST, _STEEPEST))
        )


def facing(axis: int, upright: int) -> Pose:
    """Return the pose that looks straight along an axis, 0, 1 or 2, from its positive end; across the one from the
    front, so that x goes to the right where it can."""
    turn = (axis - upright - 1) % 3  # 0 and 1 for the level axes in their order, 2 for the upright one
    if turn == 2:
        return Pose(-np.pi / 2 if upright == 2 else 0.0, np.pi / 2, upright)
    return Pose((0.0, -np.pi / 2)[turn], 0.0, upright)


def first_pose(upright: int) -> Pose:
    """Return the pose a body is first seen in: from the front, a little from the right and from above."""
    return Pose(-np.pi / 3 if upright == 2 else np.pi / 6, np.radians(24), upright)
