"""Solids as they are drawn: their skin in soft light, its edges, and the surfaces that are pointed at."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import numpy_to_vtk
from vtkmodules.vtkCommonDataModel import vtkPolyData
from vtkmodules.vtkFiltersCore import vtkContourFilter, vtkFeatureEdges, vtkTubeFilter
from vtkmodules.vtkRenderingCore import vtkActor

from blunt_ember.arrays import Floats
from blunt_ember.fem.reading import field_at
from blunt_ember.flow.outcome import Outcome
from blunt_ember.mesh.cells.facets import FacetPart, Skin, cells_of, normals, some_of
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.cells.quality import quality_of
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.picture.body.actors import colour_by_shade, line_actor, plain_actor, region_colours
from blunt_ember.picture.body.arrows import arrow_shapes, even_places, spacing_of, triangles_of, usual_most
from blunt_ember.picture.body.drawn import drawing_of
from blunt_ember.picture.body.flow_lines import FlowLines
from blunt_ember.picture.body.inside import cut, grid_of, plane_function, within_range
from blunt_ember.picture.body.vtk_data import poly_data, polylines
from blunt_ember.picture.lenses.field import Shade
from blunt_ember.picture.lenses.registry import LENSES
from blunt_ember.picture.look import CutPlane
from blunt_ember.picture.palette import LIGHT, Theme

#: Half a stroke, as a share of the side of its facet.
_STROKE = 0.2
_MOST_STROKES = 2_000
#: Half the thickness of a line that follows the heat, as a share of the size of the body.
_TUBE = 0.0035
#: How light an arrow is where no light falls on it.
_ARROW_LIGHT = 0.55


class SolidScene:
    """What draws one outcome through one lens; kept while only the eye moves."""

    def __init__(self, outcome: Outcome, lens: str, found: Shade | None, theme: Theme, ratio: float) -> None:
        self._shown = (outcome.geometry, outcome.mesh, outcome.case.document.materials, lens, found, theme)
        self._unstated = outcome.unstated if LENSES[lens].unstated else ()
        self._theme, self._ratio = theme, ratio
        self._mesh, self._skin = outcome.mesh, Skin((), ())
        self._actors: list[vtkActor] = []
        self._faces: list[vtkPolyData] = []
        self._follows = found is not None and found.flow_lines is not None
        opened = found is not None and (found.cuts or (found.vanish and any(found.narrowed)))
        on_surfaces = found is not None and bool(found.surfaces)
        if found is not None and opened and outcome.mesh is not None and not on_surfaces:
            self._actors = self._opened(outcome.mesh, found)
        elif outcome.mesh is not None:
            self._skin = outcome.mesh.skin
            for part in self._skin.parts:
                self._actors.append(self._filled(outcome, outcome.mesh, part, found))
                open_ones = np.isin(part.surface, [self._skin.names.index(name) for name in self._unstated])
                if open_ones.any():
                    self._actors.append(_strokes(outcome.mesh, some_of(part, open_ones), theme, ratio))
                if LENSES[lens].cells:
                    self._actors += self._sharp(outcome.mesh, part)
                    self._actors.append(_edges(outcome.mesh, part, theme, ratio))
        if found is not None and found.cuts and on_surfaces and outcome.mesh is not None:
            self._actors = self._opened_skin(outcome.mesh, found)
        if found is not None and found.flow_lines is not None and found.flow_lines.lines:
            self._actors.append(self._tubes(found.flow_lines, found))
        if found is not None and found.arrows is not None and outcome.mesh is not None:
            self._actors += self._arrows(outcome.mesh, found.arrows, found.flat)
        if found is not None and found.flat:
            self._actors += [_rim(face, theme, ratio) for face in self._faces]
            return
        # On a field a colour that is seen on the darkest and on the lightest of the map.
        colour = theme.ink if found is None or self._follows else LIGHT.quiet
        if outcome.geometry is not None and outcome.mesh is not None:
            self._actors.append(_creases(drawing_of(outcome.geometry).edges(outcome.mesh), colour, ratio))

    def shows(self, outcome: Outcome, lens: str, found: Shade | None, theme: Theme, ratio: float) -> bool:
        """Tell whether this is already what is asked for."""
        asked = (outcome.geometry, outcome.mesh, outcome.case.document.materials, lens, found, theme)
        same = all(one is other for one, other in zip(asked, self._shown, strict=True))
        return same and ratio == self._ratio and self._unstated == (outcome.unstated if LENSES[lens].unstated else ())

    def actors(self, lit: Collection[str]) -> list[vtkActor]:
        """Return everything to draw, with the ``lit`` surfaces marked."""
        if self._mesh is None or not lit:
            return self._actors
        numbers = [number for number, name in enumerate(self._skin.names) if name in lit]
        marked = []
        for part in self._skin.parts:
            chosen = np.isin(part.surface, numbers)
            if chosen.any():
                marked.append(self._marked(self._mesh, part, chosen))
        return [*self._actors, *marked]

    def _filled(self, outcome: Outcome, mesh: Mesh, part: FacetPart, found: Shade | None) -> vtkActor:
        surface = _surface(mesh, part)
        if found is None or self._follows:
            colours = np.repeat(region_colours(outcome, self._theme)[part.region], part.nodes.shape[1], axis=0)
            surface.GetPointData().SetScalars(numpy_to_vtk(colours, deep=True))
        else:
            values = np.concatenate([block.ravel() for block in found.values])[part.places]
            if found.surfaces:
                own = [number for number, name in enumerate(self._skin.names) if name in found.surfaces]
                values[~np.isin(part.surface, own)] = np.nan
            surface.GetPointData().SetScalars(numpy_to_vtk(found.places(values.ravel()), deep=True))
        actor = _softly_lit(plain_actor(surface))
        if self._follows:
            _only_behind(actor)
        elif found is not None:
            colour_by_shade(actor, found, self._theme)
        self._faces.append(surface)
        if found is not None and found.bands and not self._follows:
            self._actors.append(_level_lines(surface, found, self._ratio))
        return actor

    def _opened(self, mesh: Mesh, found: Shade) -> list[vtkActor]:
        """What of the body lies in the range, opened by one plane, or only what lies on several."""
        grid = grid_of(mesh, found)
        actors = []
        # What vanishes is cut away here; what is left meets the ends of the range but for round-off.
        colours = replace(found, narrowed=(False, False)) if found.vanish else found
        if len(found.cuts) < 2 and not found.flat:
            skin = within_range(grid, found)
            shell = _softly_lit(plain_actor(skin, self._theme.tints[0] if self._follows else None))
            if self._follows:
                _only_behind(shell)
            else:
                colour_by_shade(shell, colours, self._theme)
            if found.cuts:
                _open_at(shell, found.cuts[0])
            else:
                self._faces.append(skin)
            actors.append(shell)
            if found.bands and not self._follows:
                lines = _level_lines(skin, found, self._ratio)
                if found.cuts:
                    _open_at(lines, found.cuts[0])
                actors.append(lines)
        for plane in found.cuts:
            self._faces.append(cut(grid, plane, found))
            face = plain_actor(self._faces[-1])
            colour_by_shade(face, colours, self._theme)
            actors.append(face)
            if found.bands:
                actors.append(_level_lines(self._faces[-1], found, self._ratio))
        return actors

    def _opened_skin(self, mesh: Mesh, found: Shade) -> list[vtkActor]:
        """The skin opened by one plane, or none of it, and what of the planes lies in the body."""
        skin = [] if len(found.cuts) > 1 or found.flat else self._actors
        for actor in skin:
            _open_at(actor, found.cuts[0])
        self._faces = [cut(grid_of(mesh, found), plane, found) for plane in found.cuts]
        return [*skin, *(plain_actor(face, self._theme.hairline) for face in self._faces)]

    def _tubes(self, flow: FlowLines, found: Shade) -> vtkActor:
        """Lines that follow the heat, coloured by what the lens shows along them."""
        assert self._mesh is not None
        data = polylines(flow.lines)
        places = found.places(field_at(self._mesh, found.values, np.concatenate(flow.lines)))
        data.GetPointData().SetScalars(numpy_to_vtk(places, deep=True))
        tubes = vtkTubeFilter()
        tubes.SetInputData(data)
        tubes.SetRadius(_TUBE * float(np.linalg.norm(np.ptp(self._mesh.points, axis=0))))
        tubes.SetNumberOfSides(8)
        tubes.Update()
        actor = _softly_lit(plain_actor(tubes.GetOutput()))
        colour_by_shade(actor, found, self._theme)
        if len(found.cuts) == 1:
            _open_at(actor, found.cuts[0])
        return actor

    def _arrows(self, mesh: Mesh, flux_at: Callable[[Floats], Floats], flat: bool) -> list[vtkActor]:
        """Arrows on what is drawn, light with a dark rim; on a flat picture only what of them lies in it."""
        spacing = spacing_of(mesh.points)
        places, away = even_places(np.concatenate([triangles_of(face) for face in self._faces]), spacing)
        flux = flux_at(places - 1e-3 * spacing * away)
        if flat:
            flux = flux - (flux * away).sum(axis=1, keepdims=True) * away
        known = ~np.isnan(flux).any(axis=1)
        places, away, flux = places[known], away[known], flux[known]
        largest = usual_most(np.linalg.norm(flux, axis=1))
        rim, core = (arrow_shapes(places, away, flux, largest, spacing, grown) for grown in (0.03, 0.0))
        behind = plain_actor(rim, LIGHT.ink)
        behind.GetProperty().FrontfaceCullingOn()
        front = plain_actor(core, LIGHT.paper)
        front.GetProperty().LightingOn()
        front.GetProperty().SetAmbient(_ARROW_LIGHT)
        front.GetProperty().SetDiffuse(1 - _ARROW_LIGHT)
        return [behind, front]

    def _sharp(self, mesh: Mesh, part: FacetPart) -> list[vtkActor]:
        """Facets of cells with a sharp angle, filled so that they are seen."""
        chosen = np.isin(cells_of(mesh, part), quality_of(mesh).sharp)
        if not chosen.any():
            return []
        actor = plain_actor(_surface(mesh, some_of(part, chosen)), self._theme.off)
        _in_front(actor, 1.0)
        return [actor]

    def _marked(self, mesh: Mesh, part: FacetPart, chosen: NDArray[np.bool_]) -> vtkActor:
        actor = plain_actor(_surface(mesh, some_of(part, chosen)), self._theme.ember)
        actor.GetProperty().SetOpacity(0.55)
        _in_front(actor, 2.0)
        return actor


def _surface(mesh: Mesh, part: FacetPart) -> vtkPolyData:
    """Facets as linear pieces over nodes of their own, with the normals of the true surface."""
    drawn = np.array(CELL_FAMILIES[part.family].drawn)
    count = part.nodes.shape[1]
    first = np.arange(len(part.nodes)) * count
    pieces = (first[:, None, None] + drawn).reshape(-1, drawn.shape[1])
    data = poly_data(mesh.points[part.nodes].reshape(-1, 3), polygons=pieces)
    data.GetPointData().SetNormals(numpy_to_vtk(normals(part, mesh.points).reshape(-1, 3), deep=True))
    return data


def _level_lines(drawn: vtkPolyData, found: Shade, ratio: float) -> vtkActor:
    """Lines between the bands, on what has the places on the scale as its scalars."""
    lines = vtkContourFilter()
    lines.SetInputData(drawn)
    for number, place in enumerate(found.places(found.levels).tolist()):
        lines.SetValue(number, place)
    lines.Update()
    actor = line_actor(lines.GetOutput(), LIGHT.ink, 0.8 * ratio)
    _in_front(actor, 2.0)
    return actor


def _only_behind(actor: vtkActor) -> None:
    """Draw only the walls behind what is inside, as they are seen from within."""
    actor.GetProperty().FrontfaceCullingOn()


def _open_at(actor: vtkActor, plane: CutPlane) -> None:
    """Draw only what lies on the side of a plane that is kept."""
    actor.GetMapper().AddClippingPlane(plane_function(plane))


def _rim(face: vtkPolyData, theme: Theme, ratio: float) -> vtkActor:
    """What a face ends at."""
    edges = vtkFeatureEdges()
    edges.SetInputData(face)
    edges.BoundaryEdgesOn()
    edges.FeatureEdgesOff()
    edges.NonManifoldEdgesOff()
    edges.ManifoldEdgesOff()
    edges.ColoringOff()
    edges.Update()
    actor = line_actor(edges.GetOutput(), theme.ink, 1.6 * ratio)
    _in_front(actor, 4.0)
    return actor


def _softly_lit(actor: vtkActor) -> vtkActor:
    """Weak light, so that colours keep their meaning."""
    look = actor.GetProperty()
    look.LightingOn()
    look.SetInterpolationToGouraud()
    look.SetAmbient(0.8)
    look.SetDiffuse(0.24)
    look.SetSpecular(0.0)
    mapper = actor.GetMapper()
    mapper.SetResolveCoincidentTopologyToPolygonOffset()
    mapper.SetRelativeCoincidentTopologyPolygonOffsetParameters(1.5, 8.0)  # behind the lines that lie on it
    return actor


def _in_front(actor: vtkActor, steps: float) -> None:
    """Let an actor win where it lies on another."""
    mapper = actor.GetMapper()
    mapper.SetResolveCoincidentTopologyToPolygonOffset()
    mapper.SetRelativeCoincidentTopologyPolygonOffsetParameters(0.0, -steps)
    mapper.SetRelativeCoincidentTopologyLineOffsetParameters(0.0, -steps * 2)


def _strokes(mesh: Mesh, part: FacetPart, theme: Theme, ratio: float) -> vtkActor:
    """A short stroke in the middle of facets, for surfaces on which nothing is stated."""
    corners = mesh.points[part.corners[:: max(1, len(part.corners) // _MOST_STROKES)]]
    middle, along = corners.mean(axis=1), corners[:, 1] - corners[:, 0]
    ends = np.stack([middle - _STROKE * along, middle + _STROKE * along], axis=1).reshape(-1, 3)
    actor = line_actor(poly_data(ends, lines=np.arange(len(ends)).reshape(-1, 2)), theme.quiet, 1.4 * ratio)
    _in_front(actor, 4.0)
    return actor


def _edges(mesh: Mesh, part: FacetPart, theme: Theme, ratio: float) -> vtkActor:
    corners = part.corners.shape[1]
    following = np.roll(np.arange(corners), -1)
    ends = [part.nodes[:, :corners], part.nodes[:, following]]
    if part.nodes.shape[1] > corners:
        middle = part.nodes[:, corners : 2 * corners]
        halves = [np.stack([ends[0], middle], axis=-1), np.stack([middle, ends[1]], axis=-1)]
    else:
        halves = [np.stack(ends, axis=-1)]
    lines = np.unique(np.sort(np.concatenate([half.reshape(-1, 2) for half in halves]), axis=1), axis=0)
    used, compact = np.unique(lines, return_inverse=True)
    actor = line_actor(poly_data(mesh.points[used], lines=compact.reshape(-1, 2)), theme.ink, 0.8 * ratio)
    actor.GetProperty().SetOpacity(0.5)
    _in_front(actor, 4.0)
    return actor


def _creases(lines: Floats, colour: str, ratio: float) -> vtkActor:
    ends = lines.reshape(-1, 3)
    actor = line_actor(poly_data(ends, lines=np.arange(len(ends)).reshape(-1, 2)), colour, 1.5 * ratio)
    _in_front(actor, 6.0)
    return actor
