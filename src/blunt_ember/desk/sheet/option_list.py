"""A list of what a word may become that is filtered as one types, where a menu would be as tall as the window."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QKeyEvent
from PyQt6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from blunt_ember.sentences.parts import Option

#: Options of a menu from which on it is a list, and rows of the list that are seen at once.
LONG, _ROWS = 10, 12
_WIDTH = 300
#: What stands between an option and one of those in it.
_WITHIN = " › "


def is_long(options: tuple[Option, ...]) -> bool:
    """Whether some options, or those in one of them, are too many for a menu."""
    return len(options) > LONG or any(is_long(option.within) for option in options)


class OptionList(QFrame):
    """Options one below the other under a field that filters them; what is in an option is found by typing too."""

    #: The last word of the option that is pointed at, which may be a surface.
    pointed = pyqtSignal(tuple)

    def __init__(self, options: tuple[Option, ...], choose: Callable[[Option], None], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("options")
        self.setProperty("role", "card")
        self._choose = choose
        self._shown: tuple[tuple[str, Option], ...] = ()
        self._within: list[tuple[str, tuple[Option, ...]]] = [("", options)]
        self.filter = QLineEdit(self)
        self.filter.setObjectName("filter")
        self.filter.setPlaceholderText("type to filter")
        self.filter.setAccessibleName("Filter what may be chosen")
        self.filter.installEventFilter(self)
        self.rows = QListWidget(self)
        self.rows.setObjectName("rows")
        self.rows.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.rows.setMouseTracking(True)
        self.rows.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(6, 6, 6, 6)
        layout.setSpacing(4)
        layout.addWidget(self.filter)
        layout.addWidget(self.rows)
        self.filter.textChanged.connect(lambda _: self._fill())
        self.rows.itemClicked.connect(lambda item: self._take(self.rows.row(item)))
        self.rows.itemEntered.connect(self.rows.setCurrentItem)
        self.rows.currentRowChanged.connect(self._point)
        self._fill()

    def open_at(self, place: QPoint) -> None:
        """Show it at a place of the screen, within it."""
        height = self.filter.sizeHint().height() + _ROWS * (self.rows.sizeHintForRow(0) or 18) + 26
        self.resize(_WIDTH, height)
        screen = self.screen()
        if screen is not None:
            room = screen.availableGeometry()
            place = QPoint(min(place.x(), room.right() - _WIDTH), min(place.y(), room.bottom() - height))
        self.move(place)
        self.show()
        self.filter.setFocus(Qt.FocusReason.PopupFocusReason)

    def _fill(self) -> None:
        title, options = self._within[-1]
        words = self.filter.text().lower().split()
        every = tuple(_flat(options)) if words else tuple((option.text, option) for option in options)
        self._shown = tuple(each for each in every if all(word in each[0].lower() for word in words))
        self.rows.clear()
        for text, option in self._shown:
            self.rows.addItem(QListWidgetItem(f"{text}{_WITHIN.rstrip()}" if option.within else text))
        if self._shown:
            self.rows.setCurrentRow(0)
        self.filter.setPlaceholderText(f"{title} … type to filter" if title else "type to filter")

    def _take(self, row: int) -> None:
        if not 0 <= row < len(self._shown):
            return
        text, option = self._shown[row]
        if inner := option.within:
            self._within.append((text, inner))
            self.filter.clear()
            self._fill()
            return
        self.close()
        self._choose(option)

    def _point(self, row: int) -> None:
        if 0 <= row < len(self._shown) and not self._shown[row][1].within:
            self.pointed.emit((self._shown[row][1].text,))

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Point at nothing any more."""
        self.pointed.emit(())
        super().closeEvent(event)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Move through the rows, take one, and go back, from the field."""
        if watched is self.filter and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            moves = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: _ROWS, Qt.Key.Key_PageUp: -_ROWS}
            if event.key() in moves:
                row = self.rows.currentRow() + moves[Qt.Key(event.key())]
                self.rows.setCurrentRow(min(max(row, 0), self.rows.count() - 1))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Right) and (
                event.key() != Qt.Key.Key_Right or self.filter.cursorPosition() == len(self.filter.text())
            ):
                self._take(self.rows.currentRow())
                return True
            back = event.key() == Qt.Key.Key_Left or event.key() == Qt.Key.Key_Backspace
            if back and not self.filter.text() and len(self._within) > 1:
                self._within.pop()
                self._fill()
                return True
        return super().eventFilter(watched, event)


def _flat(options: tuple[Option, ...], before: str = "") -> Iterator[tuple[str, Option]]:
    """Every option that can be taken, with the words that lead to it."""
    for option in options:
        text = f"{before}{option.text}"
        if inner := option.within:
            yield from _flat(inner, f"{text}{_WITHIN}")
        else:
            yield text, option
