"""What lies under a place of the picture: the surface there, and what is read on it."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.values.display import both_scales, shown
from blunt_ember.case.values.units import LENGTH, TEMPERATURE
from blunt_ember.fem.reading import field_at, temperature_at
from blunt_ember.flow.outcome import Outcome
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.nearest import parted_near
from blunt_ember.picture.body.drawn import drawing_of
from blunt_ember.picture.body.view import View
from blunt_ember.picture.lenses.field import Shade
from blunt_ember.picture.look import CutPlane

#: Pixels within which the pointer is on a surface that is drawn as a line.
SURFACE_REACH = 7.0


@immutable
class _Hit:
    """A place on the skin of a solid: the node numbers of a triangle there, their places among the nodes of all cells,
    and the weight of each."""

    nodes: Ints
    places: Ints
    weights: Floats
    surface: int


class Pointer:
    """Finds what is under the pointer; keeps the skin of the last solid it was asked about."""

    def surface(self, outcome: Outcome, view: View, place: tuple[float, float]) -> str:
        """Return the surface under a place of the picture in pixels, empty for none."""
        geometry = outcome.geometry
        if view.pose is None and geometry is not None and geometry.upright is None:
            return _nearest_line(geometry, view, np.array(place))
        if outcome.mesh is None or view.pose is None:
            return ""
        hit = self._hit(outcome.mesh, view, np.array(place))
        return outcome.mesh.skin.names[hit.surface] if hit is not None and hit.surface >= 0 else ""

    def reading(self, outcome: Outcome, view: View, found: Shade | None, place: tuple[float, float]) -> str:
        """Return what there is to read under a place of the picture; nothing outside the body."""
        if outcome.mesh is None or outcome.geometry is None:
            return ""
        if outcome.geometry.upright is not None or view.pose is not None:
            return self._reading_on_skin(outcome, outcome.mesh, view, found, np.array(place))
        return _reading_in_plane(outcome, outcome.mesh, view, found, np.array(place))

    def point(self, outcome: Outcome, view: View, found: Shade | None, place: tuple[float, float]) -> Floats | None:
        """Return the place (d,) in m of the body under a place of the picture; None outside it."""
        mesh, geometry, at = outcome.mesh, outcome.geometry, np.array(place)
        if mesh is None or geometry is None:
            return None
        if view.pose is None:
            flat = view.metres(at[None])[:, : mesh.dimension]
            reach = SURFACE_REACH * view.scale
            near = flat + reach * np.array([[0, 0], [1, 0], [-1, 0], [0, 1], [0, -1]])[:, : mesh.dimension]
            return flat[0] if (geometry.owner_at(near) >= 0).any() else None
        cuts = found.cuts if found is not None else ()
        hit = None if _only_planes(found) else self._hit(mesh, view, at, cuts[0] if cuts else None)
        on_plane = _on_planes(mesh, view, found, at, _nearness(hit, mesh, view)) if found is not None and cuts else None
        if on_plane is None and hit is None:
            return None
        seen, normal = (on_plane[0], on_plane[2]) if on_plane is not None else _on_skin(hit, mesh)  # type: ignore[arg-type]
        joint = parted_near(mesh, seen, SURFACE_REACH * view.scale, normal)
        return seen if joint is None else joint[1]

    def sees(self, mesh: Mesh, view: View, point: Floats) -> bool:
        """Tell whether a place (3,) in m on the skin of a solid is seen, with nothing of the skin before it."""
        hit = self._hit(mesh, view, view.pixels(point[None])[0])
        slack = 1e-3 * float(np.ptp(mesh.points, axis=0).max())
        return hit is not None and _nearness(hit, mesh, view) <= float(view.nearness(point[None])[0]) + slack

    def region_labels(self, outcome: Outcome, view: View) -> list[tuple[str, tuple[float, float]]]:
        """Return the names of the regions of a solid that are seen, each with a pixel in the middle of what is seen."""
        if outcome.mesh is None or view.pose is None:
            return []
        middles: dict[int, list[Floats]] = {}
        towards = view.pose.axes[2]
        for part in outcome.mesh.skin.parts:
            corners = outcome.mesh.points[part.corners]
            facing = np.cross(corners[:, 2] - corners[:, 0], corners[:, -1] - corners[:, 1]) @ towards > 0
            for region in np.unique(part.region[facing]).tolist():
                middles.setdefault(region, []).append(corners[facing & (part.region == region)].mean(axis=1))
        labels = []
        for region, found in sorted(middles.items()):
            places = np.concatenate(found)
            pixels = view.pixels(places)
            nearest = np.linalg.norm(pixels - pixels.mean(axis=0), axis=1).argmin()
            labels.append((outcome.mesh.regions[region], (float(pixels[nearest, 0]), float(pixels[nearest, 1]))))
        return labels

    def _hit(self, mesh: Mesh, view: View, place: Floats, opening: CutPlane | None = None) -> _Hit | None:
        """What of the skin is under a place, of one side of the plane that opens the body if there is one."""
        best, found = -np.inf, None
        for part in mesh.skin.parts:
            local = CELL_FAMILIES[part.family].triangles
            triangles = part.nodes[:, local].reshape(-1, 3)
            corners = view.pixels(mesh.points[triangles].reshape(-1, 3)).reshape(-1, 3, 2)
            weights = _barycentric(corners, place)
            inside = np.flatnonzero((weights >= -1e-9).all(axis=1))
            if opening is not None:
                at = np.einsum("tk,tk->t", mesh.points[triangles[inside]][..., opening.axis], weights[inside])
                inside = inside[(at < opening.at) == opening.flipped]
            if not len(inside):
                continue
            near = (view.nearness(mesh.points[triangles[inside]].reshape(-1, 3)).reshape(-1, 3) * weights[inside]).sum(
                axis=1
            )
            first = inside[near.argmax()]
            if near.max() > best:
                best = float(near.max())
                places = part.places[:, local].reshape(-1, 3)[first]
                found = _Hit(triangles[first], places, weights[first], int(part.surface[first // len(local)]))
        return found

    def _reading_on_skin(self, outcome: Outcome, mesh: Mesh, view: View, found: Shade | None, place: Floats) -> str:
        cuts = found.cuts if found is not None else ()
        hit = None if _only_planes(found) else self._hit(mesh, view, place, cuts[0] if cuts else None)
        if found is not None and cuts:
            on_plane = _on_planes(mesh, view, found, place, _nearness(hit, mesh, view))
            if on_plane is not None:
                point, value, normal = on_plane
                said = _at_joint(outcome, mesh, view, point, normal) or _said(value, found)
                return f"{_where(point, outcome)}\n{said}"
        if hit is None:
            return ""
        point, normal = _on_skin(hit, mesh)
        where = _where(point, outcome)
        if found is None:
            return where
        jump = _at_joint(outcome, mesh, view, point, normal)
        if jump:
            return f"{where}\n{jump}"
        value = float(hit.weights @ np.concatenate([block.ravel() for block in found.values])[hit.places])
        names = mesh.skin.names
        elsewhere = found.surfaces and (hit.surface < 0 or names[hit.surface] not in found.surfaces)
        return where if elsewhere or np.isnan(value) else f"{where}\n{_said(value, found)}"


def _on_skin(hit: _Hit, mesh: Mesh) -> tuple[Floats, Floats]:
    """The place (3,) in m that is hit, and the normal (3,) there."""
    corners = mesh.points[hit.nodes]
    across = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    return np.asarray(hit.weights @ corners), across / np.linalg.norm(across)


def _only_planes(found: Shade | None) -> bool:
    """Whether nothing but planes through the body is drawn."""
    return found is not None and (found.flat or len(found.cuts) > 1)


def _nearness(hit: _Hit | None, mesh: Mesh, view: View) -> float:
    return -np.inf if hit is None else float(view.nearness((hit.weights @ mesh.points[hit.nodes])[None])[0])


def _on_planes(
    mesh: Mesh, view: View, found: Shade, place: Floats, beyond: float
) -> tuple[Floats, float, Floats] | None:
    """The place (3,) on the plane nearest to the eye, the value there and the normal (3,) of the plane.

    None outside the body, and where what lies ``beyond`` is nearer.
    """
    assert view.pose is not None
    right, up, towards = view.pose.axes
    flat = view.metres(place[None])[0]
    base = flat[0] * right + flat[1] * up
    points = [
        (base + (plane.at - base[plane.axis]) / towards[plane.axis] * towards, np.eye(3)[plane.axis])
        for plane in found.cuts
        if abs(towards[plane.axis]) > 1e-6
    ]
    for point, normal in sorted(points, key=lambda each: -float(each[0] @ towards)):
        value = float(field_at(mesh, found.values, point[None])[0])
        if not np.isnan(value) and float(point @ towards) > beyond - 1e-9 * np.abs(mesh.points).max():
            return point, value, normal
    return None


def _barycentric(corners: Floats, place: Floats) -> Floats:
    """Return the weights (t, 3) of a place in triangles (t, 3, 2) that face the eye; −1 in those that do not."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    u, v, w = b - a, c - a, place - a
    area = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]  # pixel rows count downward, so what faces the eye has less than zero
    facing = area < -1e-9
    scale = np.where(facing, area, -1.0)
    second = (w[:, 0] * v[:, 1] - w[:, 1] * v[:, 0]) / scale
    third = (u[:, 0] * w[:, 1] - u[:, 1] * w[:, 0]) / scale
    weights = np.column_stack([1 - second - third, second, third])
    weights[~facing] = -1.0
    return weights


def _nearest_line(geometry: BodyGeometry, view: View, place: Floats) -> str:
    best, name = SURFACE_REACH, ""
    for surface, segments in drawing_of(geometry).segments.items():
        ends = view.pixels(segments.reshape(-1, 2)).reshape(-1, 2, 2)
        along = ends[:, 1] - ends[:, 0]
        square = np.maximum((along**2).sum(axis=1), 1e-12)
        share = np.clip(((place - ends[:, 0]) * along).sum(axis=1) / square, 0, 1)
        distance = float(np.linalg.norm(ends[:, 0] + share[:, None] * along - place, axis=1).min())
        if distance < best:
            best, name = distance, surface
    return name


def _reading_in_plane(outcome: Outcome, mesh: Mesh, view: View, found: Shade | None, place: Floats) -> str:
    point = view.metres(place[None])
    geometry = outcome.geometry
    assert geometry is not None
    heights = drawing_of(geometry).half_heights
    if heights is not None:
        piece = geometry.owner_at(point[:, :1])[0]
        if piece < 0 or abs(point[0, 1]) > heights[piece]:
            return ""
        point = point[:, :1]
    where = _where(point[0], outcome)
    if found is not None and found.surfaces and not np.isnan(value := _on_line(mesh, view, found, place)):
        return f"{where}\n{_said(value, found)}"
    if geometry.owner_at(point)[0] < 0:
        return ""
    if outcome.solution is None or outcome.problem is None:
        return where
    jump = _at_joint(outcome, mesh, view, point[0])
    if jump:
        return f"{where}\n{jump}"
    if found is not None and found.kind.name != TEMPERATURE.name:
        value = float(field_at(mesh, found.values, point)[0]) if not found.surfaces else float("nan")
        return f"{where}\n{_said(value, found)}" if not np.isnan(value) else where
    value = float(temperature_at(mesh, outcome.solution.temperature, point)[0])
    return "" if np.isnan(value) else f"{where}\n{both_scales(round(value, 2), outcome.case.units.of(TEMPERATURE))}"


def _on_line(mesh: Mesh, view: View, found: Shade, place: Floats) -> float:
    """The value of a field of surfaces at a place in pixels that is near one of them; NaN elsewhere."""
    skin = mesh.skin
    numbers = [number for number, name in enumerate(skin.names) if name in found.surfaces]
    every = np.concatenate([block.ravel() for block in found.values])
    nearest, value = SURFACE_REACH, float("nan")
    for part in skin.parts:
        own = np.isin(part.surface, numbers)
        if not own.any():
            continue
        ends = view.pixels(mesh.points[part.nodes[own][:, :2]].reshape(-1, 2)).reshape(-1, 2, 2)
        along = ends[:, 1] - ends[:, 0]
        share = ((place - ends[:, 0]) * along).sum(axis=1) / np.maximum((along**2).sum(axis=1), 1e-12)
        share = np.clip(share, 0, 1)
        distance = np.linalg.norm(ends[:, 0] + share[:, None] * along - place, axis=1)
        best = int(distance.argmin())
        if distance[best] < nearest:
            local = CELL_FAMILIES[part.family].values(np.array([[2 * share[best] - 1]]))[0]
            nearest, value = float(distance[best]), float(local @ every[part.places[own][best]])
    return value


def _at_joint(outcome: Outcome, mesh: Mesh, view: View, point: Floats, normal: Floats | None = None) -> str:
    """The temperatures on both sides of a joint at a place (d,) in m where they differ; else nothing."""
    found = parted_near(mesh, point, SURFACE_REACH * view.scale, normal)
    if found is None or outcome.solution is None:
        return ""
    facets, at = found
    kind, said = outcome.case.units.of(TEMPERATURE), []
    for region in facets.regions:
        value = float(temperature_at(mesh, outcome.solution.temperature, at[None], region)[0])
        said.append(f"{mesh.regions[region]}  {both_scales(round(value, 2), kind)}")
    return "\n".join(said)


def _where(point: Floats, outcome: Outcome) -> str:
    kind = outcome.case.units.of(LENGTH)
    return ", ".join(f"{letter} {shown(value, kind, 4)}" for letter, value in zip("xyz", point.tolist(), strict=False))


def _said(value: float, found: Shade) -> str:
    if found.kind.name == TEMPERATURE.name:
        return both_scales(round(value, 2), found.kind)
    return shown(value, found.kind)
