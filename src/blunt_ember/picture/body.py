"""The body drawn by VTK off screen."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray, vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkLookupTable, vtkPoints, vtkUnsignedCharArray
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkRenderingCore import vtkActor, vtkPolyDataMapper, vtkRenderer

from blunt_ember.errors import BluntEmberError
from blunt_ember.fem.reading import flux_at
from blunt_ember.flow import Outcome
from blunt_ember.mesh.families import FAMILIES
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.quality import quality_of
from blunt_ember.picture.lenses import Lens, Shade
from blunt_ember.picture.palette import LIGHT, Theme, rgb, temperature_map
from blunt_ember.picture.view import View

Floats = NDArray[np.float64]
Image = NDArray[np.uint8]

#: Pixels between the arrows of the heat-flow lens, and the length of the longest.
ARROW_SPACING = 38
ARROW_LENGTH = 27


class BodyRenderer:
    """Draws outcomes into images; keeps one off-screen window, as opening one takes half a second."""

    def __init__(self) -> None:
        self._window = _offscreen_window()
        self._renderer = vtkRenderer()
        self._window.AddRenderer(self._renderer)
        self._renderer.GetActiveCamera().ParallelProjectionOn()

    def draw(
        self, outcome: Outcome, lens: Lens, found: Shade | None, view: View, theme: Theme, pixel_ratio: float = 1.0
    ) -> Image:
        """Return the picture as (height, width, 4) bytes RGBA, top row first; ``found`` is the shade of the lens."""
        self._renderer.RemoveAllViewProps()
        self._renderer.SetBackground(*rgb(theme.stage))
        for actor in _actors(outcome, lens, found, view, theme, pixel_ratio):
            self._renderer.AddActor(actor)
        fine = view.sharper(pixel_ratio)
        self._window.SetMultiSamples(_samples(outcome, lens))
        self._window.SetSize(fine.width, fine.height)
        camera = self._renderer.GetActiveCamera()
        camera.SetFocalPoint(*fine.centre, 0.0)
        camera.SetPosition(*fine.centre, 1.0)
        camera.SetViewUp(0.0, 1.0, 0.0)
        camera.SetParallelScale(fine.height / 2 * fine.scale)
        camera.SetClippingRange(0.5, 1.5)
        self._window.Render()
        pixels = vtkUnsignedCharArray()
        self._window.GetRGBACharPixelData(0, 0, fine.width - 1, fine.height - 1, 0, pixels)
        image: Image = vtk_to_numpy(pixels).reshape(fine.height, fine.width, 4)[::-1].copy()
        image[..., 3] = 255
        return image

    def close(self) -> None:
        """Give the graphics context back."""
        self._renderer.RemoveAllViewProps()
        self._window.Finalize()


def _samples(outcome: Outcome, lens: Lens) -> int:
    """Samples a pixel: upright and level edges are sharp without, and drawing them so takes a third of the time."""
    if outcome.geometry is None or lens == "Heat flow":
        return 4
    curves = outcome.geometry.arrangement.curves
    slanted = np.abs(curves.end - curves.start).min(axis=1, initial=np.inf) > 1e-9 * outcome.geometry.extent
    triangles = lens == "Mesh" and outcome.mesh is not None and any("tri" in b.family for b in outcome.mesh.blocks)
    return 4 if slanted.any() or curves.is_arc.any() or triangles else 0


def _offscreen_window() -> Any:
    """Open a window that needs no display: EGL, or software rendering in memory where the machine has no EGL."""
    from vtkmodules import vtkRenderingOpenGL2

    for name in ("vtkEGLRenderWindow", "vtkOSOpenGLRenderWindow"):
        kind = getattr(vtkRenderingOpenGL2, name, None)
        if kind is not None:
            window = kind()
            window.SetOffScreenRendering(1)
            window.SetSize(16, 16)
            if window.SupportsOpenGL():
                return window
    raise BluntEmberError("no OpenGL could be opened off screen; install Mesa (libegl1 and libgl1-mesa-dri)")


def _actors(
    outcome: Outcome, lens: Lens, found: Shade | None, view: View, theme: Theme, ratio: float
) -> list[vtkActor]:
    mesh, geometry = outcome.mesh, outcome.geometry
    actors: list[vtkActor] = []
    if geometry is None:
        return actors
    if mesh is None:
        return _outlines(outcome, theme, ratio)
    if found is None:
        actors.append(_tinted(outcome, mesh, theme))
    else:
        actors.append(_shaded(mesh, found))
    if lens == "Mesh":
        actors += _sharp_cells(mesh, theme)
        actors.append(_cell_edges(mesh, theme, ratio))
    if lens == "Heat flow" and found is not None:
        actors += _arrows(outcome, view, found.high)
    return actors + _outlines(outcome, theme, ratio)


def _tinted(outcome: Outcome, mesh: Mesh, theme: Theme) -> vtkActor:
    """Regions filled by material."""
    document = outcome.case.document
    order = list(document.materials)
    materials = [document.body.regions[name].material for name in mesh.regions]
    tints = np.array([
        rgb(theme.tints[order.index(m) % len(theme.tints)] if m is not None else theme.field) for m in materials
    ])  # fmt: skip
    surface = _cell_surface(mesh)
    colours = np.concatenate([np.repeat(tints[block.region], block.nodes.shape[1], axis=0) for block in mesh.blocks])
    surface.GetPointData().SetScalars(numpy_to_vtk((colours * 255).astype(np.uint8), deep=True))
    return _actor(surface)


def _shaded(mesh: Mesh, found: Shade) -> vtkActor:
    surface = _cell_surface(mesh)
    values = np.concatenate([block.ravel() for block in found.values])
    surface.GetPointData().SetScalars(numpy_to_vtk(values, deep=True))
    table = vtkLookupTable()
    colours = temperature_map()
    table.SetNumberOfTableValues(len(colours))
    for place, colour in enumerate(colours.tolist()):
        table.SetTableValue(place, [*colour, 1.0])
    actor = _actor(surface)
    mapper = actor.GetMapper()
    mapper.SetLookupTable(table)
    mapper.SetScalarRange(found.low, found.high)
    mapper.InterpolateScalarsBeforeMappingOn()
    return actor


def _cell_surface(mesh: Mesh) -> vtkPolyData:
    """Cells as linear pieces over nodes of their own, so that values may jump between regions."""
    points, pieces, start = [], [], 0
    for block in mesh.blocks:
        drawn = np.array(FAMILIES[block.family].drawn)
        count = block.nodes.shape[1]
        first = start + np.arange(len(block.nodes)) * count
        points.append(mesh.points[block.nodes].reshape(-1, 2))
        pieces.append((first[:, None, None] + drawn).reshape(-1, drawn.shape[1]))
        start += block.nodes.size
    return _poly_data(np.concatenate(points), polygons=np.concatenate(pieces))


def _cell_edges(mesh: Mesh, theme: Theme, ratio: float) -> vtkActor:
    edges = []
    for block in mesh.blocks:
        corners = block.nodes[:, : FAMILIES[block.family].corners]
        edges.append(np.stack([corners, np.roll(corners, -1, axis=1)], axis=-1).reshape(-1, 2))
    both_ways = np.unique(np.sort(np.concatenate(edges), axis=1), axis=0)
    actor = _line_actor(_poly_data(mesh.points, lines=both_ways), theme.ink, 0.8 * ratio, 0.01)
    actor.GetProperty().SetOpacity(0.45)
    return actor


def _sharp_cells(mesh: Mesh, theme: Theme) -> list[vtkActor]:
    """Cells with a sharp angle, filled so that they are seen."""
    sharp = quality_of(mesh).sharp
    actors, start = [], 0
    for block in mesh.blocks:
        own = sharp[(sharp >= start) & (sharp < start + len(block.nodes))] - start
        if len(own):
            corners = block.nodes[own, : FAMILIES[block.family].corners]
            actors.append(_actor(_poly_data(mesh.points, polygons=corners, level=0.005), theme.off))
        start += len(block.nodes)
    return actors


def _outlines(outcome: Outcome, theme: Theme, ratio: float) -> list[vtkActor]:
    assert outcome.geometry is not None
    actors = []
    for surfaces, width in ((outcome.geometry.interfaces, 1.0), (outcome.geometry.outer_surfaces, 1.8)):
        if surfaces:
            ends = np.concatenate([surface.segments for surface in surfaces]).reshape(-1, 2)
            lines = np.arange(len(ends)).reshape(-1, 2)
            actors.append(_line_actor(_poly_data(ends, lines=lines), theme.ink, width * ratio, 0.02))
    return actors


def _arrows(outcome: Outcome, view: View, largest: float) -> list[vtkActor]:
    """Arrows at even spacing on the picture, their length in the ratio of the flux, dark with a light rim."""
    mesh, solution, problem = outcome.mesh, outcome.solution, outcome.problem
    assert mesh is not None and solution is not None and problem is not None
    box = view.pixels(np.array([mesh.points.min(axis=0), mesh.points.max(axis=0)]))
    x, y = (_spread(box[0, 0], box[1, 0], view.width), _spread(box[1, 1], box[0, 1], view.height))
    places = view.metres(np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2))
    flux = flux_at(mesh, solution.temperature, np.array(problem.conductivity), places)
    size = np.linalg.norm(flux, axis=1)
    seen = np.nan_to_num(size) > 1e-6 * largest
    if not seen.any():
        return []
    along = flux[seen] / size[seen, None]
    length = size[seen] / largest * ARROW_LENGTH
    rim = _arrow_shapes(places[seen], along, length, view.scale, 1.3)
    core = _arrow_shapes(places[seen], along, length, view.scale, 0.0)
    return [_actor(_poly_data(*rim, level=0.03), LIGHT.paper), _actor(_poly_data(*core, level=0.04), LIGHT.ink)]


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
        result: Floats = middle + scale * (along * forward[:, None] + across * np.asarray(side)[..., None])
        return result

    tail, neck, head = -length / 2 - rim, length / 2 - barb - rim, length / 2 + 2 * rim
    corners = np.stack([corner(tail, -thin), corner(neck, -thin), corner(neck, thin), corner(tail, thin),
                        corner(neck, -half), corner(head, 0.0), corner(neck, half)], axis=1)  # fmt: skip
    first = np.arange(len(corners))[:, None] * 7
    polygons = np.concatenate([first + np.array([0, 1, 2, 3]), first + np.array([4, 5, 6, 6])])
    return corners.reshape(-1, 2), polygons


def _poly_data(
    points: Floats,
    polygons: NDArray[np.int64] | None = None,
    lines: NDArray[np.int64] | None = None,
    level: float = 0.0,
) -> vtkPolyData:
    data = vtkPolyData()
    places = vtkPoints()
    places.SetData(numpy_to_vtk(np.column_stack([points, np.full(len(points), level)]), deep=True))
    data.SetPoints(places)
    if polygons is not None:
        data.SetPolys(_cell_array(polygons))
    if lines is not None:
        data.SetLines(_cell_array(lines))
    return data


def _cell_array(nodes: NDArray[np.int64]) -> vtkCellArray:
    cells = vtkCellArray()
    offsets = np.arange(0, nodes.size + 1, nodes.shape[1])
    cells.SetData(numpy_to_vtkIdTypeArray(offsets, deep=True), numpy_to_vtkIdTypeArray(nodes.ravel().copy(), deep=True))
    return cells


def _actor(data: vtkPolyData, colour: str | None = None) -> vtkActor:
    mapper = vtkPolyDataMapper()
    mapper.SetInputData(data)
    actor = vtkActor()
    actor.SetMapper(mapper)
    actor.GetProperty().LightingOff()
    if colour is not None:
        mapper.ScalarVisibilityOff()
        actor.GetProperty().SetColor(*rgb(colour))
    return actor


def _line_actor(data: vtkPolyData, colour: str, width: float, level: float) -> vtkActor:
    actor = _actor(data, colour)
    actor.GetProperty().SetLineWidth(width)
    actor.SetPosition(0.0, 0.0, level)
    return actor
