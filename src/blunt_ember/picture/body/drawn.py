"""How each kind of body is drawn: the room it takes in a picture, its lines, and where its surfaces run."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.rod import RodGeometry
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.mesh.cells.facets import borders
from blunt_ember.mesh.imported import ImportedGeometry
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.picture.body.pose import Pose, facing, first_pose
from blunt_ember.picture.look import Look

#: A rod is drawn at least so thick, as a share of its length.
THICKEST_AT_LEAST = 1 / 12


class BodyDrawing:
    """A body drawn as it lies."""

    def __init__(self, geometry: BodyGeometry) -> None:
        self._geometry = geometry

    @property
    def box(self) -> tuple[Floats, Floats]:
        """Lower and upper corner (2 or 3,) in m of what is drawn."""
        return np.array(self._geometry.low), np.array(self._geometry.high)

    @property
    def half_heights(self) -> Floats | None:
        """Half the height (r,) in m that each region is drawn by where the body is a line; None where it is none."""
        return None

    @property
    def segments(self) -> Mapping[str, Floats]:
        """Straight pieces (n, 2, 2) in m that each surface of a flat body is drawn by."""
        return {}

    @property
    def name_boxes(self) -> dict[str, tuple[float, float, float, float]]:
        """Boxes (x0, y0, x1, y1) in m of the regions that are named on the picture, by name."""
        return {region.name: region.box for region in self._geometry.regions if not region.void}

    def edges(self, mesh: Mesh) -> Floats:
        """Return the edges of a body in space as straight lines (n, 2, 3) in m."""
        return mesh.points[borders(mesh.skin)]


class _RodDrawing(BodyDrawing):
    """A rod drawn as a strip, as thick as a round one would be: all enlarged alike if it is thin."""

    def __init__(self, geometry: RodGeometry) -> None:
        super().__init__(geometry)
        self._rod = geometry
        radius = np.sqrt(np.array(geometry.space.areas) / np.pi)
        self._half = radius * max(1.0, geometry.length * THICKEST_AT_LEAST / (2 * float(radius.max())))

    @property
    def box(self) -> tuple[Floats, Floats]:
        """The strip."""
        thick = float(self._half.max())
        return np.array([0.0, -thick]), np.array([self._rod.length, thick])

    @property
    def half_heights(self) -> Floats:
        """Radii."""
        return self._half

    @property
    def name_boxes(self) -> dict[str, tuple[float, float, float, float]]:
        """The strip of each piece."""
        pieces = zip(self._rod.regions, self._half.tolist(), strict=True)
        return {piece.name: (piece.box[0], -half, piece.box[2], half) for piece, half in pieces}

    @property
    def segments(self) -> Mapping[str, Floats]:
        """Both edges of a side, and a line across for an end or a joint."""
        half, stations, segments = self._half, self._rod.stations, {}
        for name, surface in self._rod.surfaces.items():
            first, last = surface.regions[0], surface.regions[-1]
            if name.endswith(".side"):
                ends = [(stations[first], stations[first + 1])] * 2
                pieces = [[(a, y), (b, y)] for (a, b), y in zip(ends, (half[first], -half[first]), strict=True)]
            else:
                x = stations[last] if name.endswith(".start") or not surface.outer else stations[last + 1]
                y = min(half[first], half[last])
                pieces = [[(x, -y), (x, y)]]
            segments[name] = np.array(pieces)
        return segments


class _SectionDrawing(BodyDrawing):
    """A section drawn by its outlines."""

    def __init__(self, geometry: SectionGeometry) -> None:
        super().__init__(geometry)
        self._segments = {name: surface.segments for name, surface in geometry.surfaces.items()}

    @property
    def segments(self) -> Mapping[str, Floats]:
        """Its outlines."""
        return self._segments


class _SolidDrawing(BodyDrawing):
    """A solid drawn with the edges its shape has."""

    def __init__(self, geometry: SolidGeometry) -> None:
        super().__init__(geometry)
        self._creases = geometry.creases

    def edges(self, mesh: Mesh) -> Floats:
        """Its creases."""
        return self._creases


class _ReadDrawing(BodyDrawing):
    """A body that was read, drawn by the facets it has."""

    def __init__(self, geometry: ImportedGeometry) -> None:
        super().__init__(geometry)
        self._mesh = geometry.mesh

    @property
    def name_boxes(self) -> dict[str, tuple[float, float, float, float]]:
        """None: where its regions lie only the cells know."""
        return {}

    @property
    def segments(self) -> Mapping[str, Floats]:
        """Facets from end to end."""
        return {
            name: np.concatenate([self._mesh.points[block.nodes[:, :2]] for block in facets.blocks])
            for name, facets in self._mesh.surfaces.items()
        }


#: How a body is drawn, by its geometry.
DRAWINGS: Mapping[type[BodyGeometry], Callable[[Any], BodyDrawing]] = MappingProxyType(
    {
        RodGeometry: _RodDrawing,
        SectionGeometry: _SectionDrawing,
        SolidGeometry: _SolidDrawing,
        ImportedGeometry: _ReadDrawing,
    }
)


def drawing_of(geometry: BodyGeometry) -> BodyDrawing:
    """Return how a body is drawn."""
    return DRAWINGS[type(geometry)](geometry)


def drawn_box(geometry: BodyGeometry) -> tuple[Floats, Floats]:
    """Return the lower and upper corner (2 or 3,) in m of what is drawn."""
    return drawing_of(geometry).box


def pose_of(geometry: BodyGeometry) -> Pose | None:
    """Return how a solid is first seen; None for what is drawn flat."""
    return None if geometry.upright is None else first_pose(geometry.upright)


def seen_pose(geometry: BodyGeometry, look: Look) -> Pose | None:
    """Return how a body is first seen by a look: straight on where one plane is drawn alone."""
    pose = pose_of(geometry)
    return pose if pose is None or look.face is None else facing(look.face.axis, pose.upright)
