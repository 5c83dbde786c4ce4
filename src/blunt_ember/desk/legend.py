"""The legend of the stage: colours, values and their unit."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QImage, QPainter, QPen

from blunt_ember.picture.lenses import Shade
from blunt_ember.picture.palette import Theme, temperature_map

BAR_WIDTH = 14


def paint_legend(painter: QPainter, frame: QRectF, shade: Shade, theme: Theme) -> None:
    """Paint the bar with its ticks into ``frame``, the title above it."""
    metrics = QFontMetricsF(painter.font())
    title, unit = shade.title.split(", ")
    painter.setPen(QColor(theme.quiet))
    for line, text in enumerate((title, unit)):
        painter.drawText(QRectF(frame.left(), frame.top() + line * metrics.height(), frame.width(), metrics.height()),
                         Qt.AlignmentFlag.AlignRight, text)  # fmt: skip
    bar = QRectF(frame.right() - BAR_WIDTH, frame.top() + 2 * metrics.height() + 8, BAR_WIDTH,
                 frame.height() - 2 * metrics.height() - 12)  # fmt: skip
    colours = (temperature_map()[::-1] * 255).astype("uint8")
    image = QImage(colours.tobytes(), 1, len(colours), 3, QImage.Format.Format_RGB888)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.drawImage(bar, image, QRectF(0, 0, 1, len(colours)))
    painter.setPen(QPen(QColor(theme.ink), 1))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(bar)
    for share, text in shade.ticks(max(2, int(bar.height() // 46))):
        y = bar.bottom() - share * bar.height()
        painter.setPen(QColor(theme.ink))
        painter.drawLine(QPointF(bar.left() - 4, y), QPointF(bar.left(), y))
        box = QRectF(frame.left() - 20, y - metrics.height() / 2, bar.left() - 8 - frame.left() + 20, metrics.height())
        painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
