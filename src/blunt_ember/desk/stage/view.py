"""What the stage shows: the picture of the newest outcome from where the eye is, with what is written over it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QImage, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from blunt_ember.arrays import Floats
from blunt_ember.case.values.display import shown
from blunt_ember.case.values.units import LENGTH
from blunt_ember.desk.stage import overlay
from blunt_ember.desk.stage.law_spikes import paint_spikes
from blunt_ember.desk.stage.legend import LEGEND_WIDTH, Legend
from blunt_ember.desk.stage.level_labels import LevelLabels
from blunt_ember.desk.stage.look_bar import LookBar
from blunt_ember.desk.stage.opening_lips import OpeningLips
from blunt_ember.desk.stage.picture import StagePicture
from blunt_ember.desk.stage.pointing import Pointer
from blunt_ember.desk.stage.seen_surfaces import paint_seen, paint_seen_in_space, seen_from
from blunt_ember.desk.stage.tools.dimensions import DimensionLine, dimensions, every_length
from blunt_ember.errors import CaseError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.body.drawn import drawing_of, drawn_box, seen_pose
from blunt_ember.picture.body.pose import Pose
from blunt_ember.picture.body.view import View, view_of_box
from blunt_ember.picture.lenses.field import Shade
from blunt_ember.picture.lenses.registry import LENSES
from blunt_ember.picture.look import Look
from blunt_ember.picture.palette import LIGHT, Theme

#: Room about a body: left, top, right, bottom. A solid has a row more above it, of the planes that open it.
FLAT_MARGINS = (112, 108, 124, 80)
SOLID_MARGINS = (112, 140, 124, 80)
#: How long a solid has stood still, in ms, when it is drawn with smooth edges again.
STILL_MS = 150
#: Dimensions of a solid that may stand over its field.
MOST_OVER_FIELD = 8
#: Pixels above the legend at least.
_LEGEND_TOP = 82


class StageView(QWidget):
    """Paints the picture; zooms, pans and turns it, and tells what lies under a place of it."""

    drawn = pyqtSignal()
    lens_changed = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("stage")
        self.setAccessibleName("Stage: the body through a lens")
        self.setMinimumSize(300, 220)
        self._theme = LIGHT
        self._drawer = StagePicture()
        self._outcome: Outcome | None = None
        self._image: QImage | None = None
        self._pointer = Pointer()
        self._levels = LevelLabels()
        self._lips = OpeningLips()
        self._view: View | None = None
        #: The axis across which a plane is drawn alone, and how the body was turned before it was.
        self._across: int | None = None
        self._turned: Pose | None = None
        self._is_fitted = True
        self._stale = ""
        self._note = ""
        self._hover: tuple[QPointF, str] | None = None
        self._dimensions: list[DimensionLine] = []
        self._lit: tuple[str, ...] = ()
        self._under = ""
        self._still = QTimer(self)
        self._still.setSingleShot(True)
        self._still.timeout.connect(self._redraw)
        self.legend = Legend(self)
        self.looks = LookBar(self)
        self.looks.changed.connect(self._look_changed)
        self.looks.whole_changed.connect(self.fit)
        self.looks.lens_changed.connect(self.lens_changed)
        self.legend.range_wanted.connect(self.looks.fix_range)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 10, 12, 10)
        layout.addWidget(self.looks)
        layout.addStretch(1)

    def paint_tools(self, painter: QPainter, outcome: Outcome, view: View, named: bool) -> None:
        """Paint what is worked on over the picture, before what is read: nothing, unless there are such tools."""

    def paint_read(self, painter: QPainter, outcome: Outcome, view: View, shade: Shade) -> None:
        """Paint what is read of a field: nothing, unless there are readings."""

    def hint(self) -> str:
        """Return what may be said at the foot while there is nothing more urgent: nothing, unless there are tools."""
        return ""

    @property
    def shows_dimensions(self) -> bool:
        """Whether there is room for dimensions over what is worked on."""
        return True

    @property
    def lens(self) -> str:
        """The lens that was chosen."""
        return self.looks.look.lens

    @property
    def look(self) -> Look:
        """How the body is looked at."""
        return self.looks.look

    @property
    def shade(self) -> Shade | None:
        """What the body is coloured by."""
        return self._drawer.shade

    @property
    def _seen(self) -> Outcome | None:
        """The outcome as it is drawn, with all that is drawn beyond what is solved."""
        return None if self._outcome is None else self._drawer.body(self._outcome, self.look).outcome

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self._redraw()

    def set_lens(self, lens: str) -> None:
        """Look through another lens."""
        self.looks.choose(lens)

    def show_outcome(self, outcome: Outcome | None) -> None:
        """Show what is known of the case now."""
        known = self._outcome
        same = (
            outcome is not None
            and known is not None
            and outcome.solution is known.solution
            and outcome.geometry is known.geometry
            and outcome.case is known.case
            and outcome.kept is known.kept
        )
        self._outcome = outcome
        self._stale = ""
        if outcome is None:
            self._is_fitted = True
            self.looks.free_ranges()
        if not same:
            self._hover = None  # what was read there is no longer so
            self._offer()
            self._redraw()

    def colour_over_whole_run(self, whole: bool) -> None:
        """Choose the range that temperatures of a run are coloured over: of the whole run, or of each instant."""
        self.looks.colour_over_whole_run(whole)

    def mark_stale(self, why: str) -> None:
        """Say on the picture that it shows the case before the last edit."""
        self._stale = why
        self.update()

    def fit(self) -> None:
        """Show the whole body."""
        self._is_fitted = True
        self._redraw()

    def zoom(self, factor: float, about: QPointF | None = None) -> None:
        """Enlarge about a place of the widget, its middle when none is given."""
        if self._view is not None:
            about = about or QPointF(self.width() / 2, self.height() / 2)
            self._move_to(self._view.zoomed(factor, (about.x(), about.y())))

    def pan(self, right: float, down: float) -> None:
        """Drag the picture by pixels."""
        if self._view is not None:
            self._move_to(self._view.moved(right, down))

    def turn(self, around: float, above: float) -> None:
        """Move the eye round a solid by so many radians."""
        seen = self._seen
        if self._view is None or seen is None or seen.geometry is None or self._view.pose is None:
            return
        if self.look.face is not None:
            return  # a flat picture is looked at straight on
        low, high = drawn_box(seen.geometry)
        self._move_to(self._view.turned(around, above, (low + high) / 2))

    def _move_to(self, view: View) -> None:
        """Look from elsewhere; a solid is drawn quickly while it moves, and sharp once it stands still."""
        self._view = view
        self._is_fitted = False
        if view.pose is not None:
            self._still.start(STILL_MS)
        self._redraw()

    def _say(self, text: str) -> None:
        self._note = text
        self.update()

    def picture(self) -> QImage | None:
        """Return the picture as last painted, without what is laid over it."""
        return self._image

    def close_renderer(self) -> None:
        """Give the graphics context back."""
        self._drawer.close()

    def open_renderer(self) -> None:
        """Open the graphics context before it is first needed, as that takes a while."""
        self._drawer.open()

    def sizeHint(self) -> QSize:
        """Wish for the size of the design."""
        return QSize(579, 501)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint picture, dimensions, legend, reading and what is wrong."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self._theme.stage))
        outcome = self._seen
        if outcome is not None and outcome.geometry is not None:
            self._fit_view(outcome)
            if self._image is None:
                self._image = self._drawn_image()
            painter.drawImage(QPointF(0, 0), self._image)
            view, theme = self._view, self._theme
            assert view is not None
            named = LENSES[self.lens].field is None or outcome.solution is None
            pointed = self._under or next(iter(self._lit), "")
            if view.pose is not None:
                labels = self._pointer.region_labels(outcome, view) if named else []
                overlay.paint_solid(painter, labels, view, QRectF(self.rect()), theme)
                if outcome.mesh is not None:
                    paint_seen_in_space(painter, seen_from(outcome.problem, pointed), outcome.mesh, view, theme)
            elif outcome.geometry.upright is None:
                overlay.paint_flat(
                    painter, outcome.geometry, {*self._lit, self._under}, outcome.unstated, named, view, theme
                )
                segments = drawing_of(outcome.geometry).segments
                paint_seen(painter, seen_from(outcome.problem, pointed), segments, view, theme)
            paint_spikes(painter, outcome, {*self._lit, self._under} - {""}, view, theme)
            self._dimensions = self._laid_out(painter, outcome, view) if self.shows_dimensions else []
            crowded = view.pose is not None and not named and len(self._dimensions) > MOST_OVER_FIELD
            if crowded or self.look.face is not None:
                self._dimensions = []  # they would hide the field; the lens Shape has them all
            overlay.paint_dimensions(painter, self._dimensions, not named, theme)
            if self.look.face is None:
                taken = [QRectF(*dimension.box) for dimension in self._dimensions]
                self._lips.paint(painter, outcome, view, taken, theme)
            self.paint_tools(painter, outcome, view, named)
            shade = self.shade
            if shade is not None:
                if outcome.mesh is not None and not self._still.isActive():
                    taken = [QRectF(*dimension.box) for dimension in self._dimensions]
                    self._levels.paint(painter, outcome.mesh, shade, view, self._pointer, taken, theme)
                room = QRectF(0, 0, self.legend.x() - 4.0, self.height())
                overlay.paint_values(painter, outcome, shade, view, room, theme)
                self.paint_read(painter, outcome, view, shade)
            if LENSES[self.lens].materials:
                overlay.paint_materials(painter, outcome, QRectF(self.rect()), theme)
        room = QRectF(self.rect())
        if self._hover is not None:
            left = room.adjusted(0, 0, self.legend.x() - room.right() - 4 if self.shade is not None else 0, 0)
            overlay.paint_reading(painter, *self._hover, left, self._theme)
        message, colour = self._message()
        if message:
            overlay.paint_message(painter, message, colour, room.adjusted(0, 0, 0, -self.foot), self._theme)
        elif (hint := self.hint()) and outcome is not None and outcome.solution is not None and not self._low_label():
            overlay.paint_hint(painter, hint, room, self._theme)
        painter.end()
        self.drawn.emit()

    @property
    def foot(self) -> int:
        """Pixels at the foot of the stage that something stands on."""
        return 0

    def _low_label(self) -> bool:
        """Whether a dimension is written where hints are."""
        return any(
            y + height > self.height() - overlay.HINT_HEIGHT for _, y, _, height in (d.box for d in self._dimensions)
        )

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Keep the scale, or the fit, in the new frame."""
        super().resizeEvent(event)
        if self._view is not None:
            self._view = self._view.resized(max(self.width(), 1), max(self.height(), 1))
        self._redraw()

    def reading_at(self, place: QPointF) -> str:
        """Return what there is to read under a place of the widget; nothing outside the body."""
        if self._seen is None or self._view is None:
            return ""
        return self._pointer.reading(self._seen, self._view, self.shade, (place.x(), place.y()))

    def _place_under(self, place: QPointF) -> Floats | None:
        """The place (d,) in m of the body under a place of the widget."""
        if self._outcome is None or self._seen is None or self._view is None:
            return None
        point = self._pointer.point(self._seen, self._view, self.shade, (place.x(), place.y()))
        return None if point is None else self._drawer.body(self._outcome, self.look).fold(point[None])[0]

    def light(self, surfaces: tuple[str, ...]) -> None:
        """Light surfaces up."""
        self._lit = surfaces
        self._redraw_lit()

    def surface_at(self, place: QPointF) -> str:
        """Return the surface under a place of the widget, the nearest within reach; empty for none."""
        if self._seen is None or self._view is None or self.look.face is not None:
            return ""
        return self._pointer.surface(self._seen, self._view, (place.x(), place.y()))

    def _redraw_lit(self) -> None:
        """On a solid, lit surfaces are part of the picture, so that what stands before them hides them."""
        if self._view is not None and self._view.pose is not None:
            self._image = None
        self.update()

    def _look_changed(self) -> None:
        self._hover = None
        self._offer()
        self._redraw()

    def _offer(self) -> None:
        """Offer what can be chosen of what is seen now."""
        outcome = self._outcome
        self.looks.offer(outcome, None if outcome is None else self._drawer.field(outcome, self.look), self._seen)

    def _redraw(self) -> None:
        self._image = None
        self.update()

    def _fit_view(self, outcome: Outcome) -> None:
        assert outcome.geometry is not None
        first, face = seen_pose(outcome.geometry, self.look), self.look.face
        before, pose = self._view.pose if self._view is not None else None, first
        if (across := face.axis if face is not None else None) != self._across:
            if self._across is None:
                self._turned = before
            pose = first if face is not None or self._turned is None else self._turned
            self._across = across
        elif self._view is None or self._is_fitted or (first is None) != (before is None):
            same_way_up = first is not None and before is not None and first.upright == before.upright
            pose = before if same_way_up else first
        else:
            return
        low, high = drawn_box(outcome.geometry)
        margins = narrowed(FLAT_MARGINS if pose is None else SOLID_MARGINS, self.width(), self.height())
        self._view = view_of_box(low, high, self.width(), self.height(), margins, pose)

    def _drawn_image(self) -> QImage:
        outcome, look, view = self._outcome, self.look, self._view
        assert outcome is not None and view is not None
        lit = {*self._lit, self._under} - {""}
        image = self._drawer.draw(
            outcome, look, view, self._theme, self.devicePixelRatioF(), lit, self._still.isActive()
        )
        top = max(_LEGEND_TOP, self.looks.bottom_beyond(self.width() - 12 - LEGEND_WIDTH) + 6)
        self.legend.place(self.width() - 12, top, self.height() - top - 40)
        self.legend.show_shade(self.shade, (look.low, look.high), self._theme)
        return image

    def _laid_out(self, painter: QPainter, outcome: Outcome, view: View) -> list[DimensionLine]:
        metrics = QFontMetricsF(painter.font())
        labels = {}
        for quantity in every_length(outcome.case.document.body):
            label = shown(quantity.si, outcome.case.units.of(LENGTH), 6)
            labels[label] = metrics.horizontalAdvance(label)
        assert outcome.geometry is not None
        return dimensions(outcome.case, outcome.geometry, view, labels)

    def _message(self) -> tuple[str, str]:
        """What is to be said under the picture, and its colour."""
        if self._outcome is not None and self._outcome.trouble is not None:
            trouble = self._outcome.trouble
            faults = trouble.faults if isinstance(trouble, CaseError) else ()
            more = f" (and {len(faults) - 1} more, at the top of the sheet)" if len(faults) > 1 else ""
            return f"{faults[0].message}{more}" if faults else str(trouble), self._theme.off
        return (self._note, self._theme.off) if self._note else (self._stale, self._theme.quiet)


def narrowed(margins: tuple[int, int, int, int], width: int, height: int) -> tuple[int, int, int, int]:
    """Return margins (left, top, right, bottom) that leave a small stage room for the body, pixels."""
    left, top, right, bottom = margins
    return min(left, max(width // 6, 36)), top, min(right, max(width // 4, 88)), min(bottom, max(height // 6, 34))
