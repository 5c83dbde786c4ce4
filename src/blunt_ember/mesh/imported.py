"""Bodies read from mesh files: cells and their groups as regions, facets and their groups as surfaces."""

from __future__ import annotations

import contextlib
import io
from collections.abc import Iterator, Mapping
from dataclasses import field, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.document.bodies import Imported
from blunt_ember.errors import CaseError, Fault
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.regions import RegionGeometry, Surface
from blunt_ember.geometry.space import Plane, Solid, Space
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.facets import FacetPart, all_facets, cells_of, facet_keys
from blunt_ember.mesh.cells.families import CELL_FAMILIES, CellFamily
from blunt_ember.mesh.derived.uniform_refinement import uniformly_refined
from blunt_ember.mesh.files.mesh_file_limits import require_readable
from blunt_ember.mesh.local_sizes import require_few
from blunt_ember.mesh.mesh import CellBlock, FacetBlock, FacetSet, Mesh
from blunt_ember.mesh.mesh_request import MeshRequest
from blunt_ember.ordinary_file import FileRefusedError

#: Open formats of mesh files that belong to no one program.
MESH_SUFFIXES = (".vtu", ".vtk", ".xdmf")
#: Cell types of mesh files by the names of our families; ``meshio`` orders their nodes as VTK does.
TYPES = {
    "line": "line2",
    "line3": "line3",
    "triangle": "tri3",
    "triangle6": "tri6",
    "quad": "quad4",
    "quad9": "quad9",
    "tetra": "tet4",
    "tetra10": "tet10",
    "hexahedron": "hex8",
    "hexahedron27": "hex27",
    "wedge": "wedge6",
    "wedge18": "wedge18",
}
_REST = "body"
FacetKeys = NDArray[np.uint64]
#: Neighbouring facets that bend less than this lie on one face, when the file names no surfaces, degrees.
_BEND = 35.0


@immutable
class ImportedGeometry(BodyGeometry):
    """The geometry a mesh has by itself, as one that was read has: its regions, and surfaces with areas in m²."""

    space: Space
    regions: tuple[RegionGeometry, ...]
    surfaces: Mapping[str, Surface]
    low: tuple[float, ...]
    high: tuple[float, ...]
    mesh: Mesh = field(repr=False)
    #: The axis that points up where it is looked at: 1 for y, 2 for z; None for what lies in a plane.
    up: int | None

    @property
    def upright(self) -> int | None:
        """The axis that points up."""
        return self.up

    def owner_at(self, points: Floats) -> Ints:
        """Return 0 for every place in the box about the body: which cell it lies in is the reading's to find."""
        inside = ((points >= np.array(self.low)) & (points <= np.array(self.high))).all(axis=1)
        return np.where(inside, 0, VOID)

    def cuts(self, start: Floats, end: Floats) -> Floats:
        """Return no cuts: a mesh has no outlines."""
        return np.zeros(0)


def mesh_as_read(geometry: ImportedGeometry, request: MeshRequest) -> Mesh:
    """Return the mesh that was read, its cells halved as often as asked; raises :class:`CaseError` for too many."""
    mesh, refinement = geometry.mesh, request.refinement
    require_few(float(mesh.cell_count) * refinement**mesh.dimension)
    while refinement > 1:
        mesh, refinement = uniformly_refined(mesh), refinement / 2
    return mesh


def imported_geometry(body: Imported, folder: str) -> ImportedGeometry:
    """Read a mesh file; raise :class:`CaseError` that names what in it cannot be used."""
    data = _read(Path(folder) / body.file)
    top, blocks = _cells(data)
    points = np.asarray(data.points, dtype=float)
    if not np.isfinite(points).all():
        raise _fault(f"point {int(np.flatnonzero(~np.isfinite(points).all(axis=1))[0])} has no finite coordinates")
    points = points * body.unit.si
    if top == 2:
        if np.ptp(points[:, 2:], axis=0).any():
            raise _fault("it is a mesh of triangles and quadrilaterals that do not lie in the x–y plane")
        points = points[:, :2]
    names, regions = _regions(data, top, blocks)
    used = np.unique(np.concatenate([nodes.ravel() for _, nodes, _ in blocks]))
    compact = np.full(len(points), -1, dtype=np.int64)
    compact[used] = np.arange(len(used))
    points = points[used]
    cells = tuple(
        CellBlock(family, _right_way_round(family, compact[nodes], points, first), region)
        for (family, nodes, first), region in zip(blocks, regions, strict=True)
    )
    space: Space = Solid() if top == 3 else Plane(body.depth.si if body.depth is not None else 1.0)
    order = max(CELL_FAMILIES[block.family].order for block in cells)
    mesh = Mesh(points, cells, {}, names, order, space)
    _require_apart(mesh)
    mesh = replace(mesh, surfaces=_surfaces(mesh, _facet_groups(data, top, compact)))
    low, high = points.min(axis=0), points.max(axis=0)
    box = (float(low[0]), float(low[1]), float(high[0]), float(high[1]))
    surfaces = {name: Surface(name, facets.regions, _area(facets, mesh)) for name, facets in mesh.surfaces.items()}
    return ImportedGeometry(
        space,
        tuple(RegionGeometry(name, box) for name in names),
        surfaces,
        tuple(low.tolist()),
        tuple(high.tolist()),
        mesh,
        2 if top == 3 else None,
    )


def _fault(what: str) -> CaseError:
    return CaseError((Fault(("body", "file"), what),))


def _read(path: Path) -> Any:
    import meshio  # here, as it takes a while and few cases need it

    if path.suffix.lower() not in MESH_SUFFIXES:
        usable = ", ".join(MESH_SUFFIXES)
        raise _fault(f"'{path.suffix}' is no kind of mesh file that is read; what can be is {usable}")
    said = io.StringIO()
    try:
        require_readable(path)
    except FileRefusedError as error:
        raise _fault(str(error)) from error
    try:
        with contextlib.redirect_stdout(said), contextlib.redirect_stderr(said), np.errstate(all="ignore"):
            if path.suffix.lower() == ".xdmf":
                from blunt_ember.mesh.files.xdmf_file import read_xdmf

                return read_xdmf(path)
            return meshio.read(path)
    except (Exception, SystemExit) as error:  # its readers let anything through, and some leave the program
        if not path.exists():
            raise _fault(f"there is no file {path}; say where the mesh is, from the folder of the case") from error
        why = " ".join((said.getvalue().strip() or str(error) or type(error).__name__).split())
        raise _fault(f"{path.name} cannot be read as a mesh: {why[:300]}") from error


def _cells(data: Any) -> tuple[int, list[tuple[str, Ints, int]]]:
    """Return the dimension of the body and its cells: (family, nodes, number of the first in the file)."""
    known = {block.type: TYPES.get(block.type) for block in data.cells}
    dimensions = [CELL_FAMILIES[family].dimension for family in known.values() if family is not None]
    solid_but_unknown = [name for name, family in known.items() if family is None and name not in ("vertex", "vertex1")]
    if solid_but_unknown:
        usable = ", ".join(TYPES)
        raise _fault(f"its cells of type '{solid_but_unknown[0]}' cannot be used; what can is {usable}")
    top = max(dimensions, default=0)
    if top < 2:
        raise _fault("it holds no cells that fill an area or a volume")
    blocks, first, orders = [], 0, set()
    for block in data.cells:
        family = TYPES.get(block.type)
        nodes = np.asarray(block.data, dtype=np.int64)
        if nodes.size and (nodes.min() < 0 or nodes.max() >= len(data.points)):
            bad = int(np.flatnonzero(((nodes < 0) | (nodes >= len(data.points))).any(axis=1))[0])
            raise _fault(f"cell {first + bad} ({block.type}) refers to a point that is not there")
        if family is not None and CELL_FAMILIES[family].dimension == top and len(nodes):
            blocks.append((family, nodes, first))
            orders.add(CELL_FAMILIES[family].order)
        first += len(nodes)
    if len(orders) > 1:
        raise _fault("it mixes linear and quadratic cells, which do not fit together; write it with one of the two")
    return top, blocks


def _groups(data: Any, top: int) -> Iterator[tuple[str, int, list[tuple[int, Ints]]]]:
    """Yield (name, dimension, [(block number, cells)]) of every named group of cells."""
    dimension = [CELL_FAMILIES[TYPES[b.type]].dimension if b.type in TYPES else 0 for b in data.cells]
    for key, values in data.cell_data.items():
        arrays = [np.asarray(value) for value in values]
        if any(array.ndim != 1 or array.dtype.kind not in "iub" for array in arrays):
            continue
        for flat in sorted(set(dimension)):
            own = [(place, array) for place, array in enumerate(arrays) if dimension[place] == flat]
            numbers = np.unique(np.concatenate([array for _, array in own]))
            is_mask = set(numbers.tolist()) <= {0, 1}
            for number in numbers.tolist():
                if (is_mask and number == 0) or flat < top - 1:
                    continue
                name = key if is_mask else f"{key} {number}"
                yield (
                    name,
                    flat,
                    [(place, np.flatnonzero(array == number)) for place, array in own if (array == number).any()],
                )


def _regions(data: Any, top: int, blocks: list[tuple[str, Ints, int]]) -> tuple[tuple[str, ...], list[Ints]]:
    """Return the names of the regions and that of every cell; cells in no group make one of their own."""
    solid = [
        place
        for place, b in enumerate(data.cells)
        if b.type in TYPES and CELL_FAMILIES[TYPES[b.type]].dimension == top and len(b.data)
    ]
    regions = [np.full(len(nodes), -1, dtype=np.int64) for _, nodes, _ in blocks]
    names: list[str] = []
    for name, flat, found in _groups(data, top):
        if flat != top:
            continue
        fresh = [(place, cells[regions[solid.index(place)][cells] < 0]) for place, cells in found]
        if not any(len(cells) for _, cells in fresh):
            continue  # another grouping of cells that have a region already
        names.append(_plain(name))
        for place, cells in fresh:
            regions[solid.index(place)][cells] = len(names) - 1
    if any((region < 0).any() for region in regions):
        names.append(_REST if _REST not in names else f"{_REST} rest")
        regions = [np.where(region < 0, len(names) - 1, region) for region in regions]
    return tuple(names), regions


def _plain(name: str) -> str:
    """A name without the signs that part regions and surfaces."""
    return " ".join(name.replace(".", " ").replace("|", " ").split()) or "group"


def _right_way_round(family: str, nodes: Ints, points: Floats, first: int) -> Ints:
    """Mirror cells whose nodes run the other way; raise :class:`CaseError` for one that is folded or flat."""
    own = CELL_FAMILIES[family]
    slopes = own.gradients(own.points)

    def signs(nodes: Ints) -> Floats:
        jacobian = np.einsum("qki,mkj->mqji", slopes, points[nodes])
        return np.linalg.det(jacobian)

    found = signs(nodes)
    turned = np.asarray((found < 0).all(axis=1))
    nodes = np.where(turned[:, None], nodes[:, _mirror(own)], nodes)
    bad = np.flatnonzero(~((found > 0).all(axis=1) | turned))
    if len(bad):
        raise _fault(f"cell {first + int(bad[0])} ({family}) is folded or flat, so nothing can be solved on it")
    return nodes


def _require_apart(mesh: Mesh) -> None:
    """Raise :class:`CaseError` where cells lie in each other: what they fill would be counted twice."""
    middles = np.concatenate([mesh.points[block.nodes].mean(axis=1) for block in mesh.blocks])
    for part in all_facets(mesh):
        cells = cells_of(mesh, part)
        keys = facet_keys(part.corners)
        order = np.argsort(keys, kind="stable")
        same = keys[order][1:] == keys[order][:-1]
        if (same[1:] & same[:-1]).any():
            first = order[:-2][same[1:] & same[:-1]][0]
            raise _fault(
                f"cell {cells[first]} shares one of its sides with two others, so that cells lie in each other"
            )
        a, b = order[:-1][same], order[1:][same]
        corners = mesh.points[part.corners[a]]
        along = corners[:, 1] - corners[:, 0]
        if mesh.dimension == 2:
            normal = np.column_stack([along[:, 1], -along[:, 0]])
        else:
            normal = np.cross(along, corners[:, 2] - corners[:, 0])
        sides = [((middles[cells[each]] - corners[:, 0]) * normal).sum(axis=1) for each in (a, b)]
        wrong = np.flatnonzero(sides[0] * sides[1] > 0)
        if len(wrong):
            raise _fault(
                f"cells {cells[a][wrong[0]]} and {cells[b][wrong[0]]} lie in each other, on one side of a face"
            )
    if mesh.dimension == 2:
        _require_one_at_every_middle(mesh, middles)


def _require_one_at_every_middle(mesh: Mesh, middles: Floats) -> None:
    import shapely  # which only a mesh that is read needs

    shapes = np.concatenate(
        [shapely.polygons(mesh.points[block.nodes[:, : CELL_FAMILIES[block.family].corners]]) for block in mesh.blocks]
    )
    at, cell = shapely.STRtree(shapes).query(shapely.points(middles), predicate="within")
    other = np.flatnonzero(at != cell)
    if len(other):
        raise _fault(f"cells {at[other[0]]} and {cell[other[0]]} lie in each other")


def _mirror(family: CellFamily) -> Ints:
    """The order of the nodes in which a cell runs the other way."""
    mirrored = family.nodes.copy()
    if family.name.startswith(("tri", "tet", "wedge")):
        mirrored[:, [0, 1]] = mirrored[:, [1, 0]]
    else:
        mirrored[:, 0] *= -1
    away = np.linalg.norm(family.nodes[None] - mirrored[:, None], axis=-1)
    return away.argmin(axis=1)


def _facet_groups(data: Any, top: int, compact: Ints) -> dict[str, FacetKeys]:
    """Return the keys of the facets of every named group of them."""
    found: dict[str, list[FacetKeys]] = {}
    for name, flat, parts in _groups(data, top):
        if flat != top - 1:
            continue
        for place, cells in parts:
            corners = CELL_FAMILIES[TYPES[data.cells[place].type]].corners
            nodes = compact[np.asarray(data.cells[place].data, dtype=np.int64)[cells][:, :corners]]
            whole = nodes[(nodes >= 0).all(axis=1)]
            found.setdefault(_plain(name), []).append(facet_keys(whole))
    return {name: np.concatenate(keys) for name, keys in found.items()}


def _surfaces(mesh: Mesh, groups: Mapping[str, FacetKeys]) -> dict[str, FacetSet]:
    """Make surfaces of the outer facets, by their groups or by faces, and of those between regions."""
    found: dict[tuple[str, tuple[int, ...]], list[FacetBlock]] = {}
    for part in all_facets(mesh):
        keys = facet_keys(part.corners)
        _, first, number, count = np.unique(keys, return_index=True, return_inverse=True, return_counts=True)
        outer = np.sort(first[count == 1])
        name_of = np.full(len(outer), "", dtype=object)
        for name, own in groups.items():
            name_of[np.isin(keys[outer], own) & (name_of == "")] = name
        loose = np.flatnonzero(name_of == "")
        if len(loose):
            name_of[loose] = (
                "rest" if groups else _face_names(_faces(mesh, part, outer[loose]), part.region[outer[loose]])
            )
        for name in dict.fromkeys(name_of.tolist()):
            chosen = outer[name_of == name]
            for region in np.unique(part.region[chosen]).tolist():
                own_nodes = part.nodes[chosen[part.region[chosen] == region]]
                found.setdefault((name, (region,)), []).append(FacetBlock(part.family, own_nodes))
        _between(mesh, part, number.reshape(-1), count, found)
    surfaces = {}
    for (name, regions), blocks in sorted(found.items(), key=lambda item: (len(item[0][1]), item[0][1])):
        told = f"{mesh.regions[regions[0]]}.{name}" if len(regions) == 1 else "|".join(mesh.regions[r] for r in regions)
        surfaces[told] = FacetSet(tuple(blocks), regions)
    return surfaces


def _face_names(face: Ints, region: Ints) -> list[str]:
    """Name the faces of each region ``face 1``, ``face 2`` … in the order they are met."""
    numbers: dict[int, dict[int, int]] = {}
    names = []
    for own, place in zip(region.tolist(), face.tolist(), strict=True):
        known = numbers.setdefault(own, {})
        names.append(f"face {known.setdefault(place, len(known) + 1)}")
    return names


def _between(
    mesh: Mesh, part: FacetPart, number: Ints, count: Ints, found: dict[tuple[str, tuple[int, ...]], list[FacetBlock]]
) -> None:
    """Add the facets that two regions share, from the side of the first."""
    inner = np.flatnonzero(count[number] == 2)
    order = inner[np.lexsort([part.region[inner], number[inner]])]
    a, b = order[::2], order[1::2]
    apart = part.region[a] != part.region[b]
    pairs = np.column_stack([part.region[a], part.region[b]])[apart]
    for pair in np.unique(pairs, axis=0).tolist():
        nodes = part.nodes[a[apart][(pairs == pair).all(axis=1)]]
        found.setdefault(("", (pair[0], pair[1])), []).append(FacetBlock(part.family, nodes))


def _faces(mesh: Mesh, part: FacetPart, chosen: Ints) -> Ints:
    """Number the faces that outer facets make, bounded where the skin bends sharply, (f,)."""
    corners = part.corners[chosen]
    places = mesh.points[corners]
    if mesh.dimension == 2:
        along = places[:, 1] - places[:, 0]
        normal = np.column_stack([along[:, 1], -along[:, 0]])
        ridges, owner = corners.ravel(), np.repeat(np.arange(len(corners)), 2)
    else:
        normal = np.cross(places[:, 1] - places[:, 0], places[:, 2] - places[:, 0])
        sides = np.sort(np.stack([corners, np.roll(corners, -1, axis=1)], axis=-1).reshape(-1, 2), axis=1)
        ridges, owner = (
            sides[:, 0] * mesh.node_count + sides[:, 1],
            np.repeat(np.arange(len(corners)), corners.shape[1]),
        )
    normal = normal / np.linalg.norm(normal, axis=1, keepdims=True)
    order = np.argsort(ridges, kind="stable")
    same = ridges[order][1:] == ridges[order][:-1]
    a, b = owner[order][:-1][same], owner[order][1:][same]
    smooth = (normal[a] * normal[b]).sum(axis=1) > np.cos(np.radians(_BEND))
    links = coo_array((np.ones(int(smooth.sum())), (a[smooth], b[smooth])), shape=(len(chosen), len(chosen)))
    return connected_components(links, directed=False)[1].astype(np.int64)


def _area(facets: FacetSet, mesh: Mesh) -> float:
    """Area of a surface by its facets, m²."""
    total = 0.0
    for block in facets.blocks:
        family = CELL_FAMILIES[block.family]
        slopes = np.einsum("qki,fkj->fqij", family.gradients(family.points), mesh.points[block.nodes])
        spread = slopes[:, :, 0] if family.dimension == 1 else np.cross(slopes[:, :, 0], slopes[:, :, 1])
        size = np.linalg.norm(spread, axis=-1) * family.weights
        total += float(
            (size * mesh.space.of_facets(facets.regions, family.dimension, mesh.points[block.nodes][:, :1])).sum()
        )
    return total
