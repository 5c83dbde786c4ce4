"""What a surface of an enclosure sees: lit on the picture, the brighter the more, with its view factors."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtCore import QLineF, QPointF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from blunt_ember.arrays import Floats
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.picture.body.view import View
from blunt_ember.picture.palette import Theme

#: Shares of a view below this are not written.
_WRITTEN = 0.01
_WIDTH = 6.0
#: How far along a surface its share is written.
_ALONG = 0.22


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
    metrics = QFontMetricsF(painter.font())
    for name, share in seen.items():
        ends = view.pixels(segments[name].reshape(-1, 2)).reshape(-1, 2, 2)
        colour = QColor(theme.teal)
        colour.setAlphaF(0.15 + 0.85 * min(share, 1.0) ** 0.5)
        painter.setPen(QPen(colour, _WIDTH, cap=Qt.PenCapStyle.FlatCap))
        for start, end in ends.tolist():
            painter.drawLine(QLineF(*start, *end))
        if share < _WRITTEN:
            continue
        text = f"{100 * share:.3g} %"
        box = metrics.boundingRect(text).adjusted(-4, -2, 4, 2)
        # Not in the middle, where dimensions have their labels.
        piece = ends[int(_ALONG * len(ends))]
        share_of_piece = _ALONG * len(ends) - int(_ALONG * len(ends))
        box.moveCenter(QPointF(*(piece[0] + share_of_piece * (piece[1] - piece[0])).tolist()))
        painter.fillRect(box, QColor(theme.paper))
        painter.setPen(QColor(theme.teal))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
