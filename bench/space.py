"""Solids: sweeping a million hexahedra beside sorting their nodes once, and a frame while a body is turned."""

from __future__ import annotations

import time

import numpy as np

from blunt_ember.case.case import case_from_data
from blunt_ember.case.document.case_document import MeshWish
from blunt_ember.case.values.units import TEMPERATURE
from blunt_ember.flow.outcome import Outcome
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh_request import MeshRequest
from blunt_ember.picture.body.drawn import drawn_box, pose_of
from blunt_ember.picture.body.renderer import BodyRenderer
from blunt_ember.picture.body.view import view_of_box
from blunt_ember.picture.lenses.field import Shade
from blunt_ember.picture.palette import LIGHT

CUBE = {
    "format": "blunt-ember/1",
    "body": {
        "kind": "stacked",
        "regions": {
            "low": {"shape": "rectangle", "size": ["1 m", "1 m"], "z": ["0 m", "0.5 m"]},
            "high": {"shape": "rectangle", "size": ["1 m", "1 m"], "z": ["0.5 m", "1 m"]},
        },
    },
}
FRAMES = 20


def main() -> None:
    """Print the figures."""
    case = case_from_data(CUBE)
    geometry = geometry_of(case.document.body)
    print("\nswept hexahedra, a cube of two levels")
    start = time.perf_counter()
    mesh = generate_mesh(geometry, MeshRequest(MeshWish.model_validate({"size": "10 mm", "order": 1})))
    took = time.perf_counter() - start
    start = time.perf_counter()
    np.unique(mesh.blocks[0].nodes)
    once = time.perf_counter() - start
    held = mesh.points.nbytes + sum(block.nodes.nbytes + block.region.nbytes for block in mesh.blocks)
    held += sum(block.nodes.nbytes for facets in mesh.surfaces.values() for block in facets.blocks)
    print(
        f"  {mesh.cell_count:>9,} cells  {took:5.2f} s  {held / mesh.cell_count:5.0f} bytes a cell"
        f"  {took / once:5.1f} × sorting their nodes"
    )
    renderer = BodyRenderer()
    for size in ("17 mm", "10 mm"):
        mesh = generate_mesh(geometry, MeshRequest(MeshWish.model_validate({"size": size, "order": 1})))
        outcome = Outcome(case, geometry, mesh)
        height = mesh.points[:, 2]
        found = Shade(TEMPERATURE, tuple(height[block.nodes] for block in mesh.blocks), 0.0, 1.0)
        view = view_of_box(*drawn_box(geometry), 579, 501, (92, 62, 112, 92), pose_of(geometry))
        start = time.perf_counter()
        renderer.draw(outcome, "Temperature", found, view, LIGHT)
        first = time.perf_counter() - start
        start = time.perf_counter()
        for _ in range(FRAMES):
            view = view.turned(0.05, 0.0, np.array([0.5, 0.5, 0.5]))
            renderer.draw(outcome, "Temperature", found, view, LIGHT, moving=True)
        frame = (time.perf_counter() - start) / FRAMES
        print(f"  {mesh.cell_count:>9,} cells  first picture {first:5.2f} s  turned {frame * 1e3:5.0f} ms a frame")
    renderer.close()


if __name__ == "__main__":
    main()
