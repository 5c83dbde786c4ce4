"""The fields and words a sentence of the sheet is made of."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QEnterEvent, QFocusEvent, QKeyEvent, QKeySequence, QMouseEvent
from PyQt6.QtWidgets import QApplication, QLabel, QLineEdit, QSizePolicy, QToolButton, QWidget

from blunt_ember.case.values.tables import is_table
from blunt_ember.sentences.parts import Entry

#: Pixels that a word may take in the sheet; a longer one is cut in its middle.
LONGEST_WORD = 286
#: Pixels that a field keeps where there is no room.
_NARROWEST = 24


class EntryField(QLineEdit):
    """A value in a sentence, as wide as its text. Enter or leaving it commits, Esc goes back to what was."""

    committed = pyqtSignal(str)
    #: Two columns were pasted where a table may stand.
    table_pasted = pyqtSignal(str)
    #: One of what else can be done with the value.
    chosen = pyqtSignal(object)

    def __init__(self, part: Entry, parent: QWidget | None = None, widest: int = 300) -> None:
        super().__init__(parent)
        self.part = part
        self._widest, self._wanted = widest, _NARROWEST
        self._came_by_click = False
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setProperty("name", part.style == "name")
        self.setProperty("formula", part.style == "formula")
        self.textChanged.connect(self._fit)
        self.show_part(part)

    def show_part(self, part: Entry) -> None:
        """Take the text of the case, unless something else is being typed here, or mended after it was refused."""
        typing = self.is_typed_into
        self.part = part
        self.setObjectName(part.key)
        self.setAccessibleName(part.hint)
        self.setToolTip(part.hint)
        if part.example != self.placeholderText():
            self.setPlaceholderText(part.example)
        if not self.property("wrong") and not typing:
            if self.text() != part.text:
                self.setText(part.text)
                self.setCursorPosition(0)  # of a long formula the beginning shows
            self._fit()

    @property
    def is_typed_into(self) -> bool:
        """Whether it has the focus and a text that is not committed yet."""
        return self.hasFocus() and self.isModified() and self.text() != self.part.text

    def go_on_from(self, before: EntryField) -> None:
        """Take over what is being typed into another field that this one stands for now."""
        self.setText(before.text())
        self.setModified(True)
        self.setFocus()
        self.setCursorPosition(before.cursorPosition())

    def refuse(self, why: str) -> None:
        """Keep what was typed, marked as wrong."""
        self._mark(True)
        self.setToolTip(why)

    def accept(self) -> None:
        """Take the mark off."""
        if self.property("wrong"):
            self._mark(False)
            self.setToolTip(self.part.hint)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Leave undo and redo to the case, unless something typed here is not committed yet."""
        if (
            event is not None
            and event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and self.text() == self.part.text
            and any(event.matches(key) for key in (QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo))
        ):
            event.ignore()
            return True
        return super().eventFilter(watched, event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter commits, Esc takes the text of the case again."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.accept()
            self.setText(self.part.text)
            self.committed.emit(self.part.text)
            self.selectAll()
            return
        clipboard = QApplication.clipboard()
        pasting = event is not None and event.matches(QKeySequence.StandardKey.Paste) and clipboard is not None
        if pasting and self.part.tabled is not None and clipboard is not None and is_table(clipboard.text()):
            self.table_pasted.emit(clipboard.text())
            return
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._commit()
            self.selectAll()
            return
        super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer what else can be done with the value, below what every field offers."""
        menu = self.createStandardContextMenu()
        if menu is None or event is None:
            return
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        if self.part.more:
            menu.addSeparator()
        for option in self.part.more:
            action = menu.addAction(option.text)
            if action is not None:
                action.triggered.connect(lambda _=False, option=option: self.chosen.emit(option))
        menu.popup(event.globalPos())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Remember whether this click brings the focus."""
        self._came_by_click = not self.hasFocus() or self._came_by_click
        super().mousePressEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Select all by the click that brings the focus, unless something was selected by it."""
        super().mouseReleaseEvent(event)
        if self._came_by_click and not self.hasSelectedText():
            self.selectAll()
        self._came_by_click = False

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """Select all when reached by keyboard."""
        super().focusInEvent(event)
        self.installEventFilter(self)  # only while it has the focus: every event goes through it
        if event is not None and event.reason() == Qt.FocusReason.MouseFocusReason:
            self._came_by_click = True
        if event is not None and event.reason() in (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason):
            self.selectAll()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """Leaving the field commits."""
        super().focusOutEvent(event)
        self.removeEventFilter(self)
        if event is not None and event.reason() != Qt.FocusReason.PopupFocusReason:
            self._commit()

    def _commit(self) -> None:
        self.setModified(False)
        if self.text().strip() != self.part.text or self.property("wrong"):
            self.committed.emit(self.text())

    def _mark(self, wrong: bool) -> None:
        self.setProperty("wrong", wrong)
        style = self.style()
        if style is not None:
            style.unpolish(self)
            style.polish(self)

    def _fit(self) -> None:
        text = self.text() or self.part.example or " " * 6
        margin = 12 if self.part.style == "name" else 14
        wanted = min(max(self.fontMetrics().horizontalAdvance(text) + margin, _NARROWEST), self._widest)
        if wanted != self._wanted:
            self._wanted = wanted
            self.updateGeometry()

    def sizeHint(self) -> QSize:
        """As wide as its text."""
        return QSize(self._wanted, super().sizeHint().height())

    def minimumSizeHint(self) -> QSize:
        """Narrow, as a long text can be scrolled."""
        return QSize(_NARROWEST, super().minimumSizeHint().height())


class PointedLabel(QLabel):
    """Words that light surfaces up on the picture while the pointer is on them."""

    pointed = pyqtSignal(tuple)

    def __init__(self, text: str, points: tuple[str, ...], parent: QWidget | None = None) -> None:
        super().__init__(text, parent)
        self.points = points

    def enterEvent(self, event: QEnterEvent | None) -> None:
        """Light up."""
        super().enterEvent(event)
        self.pointed.emit(self.points)

    def leaveEvent(self, event: QEvent | None) -> None:
        """Go dark."""
        super().leaveEvent(event)
        self.pointed.emit(())


class WordButton(QToolButton):
    """A word that can be clicked, no wider than the word; it may light surfaces up while it is pointed at."""

    pointed = pyqtSignal(tuple)

    def __init__(self, points: tuple[str, ...] = (), parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.points = points
        self._says_all = False
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    def enterEvent(self, event: QEnterEvent | None) -> None:
        """Light up, and say a word that is too long to be shown whole."""
        super().enterEvent(event)
        if not self.toolTip() and self.fontMetrics().horizontalAdvance(self.text()) + 6 > LONGEST_WORD:
            self._says_all = True
            self.setToolTip(self.text())
        self.pointed.emit(self.points)

    def leaveEvent(self, event: QEvent | None) -> None:
        """Go dark."""
        super().leaveEvent(event)
        if self._says_all:  # the word may be another one when it is pointed at again
            self._says_all = False
            self.setToolTip("")
        self.pointed.emit(())

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """Light up for the keyboard too."""
        super().focusInEvent(event)
        self.pointed.emit(self.points)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """Go dark."""
        super().focusOutEvent(event)
        self.pointed.emit(())

    def sizeHint(self) -> QSize:
        """The text and a hair around it."""
        self.ensurePolished()
        text = self.fontMetrics().size(Qt.TextFlag.TextSingleLine, self.text())
        return QSize(min(text.width() + 6, LONGEST_WORD), text.height() + 5)

    def minimumSizeHint(self) -> QSize:
        """Give way where a line is narrower."""
        return QSize(_NARROWEST, self.sizeHint().height())
