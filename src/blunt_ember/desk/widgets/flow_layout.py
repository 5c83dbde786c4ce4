"""A layout that sets its items in lines, as words in a sentence, and wraps them."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtWidgets import QLabel, QLayout, QLayoutItem, QWidget

#: What a line asks for at most, pixels; what is longer is cut where there is no room.
_LONGEST = 170


class FlowLayout(QLayout):
    """Items left to right, wrapped at the width there is; lines after the first are indented.

    Items of one line stand on its middle, or are ``as_high`` as the highest. Words that wrap themselves take whole
    lines, and none is wider than the line there is. What expands takes the rest of its line.
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
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem | None) -> None:
        """Take an item at the end."""
        if item is not None:
            self._items.append(item)

    def count(self) -> int:
        """Return how many items there are."""
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        """Return an item by its place."""
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        """Remove and return an item by its place."""
        return self._items.pop(index) if 0 <= index < len(self._items) else None

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
        """Forget heights when an item has changed; asking each item again for every pass of a layout is slow."""
        self._heights.clear()
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
        size = QSize()
        for item in self._items:
            size = size.expandedTo(item.minimumSize())
        return size.boundedTo(QSize(_LONGEST, size.height()))

    def _size_of(self, item: QLayoutItem, rect: QRect) -> QSize:
        label = item.widget()
        if isinstance(label, QLabel) and label.wordWrap():
            return QSize(rect.width(), item.heightForWidth(rect.width()))
        return item.sizeHint()

    def _placed(self, rect: QRect, apply: bool) -> int:
        x, y, line = rect.x(), rect.y(), 0
        pending: list[tuple[QLayoutItem, int, QSize]] = []

        def finish() -> None:
            for item, left, size in pending:
                if apply:
                    high = line if self._as_high else size.height()
                    item.setGeometry(QRect(QPoint(left, y + (line - high) // 2), QSize(size.width(), high)))
            pending.clear()

        for item in self._items:
            if item.isEmpty():  # hidden
                continue
            size = self._size_of(item, rect)
            rest = rect.right() + 1 - x
            if item.expandingDirections() & Qt.Orientation.Horizontal:
                size = QSize(max(rest, item.minimumSize().width()), size.height())
            if pending and size.width() > max(rest, 0):
                finish()
                x, y, line = rect.x() + self._indent, y + line + max(3, self._gap - 2), 0
                if item.expandingDirections() & Qt.Orientation.Horizontal:
                    size.setWidth(rect.right() + 1 - x)
            pending.append((item, x, QSize(min(size.width(), max(rect.right() + 1 - x, 20)), size.height())))
            x += size.width() + self._gap
            line = max(line, size.height())
        finish()
        return y + line - rect.y()
