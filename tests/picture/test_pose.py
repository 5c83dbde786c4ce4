"""How solids are looked at, and that the picture agrees with the geometry it is drawn from."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.mesh.cells.facets import skin_of
from blunt_ember.picture.body.drawn import drawn_box, pose_of
from blunt_ember.picture.body.pose import Pose
from blunt_ember.picture.body.renderer import BodyRenderer
from blunt_ember.picture.body.view import view_of_box
from blunt_ember.picture.lenses.registry import shade
from blunt_ember.picture.palette import LIGHT


@settings(deadline=None)
@given(st.floats(-10, 10), st.floats(-1.5, 1.5), st.sampled_from([1, 2]))
def test_the_axes_of_a_pose_are_right_handed_and_upright_stays_up(around: float, above: float, upright: int) -> None:
    axes = Pose(around, above, upright).axes
    assert axes @ axes.T == pytest.approx(np.eye(3), abs=1e-12)
    assert np.cross(axes[0], axes[1]) == pytest.approx(axes[2], abs=1e-12)
    assert axes[0, upright] == pytest.approx(0, abs=1e-12) and axes[1, upright] >= 0


def test_turning_keeps_a_place_where_it_is_and_fitting_keeps_all_inside() -> None:
    pose = Pose(0.4, 0.3, 2)
    low, high = np.array([-1.0, 0, 2]), np.array([3.0, 1, 2.5])
    view = view_of_box(low, high, 600, 400, (50, 60, 70, 80), pose)
    corners = np.array([[x, y, z] for x in (-1, 3) for y in (0, 1) for z in (2, 2.5)])
    pixels = view.pixels(corners)
    assert (pixels.min(axis=0) >= [49.9, 59.9]).all()
    assert (pixels.max(axis=0) <= [530.1, 320.1]).all()
    middle = (low + high) / 2
    turned = view.turned(0.7, -0.2, middle)
    assert turned.pixels(middle[None]) == pytest.approx(view.pixels(middle[None]), abs=1e-9)


def test_the_picture_of_a_solid_is_where_its_skin_is() -> None:
    """What is not background covers just the pixels inside the outline of the projected skin."""
    outcome = Flow().answered(family("room-corner").case())
    assert outcome.geometry is not None and outcome.mesh is not None
    pose = pose_of(outcome.geometry)
    view = view_of_box(*drawn_box(outcome.geometry), 400, 300, (20, 20, 20, 20), pose)
    found = shade(outcome, "Temperature")
    renderer = BodyRenderer()
    try:
        picture, front, left = (
            renderer.draw(outcome, "Temperature", found, view, LIGHT, lit=lit).astype(int)[..., :3]
            for lit in ([], ["walls.front"], ["walls.left"])
        )
    finally:
        renderer.close()
    drawn = np.abs(picture - picture[2, 2]).sum(axis=-1) > 12
    rows, columns = np.nonzero(drawn)
    skin = np.unique(np.concatenate([part.nodes.ravel() for part in skin_of(outcome.mesh).parts]))
    pixels = view.pixels(outcome.mesh.points[skin])
    assert [columns.min(), rows.min()] == pytest.approx(pixels.min(axis=0), abs=2.5)
    assert [columns.max(), rows.max()] == pytest.approx(pixels.max(axis=0), abs=2.5)
    assert pose is not None and pose.axes[2, 0] > 0 > pose.axes[2, 1]  # seen from the front, a little from the right
    lit, hidden = ((np.abs(other - picture).sum(axis=-1) > 12).sum() for other in (front, left))
    assert lit > 0.1 * drawn.sum() and hidden < 0.02 * drawn.sum()  # what looks away shows at most along its edges
