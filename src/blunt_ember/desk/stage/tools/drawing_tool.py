"""Drawing on the stage: a new outline, point by point."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QKeyEvent, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QLineEdit, QWidget

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import free_name, with_value
from blunt_ember.case.values.display import shown
from blunt_ember.case.values.units import LENGTH
from blunt_ember.desk.app.current_case import CurrentCase
from blunt_ember.desk.stage.tools.outline_drawing import (
    DrawnPoint,
    OutlineDrawing,
    grid_step,
    point_at,
    snapped,
    typed_point,
)
from blunt_ember.errors import BluntEmberError
from blunt_ember.geometry.primitives import arc_through
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.picture.body.view import View
from blunt_ember.picture.palette import Theme
from blunt_ember.sentences.blocks.body.arranging import whole_height

#: Pixels within which a point is met.
DRAWING_REACH = 9.0
#: Pixels at the right of the stage that the legend takes.
LEGEND = 112
#: Pixels at the foot of the stage that the field for typed points takes.
FIELD_HEIGHT = 42
_HINT = "click points, or type '25 mm at 30°' or 'x, y' · A: an arc · Backspace: back · Enter: close · Esc: leave"
_BOW_HINT = "an arc: click a place it passes, then its end · A: straight again · Backspace: back"


class DrawingEntry(QLineEdit):
    """The field for typed points; empty, its keys go to the drawing."""

    def __init__(self, keys: Callable[[QKeyEvent], bool], parent: QWidget) -> None:
        super().__init__(parent)
        self._keys = keys
        self.setObjectName("drawing entry")
        self.setAccessibleName("Next point: x, y or length < angle")
        self.setPlaceholderText("next point")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Let the drawing see keys that are not for the text."""
        if event is not None and not self._keys(event):
            super().keyPressEvent(event)


class DrawingTool:
    """The outline being drawn on a stage, if any; ``typed`` is called when a point was typed, out of sight perhaps."""

    def __init__(
        self, stage: QWidget, current: CurrentCase, tell: Callable[[str], None], typed: Callable[[], None]
    ) -> None:
        self._stage, self._current, self._tell, self._typed = stage, current, tell, typed
        self._drawing: OutlineDrawing | None = None
        self._pointer: Floats | None = None
        self._entry = DrawingEntry(self.key, stage)
        self._entry.hide()

    @property
    def active(self) -> bool:
        """Whether an outline is being drawn."""
        return self._drawing is not None

    @property
    def drawing(self) -> OutlineDrawing | None:
        """The outline as far as it is drawn."""
        return self._drawing

    def begin(self) -> None:
        """Begin a new outline."""
        self._drawing = OutlineDrawing()
        self._entry.clear()
        self._entry.setGeometry(12, self._stage.height() - 40, 220, 28)
        self._entry.show()
        self._entry.setFocus()
        self._stage.update()

    def leave(self) -> None:
        """Give the outline up."""
        self._drawing = None
        self._entry.hide()
        self._stage.setFocus()
        self._tell("")

    def move(self, place: QPointF, view: View, geometry: SectionGeometry) -> None:
        """Follow the pointer, snapping."""
        self._pointer = self._snapped(place, view, geometry)
        self._stage.update()

    def press(self, place: QPointF, view: View, geometry: SectionGeometry) -> None:
        """Place a point; one on the first closes the outline."""
        assert self._drawing is not None
        at = self._snapped(place, view, geometry)
        start = self._drawing.start
        if start is not None and len(self._drawing.pieces) > 1 and self._near(np.array(start.place), at, view):
            if self._drawing.through is not None:
                self._drawing = self._drawing.with_point(start)
            self._close()
            return
        self._add(point_at(at))

    def key(self, event: QKeyEvent) -> bool:
        """Take a key; False for one that is text."""
        if self._drawing is None:
            return False
        typed = self._entry.text().strip()
        if event.key() == Qt.Key.Key_Escape:
            self.leave()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if typed:
                self._add_typed(typed)
            else:
                self._close()
        elif event.key() == Qt.Key.Key_Backspace and not typed:
            self._drawing = self._drawing.taken_back()
        elif event.text().lower() == "a" and not typed:
            self._drawing = self._drawing.with_bow()
        else:
            return False
        self._stage.update()
        return True

    def type_on(self, event: QKeyEvent) -> bool:
        """Take text that is typed on the stage into the field; False for keys that are none."""
        if not event.text().isprintable() or not event.text() or event.text() in "+-=":
            return False
        self._entry.setFocus()
        self._entry.insert(event.text())
        return True

    def _add(self, point: DrawnPoint) -> None:
        assert self._drawing is not None
        self._drawing = self._drawing.with_point(point)
        self._tell("")

    def _add_typed(self, text: str) -> None:
        assert self._drawing is not None
        case = self._current.case
        try:
            point = typed_point(text, self._drawing.last, self._pointer, case.names if case else {})
        except BluntEmberError as error:
            self._tell(str(error))
            return
        self._entry.clear()
        self._add(point)
        self._typed()

    def _close(self) -> None:
        assert self._drawing is not None
        try:
            region = self._drawing.region()
        except BluntEmberError as error:
            self._tell(str(error))
            return

        def change(now: Case) -> Case:
            name = free_name("part", now.document.body.regions)
            height = {"z": whole_height(now)} if now.document.body.piled else {}
            return with_value(now, ("body", "regions", name), {**region, **height})

        why = self._current.edit("an outline is drawn", change)
        if why is None:
            self.leave()
        else:
            self._tell(str(why))

    def _snapped(self, place: QPointF, view: View, geometry: SectionGeometry) -> Floats:
        at = view.metres(np.array([[place.x(), place.y()]]))[0]
        corners = geometry.arrangement.points
        if self._drawing is not None and self._drawing.points:
            corners = np.concatenate([corners, [point.place for point in self._drawing.points]])
        return snapped(at, grid_step(view.scale), corners, DRAWING_REACH * view.scale)

    def _near(self, a: Floats, b: Floats, view: View) -> bool:
        return bool(np.linalg.norm(a - b) < DRAWING_REACH * view.scale)

    def paint(self, painter: QPainter, view: View, room: QRectF, theme: Theme) -> None:
        """Draw the grid, what there is of the outline, and what can be done."""
        if self._drawing is None:
            return
        self._entry.setGeometry(12, self._stage.height() - 40, 220, 28)
        _paint_grid(painter, view, theme)
        places = [view.pixels(np.array([point.place]))[0] for point in self._drawing.points]
        path = QPainterPath()
        if self._drawing.start is not None:
            path.moveTo(QPointF(*view.pixels(np.array([self._drawing.start.place]))[0]))
            before = self._drawing.start
            for piece in self._drawing.pieces:
                _add_piece(path, before, piece.through, piece.to, view)
                before = piece.to
            if self._pointer is not None:
                _add_piece(path, before, self._drawing.through, point_at(self._pointer), view)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(theme.ember), 2.0))
        painter.drawPath(path)
        self._paint_crossed(painter, view, theme)
        painter.setPen(QPen(QColor(theme.ember), 2.0))
        painter.setBrush(QColor(theme.paper))
        for place in places:
            painter.drawEllipse(QPointF(*place), 4.0, 4.0)
        if self._pointer is not None:
            pixel = view.pixels(self._pointer[None])[0]
            painter.drawEllipse(QPointF(*pixel), 3.0, 3.0)
            self._paint_measure(painter, pixel, room, theme)
        painter.setPen(QColor(theme.quiet))
        hint = _BOW_HINT if self._drawing.bow else _HINT
        box = QRectF(244, room.height() - 40, room.width() - 252, 28)
        flags = int(Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap)
        painter.drawText(box, flags, hint)

    def _paint_crossed(self, painter: QPainter, view: View, theme: Theme) -> None:
        """Mark where the outline crosses itself, with the piece to the pointer."""
        assert self._drawing is not None
        after = point_at(self._pointer) if self._pointer is not None and self._drawing.start is not None else None
        painter.setPen(QPen(QColor(theme.off), 2.5))
        for x, y in view.pixels(self._drawing.crossed(after)).tolist():
            painter.drawLine(QPointF(x - 7, y - 7), QPointF(x + 7, y + 7))
            painter.drawLine(QPointF(x - 7, y + 7), QPointF(x + 7, y - 7))

    def _paint_measure(self, painter: QPainter, pixel: Floats, room: QRectF, theme: Theme) -> None:
        """Say where the pointer is, and how far and which way from the last point."""
        assert self._drawing is not None and self._pointer is not None
        x, y = self._pointer.tolist()
        text = f"{shown(x, LENGTH, 5)}, {shown(y, LENGTH, 5)}"
        if self._drawing.last is not None:
            away = self._pointer - np.array(self._drawing.last.place)
            angle = np.degrees(np.arctan2(away[1], away[0]))
            text += f"   {shown(float(np.hypot(*away)), LENGTH, 5)} at {angle:.1f}°"
        width = QFontMetricsF(painter.font()).horizontalAdvance(text)
        left = min(float(pixel[0]) + 12, room.width() - LEGEND - width - 10)
        painter.fillRect(QRectF(left, pixel[1] - 26, width + 10, 20), QColor(theme.paper))
        painter.setPen(QColor(theme.ink))
        painter.drawText(QPointF(left + 5, pixel[1] - 12), text)


def _paint_grid(painter: QPainter, view: View, theme: Theme) -> None:
    step = grid_step(view.scale)
    low, high = view.metres(np.array([[0.0, view.height], [view.width, 0.0]]))
    colour = QColor(theme.quiet)
    colour.setAlpha(90)
    painter.setPen(QPen(colour, 1.4))
    xs, ys = (np.arange(np.ceil(a / step), np.floor(b / step) + 1) * step for a, b in zip(low, high, strict=True))
    pixels = view.pixels(np.stack(np.meshgrid(xs, ys), axis=-1).reshape(-1, 2))
    for pixel in pixels.tolist():
        painter.drawPoint(QPointF(*pixel))


def _add_piece(path: QPainterPath, start: DrawnPoint, through: DrawnPoint | None, end: DrawnPoint, view: View) -> None:
    """Go on along a line or an arc, as it will be in the body."""
    places = np.array([end.place])
    if through is not None:
        curve = arc_through(*(np.array(point.place) for point in (start, through, end)))
        shares = np.linspace(0, 1, 25)
        places = np.concatenate([curve.take(np.full(25, number)).at(shares) for number in range(len(curve))])
    for pixel in view.pixels(places).tolist():
        path.lineTo(QPointF(*pixel))
