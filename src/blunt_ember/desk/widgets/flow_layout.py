"""A layout that sets its items in lines, as words in a sentence, and wraps them."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from PyQt6.QtCore import QRect, QSize, Qt
from PyQt6.QtWidgets import QLabel, QLayout, QLayoutItem, QWidget

#: What a line asks for at most, pixels; what is longer is cut where there is no room.
_LONGEST = 170


class FlowLayout(QLayout):
    """Items left to right, wrapped at the width there is; lines after the first are indented.

    Items of one line stand on its middle, or are ``as_high`` as the highest. Words that wrap themselves take whole
    lines, and none is wider than the line there is. What expands takes the rest of its line. A word that begins with a
    comma stays with what is before it.
    """

    def __init__(
        self, parent: QWidget | None = None, spacing: int = 5, indent: int = 16, as_high: bool = False
    ) -> None:
        super().__init__(parent)
        self._as_high = as_high
        self._items: list[QLayoutItem] = []
        self._gap = spacing
        self._indent = indent
        self._heights: dict[int, int] = {}
        self._seen: list[_Measured] | None = None
        self._least: QSize | None = None
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem | None) -> None:
        """Take an item at the end."""
        if item is not None:
            self._items.append(item)
            self.invalidate()

    def count(self) -> int:
        """Return how many items there are."""
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        """Return an item by its place."""
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        """Remove and return an item by its place."""
        if not 0 <= index < len(self._items):
            return None
        self.invalidate()
        return self._items.pop(index)

    def expandingDirections(self) -> Qt.Orientation:
        """Grow in neither direction."""
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        """The height follows from the width."""
        return True

    def heightForWidth(self, width: int) -> int:
        """Return the height the lines need at a width."""
        if width not in self._heights:
            self._heights[width] = self._placed(QRect(0, 0, width, 0), apply=False)
        return self._heights[width]

    def invalidate(self) -> None:
        """Forget sizes when an item has changed; asking each item again for every pass of a layout is slow."""
        self._heights.clear()
        self._seen = self._least = None
        super().invalidate()

    def setGeometry(self, rect: QRect) -> None:
        """Place the items."""
        super().setGeometry(rect)
        self._placed(rect, apply=True)

    def sizeHint(self) -> QSize:
        """Return the size wished for."""
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        """Return the size of the largest item, but for one that is long."""
        if self._least is None:
            size = QSize()
            for item in self._items:
                size = size.expandedTo(item.minimumSize())
            self._least = size.boundedTo(QSize(_LONGEST, size.height()))
        return self._least

    def _measured(self) -> list[_Measured]:
        """What is shown, measured once until something of it changes."""
        if self._seen is None:
            self._seen = [_Measured.of(item) for item in self._items if not item.isEmpty()]  # a hidden one is empty
        return self._seen

    def _placed(self, rect: QRect, apply: bool) -> int:
        left, top, after = rect.x(), rect.y(), rect.right() + 1
        x, y, line = left, top, 0
        pending: list[tuple[QLayoutItem, QRect]] = []

        def finish() -> None:
            for item, place in pending:
                high = line if self._as_high else place.height()
                item.setGeometry(QRect(place.x(), y + (line - high) // 2, place.width(), high))
            pending.clear()

        begun = False
        measured = self._measured()
        for place, each in enumerate(measured):
            width, height = each.size(rect.width())
            rest = after - x
            if each.expands:
                width = max(rest, each.least)
            joined = width
            for behind in itertools.takewhile(lambda item: item.joins, measured[place + 1 :]):
                joined += behind.size(rect.width())[0]
            too_wide = (joined if joined <= rect.width() - self._indent else width) > max(rest, 0)
            if begun and too_wide and not (each.joins and width <= max(rest, 0)):
                finish()
                x, y, line = left + self._indent, y + line + max(3, self._gap - 2), 0
                if each.expands:
                    width = after - x
            if apply:
                pending.append((each.item, QRect(x, 0, min(width, max(after - x, 20)), height)))
            begun = True
            x += width + (0 if measured[place + 1 : place + 2] and measured[place + 1].joins else self._gap)
            line = max(line, height)
        finish()
        return y + line - top


@dataclass(frozen=True, slots=True)
class _Measured:
    """An item and what it asks for: its size, what it needs at least, whether it takes the rest of its line, whether
    its words wrap, and whether it joins what is before it, as what begins with a comma does."""

    item: QLayoutItem
    hint: tuple[int, int]
    least: int
    expands: bool
    wraps: bool
    joins: bool

    @classmethod
    def of(cls, item: QLayoutItem) -> _Measured:
        hint, label = item.sizeHint(), item.widget()
        return cls(
            item,
            (hint.width(), hint.height()),
            item.minimumSize().width(),
            bool(item.expandingDirections() & Qt.Orientation.Horizontal),
            isinstance(label, QLabel) and label.wordWrap(),
            isinstance(label, QLabel) and label.text().startswith(","),
        )

    def size(self, width: int) -> tuple[int, int]:
        """Its width and height in lines of a width, pixels."""
        return (width, self.item.heightForWidth(width)) if self.wraps else self.hint
