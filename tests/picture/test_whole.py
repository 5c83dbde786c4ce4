"""What is drawn beyond what is solved: its fields, its readings and its pictures agree with the body."""

from __future__ import annotations

import numpy as np
import pytest

from blunt_ember.case.editing.edits import with_value
from blunt_ember.fem.reading import field_at, flux_at
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family
from blunt_ember.picture.annotated import body_picture
from blunt_ember.picture.body.drawn import drawn_box, pose_of, seen_pose
from blunt_ember.picture.body.pose import facing
from blunt_ember.picture.body.renderer import BodyRenderer
from blunt_ember.picture.body.view import view_of_box
from blunt_ember.picture.body.whole import can_be_deep, drawn, mirrors_of, seen_through
from blunt_ember.picture.lenses.registry import field_of
from blunt_ember.picture.look import CutPlane, Look, MirrorPlane, Whole
from blunt_ember.picture.palette import LIGHT, rgb

FLOW = Flow()


def solved(name: str) -> Outcome:
    return FLOW.answered(family(name).case())


@pytest.fixture(scope="module")
def renderer() -> BodyRenderer:
    return BodyRenderer()


OFFERED = {
    "wall-corner": {MirrorPlane(0, True), MirrorPlane(1, True)},
    "room-corner": {MirrorPlane(axis, True) for axis in range(3)},
    "composite-wall": {MirrorPlane(1, False), MirrorPlane(1, True)},
    "hot-edge-plate": set(),
    "hollow-sphere": {MirrorPlane(0, False)},
    "ring-sector": set(),
    "rod-film-tip": set(),
    "straight-fin": set(),
}


@pytest.mark.parametrize("name", OFFERED)
def test_a_body_is_mirrored_only_where_no_heat_passes(name: str) -> None:
    offered = set(mirrors_of(solved(name)))
    if name in ("hollow-sphere", "ring-sector"):
        assert OFFERED[name] <= offered
    else:
        assert offered == OFFERED[name]


def test_an_edge_that_meets_anything_is_no_plane_of_symmetry() -> None:
    case = family("composite-wall").case()
    said = [*case.data["surroundings"], {"on": "shell.top", "flux": "3 W/m²"}]
    assert set(mirrors_of(FLOW.answered(with_value(case, ("surroundings",), said)))) == {MirrorPlane(1, False)}
    insulated = [*case.data["surroundings"], {"on": "shell.top", "insulated": True}]
    assert len(mirrors_of(FLOW.answered(with_value(case, ("surroundings",), insulated)))) == 2


WHOLES = {
    "wall-corner": Whole((MirrorPlane(0, True), MirrorPlane(1, True))),
    "room-corner": Whole((MirrorPlane(0, True), MirrorPlane(2, True))),
    "hot-edge-plate": Whole(deep=True),
    "hollow-sphere": Whole(deep=True),
    "composite-wall": Whole((MirrorPlane(1, True),), deep=True),
}


@pytest.mark.parametrize("name", WHOLES)
def test_fields_and_fluxes_are_those_of_the_body(name: str) -> None:
    outcome = solved(name)
    seen = drawn(outcome, WHOLES[name])
    grown = seen.outcome.mesh
    assert grown is not None and outcome.mesh is not None and outcome.solution is not None
    assert outcome.problem is not None and seen.outcome.solution is not None
    rng = np.random.default_rng(7)
    cells = grown.blocks[0].nodes[rng.integers(0, len(grown.blocks[0].nodes), 40)]
    places = grown.points[cells].mean(axis=1)
    if name == "hollow-sphere":  # the middle of a chord lies nearer to the axis than its ends
        places = grown.points[cells[:, 0]]
    home = seen.fold(places)
    for lens, part in (("Temperature", ""), ("Heat flow", "size")):
        field = field_of(outcome, lens, part)
        assert field is not None
        spread = seen.spread(field)
        here, there = (
            field_at(mesh, each.values, at) for mesh, each, at in ((grown, spread, places), (outcome.mesh, field, home))
        )
        ok = ~np.isnan(here)
        assert ok.sum() > 35
        np.testing.assert_allclose(here[ok], there[ok], rtol=2e-2, atol=1e-6 * np.nanmax(np.abs(there)))
    flow = field_of(outcome, "Heat flow", "size")
    assert flow is not None
    image = seen.spread(flow).flux
    assert image is not None
    theirs, ours = image(places), flux_at(outcome.problem, outcome.solution.temperature, home)
    np.testing.assert_allclose(np.linalg.norm(theirs, axis=1), np.linalg.norm(ours, axis=1), rtol=1e-9, atol=1e-9)
    # Towards the mirror in the body is towards the mirror in the image.
    step = 1e-6 * np.ptp(grown.points, axis=0).max()
    way = theirs / np.maximum(np.linalg.norm(theirs, axis=1, keepdims=True), 1e-300)
    moved = (seen.fold(places + step * way) - home) / step
    size = np.linalg.norm(ours, axis=1) > 1e-6 * np.linalg.norm(ours, axis=1).max()
    along = ours / np.maximum(np.linalg.norm(ours, axis=1, keepdims=True), 1e-300)
    np.testing.assert_allclose(moved[size], along[size], atol=1e-4)
    np.testing.assert_allclose(seen.fold(seen.unfold(home)), home, atol=1e-12)


def test_flow_lines_have_their_images() -> None:
    outcome = solved("wall-corner")
    field = field_of(outcome, "Heat flow", "size")
    assert field is not None and field.follow is not None
    seen = drawn(outcome, WHOLES["wall-corner"])
    image = seen.spread(field).follow
    assert image is not None
    flow, four = field.follow(), image()
    assert len(four.lines) == 4 * len(flow.lines) and four.each == flow.each
    every = np.concatenate(four.lines)
    np.testing.assert_allclose(
        np.sort(seen.fold(every)[:, 0])[::4], np.sort(np.concatenate(flow.lines)[:, 0]), atol=1e-9
    )
    signed = field_of(outcome, "Heat flow", "along x")
    assert signed is not None
    spread = seen.spread(signed)
    # The mirror turns the heat along x round: what flows one way in a half flows the other way in its image.
    ends = [(float(block.min()), float(block.max())) for block in spread.values]
    low, high = min(low for low, _ in ends), max(high for _, high in ends)
    half = np.concatenate([block.ravel() for block in signed.values])
    assert low == pytest.approx(-high, rel=1e-12) and high == pytest.approx(np.abs(half).max(), rel=1e-12)


def test_nothing_more_is_drawn_than_can_be() -> None:
    rod = solved("rod-film-tip")
    assert drawn(rod, Whole(deep=True)).outcome is rod and not can_be_deep(rod.mesh)
    plate = solved("hot-edge-plate")
    assert drawn(plate, Whole((MirrorPlane(0, False),))).outcome is plate
    assert drawn(plate, Whole()).outcome is plate
    bare = Outcome(plate.case, plate.geometry)
    assert drawn(bare, Whole(deep=True)).outcome is bare
    room = solved("room-corner")
    assert drawn(room, Whole(deep=True)).outcome.mesh is room.mesh


@pytest.mark.parametrize(
    ("name", "upright", "ways"),
    [
        ("room-corner", 2, {0: ((0, 1, 0), (0, 0, 1)), 1: ((1, 0, 0), (0, 0, 1)), 2: ((1, 0, 0), (0, 1, 0))}),
        ("bowl", 1, {2: ((1, 0, 0), (0, 1, 0)), 1: ((1, 0, 0), (0, 0, -1))}),
    ],
)
def test_a_plane_face_on_is_seen_straight(
    name: str, upright: int, ways: dict[int, tuple[tuple[int, ...], tuple[int, ...]]]
) -> None:
    for axis, (right, up) in ways.items():
        pose = facing(axis, upright)
        np.testing.assert_allclose(pose.axes[:2], [right, up], atol=1e-12)
        assert np.abs(pose.axes[2]).argmax() == axis
    geometry = FLOW.geometry(family(name).case())
    look = Look(cuts=(CutPlane(2, 0.01),), flat=2)
    assert seen_pose(geometry, look) == facing(2, upright)
    assert seen_pose(geometry, Look(cuts=(CutPlane(2, 0.01),), flat=1)) == pose_of(geometry)


def test_the_picture_of_a_plane_has_the_colours_of_its_values(renderer: BodyRenderer) -> None:
    outcome = solved("room-corner")
    assert outcome.geometry is not None and outcome.mesh is not None
    look = Look("Temperature", cuts=(CutPlane(0, 0.3), CutPlane(2, 0.5)), flat=2)
    seen, shade = seen_through(outcome, look)
    assert shade is not None and shade.flat and shade.cuts == (CutPlane(2, 0.5),)
    view = view_of_box(*drawn_box(outcome.geometry), 400, 400, (20, 20, 20, 20), seen_pose(outcome.geometry, look))
    image = renderer.draw(seen.outcome, "Temperature", shade, view, LIGHT)
    for place in ((0.12, 0.5, 0.5), (0.05, 0.05, 0.5), (0.6, 0.2, 0.5)):
        x, y = view.pixels(np.array([place]))[0].astype(int)
        value = field_at(outcome.mesh, shade.values, np.array([place]))
        expected = shade.colours[int(shade.places(value)[0] * (len(shade.colours) - 1))]
        np.testing.assert_allclose(image[y, x, :3] / 255, expected, atol=0.03)
    # Nothing stands where the room is, nor beside the body.
    for place in ((0.6, 0.6, 0.5), (0.9, 0.9, 0.5)):
        x, y = view.pixels(np.array([place]))[0].astype(int)
        if 0 <= x < 400 and 0 <= y < 400:
            np.testing.assert_allclose(image[y, x, :3] / 255, rgb(LIGHT.stage), atol=0.02)


def test_a_whole_picture_of_more_than_is_solved(renderer: BodyRenderer) -> None:
    outcome = solved("wall-corner")
    plain = body_picture(renderer, outcome, Look("Temperature"), 500, 360, LIGHT)
    whole = body_picture(renderer, outcome, Look("Temperature", whole=WHOLES["wall-corner"]), 500, 360, LIGHT)
    stage = (np.array(rgb(LIGHT.stage)) * 255).round()
    filled = [np.abs(each[180, 60:360, :3] - stage).max(axis=-1) > 6 for each in (plain, whole)]
    runs = [int((np.diff(each.astype(int)) == 1).sum() + each[0]) for each in filled]
    # A quarter has one wall on the middle row, the whole room one on either side.
    assert runs == [1, 2]
