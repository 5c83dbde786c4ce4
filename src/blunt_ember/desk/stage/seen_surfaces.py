"""What a surface of an enclosure sees: lit on the picture, the brighter the more, with its view factors."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QPolygonF

from blunt_ember.arrays import Floats
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.picture.body.view import View
from blunt_ember.picture.palette import Theme

#: Shares of a view below this are not written.
_WRITTEN = 0.01
_WIDTH = 6.0
#: How far along a surface its share is written.
_ALONG = 0.22
#: How strongly facets are drawn through a body, and how many of one surface.
_THROUGH, _MOST_DRAWN = 0.2, 4_000


def seen_from(problem: Problem | None, surface: str) -> dict[str, float]:
    """Return the view factors from a surface to those it sees, by name; none where it is in no enclosure."""
    law = problem.enclosed.get(surface) if problem is not None else None
    if law is None:
        return {}
    place = law.chamber.surfaces.index(surface)
    shares = law.chamber.between()[place] / law.chamber.areas()[place]
    return {name: float(share) for name, share in zip(law.chamber.surfaces, shares, strict=True) if share > 0}


def paint_seen(
    painter: QPainter, seen: Mapping[str, float], segments: Mapping[str, Floats], view: View, theme: Theme
) -> None:
    """Draw over the surfaces that are ``seen``, and write the share of the view that each takes.

    ``segments`` are the straight pieces (n, 2, 2) in m that each surface is drawn by.
    """
    for name, share in seen.items():
        ends = view.pixels(segments[name].reshape(-1, 2)).reshape(-1, 2, 2)
        painter.setPen(QPen(_lit(share, theme), _WIDTH, cap=Qt.PenCapStyle.FlatCap))
        for start, end in ends.tolist():
            painter.drawLine(QLineF(*start, *end))
        # Not in the middle, where dimensions have their labels.
        piece = ends[int(_ALONG * len(ends))]
        share_of_piece = _ALONG * len(ends) - int(_ALONG * len(ends))
        _write(painter, share, piece[0] + share_of_piece * (piece[1] - piece[0]), theme)


def paint_seen_in_space(painter: QPainter, seen: Mapping[str, float], mesh: Mesh, view: View, theme: Theme) -> None:
    """Draw the facets of the surfaces that are ``seen`` through the body, and write the share each takes."""
    middles = []
    painter.setPen(Qt.PenStyle.NoPen)
    for name, share in seen.items():
        found = []
        painter.setBrush(_lit(share * _THROUGH, theme))
        for block in mesh.surfaces[name].blocks:
            corners = mesh.points[block.nodes[:, : CELL_FAMILIES[block.family].corners]]
            pixels = view.pixels(corners.reshape(-1, 3)).reshape(*corners.shape[:2], 2)
            found.append(pixels.mean(axis=1))
            if len(pixels) <= _MOST_DRAWN:
                for facet in pixels.tolist():
                    painter.drawPolygon(QPolygonF([QPointF(*corner) for corner in facet]))
        middles.append((share, np.concatenate(found).mean(axis=0)))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for share, middle in middles:
        _write(painter, share, middle, theme)


def _lit(share: float, theme: Theme) -> QColor:
    colour = QColor(theme.teal)
    colour.setAlphaF(0.15 + 0.85 * min(share, 1.0) ** 0.5)
    return colour


def _write(painter: QPainter, share: float, place: Floats, theme: Theme) -> None:
    """Write a share about a pixel (2,), if it is worth it."""
    if share < _WRITTEN:
        return
    text = f"{100 * share:.3g} %"
    box = QFontMetricsF(painter.font()).boundingRect(text).adjusted(-4, -2, 4, 2)
    box.moveCenter(QPointF(*place.tolist()))
    painter.fillRect(box, QColor(theme.paper))
    painter.setPen(QColor(theme.teal))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    painter.setPen(Qt.PenStyle.NoPen)
