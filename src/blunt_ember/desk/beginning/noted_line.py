"""One field that takes a problem as it is noted on paper, and shows while one types what it makes of it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from html import escape

from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QPixmap, QTextCharFormat, QTextCursor
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLabel,
    QPlainTextEdit,
    QPushButton,
    QTextEdit,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from blunt_ember.case.case import Case
from blunt_ember.desk.beginning.sketches import Sketches
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.library.shelves import Shelves, shelves
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.noted.line_so_far import NotedProblem
from blunt_ember.noted.reading import EXAMPLES, read_line
from blunt_ember.picture.palette import Theme
from blunt_ember.sentences.spoken import sentences_of

_SKETCH = QSize(250, 150)
#: How long a pause in typing is before a line is read, ms.
_PAUSE = 120


class _Field(QPlainTextEdit):
    """Two lines to type in; the key Enter is not part of the text."""

    entered = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Take the line with Enter."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.entered.emit()
            return
        super().keyPressEvent(event)


class NotedLine(QWidget):
    """The field, the sentences and the sketch of what it makes, what it did not understand, and what it lacks."""

    made = pyqtSignal(Case)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._sketches = Sketches()
        self._shelves: Shelves | None = None
        self._read: NotedProblem | None = None
        self.field = _Field(self)
        self.field.setObjectName("noted line")
        self.field.setAccessibleName("The problem in a line")
        self.field.setPlaceholderText(EXAMPLES[0])
        self.field.setTabChangesFocus(True)
        self.field.setFixedHeight(2 * self.field.fontMetrics().lineSpacing() + 16)
        self.field.textChanged.connect(self._typed)
        self.field.entered.connect(self.take)
        self.open_button = QPushButton("Make this case", self)
        self.open_button.setObjectName("make noted case")
        self.open_button.setEnabled(False)
        self.open_button.clicked.connect(self.take)
        self.sentences = QLabel(self)
        self.sentences.setObjectName("noted sentences")
        self.sentences.setWordWrap(True)
        self.sentences.setTextFormat(Qt.TextFormat.RichText)
        self.sentences.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.picture = QLabel(self)
        self.picture.setFixedSize(_SKETCH)
        self._asked = QVBoxLayout()
        self._asked.setSpacing(2)
        self._after = QTimer(self)
        self._after.setSingleShot(True)
        self._after.timeout.connect(self.read_now)
        self._lay_out()
        self._show_examples()

    def _lay_out(self) -> None:
        row = QHBoxLayout()
        row.addWidget(self.field, 1)
        row.addWidget(self.open_button, 0, Qt.AlignmentFlag.AlignTop)
        self._below = QWidget(self)
        below = QHBoxLayout(self._below)
        below.setContentsMargins(0, 0, 0, 0)
        below.addWidget(self.sentences, 1)
        below.addWidget(self.picture, 0, Qt.AlignmentFlag.AlignTop)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(row)
        column.addLayout(self._asked)
        column.addWidget(self._below)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._sketches.theme = theme
        self._draw()

    def close_renderer(self) -> None:
        """Give back the graphics context."""
        self._sketches.close()

    def _typed(self) -> None:
        self.open_button.setEnabled(False)
        self._after.start(_PAUSE)

    def read_now(self) -> None:
        """Read the line as it stands and show what it makes."""
        self._after.stop()
        line = self.field.toPlainText()
        if not line.strip():
            self._read = None
            self._show_examples()
            return
        if self._shelves is None:
            try:
                self._shelves = shelves()
            except BluntEmberError:  # the analyst's own file is broken; that is told where the library is opened
                self._shelves = {}
        self._read = read_line(line, self._shelves)
        self._show(line)

    def take(self) -> None:
        """Hand on the case the line makes, if it makes one."""
        self.read_now()
        if self._read is not None and self._read.case is not None:
            self.made.emit(self._read.case)

    def _show(self, line: str) -> None:
        assert self._read is not None
        case = self._read.case
        self.open_button.setEnabled(case is not None)
        self._below.setVisible(case is not None)
        self._clear_asked()
        self._mark()
        for fault in self._read.not_understood:
            where = line[fault.start : fault.end].strip()
            said = fault.message if f"'{where}'" in fault.message else f"'{where}': {fault.message}"
            self._ask(said, fault.start, fault.end)
        for lack in self._read.missing:
            self._ask(f"still to say: {lack}", len(line), len(line))
        if case is not None:
            self.sentences.setText(
                "".join(
                    f"<p style='margin:0 0 4px 0'><b>{escape(heading)}</b><br>{'<br>'.join(map(escape, rows))}</p>"
                    for heading, rows in sentences_of(case)
                )
            )
        self._draw()

    def _show_examples(self) -> None:
        self._clear_asked()
        self.field.setExtraSelections([])
        self.open_button.setEnabled(False)
        self._below.hide()
        words = QLabel("A problem as one notes it on paper makes a case with its checks, for example", self)
        words.setProperty("role", "quiet")
        self._asked.addWidget(words)
        for example in EXAMPLES:
            button = QToolButton(self)
            button.setText(example)
            button.setProperty("role", "link")
            button.clicked.connect(partial(self._try, example))
            self._asked.addWidget(button)

    def _try(self, example: str) -> None:
        self.field.setPlainText(example)
        self.field.setFocus()
        self.read_now()

    def _clear_asked(self) -> None:
        while (item := self._asked.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()

    def _ask(self, words: str, start: int, end: int) -> None:
        """A question or fault; a click goes to its place in the line."""
        button = QToolButton(self)
        button.setObjectName("noted question")
        button.setText(words)
        button.setProperty("role", "link")
        button.clicked.connect(partial(self._go_to, start, end))
        self._asked.addWidget(button)

    def _go_to(self, start: int, end: int) -> None:
        cursor = self.field.textCursor()
        cursor.setPosition(start)
        cursor.setPosition(end, QTextCursor.MoveMode.KeepAnchor)
        self.field.setTextCursor(cursor)
        self.field.setFocus()

    def _mark(self) -> None:
        """Underline what is not understood."""
        assert self._read is not None
        marks = []
        for fault in self._read.not_understood:
            mark = QTextEdit.ExtraSelection()
            cursor = self.field.textCursor()
            cursor.setPosition(fault.start)
            cursor.setPosition(fault.end, QTextCursor.MoveMode.KeepAnchor)
            mark.cursor = cursor
            look = QTextCharFormat()
            look.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
            look.setUnderlineColor(QColor(self._sketches.theme.off))
            mark.format = look
            marks.append(mark)
        self.field.setExtraSelections(marks)

    def _draw(self) -> None:
        case = self._read.case if self._read is not None else None
        if case is None or not self.isVisible():
            return
        try:
            outcome = Outcome(case, geometry_of(case.document.body, case.folder, case.document.surface_parts))
            drawn = self._sketches.pixmap(outcome, "Shape", _SKETCH, self.devicePixelRatioF())
        except BluntEmberError:  # told by the case itself once it is on the desk
            drawn = QPixmap()
        self.picture.setPixmap(drawn)


class NotedLineDialog(QDialog):
    """The line over a window that already has a case; it stays open as long as the case it makes is not taken."""

    def __init__(self, theme: Theme, take: Callable[[Case], bool], parent: QWidget) -> None:
        super().__init__(parent)
        self._take = take
        self.setObjectName("noted line dialog")
        self.setWindowTitle("A new case in a line")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.line = NotedLine(self)
        self.line.set_theme(theme)
        self.line.made.connect(self._made)
        column = QVBoxLayout(self)
        column.addWidget(self.line)
        self.resize(820, 460)
        self.line.field.setFocus()

    def _made(self, case: Case) -> None:
        if self._take(case):
            self.accept()

    def done(self, result: int) -> None:
        """Give back the graphics context."""
        self.line.close_renderer()
        super().done(result)
