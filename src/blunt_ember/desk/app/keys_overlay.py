"""Every key there is, laid over the window until it is pressed or clicked away."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QWidget

from blunt_ember.picture.palette import Theme

#: Keys that are no actions of a menu, by where they work.
_ELSEWHERE: dict[str, tuple[tuple[str, str], ...]] = {
    "On the stage": (
        ("arrows", "pan, or turn a solid"),
        ("Shift with arrows", "pan a solid"),
        ("+  −  0", "zoom, whole body"),
        ("P, Ctrl with a click", "pin the reading under the pointer"),
        ("Ctrl with a drag", "draw a line to read along"),
        ("B  L  M", "bands, by tens, lowest and highest"),
        ("A  F", "arrows, flow lines"),
        ("H  R", "hide what is out of range, whole range"),
        ("X  Y  Z", "a plane across x, y, z"),
        (",  .", "move the plane"),
        ("T", "the plane face on"),
        ("D", "a section with its depth, or turned"),
        ("double click", "whole body"),
    ),
    "In fields and tables": (
        ("Enter, Tab", "take what was typed"),
        ("Esc", "back to what the case has"),
        ("Ctrl+C", "copy rows of the table"),
    ),
}
_COLUMNS = 3


class KeysOverlay(QWidget):
    """Shows the keys of the actions of a window, and those that are no actions."""

    def __init__(self, window: QWidget, actions: Sequence[tuple[str, Sequence[QAction]]], theme: Theme) -> None:
        super().__init__(window)
        self.setObjectName("keys")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("All keys")
        self._theme = theme
        groups = [*((title, _keys_of(some)) for title, some in actions), *_ELSEWHERE.items()]
        row = QHBoxLayout(self)
        row.setContentsMargins(48, 40, 48, 40)
        row.setSpacing(40)
        self.labels = [QLabel(self._page(part), self) for part in _shared([each for each in groups if each[1]])]
        for label in self.labels:
            label.setTextFormat(Qt.TextFormat.RichText)
            label.setAlignment(Qt.AlignmentFlag.AlignTop)
            row.addWidget(label, 1)
        window.installEventFilter(self)
        self.setGeometry(window.rect())
        self.show()
        self.raise_()
        self.setFocus()

    def _page(self, groups: Sequence[tuple[str, Sequence[tuple[str, str]]]]) -> str:
        rows = []
        for title, keys in groups:
            rows.append(
                f"<tr><td colspan=2 style='color:{self._theme.ember};padding-top:12px'><b>{title}</b></td></tr>"
            )
            rows += [
                f"<tr><td style='padding-right:18px;white-space:nowrap'><b>{escape(key)}</b></td>"
                f"<td>{escape(what)}</td></tr>"
                for key, what in keys
            ]
        return f"<table cellspacing=2>{''.join(rows)}</table>"

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint a sheet through which the window can still be made out."""
        painter = QPainter(self)
        paper = QColor(self._theme.paper)
        paper.setAlpha(245)
        painter.fillRect(self.rect(), paper)
        painter.end()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Any key takes it away."""
        self._go()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """So does a click."""
        self._go()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Stay as large as the window."""
        parent = self.parentWidget()
        if event is not None and event.type() == QEvent.Type.Resize and parent is not None:
            self.setGeometry(parent.rect())
        return False

    def _go(self) -> None:
        self.hide()
        self.deleteLater()


def _keys_of(actions: Sequence[QAction]) -> list[tuple[str, str]]:
    found = []
    for action in actions:
        keys = ", ".join(key.toString() for key in action.shortcuts())
        if keys:
            found.append((keys, action.text().replace("&", "").removesuffix(" …")))
    return found


def _shared(groups: list[tuple[str, Sequence[tuple[str, str]]]]) -> list[list[tuple[str, Sequence[tuple[str, str]]]]]:
    """Share groups out among columns of about the same length, in their order."""
    total = sum(len(keys) + 2 for _, keys in groups)
    columns: list[list[tuple[str, Sequence[tuple[str, str]]]]] = [[] for _ in range(_COLUMNS)]
    passed = 0
    for group in groups:
        size = len(group[1]) + 2
        columns[min(int((passed + size / 2) / total * _COLUMNS), _COLUMNS - 1)].append(group)
        passed += size
    return columns
