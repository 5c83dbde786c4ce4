"""A section written as a drawing in SVG, one path a region."""

from __future__ import annotations

from xml.sax.saxutils import quoteattr

import numpy as np

from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.section import SectionGeometry


def section_svg(geometry: SectionGeometry) -> str:
    """Return the regions of a section as an SVG drawing in mm, one path a region."""
    low, high = np.array(geometry.low) * 1e3, np.array(geometry.high) * 1e3
    width, height = (high - low).tolist()
    lines = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.12g}mm" height="{height:.12g}mm" '
        f'viewBox="{low[0]:.12g} {-high[1]:.12g} {width:.12g} {height:.12g}">',
    ]
    for number, region in enumerate(geometry.regions):
        path = " ".join(_outline(geometry, number, loop) for loop in _loops(geometry, number))
        if path:
            lines.append(
                f'  <path id={quoteattr(region.name)} fill="none" stroke="black" '
                f'stroke-width="{max(width, height) / 500:.3g}" d="{path}"/>'
            )
    return "\n".join([*lines, "</svg>", ""])


def _loops(geometry: SectionGeometry, region: int) -> list[list[int]]:
    """Return the edges round a region as closed runs, the region on their left."""
    plan = geometry.arrangement
    leaving: dict[int, list[int]] = {}
    edges = [e for e in range(len(plan.start)) if region in (plan.left[e], plan.right[e]) and region != VOID]
    ends = {e: (plan.start[e], plan.end[e]) if plan.left[e] == region else (plan.end[e], plan.start[e]) for e in edges}
    for edge in edges:
        leaving.setdefault(int(ends[edge][0]), []).append(edge)
    loops = []
    while edges:
        loop = [edges[0]]
        while ends[loop[-1]][1] != ends[loop[0]][0]:
            here = int(ends[loop[-1]][1])
            loop.append(next(edge for edge in leaving[here] if edge in edges and edge not in loop))
        edges = [edge for edge in edges if edge not in loop]
        loops.append(loop)
    return loops


def _outline(geometry: SectionGeometry, region: int, loop: list[int]) -> str:
    plan = geometry.arrangement

    def place(corner: int) -> str:
        x, y = (plan.points[corner] * 1e3).tolist()
        return f"{x:.12g} {-y:.12g}"

    words = []
    for number, edge in enumerate(loop):
        forward = plan.left[edge] == region
        start, end = (plan.start, plan.end) if forward else (plan.end, plan.start)
        if number == 0:
            words.append(f"M {place(int(start[edge]))}")
        sweep = float(plan.curves.sweep[edge])
        if sweep == 0.0:
            words.append(f"L {place(int(end[edge]))}")
        else:
            radius = float(plan.curves.radius[edge]) * 1e3
            turn = 0 if (sweep > 0) == forward else 1  # y counts downward in the drawing
            words.append(f"A {radius:.12g} {radius:.12g} 0 {int(abs(sweep) > np.pi)} {turn} {place(int(end[edge]))}")
    return " ".join([*words, "Z"])
