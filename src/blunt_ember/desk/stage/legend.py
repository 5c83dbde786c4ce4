"""The legend of the stage: colours, values and their unit; its ends are dragged or typed."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QLineEdit, QWidget

from blunt_ember.case.values.display import in_shown_unit, number
from blunt_ember.desk.widgets.typed_value import typed_si
from blunt_ember.errors import ExpressionError
from blunt_ember.picture.body.actors import faded_ends
from blunt_ember.picture.lenses.field import Shade
from blunt_ember.picture.palette import LIGHT, Theme

BAR_WIDTH = 14
LEGEND_WIDTH = 104
#: Height of the fields of the ends, and how near to an end the pointer takes hold of it, pixels.
_FIELD, _REACH = 20, 12
#: The ends keep so far apart, as a share of the scale.
_LEAST = 0.01
#: Pixels from which on a bar has ticks.
_TICKED = 56


class Legend(QWidget):
    """Shows a shade; says which range is wanted instead."""

    #: The lower and upper end in SI, None where it is free.
    range_wanted = pyqtSignal(object, object)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("legend")
        self.setAccessibleName("Legend: the range that is coloured")
        self.setMouseTracking(True)
        self._shade: Shade | None = None
        self._theme = LIGHT
        self._fixed: list[float | None] = [None, None]
        self._held: int | None = None
        self.low = self._end_field("legend low", "Lower end of what is coloured; empty for free", 0)
        self.high = self._end_field("legend high", "Upper end of what is coloured; empty for free", 1)
        self.hide()

    def _end_field(self, name: str, tip: str, end: int) -> QLineEdit:
        field = QLineEdit(self)
        field.setObjectName(name)
        field.setToolTip(tip)
        field.setAccessibleName(tip)
        field.setAlignment(Qt.AlignmentFlag.AlignRight)
        field.editingFinished.connect(lambda: self._typed(field, end))
        return field

    def show_shade(self, shade: Shade | None, fixed: tuple[float | None, float | None], theme: Theme) -> None:
        """Show another shade, of which the ends that are not None were fixed."""
        self._shade, self._theme, self._fixed = shade, theme, list(fixed)
        self.setVisible(shade is not None)
        if shade is not None:
            for field, value in ((self.low, shade.low), (self.high, shade.high)):
                if not (field.hasFocus() and field.isModified()):
                    field.setText(number(in_shown_unit(value, shade.kind), 4))
                    field.setModified(False)
                    field.setProperty("wrong", False)
        self.update()

    def place(self, right: float, top: float, height: float) -> None:
        """Stand at a right edge from a top on."""
        self.setGeometry(round(right - LEGEND_WIDTH), round(top), LEGEND_WIDTH, max(round(height), 80))
        metrics = QFontMetricsF(self.font())
        self.high.setGeometry(LEGEND_WIDTH - 74, round(2 * metrics.height()) + 4, 74, _FIELD)
        self.low.setGeometry(LEGEND_WIDTH - 74, self.height() - _FIELD, 74, _FIELD)

    @property
    def bar(self) -> QRectF:
        """Where the colours are."""
        top = self.high.geometry().bottom() + 8
        return QRectF(LEGEND_WIDTH - BAR_WIDTH - 2, top, BAR_WIDTH, self.low.geometry().top() - 8 - top)

    def y_of(self, value: float) -> float:
        """Return where a value lies in the widget."""
        assert self._shade is not None
        share = float(self._shade.scale.places(np.array([value]))[0])
        return self.bar.bottom() - share * self.bar.height()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint title, colours, ticks and the two ends."""
        shade = self._shade
        if shade is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        metrics = QFontMetricsF(painter.font())
        title, unit = shade.title.rsplit(", ", 1)
        painter.setPen(QColor(self._theme.quiet))
        for line, text in enumerate((title, unit)):
            row = QRectF(0, line * metrics.height(), LEGEND_WIDTH, metrics.height())
            cut = metrics.elidedText(text, Qt.TextElideMode.ElideLeft, LEGEND_WIDTH)
            painter.drawText(row, Qt.AlignmentFlag.AlignRight, cut)
        bar = self.bar
        painter.drawImage(bar, _colours(shade, self._theme, max(int(bar.height()), 2)))
        painter.setPen(QPen(QColor(self._theme.ink), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(bar)
        # Where there is no room between both ends they say it all.
        ticks = shade.scale.ticks(max(2, int(bar.height() // 46))) if bar.height() >= _TICKED else ()
        for share, text in ticks:
            y = bar.bottom() - share * bar.height()
            painter.setPen(QColor(self._theme.ink))
            painter.drawLine(QPointF(bar.left() - 4, y), QPointF(bar.left(), y))
            box = QRectF(0, y - metrics.height() / 2, bar.left() - 8, metrics.height())
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        for end, value in enumerate((shade.low, shade.high)):
            colour = self._theme.ember if self._fixed[end] is not None or self._held == end else self._theme.ink
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(colour))
            painter.drawRoundedRect(QRectF(bar.left() - 3, self.y_of(value) - 2.5, bar.width() + 5, 5), 2.5, 2.5)
        painter.end()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of the nearer end."""
        if event is None or self._shade is None:
            return
        away = [abs(event.position().y() - self.y_of(value)) for value in (self._shade.low, self._shade.high)]
        end = int(np.argmin(away))
        self._held = end if away[end] <= _REACH and event.position().x() > self.bar.left() - 14 else None
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag the end that is held."""
        if event is None or self._shade is None:
            return
        away = min(abs(event.position().y() - self.y_of(value)) for value in (self._shade.low, self._shade.high))
        self.setCursor(Qt.CursorShape.SplitVCursor if away <= _REACH else Qt.CursorShape.ArrowCursor)
        if self._held is None:
            return
        share = float(np.clip((self.bar.bottom() - event.position().y()) / self.bar.height(), 0.0, 1.0))
        other = self._shade.scale.places(np.array([self._shade.high if self._held == 0 else self._shade.low]))[0]
        share = min(share, float(other) - _LEAST) if self._held == 0 else max(share, float(other) + _LEAST)
        free = share <= 0.0 if self._held == 0 else share >= 1.0
        self._fixed[self._held] = None if free else self._shade.scale.value_at(share)
        self.range_wanted.emit(*self._fixed)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let go."""
        self._held = None
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Free both ends."""
        self.range_wanted.emit(None, None)

    def _typed(self, field: QLineEdit, end: int) -> None:
        if not field.isModified() or self._shade is None:
            return
        wanted = list(self._fixed)
        try:
            wanted[end] = typed_si(field.text(), self._shade.kind)
        except ExpressionError as error:
            self._refuse(field, str(error))
            return
        low = wanted[0] if wanted[0] is not None else -np.inf
        high = wanted[1] if wanted[1] is not None else np.inf
        if end == 0 and low >= min(high, self._shade.scale.high):
            self._refuse(field, "the lower end must be less than the upper one")
        elif end == 1 and high <= max(low, self._shade.scale.low):
            self._refuse(field, "the upper end must be more than the lower one")
        else:
            field.setModified(False)
            field.setToolTip("")
            self.range_wanted.emit(*wanted)

    def _refuse(self, field: QLineEdit, why: str) -> None:
        field.setProperty("wrong", True)
        field.setToolTip(why)
        style = field.style()
        if style is not None:
            style.polish(field)


def _colours(shade: Shade, theme: Theme, rows: int) -> QImage:
    """The colours of the legend from its top, faded where nothing is coloured."""
    scale = shade.scale
    values = np.array([scale.value_at(1 - (row + 0.5) / rows) for row in range(rows)])
    places = shade.places(values)
    inside = np.clip((places * len(shade.colours)).astype(int), 0, len(shade.colours) - 1)
    colours = shade.colours[inside]
    below, above = faded_ends(shade, theme)
    colours[places < 0] = below
    colours[places > 1] = above
    data = np.ascontiguousarray(colours * 255, dtype=np.uint8)
    return QImage(data.tobytes(), 1, rows, 3, QImage.Format.Format_RGB888).copy()
