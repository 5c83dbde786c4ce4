"""The page before a case is open: families to begin from, and recent files."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QPixmap, QShowEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QToolButton, QVBoxLayout, QWidget

from blunt_ember.case.editing.edits import with_value
from blunt_ember.desk.app.settings import Settings
from blunt_ember.desk.widgets.flow_layout import FlowLayout
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import FAMILIES, GROUPS
from blunt_ember.gallery.family import Family
from blunt_ember.picture.body.drawn import drawn_box, pose_of
from blunt_ember.picture.body.renderer import BodyRenderer
from blunt_ember.picture.body.view import fitted
from blunt_ember.picture.lenses.registry import shade
from blunt_ember.picture.look import Look
from blunt_ember.picture.palette import LIGHT, Theme

CARD = QSize(250, 130)


class FamilyCard(QPushButton):
    """A family with its picture, a button as a whole."""

    def __init__(self, title: str, summary: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setProperty("role", "card")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"{title}: {summary}")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 12, 12)
        self.picture = QLabel(self)
        self.picture.setFixedSize(CARD)
        layout.addWidget(self.picture)
        for text, role in ((title, "strong"), (summary, "quiet")):
            label = QLabel(text, self)
            label.setProperty("role", role)
            label.setWordWrap(True)
            layout.addWidget(label)
        layout.addStretch(1)
        for label in self.findChildren(QLabel):
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)

    def sizeHint(self) -> QSize:
        """Room for the picture and three lines of words; the style sheet would shrink a fixed size."""
        return QSize(CARD.width() + 24, CARD.height() + 78)


class StartPage(QScrollArea):
    """Cards of the gallery, each drawn from its own solved field."""

    family_chosen = pyqtSignal(str)
    file_chosen = pyqtSignal(Path)
    open_clicked = pyqtSignal()

    def __init__(self, settings: Settings, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        page = QWidget(self)
        page.setObjectName("startPage")
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._settings = settings
        self._theme = LIGHT
        self._renderer: BodyRenderer | None = None
        self._flow = Flow()
        self._undrawn: list[str] = []
        layout = QVBoxLayout(page)
        layout.setContentsMargins(60, 48, 60, 48)
        layout.setSpacing(14)
        title = QLabel("State a case, solve it, set it beside theory", self)
        title.setProperty("role", "title")
        layout.addWidget(title)
        words = QLabel("Begin from a case with a known answer and make it yours.", self)
        words.setProperty("role", "quiet")
        layout.addWidget(words)
        open_button = QPushButton("Open a case file …", self)
        open_button.clicked.connect(self.open_clicked)
        row = QHBoxLayout()
        row.addWidget(open_button)
        row.addStretch(1)
        layout.addLayout(row)
        self._recent = QVBoxLayout()
        layout.addLayout(self._recent)
        self._cards: dict[str, FamilyCard] = {}
        for group, families in GROUPS.items():
            heading = QLabel(group.upper(), self)
            heading.setProperty("role", "heading")
            layout.addWidget(heading)
            layout.addWidget(self._group(families))
        layout.addStretch(1)
        self.setWidget(page)

    def _group(self, families: Sequence[Family]) -> QWidget:
        """The cards of some families, side by side as many as fit."""
        cards = QWidget(self)
        flow = FlowLayout(cards, spacing=16, indent=0)
        for family in families:
            card = FamilyCard(str(family.data["title"]), family.summary, self)
            card.setObjectName(f"family {family.name}")
            card.clicked.connect(partial(self.family_chosen.emit, family.name))
            flow.addWidget(card)
            self._cards[family.name] = card
        return cards

    def set_theme(self, theme: Theme) -> None:
        """Draw the cards in other colours."""
        self._theme = theme
        if self.isVisible():
            self._draw_cards()

    def close_renderer(self) -> None:
        """Give back the graphics context and what was kept of solved cases."""
        self._flow = Flow()
        if self._renderer is not None:
            self._renderer.close()
            self._renderer = None

    def showEvent(self, event: QShowEvent | None) -> None:
        """Draw the cards once the page is seen, and list the recent files."""
        super().showEvent(event)
        QTimer.singleShot(0, self._draw_cards)
        while (item := self._recent.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.deleteLater()
        for path in self._settings.recent:
            if path.exists():
                link = QToolButton(self)
                link.setText(str(path))
                link.setProperty("role", "link")
                link.clicked.connect(lambda _, path=path: self.file_chosen.emit(path))
                self._recent.addWidget(link)

    def _draw_cards(self) -> None:
        self._undrawn = list(self._cards)
        self._draw_next()

    def _draw_next(self) -> None:
        """Draw one card and come back for the next, so that the page answers meanwhile."""
        if not self._undrawn or not self.isVisible():
            return
        name = self._undrawn.pop(0)
        self._renderer = self._renderer or BodyRenderer()
        case = FAMILIES[name].case()
        if len(case.document.body.coordinates) == 3:  # a card is too small to show more than a plain mesh does
            case = with_value(case, ("mesh",), {"order": 1})
        if case.document.running_clock is not None:  # nor more than a rough run does
            case = with_value(with_value(case, ("clock", "tolerance"), "5 %"), ("questions",), [])
            case = with_value(case, ("mesh", "order"), 1)
        outcomes = self._flow.outcomes(case)
        outcome = _where_it_differs_most(next(each for each in outcomes if each.solution is not None or each.trouble))
        if outcome.geometry is not None:
            self._cards[name].picture.setPixmap(self._pixmap(outcome, self._renderer))
        QTimer.singleShot(0, self._draw_next)

    def _pixmap(self, outcome: Outcome, renderer: BodyRenderer) -> QPixmap:
        assert outcome.geometry is not None
        low, high = drawn_box(outcome.geometry)
        view = fitted(low, high, CARD.width(), CARD.height(), (8, 8, 8, 8), pose_of(outcome.geometry))
        ratio = self.devicePixelRatioF()
        pixels = renderer.draw(outcome, "Temperature", shade(outcome, Look(whole_run=False)), view, self._theme, ratio)
        height, width = pixels.shape[:2]
        image = QImage(pixels.tobytes(), width, height, width * 4, QImage.Format.Format_RGBA8888).copy()
        image.setDevicePixelRatio(ratio)
        return QPixmap.fromImage(image)


def _where_it_differs_most(outcome: Outcome) -> Outcome:
    """Of a run, the instant at which temperatures lie the furthest apart; any other outcome as it is."""
    run = outcome.run
    if run is None:
        return outcome
    widest = run.times[int(np.argmax(run.highest - run.lowest))]
    return outcome.at_frame(int(np.argmin(np.abs(run.fields.times - widest))))
