"""Zones of the window that fold to a narrow edge, by a click on it or by a key."""

from __future__ import annotations

from typing import Literal

from PyQt6.QtCore import QRect, QSize, Qt
from PyQt6.QtGui import QColor, QEnterEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QAbstractButton, QBoxLayout, QSizePolicy, QSplitter, QWidget

from blunt_ember.picture.palette import LIGHT, Theme

Side = Literal["left", "right", "below"]

#: How wide the edge of a zone is that is open, and of one that is folded, pixels.
_OPEN, _FOLDED = 9, 22
_MOST = 16_777_215
#: Which way a zone goes when it folds, and comes back.
_SIGNS: dict[Side, tuple[str, str]] = {"left": ("‹", "›"), "right": ("›", "‹"), "below": ("ˇ", "ˆ")}


class ZoneEdge(QAbstractButton):
    """The edge of a zone: a click folds it; folded, it shows the name of the zone."""

    def __init__(self, name: str, side: Side, key: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._name, self._side, self._key = name, side, key
        self.theme: Theme = LIGHT
        self.setObjectName(f"edge {name}")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        flat = side == "below"
        fixed, free = QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding
        self.setSizePolicy(free if flat else fixed, fixed if flat else free)
        self.show_folded(False)

    def show_folded(self, folded: bool) -> None:
        """Be the edge of a zone that is folded, or open."""
        self.folded = folded
        word = "Unfold" if folded else "Fold"
        self.setToolTip(f"{word} the {self._name} ({self._key})")
        self.setAccessibleName(f"{word} the {self._name}")
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        """Narrow."""
        width = _FOLDED if self.folded else _OPEN
        return QSize(60, width) if self._side == "below" else QSize(width, 60)

    def enterEvent(self, event: QEnterEvent | None) -> None:
        """Show which way it folds."""
        super().enterEvent(event)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the sign of folding while it is pointed at, and the name where it is folded."""
        painter, theme = QPainter(self), self.theme
        painter.fillRect(self.rect(), QColor(theme.note if self.underMouse() else theme.paper))
        sign = _SIGNS[self._side][int(self.folded)]
        text = f"{sign}  {self._name}" if self.folded else sign if self.underMouse() else ""
        painter.setPen(QColor(theme.ember if self.underMouse() else theme.quiet))
        area = QRect(self.rect())
        if self._side != "below" and self.folded:
            painter.rotate(-90)
            area = QRect(-self.height(), 0, self.height() - 12, self.width())
            painter.drawText(area, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{self._name}  {sign}")
            return
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter, text)


class FoldingZone(QWidget):
    """A zone with its edge, in a splitter; it holds nothing at first."""

    def __init__(self, name: str, side: Side, key: str, usual: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.name, self._side, self._key = name, side, key
        self._before = usual

    def hold(self, zone: QWidget) -> None:
        """Take the zone that is folded."""
        self._zone = zone
        self.edge = ZoneEdge(self.name, self._side, self._key, self)
        self.edge.clicked.connect(lambda: self.fold(not self.folded))
        direction = QBoxLayout.Direction.TopToBottom if self._side == "below" else QBoxLayout.Direction.LeftToRight
        layout = QBoxLayout(direction, self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        for widget in (zone, self.edge) if self._side == "left" else (self.edge, zone):
            layout.addWidget(widget, int(widget is zone))

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        self.edge.theme = theme
        self.edge.update()

    @property
    def folded(self) -> bool:
        """Whether only its edge is there."""
        return self.edge.folded

    def fold(self, folded: bool) -> None:
        """Fold it, or bring it back as large as it was."""
        if folded == self.folded:
            return
        splitter = self.parentWidget()
        assert isinstance(splitter, QSplitter)
        place, sizes = splitter.indexOf(self), splitter.sizes()
        if folded and sizes[place] > _FOLDED:  # else it has no size yet
            self._before = sizes[place]
        self.edge.show_folded(folded)
        self._zone.setVisible(not folded)
        most = _FOLDED if folded else _MOST
        (self.setMaximumHeight if self._side == "below" else self.setMaximumWidth)(most)
        wanted, whole = _FOLDED if folded else self._before, sum(sizes)
        splitter.setSizes([wanted if other == place else whole - wanted for other in range(len(sizes))])
