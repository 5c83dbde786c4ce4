"""The small card that opens on a surface of the picture, to say what surrounds it."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from blunt_ember.desk.app.current_case import CurrentCase
from blunt_ember.desk.sheet.rows import RowList
from blunt_ember.flow.outcome import Outcome
from blunt_ember.sentences.blocks.surroundings import surface_rows

CARD_WIDTH = 330


class SurfaceCard(QFrame):
    """Lies over the picture beside the place that was clicked; follows the case while it is open."""

    closed = pyqtSignal()
    pointed = pyqtSignal(tuple)

    def __init__(self, current: CurrentCase, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("surface card")
        self.setProperty("role", "card")
        self.setFixedWidth(CARD_WIDTH)
        self._surface = ""
        self._current = current
        self._outcome: Outcome | None = None
        current.changed.connect(self._refresh)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 10)
        layout.setSpacing(5)
        top = QHBoxLayout()
        self._title = QLabel(self)
        self._title.setProperty("role", "strong")
        self._title.setObjectName("card title")
        top.addWidget(self._title)
        top.addStretch(1)
        shut = QToolButton(self)
        shut.setText("✕")
        shut.setProperty("role", "remove")
        shut.setObjectName("close card")
        shut.setAccessibleName("Close the card")
        shut.clicked.connect(self.shut)
        top.addWidget(shut)
        layout.addLayout(top)
        self._rows = RowList(current, self)
        self._rows.pointed.connect(self.pointed)
        layout.addWidget(self._rows)
        self.hide()

    @property
    def surface(self) -> str:
        """The surface it is about, empty while it is closed."""
        return self._surface if self.isVisible() else ""

    def open_on(self, surface: str, place: QPoint, outcome: Outcome) -> None:
        """Open on a surface, beside a place of the picture."""
        self._surface = surface
        self.show_outcome(outcome)
        room = self.parentWidget()
        assert room is not None
        x = place.x() + 14 if place.x() + 14 + self.width() < room.width() else place.x() - 14 - self.width()
        y = min(max(place.y() - 20, 46), max(room.height() - self.height() - 8, 0))
        self.move(max(x, 4), y)
        self.show()
        self.raise_()
        self.pointed.emit((surface,))
        tabbed = (
            widget
            for row in self._rows.rows
            for _, widget in row.parts
            if widget.focusPolicy() & Qt.FocusPolicy.TabFocus
        )
        first = next(tabbed, None)
        if first is not None:
            first.setFocus(Qt.FocusReason.TabFocusReason)

    def show_outcome(self, outcome: Outcome | None) -> None:
        """Take what is stated now; close where the surface is no more."""
        self._outcome = outcome
        self._refresh()

    def _refresh(self) -> None:
        """Show what the case on the desk says, which may be younger than what is solved."""
        case, outcome = self._current.case, self._outcome
        if not self._surface or case is None or outcome is None or outcome.geometry is None:
            return
        if self._surface not in outcome.geometry.surfaces:
            self.shut()
            return
        own = case.document.own_name(self._surface)
        self._title.setText(self._surface if own == self._surface else f"{own}  ({self._surface})")
        self._rows.show_rows(surface_rows(case, outcome, self._surface))
        layout = self.layout()
        if layout is not None:
            layout.activate()
            self.setFixedHeight(max(layout.heightForWidth(CARD_WIDTH), layout.minimumSize().height()))

    def shut(self) -> None:
        """Close."""
        if self._surface:
            self._surface = ""
            self.hide()
            self.pointed.emit(())
            self.closed.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Esc closes."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.shut()
            return
        super().keyPressEvent(event)
