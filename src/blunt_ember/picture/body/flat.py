"""Sections and rods as they are drawn flat."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import numpy_to_vtk
from vtkmodules.vtkCommonDataModel import vtkPolyData
from vtkmodules.vtkRenderingCore import vtkActor

from blunt_ember.arrays import Floats
from blunt_ember.flow.outcome import Outcome
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.cells.quality import quality_of
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.picture.body.actors import colour_by_shade, line_actor, plain_actor, region_colours
from blunt_ember.picture.body.arrows import usual_most
from blunt_ember.picture.body.drawn import drawing_of
from blunt_ember.picture.body.flow_lines import FlowLines
from blunt_ember.picture.body.isolines import isolines
from blunt_ember.picture.body.view import View
from blunt_ember.picture.body.vtk_data import poly_data, polylines
from blunt_ember.picture.lenses.field import Shade
from blunt_ember.picture.lenses.registry import LENSES
from blunt_ember.picture.palette import LIGHT, Theme

#: Pixels between the arrows of the heat-flow lens, and the length of the longest.
ARROW_SPACING = 38
ARROW_LENGTH = 27
#: Pixels of the line by which a surface is coloured.
_BROAD = 9.0


def flat_actors(
    outcome: Outcome, lens: str, found: Shade | None, view: View, theme: Theme, ratio: float
) -> list[vtkActor]:
    """Return what draws a section or a rod."""
    mesh, geometry = outcome.mesh, outcome.geometry
    actors: list[vtkActor] = []
    if geometry is None:
        return actors
    if mesh is None:
        return _outlines(geometry, theme, ratio)
    if found is None:
        actors.append(_tinted(outcome, geometry, mesh, theme))
    else:
        actors.append(_shaded(geometry, mesh, found, theme))
    if found is not None and found.surfaces:
        actors += _coloured_surfaces(mesh, found, theme, ratio)
    elif found is not None and found.bands and mesh.dimension == 2:
        pieces, _ = drawn_isolines(mesh, found)
        if len(pieces):
            lines = np.arange(2 * len(pieces)).reshape(-1, 2)
            actors.append(line_actor(poly_data(pieces.reshape(-1, 2), lines=lines), LIGHT.ink, 0.7 * ratio, 0.01))
    if LENSES[lens].cells:
        actors += _sharp_cells(mesh, theme)
        actors.append(_cell_edges(geometry, mesh, theme, ratio))
    if found is not None and found.arrows is not None:
        actors += _arrows(mesh, found.arrows, view)
    if found is not None and found.flow_lines is not None and found.flow_lines.lines:
        actors += _followed(found.flow_lines, view, ratio)
    return actors + _outlines(geometry, theme, ratio)


def _tinted(outcome: Outcome, geometry: BodyGeometry, mesh: Mesh, theme: Theme) -> vtkActor:
    """Regions filled by material."""
    surface = _cell_surface(mesh, geometry)
    colours = region_colours(outcome, theme)
    every = np.concatenate([np.repeat(colours[block.region], block.nodes.shape[1], axis=0) for block in mesh.blocks])
    surface.GetPointData().SetScalars(numpy_to_vtk(_both_edges(every, mesh), deep=True))
    return plain_actor(surface)


def _shaded(geometry: BodyGeometry, mesh: Mesh, found: Shade, theme: Theme) -> vtkActor:
    surface = _cell_surface(mesh, geometry)
    places = found.places(np.concatenate([block.ravel() for block in found.values]))
    if found.surfaces:
        places = np.full_like(places, np.nan)
    surface.GetPointData().SetScalars(numpy_to_vtk(_both_edges(places, mesh), deep=True))
    actor = plain_actor(surface)
    colour_by_shade(actor, found, theme)
    return actor


def _coloured_surfaces(mesh: Mesh, found: Shade, theme: Theme, ratio: float) -> list[vtkActor]:
    """The surfaces on which a field is known, as broad lines."""
    skin, actors = mesh.skin, []
    every = np.concatenate([block.ravel() for block in found.values])
    numbers = [number for number, name in enumerate(skin.names) if name in found.surfaces]
    for part in skin.parts:
        own = np.isin(part.surface, numbers)
        if not own.any():
            continue
        pieces = np.array([[0, 1]] if part.nodes.shape[1] == 2 else [[0, 2], [2, 1]])
        nodes, places = (each[own][:, pieces].reshape(-1) for each in (part.nodes, part.places))
        data = poly_data(mesh.points[nodes], lines=np.arange(len(nodes)).reshape(-1, 2))
        data.GetPointData().SetScalars(numpy_to_vtk(found.places(every[places]), deep=True))
        actor = plain_actor(data)
        actor.GetProperty().SetLineWidth(_BROAD * ratio)
        actor.SetPosition(0.0, 0.0, 0.015)
        colour_by_shade(actor, found, theme)
        actors.append(actor)
    return actors


def drawn_isolines(mesh: Mesh, found: Shade) -> tuple[Floats, NDArray[np.int64]]:
    """Return the pieces (n, 2, 2) in m of the lines between the bands of a shade, and the level (n,) of each."""
    corners, values = [], []
    for block, own in zip(mesh.blocks, found.values, strict=True):
        triangles = CELL_FAMILIES[block.family].triangles
        corners.append(mesh.points[block.nodes[:, triangles]].reshape(-1, 3, 2))
        values.append(own[:, triangles].reshape(-1, 3))
    return isolines(np.concatenate(corners), np.concatenate(values), found.levels)


def _both_edges(values: Any, mesh: Mesh) -> Any:
    """A rod is drawn as a strip, whose lower and upper edge take the values of its axis."""
    return np.concatenate([values, values]) if mesh.dimension == 1 else values


def _cell_surface(mesh: Mesh, geometry: BodyGeometry) -> vtkPolyData:
    """Cells as linear pieces over nodes of their own, so that values may jump between regions."""
    points, pieces, start = [], [], 0
    for block in mesh.blocks:
        drawn = np.array(CELL_FAMILIES[block.family].drawn)
        count = block.nodes.shape[1]
        first = start + np.arange(len(block.nodes)) * count
        points.append(mesh.points[block.nodes].reshape(-1, mesh.dimension))
        pieces.append((first[:, None, None] + drawn).reshape(-1, drawn.shape[1]))
        start += block.nodes.size
    places = np.concatenate(points)
    heights = drawing_of(geometry).half_heights
    if heights is not None:
        (block,) = mesh.blocks
        half = np.repeat(heights[block.region], block.nodes.shape[1])
        places = np.concatenate([np.column_stack([places[:, 0], y]) for y in (-half, half)])
        pieces = [np.column_stack([lines, lines[:, ::-1] + len(half)]) for lines in pieces]
    return poly_data(places, polygons=pieces)


def _cell_edges(geometry: BodyGeometry, mesh: Mesh, theme: Theme, ratio: float) -> vtkActor:
    heights = drawing_of(geometry).half_heights
    if heights is not None:
        (block,) = mesh.blocks
        x, half = mesh.points[block.nodes[:, :2], 0], heights[block.region][:, None]
        ends = np.stack([np.stack([x, -half + 0 * x], -1), np.stack([x, half + 0 * x], -1)], axis=2).reshape(-1, 2)
        points, both_ways = ends, np.arange(len(ends)).reshape(-1, 2)
    else:
        edges = []
        for block in mesh.blocks:
            corners = block.nodes[:, : CELL_FAMILIES[block.family].corners]
            edges.append(np.stack([corners, np.roll(corners, -1, axis=1)], axis=-1).reshape(-1, 2))
        points, both_ways = mesh.points, np.unique(np.sort(np.concatenate(edges), axis=1), axis=0)
    actor = line_actor(poly_data(points, lines=both_ways), theme.ink, 0.8 * ratio, 0.01)
    actor.GetProperty().SetOpacity(0.45)
    return actor


def _sharp_cells(mesh: Mesh, theme: Theme) -> list[vtkActor]:
    """Cells with a sharp angle, filled so that they are seen."""
    if mesh.dimension == 1:
        return []
    sharp = quality_of(mesh).sharp
    actors, start = [], 0
    for block in mesh.blocks:
        own = sharp[(sharp >= start) & (sharp < start + len(block.nodes))] - start
        if len(own):
            corners = block.nodes[own, : CELL_FAMILIES[block.family].corners]
            actors.append(plain_actor(poly_data(mesh.points, polygons=corners, level=0.005), theme.off))
        start += len(block.nodes)
    return actors


def _outlines(geometry: BodyGeometry, theme: Theme, ratio: float) -> list[vtkActor]:
    segments = drawing_of(geometry).segments
    actors = []
    for outer, width in ((False, 1.0), (True, 1.8)):
        pieces = [segments[name] for name, surface in geometry.surfaces.items() if surface.outer == outer]
        if pieces:
            ends = np.concatenate(pieces).reshape(-1, 2)
            lines = np.arange(len(ends)).reshape(-1, 2)
            actors.append(line_actor(poly_data(ends, lines=lines), theme.ink, width * ratio, 0.02))
    return actors


def _arrows(mesh: Mesh, flux_at: Callable[[Floats], Floats], view: View) -> list[vtkActor]:
    """Arrows at even spacing on the picture, their length in the ratio of the flux, dark with a light rim."""
    box = view.pixels(np.array([mesh.points.min(axis=0), mesh.points.max(axis=0)]))
    x, y = (_spread(box[0, 0], box[1, 0], view.width), _spread(box[1, 1], box[0, 1], view.height))
    places = view.metres(np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2))
    flux = flux_at(places)
    size = np.linalg.norm(flux, axis=1)
    known = size[np.isfinite(size)]
    largest = usual_most(known)
    seen = np.nan_to_num(size) > max(1e-6 * largest, 1e-300)
    if not seen.any():
        return []
    along = flux[seen] / size[seen, None]
    # At a corner the flux may be large without end: what is beyond the usual is drawn no longer.
    length = np.minimum(size[seen] / largest, 1.0) * ARROW_LENGTH
    rim = _arrow_shapes(places[seen], along, length, view.scale, 1.3)
    core = _arrow_shapes(places[seen], along, length, view.scale, 0.0)
    return [plain_actor(poly_data(*rim, level=0.03), LIGHT.paper), plain_actor(poly_data(*core, level=0.04), LIGHT.ink)]


def _followed(flow: FlowLines, view: View, ratio: float) -> list[vtkActor]:
    """Lines that follow the heat, dark with a light rim, each with a barb in its middle."""
    data = polylines(flow.lines)
    middle, along = (np.array(each) for each in zip(*(_half_way(line) for line in flow.lines), strict=True))
    size = np.full(len(middle), 11.0)
    return [
        line_actor(data, LIGHT.paper, 3.2 * ratio, 0.03),
        plain_actor(poly_data(*_arrow_shapes(middle, along, size, view.scale, 1.0), level=0.03), LIGHT.paper),
        line_actor(data, LIGHT.ink, 1.3 * ratio, 0.04),
        plain_actor(poly_data(*_arrow_shapes(middle, along, size, view.scale, 0.0), level=0.04), LIGHT.ink),
    ]


def _half_way(line: Floats) -> tuple[Floats, Floats]:
    """The place (d,) half way along a line (p, d), and the direction (d,) it has there."""
    steps = np.diff(line, axis=0)
    lengths = np.linalg.norm(steps, axis=1)
    gone = np.cumsum(lengths)
    piece = int(np.searchsorted(gone, gone[-1] / 2))
    back = (gone[piece] - gone[-1] / 2) / max(lengths[piece], 1e-300)
    return line[piece + 1] - back * steps[piece], steps[piece] / max(lengths[piece], 1e-300)


def _spread(low: float, high: float, end: float) -> Floats:
    """Pixels at about the arrow spacing, even from side to side of the body, those outside the picture left out."""
    count = max(1, round((high - low) / ARROW_SPACING))
    if count > 4000:  # zoomed in far: only what is seen matters
        return np.arange(ARROW_SPACING / 2, end, ARROW_SPACING)
    places = low + (np.arange(count) + 0.5) * (high - low) / count
    return places[(places > 0) & (places < end)]


def _arrow_shapes(
    middle: Floats, along: Floats, length: Floats, scale: float, rim: float
) -> tuple[Floats, NDArray[np.int64]]:
    """Corners and polygons of arrows ``length`` pixels long, grown by ``rim`` pixels all round."""
    across = np.column_stack([-along[:, 1], along[:, 0]])
    barb = np.minimum(length * 0.45, 9.0)
    half, thin = barb * 0.4 + 1.4 * rim, np.minimum(length * 0.06, 1.0) + rim

    def corner(forward: Floats, side: Floats | float) -> Floats:
        return middle + scale * (along * forward[:, None] + across * np.asarray(side)[..., None])

    tail, neck, head = -length / 2 - rim, length / 2 - barb - rim, length / 2 + 2 * rim
    corners = np.stack(
        [
            corner(tail, -thin),
            corner(neck, -thin),
            corner(neck, thin),
            corner(tail, thin),
            corner(neck, -half),
            corner(head, 0.0),
            corner(neck, half),
        ],
        axis=1,
    )
    first = np.arange(len(corners))[:, None] * 7
    polygons = np.concatenate([first + np.array([0, 1, 2, 3]), first + np.array([4, 5, 6, 6])])
    return corners.reshape(-1, 2), polygons
