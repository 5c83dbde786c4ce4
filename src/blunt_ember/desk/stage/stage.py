"""The stage: what is done on the picture, with the pointer and by keys: dimensions, outlines, readings, planes."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QWheelEvent
from PyQt6.QtWidgets import QWidget

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import with_typed_value
from blunt_ember.desk.app.current_case import CurrentCase
from blunt_ember.desk.stage import overlay
from blunt_ember.desk.stage.hints import Hints
from blunt_ember.desk.stage.tools.dimensions import DimensionLine
from blunt_ember.desk.stage.tools.drawing_tool import FIELD_HEIGHT, DrawingTool
from blunt_ember.desk.stage.tools.picture_editor import PictureEditor
from blunt_ember.desk.stage.tools.plane_handles import PlaneHandles
from blunt_ember.desk.stage.tools.point_handles import PointMover
from blunt_ember.desk.stage.tools.readings import Readings, snapped_to_surface
from blunt_ember.desk.stage.view import FLAT_MARGINS, StageView, narrowed
from blunt_ember.flow.outcome import Outcome
from blunt_ember.geometry.section import SectionGeometry, drawing_plane_of, outlines_of
from blunt_ember.picture.body.drawn import drawn_box
from blunt_ember.picture.body.view import View, view_of_box
from blunt_ember.picture.lenses.field import Shade

#: How far a solid turns, in radians, for a pixel that is dragged and for an arrow key.
TURN_PER_PIXEL = 0.008
TURN_PER_KEY = np.radians(10)

#: Pixels from the edge of the stage within which a point is out of sight.
_IN_SIGHT = 8


class Stage(StageView):
    """Reads and edits on the picture."""

    #: The surface under the pointer, empty when there is none; and the one that was clicked, with where.
    surface_pointed = pyqtSignal(str)
    surface_clicked = pyqtSignal(str, QPoint)
    emptiness_clicked = pyqtSignal()
    #: The place (d,) in m of the body under the pointer, or None.
    place_pointed = pyqtSignal(object)

    def __init__(self, current: CurrentCase, hints: Hints, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._hints = hints
        self._drag: QPointF | None = None
        self._turns = False
        self._pressed_at: QPointF | None = None
        self._editor = PictureEditor(self, current)
        self.points = PointMover(self, current, self._editor, self._say)
        #: How the plan of a solid is seen while an outline is drawn on it, where it is not seen as a whole.
        self._plan: View | None = None
        self.tool = DrawingTool(self, current, self._say, self._grow_to_drawn)
        self.readings = Readings(current)
        self.planes = PlaneHandles(self.looks.cuts.move_plane)
        self.legend.range_wanted.connect(lambda *_: hints.used("legend"))
        self.looks.cuts.changed.connect(lambda *_: hints.used("cut"))
        self.looks.lens_changed.connect(lambda _: hints.used("lens"))

    def show_outcome(self, outcome: Outcome | None) -> None:
        """Show what is known of the case now."""
        if outcome is None and self.tool.active:  # another case comes: what was begun belongs to the one before
            self.tool.leave()
        super().show_outcome(outcome)

    def hint(self) -> str:
        """Return what has not been done yet of what can be done with this picture."""
        solid = self._view is not None and self._view.pose is not None
        return "" if self.tool.active else self._hints.said(solid, bool(self._dimensions))

    @property
    def shows_dimensions(self) -> bool:
        """Whether there is room for dimensions: none while an outline is drawn."""
        return not self.tool.active

    @property
    def foot(self) -> int:
        """The field for typed points stands there while an outline is drawn."""
        return FIELD_HEIGHT if self.tool.active else 0

    def paint_tools(self, painter: QPainter, outcome: Outcome, view: View, named: bool) -> None:
        """Paint the points that can be moved, and the outline that is drawn; that of a solid on its plan."""
        self.points.paint(painter, outcome if named and not self.tool.active else None, view, self._theme)
        drawn_on = self._drawn_on() if self.tool.active else None
        if drawn_on is not None and drawn_on[0] is not self._view:
            overlay.paint_plan(painter, drawn_on[1], drawn_on[0], self._theme)
        self.tool.paint(painter, drawn_on[0] if drawn_on is not None else view, QRectF(self.rect()), self._theme)

    def paint_read(self, painter: QPainter, outcome: Outcome, view: View, shade: Shade) -> None:
        """Paint what is asked of points and lines, and the handles of planes."""
        assert self._outcome is not None and outcome.geometry is not None
        unfold = self._drawer.body(self._outcome, self.look).unfold
        written = [QRectF(*dimension.box) for dimension in self._dimensions]
        self.readings.paint(painter, self._outcome, view, self.legend.x() - 4.0, self._theme, unfold, written)
        moved = view.pose is not None and not shade.flat
        self.planes.take(shade.cuts if moved else (), *drawn_box(outcome.geometry))
        if view.pose is not None:
            self.looks.cuts.towards = view.pose.axes[2]
            self.planes.paint(painter, view, self._theme)

    @property
    def dimension_labels(self) -> dict[str, DimensionLine]:
        """The dimensions on the picture by their name, such as ``width of brick``."""
        return {dimension.name: dimension for dimension in self._dimensions}

    def draw_outline(self) -> None:
        """Begin to draw a new outline on the picture, that of a solid on its plan; a rod says why not."""
        if self._seen is None or drawing_plane_of(self._seen.geometry) is None:
            self._say("outlines are drawn on a section or on the plan of a solid; this body has neither")
            return
        self._note, self._plan = "", None
        self.tool.begin()

    def _grow_to_drawn(self) -> None:
        """Show all points of the outline that is drawn, where one of them is out of sight."""
        drawn_on, drawing = self._drawn_on(), self.tool.drawing
        if drawn_on is None or drawing is None or not drawing.points:
            return
        view, section = drawn_on
        places = np.array([point.place for point in drawing.points])
        pixels = view.pixels(places)
        if (pixels >= _IN_SIGHT).all() and (pixels <= np.array([self.width(), self.height()]) - _IN_SIGHT).all():
            return
        low, high = drawn_box(section)
        ends = np.minimum(low, places.min(axis=0)), np.maximum(high, places.max(axis=0))
        margins = narrowed(FLAT_MARGINS, self.width(), self.height())
        grown = view_of_box(*ends, self.width(), self.height(), margins, None)
        if view is self._view:
            self._view, self._is_fitted = grown, False
            self._redraw()
        else:
            self._plan = grown
        self.update()

    def _drawn_on(self) -> tuple[View, SectionGeometry] | None:
        """The section that is drawn on, and how it is seen: the plan of a solid only while an outline is drawn."""
        geometry = self._seen.geometry if self._seen is not None else None
        outlines = outlines_of(geometry)
        if outlines is not None or not self.tool.active:
            return (self._view, outlines) if self._view is not None and outlines is not None else None
        plan = drawing_plane_of(geometry)
        if plan is None:
            return None
        margins = narrowed(FLAT_MARGINS, self.width(), self.height())
        return self._plan or view_of_box(*drawn_box(plan), self.width(), self.height(), margins, None), plan

    def edit_dimension(self, dimension: DimensionLine) -> None:
        """Open a field over a dimension."""
        self._hints.used("dimension")

        def change(text: str) -> Callable[[Case], Case]:
            def made(case: Case) -> Case:
                for path in dimension.paths:
                    case = with_typed_value(case, path, text)
                return case

            return made

        self._editor.open(dimension.name, dimension.text, dimension.box, change)

    def mark_place(self, place: Floats | None) -> None:
        """Mark the place (d,) in m that is read in the strip."""
        self.readings.cursor = place
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom about the pointer."""
        if event is not None:
            self._hints.used("zoom")
            self.zoom(1.0015 ** event.angleDelta().y(), event.position())
            event.accept()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Open a dimension, or begin to drag."""
        if event is None:
            return
        drawn_on = self._drawn_on()
        if self.tool.active and drawn_on is not None and event.button() == Qt.MouseButton.LeftButton:
            self._note = ""
            self.tool.press(event.position(), *drawn_on)
            return
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        if drawn_on is not None and self.points.press(event.position(), drawn_on[0]):
            return
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            point = self._point_at(event.position())
            if point is not None:
                self.readings.begin(event.position(), point)
                self._hints.used("reading")
            return
        if self._view is not None and self.shade is not None and self.planes.press(event.position(), self._view):
            return
        dimension = self._dimension_at(event.position())
        if dimension is not None:
            self.edit_dimension(dimension)
        else:
            self._drag = self._pressed_at = event.position()
            shifted = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._turns = event.button() == Qt.MouseButton.LeftButton and not shifted

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """End a drag; a press and release on one place is a click on what lies there."""
        pressed, self._drag, self._pressed_at = self._pressed_at, None, None
        if self.points.release() or self.planes.release() or self.readings.end(self._outcome):
            return
        self.setCursor(Qt.CursorShape.ArrowCursor)
        if event is not None and pressed is not None and (event.position() - pressed).manhattanLength() < 4:
            surface = self.surface_at(event.position())
            if not surface:
                self.emptiness_clicked.emit()
            else:
                self._hints.used("surface")
                self.surface_clicked.emit(surface, event.globalPosition().toPoint())

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Show the whole body again."""
        if event is not None and self._dimension_at(event.position()) is None:
            self.fit()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag, or read the value under the pointer."""
        if event is None:
            return
        drawn_on = self._drawn_on()
        if self.tool.active and drawn_on is not None and self._drag is None:
            self.tool.move(event.position(), *drawn_on)
            return
        if drawn_on is not None and self.points.move(event.position(), *drawn_on):
            return
        if self.readings.drag(event.position(), self._point_at(event.position())):
            self.update()
            return
        if self._view is not None and self.planes.move(event.position(), self._view):
            return
        if self._drag is not None:
            step = event.position() - self._drag
            self._drag = event.position()
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            if self._turns and self._view is not None and self._view.pose is not None and self.look.face is None:
                self._hints.used("turn")
                self.turn(-step.x() * TURN_PER_PIXEL, step.y() * TURN_PER_PIXEL)
            else:
                self.pan(step.x(), step.y())
            return
        over = self._dimension_at(event.position())
        self.setCursor(Qt.CursorShape.IBeamCursor if over else Qt.CursorShape.ArrowCursor)
        under = self.surface_at(event.position())
        if under != self._under:
            self._under = under
            self.surface_pointed.emit(under)
            self._redraw_lit()
        reading = self.reading_at(event.position())
        if under:
            reading = f"{under}\n{reading}" if reading else under
        self._hover = (event.position(), reading) if reading else None
        self.place_pointed.emit(self._place_under(event.position()) if reading else None)
        self.update()

    def leaveEvent(self, event: object) -> None:
        """Nothing is read while the pointer is elsewhere."""
        self._hover = None
        self._under = ""
        self.surface_pointed.emit("")
        self.place_pointed.emit(None)
        self._redraw_lit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows pan, or turn a solid, which Shift with arrows pans; + and − zoom, 0 shows the whole body; letters
        choose how it is looked at."""
        if event is None:
            return
        if self.tool.active and (self.tool.key(event) or self.tool.type_on(event)):
            return
        arrows = {Qt.Key.Key_Left: (1, 0), Qt.Key.Key_Right: (-1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
        solid = self._view is not None and self._view.pose is not None and self.look.face is None
        if event.key() in arrows:
            x, y = arrows[Qt.Key(event.key())]
            if solid and not event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self.turn(-x * TURN_PER_KEY, y * TURN_PER_KEY)
            else:
                self.pan(40 * x, 40 * y)
        elif event.text() in ("+", "="):
            self.zoom(1.25)
        elif event.text() == "-":
            self.zoom(0.8)
        elif event.text() == "0":
            self.fit()
        elif event.text().lower() == "p" and self._hover is not None:
            point = self._point_at(self._hover[0])
            if point is not None:
                self.readings.pin(point, self._outcome)
        elif self.looks.key(event.text()):
            pass
        else:
            super().keyPressEvent(event)

    def _point_at(self, place: QPointF) -> Floats | None:
        """The same, snapped to nodes and edges."""
        point = self._place_under(place)
        if point is None or self._outcome is None or self._view is None:
            return None
        return snapped_to_surface(point, self._outcome, self._view)

    def _dimension_at(self, place: QPointF) -> DimensionLine | None:
        return next((d for d in self._dimensions if QRectF(*d.box).contains(place)), None)
