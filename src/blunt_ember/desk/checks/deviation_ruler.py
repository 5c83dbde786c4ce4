"""A ruler with even decades: how far an answer lies from what is expected, and where the tolerance is."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from blunt_ember.checks.verdict import Check
from blunt_ember.picture.palette import Theme

#: Powers of ten at the ends of the ruler; smaller deviations sit at its left end.
LOW, HIGH = -14, 1


class DeviationRuler(QWidget):
    """Paints one check; a disc stands for agreement and a cross for a deviation that is off."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._check: Check | None = None
        self._theme: Theme | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """A thin strip."""
        return QSize(200, 24)

    def show_check(self, check: Check, theme: Theme) -> None:
        """Take another check."""
        self._check, self._theme = check, theme
        if check.relative is not None and check.allowed is not None:
            said = f"deviation {check.relative:.1e} of the reference, tolerance {self._tolerance(check):.1e}"
            self.setToolTip(said)
            self.setAccessibleName(said)
        self.update()

    @staticmethod
    def _tolerance(check: Check) -> float:
        """The tolerance on the scale of the relative deviation."""
        if not check.allowed or not check.relative or not check.deviation:
            return check.allowed / abs(check.expected) if check.allowed and check.expected else 0.0
        return check.allowed * check.relative / abs(check.deviation)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint decades, tolerance and deviation."""
        check, theme = self._check, self._theme
        if check is None or theme is None or check.relative is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        left, right, y = 8.0, self.width() - 8.0, 7.0

        def place(value: float) -> float:
            power = math.log10(value) if value > 0 else LOW
            return left + (min(max(power, LOW), HIGH) - LOW) / (HIGH - LOW) * (right - left)

        tolerance = self._tolerance(check)
        painter.setPen(QPen(QColor(theme.hairline), 3))
        painter.drawLine(QPointF(left, y), QPointF(right, y))
        if tolerance > 0:
            painter.setPen(QPen(QColor(theme.agree), 3))
            painter.drawLine(QPointF(left, y), QPointF(place(tolerance), y))
            painter.setPen(QPen(QColor(theme.ink), 1.4))
            painter.drawLine(QPointF(place(tolerance), y - 6), QPointF(place(tolerance), y + 6))
        font = painter.font()
        font.setPointSizeF(7.0)
        painter.setFont(font)
        painter.setPen(QColor(theme.quiet))
        for power, text in ((-12, "10⁻¹²"), (-9, "10⁻⁹"), (-6, "10⁻⁶"), (-3, "0.1 %"), (0, "100 %")):
            x = place(10.0**power)
            painter.drawLine(QPointF(x, y + 3), QPointF(x, y + 6))
            painter.drawText(QRectF(x - 24, y + 5, 48, 12), Qt.AlignmentFlag.AlignCenter, text)
        x = place(check.relative)
        if check.verdict == "off":
            painter.setPen(QPen(QColor(theme.off), 2.2))
            painter.drawLine(QPointF(x - 4, y - 4), QPointF(x + 4, y + 4))
            painter.drawLine(QPointF(x - 4, y + 4), QPointF(x + 4, y - 4))
        else:
            painter.setPen(QPen(QColor(theme.paper), 1.2))
            painter.setBrush(QColor(theme.agree))
            painter.drawEllipse(QPointF(x, y), 4.6, 4.6)
        painter.end()
