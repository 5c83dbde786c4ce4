"""What is painted over the picture of the stage: axis, lit surfaces, names, dimensions, readings and messages."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QPolygonF

from blunt_ember.case.values.display import shown
from blunt_ember.case.values.laws import Law
from blunt_ember.case.values.units import CONDUCTIVITY, HEAT_FLOW
from blunt_ember.desk.stage.tools.dimensions import DimensionLine
from blunt_ember.flow.outcome import Outcome
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.picture.body.drawn import drawing_of
from blunt_ember.picture.body.flow_lines import FlowLines
from blunt_ember.picture.body.view import View
from blunt_ember.picture.lenses.field import Shade
from blunt_ember.picture.palette import Theme
from blunt_ember.report.tables.checks import basis

#: How high the row of hints at the foot is, pixels.
HINT_HEIGHT = 26
#: How much of dimensions is left over a field.
_STEPPED_BACK = 0.6


def paint_flat(
    painter: QPainter,
    geometry: BodyGeometry,
    lit: Collection[str],
    unstated: Collection[str],
    named: bool,
    view: View,
    theme: Theme,
) -> None:
    """Draw over a section or rod: its axis and the surfaces that are ``lit``; if ``named`` also its regions' names and
    dashes on surfaces that are ``unstated``."""
    if geometry.space.axisymmetric:
        _paint_axis(painter, geometry, view, theme)
    segments = drawing_of(geometry).segments
    if named:
        for name in set(unstated) & set(segments):
            ends = view.pixels(segments[name].reshape(-1, 2)).reshape(-1, 2, 2)
            painter.setPen(QPen(QColor(theme.paper), 3.0, cap=Qt.PenCapStyle.FlatCap))
            for start, end in ends.tolist():
                painter.drawLine(QLineF(*start, *end))
            painter.setPen(_dashes(theme))
            run = QPolygonF()
            for start, end in ends.tolist():  # dashes go on from piece to piece of one run
                if run.isEmpty() or run.last() != QPointF(*start):
                    painter.drawPolyline(run)
                    run = QPolygonF([QPointF(*start)])
                run.append(QPointF(*end))
            painter.drawPolyline(run)
    for name in set(lit) & set(segments):
        ends = view.pixels(segments[name].reshape(-1, 2)).reshape(-1, 2, 2)
        for colour, width in ((theme.paper, 8.0), (theme.ember, 4.5)):
            painter.setPen(QPen(QColor(colour), width, cap=Qt.PenCapStyle.FlatCap))
            for start, end in ends.tolist():
                painter.drawLine(QPointF(*start), QPointF(*end))
    if named:
        _paint_names(painter, geometry, view, theme)


def paint_plan(painter: QPainter, plan: SectionGeometry, view: View, theme: Theme) -> None:
    """Draw the outlines of a plan on an empty stage."""
    painter.fillRect(QRectF(0, 0, view.width, view.height), QColor(theme.stage))
    painter.setPen(QPen(QColor(theme.ink), 1.6))
    for segments in drawing_of(plan).segments.values():
        for start, end in view.pixels(segments.reshape(-1, 2)).reshape(-1, 2, 2).tolist():
            painter.drawLine(QLineF(*start, *end))


def paint_values(painter: QPainter, outcome: Outcome, shade: Shade, view: View, room: QRectF, theme: Theme) -> None:
    """Write on the picture what flow lines stand for, and where the lowest and the highest value of a shade are, within
    a room."""
    mesh = outcome.mesh
    if mesh is not None and shade.flow_lines is not None:
        _paint_share(painter, outcome, shade.flow_lines, view, theme)
    if mesh is not None and shade.marks:
        _paint_extremes(painter, mesh, shade, view, room, theme)


def paint_materials(painter: QPainter, outcome: Outcome, room: QRectF, theme: Theme) -> None:
    """Write the key of the materials on the right: their colour, their name, and what conducts in them."""
    document, metrics = outcome.case.document, QFontMetricsF(painter.font())
    used = {filling.material for filling in document.body.fillings.values()}
    top = room.top() + 92
    for place, (name, material) in enumerate(document.materials.items()):
        if name not in used:
            continue
        k = material.k
        kind = outcome.case.units.of(CONDUCTIVITY)
        said = "by directions" if k is not None else "k is not stated"
        if isinstance(k, Law):
            said = shown(k.constant, kind) if k.constant is not None else k.text
        box = QRectF(room.right() - 24, top, 12, 2 * metrics.height())
        painter.setPen(QPen(QColor(theme.hairline), 1))
        painter.setBrush(QColor(theme.tints[place % len(theme.tints)]))
        painter.drawRect(box)
        for line, (text, colour) in enumerate(((name, theme.ink), (said, theme.quiet))):
            row = QRectF(room.right() - 132, top + line * metrics.height(), 102, metrics.height())
            painter.setPen(QColor(colour))
            cut = metrics.elidedText(text, Qt.TextElideMode.ElideRight, row.width())
            painter.drawText(row, Qt.AlignmentFlag.AlignRight, cut)
        top += 2 * metrics.height() + 10


def _paint_share(painter: QPainter, outcome: Outcome, flow: FlowLines, view: View, theme: Theme) -> None:
    """Write at the foot what heat flow each of the lines stands for."""
    kind = outcome.case.units.of(HEAT_FLOW)
    text = "no heat crosses the skin"
    if flow.lines:
        text = f"each line stands for {shown(flow.each, kind, 3)}, {basis(outcome)}"
    metrics = QFontMetricsF(painter.font())
    size = metrics.horizontalAdvance(text) + 16, metrics.height() + 6
    paint_tag(painter, QRectF((view.width - size[0]) / 2, view.height - size[1] - 10, *size), text, theme.ink, theme)


def _paint_extremes(painter: QPainter, mesh: Mesh, shade: Shade, view: View, room: QRectF, theme: Theme) -> None:
    """Mark where the lowest and the highest of what is coloured are, with their values written within a room."""
    nodes = np.concatenate([block.nodes.ravel() for block in mesh.blocks])
    values = np.concatenate([block.ravel() for block in shade.values])
    if np.isnan(values).all():
        return
    taken: list[QRectF] = []
    for word, place in (("lowest", int(np.nanargmin(values))), ("highest", int(np.nanargmax(values)))):
        point = mesh.points[nodes[place]][None]
        if mesh.dimension == 1:
            point = np.column_stack([point, np.zeros(1)])
        at = QPointF(*view.pixels(point)[0])
        for colour, width in ((theme.paper, 5.0), (theme.ink, 2.0)):
            painter.setPen(QPen(QColor(colour), width))
            painter.drawLine(at + QPointF(-6, 0), at + QPointF(6, 0))
            painter.drawLine(at + QPointF(0, -6), at + QPointF(0, 6))
        text = f"{word} {shown(float(values[place]), shade.kind)}"
        metrics = QFontMetricsF(painter.font())
        wide, high = metrics.horizontalAdvance(text) + 10, metrics.height() + 4
        beside = [
            QRectF(x, y, wide, high)
            for x in (at.x() + 9, at.x() - 9 - wide)
            for y in (at.y() - high, at.y() + 2, at.y() - 2 * high, at.y() + 4 + high)
        ]
        clear = [box for box in beside if room.contains(box) and not any(box.intersects(other) for other in taken)]
        taken.append((clear or beside)[0])
        paint_tag(painter, taken[-1], text, theme.ink, theme)


def paint_tag(painter: QPainter, box: QRectF, text: str, colour: str, theme: Theme) -> None:
    """Write a short text into a box of paper that lets a little of the picture through."""
    painter.setOpacity(0.9)
    painter.setPen(QPen(QColor(theme.hairline), 1))
    painter.setBrush(QColor(theme.paper))
    painter.drawRoundedRect(box, 3, 3)
    painter.setOpacity(1.0)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QColor(colour))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def _dashes(theme: Theme) -> QPen:
    """The pen for surfaces on which nothing is stated."""
    pen = QPen(QColor(theme.quiet), 2.0, cap=Qt.PenCapStyle.FlatCap)
    pen.setDashPattern([3.0, 3.0])
    return pen


def _paint_axis(painter: QPainter, geometry: BodyGeometry, view: View, theme: Theme) -> None:
    """Draw the line a section is turned about."""
    top, bottom = view.pixels(np.array([[0.0, geometry.high[1]], [0.0, geometry.low[1]]]))
    painter.setPen(QPen(QColor(theme.teal), 1.2, Qt.PenStyle.DashDotLine))
    painter.drawLine(QPointF(top[0], top[1] - 24), QPointF(bottom[0], bottom[1] + 14))
    painter.drawText(QPointF(top[0] + 5, top[1] - 14), "axis")


def _paint_names(painter: QPainter, geometry: BodyGeometry, view: View, theme: Theme) -> None:
    """Write the name of each region in its middle where there is room."""
    metrics = QFontMetricsF(painter.font())
    for name, (x0, y0, x1, y1) in drawing_of(geometry).name_boxes.items():
        corners = view.pixels(np.array([[x0, y1], [x1, y0]]))
        box = QRectF(QPointF(*corners[0]), QPointF(*corners[1]))
        fits = metrics.horizontalAdvance(name) + 8 < box.width() and box.height() > metrics.height()
        if fits:
            _tag(painter, name, box.center(), theme)


def _tag(painter: QPainter, text: str, middle: QPointF, theme: Theme) -> None:
    box = QFontMetricsF(painter.font()).boundingRect(text).adjusted(-4, -2, 4, 2)
    box.moveCenter(middle)
    paper = QColor(theme.paper)
    paper.setAlpha(190)
    painter.fillRect(box, paper)
    painter.setPen(QColor(theme.ink))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def paint_solid(
    painter: QPainter, labels: Sequence[tuple[str, tuple[float, float]]], view: View, room: QRectF, theme: Theme
) -> None:
    """Draw over a solid: names at their pixels, and in a corner which way x, y and z point."""
    for text, place in labels:
        _tag(painter, text, QPointF(*place), theme)
    assert view.pose is not None
    foot = QPointF(42, room.height() - 56)
    for letter, (right, up) in zip("xyz", view.pose.axes[:2].T.tolist(), strict=True):
        tip = foot + QPointF(26 * right, -26 * up)
        painter.setPen(QPen(QColor(theme.quiet), 1.4))
        painter.drawLine(foot, tip)
        painter.setPen(QColor(theme.ink))
        box = QRectF(0, 0, 14, 14)
        box.moveCenter(foot + QPointF(35 * right, -35 * up))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, letter)


def paint_dimensions(painter: QPainter, dimensions: Sequence[DimensionLine], over_field: bool, theme: Theme) -> None:
    """Draw dimension lines with their witness lines, then all labels on top; ``over_field`` they step back."""
    painter.setOpacity(_STEPPED_BACK if over_field else 1.0)
    for dimension in dimensions:
        start, end = QPointF(*dimension.start), QPointF(*dimension.end)
        painter.setPen(QPen(QColor(theme.hairline), 1))
        gap = QPointF(-4, 0) if dimension.upright else QPointF(0, 4)
        for corner, foot in zip(dimension.witness, (start, end), strict=False):
            painter.drawLine(QPointF(*corner) + gap, foot + gap)
        painter.setPen(QPen(QColor(theme.quiet), 1))
        painter.drawLine(start, end)
        tick = QPointF(3, -3)
        for foot in (start, end):
            painter.drawLine(foot - tick, foot + tick)
    for dimension in dimensions:
        box = QRectF(*dimension.box)
        painter.setPen(QPen(QColor(theme.hairline), 1))
        painter.setBrush(QColor(theme.field))
        painter.drawRoundedRect(box.adjusted(3, 0, -3, 0), 3, 3)
        painter.setPen(QColor(theme.value))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, dimension.label)
    painter.setOpacity(1.0)


def paint_reading(painter: QPainter, place: QPointF, text: str, room: QRectF, theme: Theme) -> None:
    """Write what is read under the pointer beside it, within the room there is."""
    metrics = QFontMetricsF(painter.font())
    lines = text.split("\n")
    width = max(metrics.horizontalAdvance(line) for line in lines) + 16
    height = metrics.height() * len(lines) + 10
    x = min(place.x() + 14, room.width() - width - 4)
    y = place.y() - height - 8 if place.y() - height - 8 > 4 else place.y() + 18
    painter.setPen(QPen(QColor(theme.hairline), 1))
    painter.setBrush(QColor(theme.paper))
    painter.drawRoundedRect(QRectF(x, y, width, height), 4, 4)
    for number, line in enumerate(lines):
        painter.setPen(QColor(theme.ink if number else theme.quiet))
        painter.drawText(QPointF(x + 8, y + 5 + metrics.ascent() + number * metrics.height()), line)


def paint_hint(painter: QPainter, text: str, room: QRectF, theme: Theme) -> None:
    """Write a hint quietly at the foot of the stage, as much of it as there is room for."""
    metrics = QFontMetricsF(painter.font())
    row = QRectF(14, room.height() - metrics.height() - 8, room.width() - 28, metrics.height())
    painter.setPen(QColor(theme.quiet))
    cut = metrics.elidedText(text, Qt.TextElideMode.ElideRight, row.width())
    painter.drawText(row, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, cut)


def paint_message(painter: QPainter, text: str, colour: str, room: QRectF, theme: Theme) -> None:
    """Write a message into a frame at the foot of the stage."""
    metrics = QFontMetricsF(painter.font())
    flags = int(Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap)
    box = metrics.boundingRect(QRectF(0, 0, room.width() - 60, 400), flags, text).adjusted(-10, -7, 10, 7)
    box.moveCenter(QPointF(room.width() / 2, 0))
    box.moveBottom(room.height() - 8)
    painter.setPen(QPen(QColor(colour), 1))
    painter.setBrush(QColor(theme.paper))
    painter.drawRoundedRect(box, 4, 4)
    painter.drawText(box.adjusted(10, 7, -10, -7), flags, text)
