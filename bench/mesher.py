"""The free mesher: triangles a second and smallest angle, beside one qhull triangulation of the same points."""

from __future__ import annotations

import time

import numpy as np
from pydantic import TypeAdapter
from scipy.spatial import Delaunay

from blunt_ember.case.document.bodies import Body
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.mesh.planar.size_field import size_field
from blunt_ember.mesh.planar.triangles import triangulated

SIZES = {"10 000": 0.0505, "100 000": 0.016, "500 000": 0.00716}
PLATE = {
    "kind": "section",
    "regions": {
        "plate": {"shape": "rectangle", "size": ["4 m", "3 m"], "material": None},
        "hole": {"shape": "disc", "radius": "0.5 m", "inside": "plate", "void": True},
    },
}


def main() -> None:
    """Print a row a size."""
    print("\nfree triangles, a plate with a round hole")
    geometry = geometry_of(TypeAdapter(Body).validate_python(PLATE))
    assert isinstance(geometry, SectionGeometry)
    for name, size in SIZES.items():
        start = time.perf_counter()
        sizes = size_field(geometry.arrangement, size, 4, 0.25)
        made = triangulated(geometry.arrangement, geometry.owner_at, sizes)
        took = time.perf_counter() - start
        start = time.perf_counter()
        Delaunay(made.points)
        once = time.perf_counter() - start
        a, b, c = (made.points[made.cells[:, i]] for i in range(3))
        sides = np.stack([np.linalg.norm(p - q, axis=1) for p, q in ((b, c), (c, a), (a, b))])
        short, middle, long = np.sort(sides, axis=0)
        angle = np.degrees(np.arccos((middle**2 + long**2 - short**2) / (2 * middle * long)))
        per_second = len(made.cells) / took
        print(
            f"  about {name:>7}: {len(made.cells):7d} triangles, {took:6.2f} s, {per_second:8.0f} a second, "
            f"{took / once:4.1f} × one qhull run, smallest angle {angle.min():.1f}°"
        )


if __name__ == "__main__":
    main()
