"""The page before a case is open: families to begin from, and recent files."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial
from pathlib import Path
from types import MappingProxyType

from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QHideEvent, QImage, QPixmap, QShowEvent
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from blunt_ember.case.case import Case
from blunt_ember.desk.app.settings import Settings
from blunt_ember.desk.beginning.card_pictures import CardPictures
from blunt_ember.desk.beginning.noted_line import NotedLine
from blunt_ember.desk.widgets.flow_layout import FlowLayout
from blunt_ember.gallery.blank import BLANKS, Blank
from blunt_ember.gallery.families import FAMILIES, GROUPS, VARIANTS
from blunt_ember.gallery.family import Family
from blunt_ember.picture.cards import CardRequest
from blunt_ember.picture.palette import LIGHT, Theme

#: Between the lines of a card, pixels.
_GAP = 5
#: Families that stand on the card of another one.
_VARIANTS = frozenset(name for variants in VARIANTS.values() for name in variants)
CARD, SMALL_CARD = QSize(250, 130), QSize(190, 84)


class FamilyCard(QPushButton):
    """A family with its picture, a button as a whole, and links to its variants: their names and what they are."""

    variant_chosen = pyqtSignal(str)

    def __init__(
        self,
        title: str,
        lines: Sequence[str],
        drawn: QSize,
        parent: QWidget | None = None,
        variants: Mapping[str, str] = MappingProxyType({}),
    ) -> None:
        super().__init__(parent)
        self.drawn = drawn
        self.pictured: CardRequest | None = None
        self._words: list[QWidget] = []
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Preferred)
        self.setProperty("role", "card")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"{title}: {', '.join(lines)}")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 12, 12)
        self.picture = QLabel(self)
        self.picture.setFixedSize(drawn)
        layout.addWidget(self.picture)
        for text, role in ((title, "strong"), *((line, "quiet") for line in lines)):
            label = QLabel(text, self)
            label.setProperty("role", role)
            label.setWordWrap(True)
            layout.addWidget(label)
            self._words.append(label)
        for name, words in variants.items():
            link = QToolButton(self)
            link.setText(f"or {words}")
            link.setProperty("role", "link")
            link.setObjectName(f"family {name}")
            link.setToolTip(FAMILIES[name].summary)
            link.clicked.connect(partial(self.variant_chosen.emit, name))
            layout.addWidget(link)
            self._words.append(link)
        layout.setSpacing(_GAP)
        layout.addStretch(1)
        for label in self.findChildren(QLabel):
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)

    def show_picture(self, request: CardRequest, image: QImage) -> None:
        """Show the picture that was asked for."""
        self.pictured = request
        self.picture.setPixmap(QPixmap.fromImage(image))

    def sizeHint(self) -> QSize:
        """Room for the picture and its words; the style sheet would shrink a fixed size."""
        width = self.drawn.width()
        heights = [each.heightForWidth(width) for each in self._words]
        words = sum(
            _GAP + (own if own > 0 else each.sizeHint().height())
            for own, each in zip(heights, self._words, strict=True)
        )
        return QSize(width + 24, self.drawn.height() + 24 + words + 2 * _GAP)


class StartPage(QScrollArea):
    """A line to note a problem in, blank bodies, and cards of the gallery, each drawn from its own solved field."""

    family_chosen = pyqtSignal(str)
    blank_chosen = pyqtSignal(str)
    case_made = pyqtSignal(Case)
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
        self._theme: Theme = LIGHT
        self._pictures = CardPictures(self)
        self._pictures.drawn.connect(self._drawn)
        self._pictures.failed.connect(lambda: self._undrawn.clear())
        self._undrawn: list[CardRequest] = []
        self._page = layout = QVBoxLayout(page)
        layout.setContentsMargins(60, 36, 60, 48)
        layout.setSpacing(12)
        title = QLabel("State a case, solve it, set it beside theory", page)
        title.setProperty("role", "title")
        layout.addWidget(title)
        self.line = NotedLine(page)
        self.line.made.connect(self.case_made)
        layout.addWidget(self.line)
        open_button = QPushButton("Open a case, a drawing or a mesh …", page)
        open_button.clicked.connect(self.open_clicked)
        self.search = QLineEdit(page)
        self.search.setObjectName("find a case")
        self.search.setAccessibleName("Find a case of the gallery")
        self.search.setPlaceholderText("find a case: wall, film, transient, radiation, series, 3-D …")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._filter)
        row = QHBoxLayout()
        row.addWidget(open_button)
        row.addWidget(self.search, 1)
        layout.addLayout(row)
        self._recent = QVBoxLayout()
        layout.addLayout(self._recent)
        self._cards: dict[str, FamilyCard] = {}
        self._blanks: dict[str, FamilyCard] = {}
        self._groups: list[tuple[QLabel, QWidget]] = []
        self._nothing = QLabel("No case of the gallery has these words.", page)
        self._nothing.setProperty("role", "quiet")
        self._nothing.hide()
        layout.addWidget(self._nothing)
        layout.addStretch(1)
        self.setWidget(page)

    def _add_cards(self) -> None:
        """All cards, which a window that opens on a case does without."""
        blanks = self._add_group("From nothing")
        for name, blank in BLANKS.items():
            self._add_blank(name, blank, blanks)
        for group, families in GROUPS.items():
            cards = self._add_group(group)
            for family in families:
                if family.name not in _VARIANTS:
                    self._add_family(family, cards)

    def _add_group(self, heading: str) -> FlowLayout:
        """A heading, and below it cards side by side as many as fit."""
        page = self.widget()
        label = QLabel(heading.upper(), page)
        label.setProperty("role", "heading")
        holder = QWidget(page)
        flow = FlowLayout(holder, spacing=16, indent=0, as_high=True)
        place = self._page.indexOf(self._nothing)
        self._page.insertWidget(place, label)
        self._page.insertWidget(place + 1, holder)
        self._groups.append((label, holder))
        return flow

    def _add_blank(self, name: str, blank: Blank, cards: FlowLayout) -> None:
        card = FamilyCard(blank.title, [blank.summary], SMALL_CARD, cards.parentWidget())
        card.setObjectName(f"blank {name}")
        card.clicked.connect(partial(self.blank_chosen.emit, name))
        cards.addWidget(card)
        self._blanks[name] = card

    def _add_family(self, family: Family, cards: FlowLayout) -> None:
        known = ", ".join(family.beside)
        lines = [family.summary, *([f"beside {known}"] if known else [])]
        card = FamilyCard(str(family.data["title"]), lines, CARD, cards.parentWidget(), VARIANTS.get(family.name, {}))
        card.setObjectName(f"family {family.name}")
        card.variant_chosen.connect(self.family_chosen)
        card.clicked.connect(partial(self.family_chosen.emit, family.name))
        cards.addWidget(card)
        self._cards[family.name] = card

    def _filter(self, words: str) -> None:
        """Show the cards of the gallery that have all of the words."""
        wanted = words.lower().split()
        for name, card in self._cards.items():
            said = (FAMILIES[each].said for each in (name, *VARIANTS.get(name, {})))
            card.setVisible(any(all(word in one for word in wanted) for one in said))
        for card in self._blanks.values():
            card.setVisible(not wanted)
        for label, holder in self._groups:
            some = any(not card.isHidden() for card in holder.findChildren(FamilyCard))
            label.setVisible(some)
            holder.setVisible(some)
        self._nothing.setVisible(not any(not label.isHidden() for label, _ in self._groups))

    def set_theme(self, theme: Theme) -> None:
        """Draw the cards in other colours."""
        self._theme = theme
        self.line.set_theme(theme)
        if self.isVisible():
            self._draw_cards()

    def close_renderer(self) -> None:
        """Give back the graphics context of the line, and end what draws the cards."""
        self._pictures.end()
        self.line.close_renderer()

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Draw no more cards: what is on the desk wants the time."""
        super().hideEvent(event)
        self._undrawn.clear()
        self._pictures.end()

    def showEvent(self, event: QShowEvent | None) -> None:
        """Make the cards when the page is first seen and draw them, and list the recent files."""
        if not self._cards:
            self._add_cards()
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
        """Put the pictures on all cards that were drawn before; draw the others, those that are seen first."""
        ratio, self._undrawn = self.devicePixelRatioF(), []
        for blank, cards in ((True, self._blanks), (False, self._cards)):
            for name, card in cards.items():
                size = card.drawn.width(), card.drawn.height()
                request = CardRequest(name, blank, size, ratio, self._theme)
                if card.pictured == request:
                    continue
                image = self._pictures.kept(request)
                if image is None:
                    self._undrawn.append(request)
                else:
                    card.show_picture(request, image)
        self._draw_next()

    def _draw_next(self) -> None:
        """Ask for the picture of one card, of those first that are not filtered out."""
        if self._pictures.busy:
            return
        if not self._undrawn:
            self._pictures.end()
            return
        following = next((each for each in self._undrawn if not self._card(each).isHidden()), self._undrawn[0])
        self._undrawn.remove(following)
        self._pictures.draw(following)

    def _drawn(self, request: CardRequest, image: QImage) -> None:
        if request.theme == self._theme:
            self._card(request).show_picture(request, image)
        self._draw_next()

    def _card(self, request: CardRequest) -> FamilyCard:
        return (self._blanks if request.blank else self._cards)[request.name]
