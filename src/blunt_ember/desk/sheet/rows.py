"""Rows of the sheet: words, fields and choices in a line, and lists of such rows."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QToolButton, QVBoxLayout, QWidget

from blunt_ember.case.editing.edits import value_at
from blunt_ember.case.editing.parameters import named_value
from blunt_ember.case.values.spellings import with_unit_of
from blunt_ember.case.values.tables import Cells, pasted_cells, table_cells
from blunt_ember.desk.app.current_case import CurrentCase
from blunt_ember.desk.sheet.fields import EntryField, PointedLabel, WordButton
from blunt_ember.desk.sheet.grip import GripHandle
from blunt_ember.desk.sheet.option_list import OptionList, is_long
from blunt_ember.desk.sheet.table_dialog import TableDialog
from blunt_ember.desk.widgets.curve import CurveButton
from blunt_ember.desk.widgets.flow_layout import FlowLayout
from blunt_ember.desk.widgets.wrapped_link import WrappedLink
from blunt_ember.errors import BluntEmberError, CaseError, ExpressionError, Fault
from blunt_ember.sentences.parts import (
    Choice,
    CurveOfLaw,
    Edit,
    Entry,
    Grip,
    Option,
    Remove,
    SentencePart,
    SheetRow,
    Tabled,
    Word,
)
from blunt_ember.sentences.spoken import phrase_of


class RowWidget(QWidget):
    """One sentence, and under it why the last thing typed into it was refused."""

    pointed = pyqtSignal(tuple)
    #: Something other than an edit was chosen: its name.
    asked = pyqtSignal(object)
    #: It was dragged to a place of the screen: itself, and the place.
    dropped = pyqtSignal(object, QPoint)

    def __init__(self, row: SheetRow, current: CurrentCase, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._current = current
        self._told: tuple[tuple[str, tuple[str, str] | None], ...] = ()
        self._trouble: list[QWidget] = []
        self._column = layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        self._words = QWidget(self)
        self._flow = FlowLayout(self._words)
        line = QHBoxLayout()
        line.setSpacing(2)
        line.addWidget(self._words, 1)
        layout.addLayout(line)
        self._fault = QLabel(self)
        self._fault.setProperty("role", "fault")
        self._fault.setWordWrap(True)
        self._fault.setObjectName("fault")
        self._fault.hide()
        layout.addWidget(self._fault)
        self._instead = QWidget(self)
        FlowLayout(self._instead)
        self._instead.hide()
        layout.addWidget(self._instead)
        self.parts: list[tuple[SentencePart, QWidget]] = []
        for part in row:
            widget = self._made(part)
            if isinstance(part, Remove):
                line.addWidget(widget, 0, Qt.AlignmentFlag.AlignTop)
            else:
                self._flow.addWidget(widget)
            self.parts.append((part, widget))

    def same_shape(self, row: SheetRow) -> bool:
        """Tell whether a row differs from this one in its texts only."""
        return len(row) == len(self.parts) and all(
            type(new) is type(old)
            and bool(getattr(new, "points", ())) == bool(getattr(old, "points", ()))
            and getattr(new, "key", "") == getattr(old, "key", "")
            and getattr(new, "role", "") == getattr(old, "role", "")
            for new, (old, _) in zip(row, self.parts, strict=True)
        )

    def focusable_parts(self) -> list[tuple[Entry | Choice | Remove | CurveOfLaw, QWidget]]:
        """Return what of the row takes the focus; the first of it stands for what removes the whole row."""
        found = [(part, widget) for part, widget in self.parts if not isinstance(part, Word | Grip)]
        return [(part, found[0][1] if isinstance(part, Remove) else widget) for part, widget in found]

    def show_row(self, row: SheetRow) -> None:
        """Take new texts."""
        for place, (part, (_, widget)) in enumerate(zip(row, self.parts, strict=True)):
            self.parts[place] = (part, widget)
            if isinstance(part, Entry) and isinstance(widget, EntryField):
                widget.show_part(part)
            elif isinstance(part, Word) and isinstance(widget, QLabel):
                widget.setText(part.text)
                if isinstance(widget, PointedLabel):
                    widget.points = part.points
            elif isinstance(part, CurveOfLaw) and isinstance(widget, CurveButton):
                widget.show_table(part.table, part.text)
            elif isinstance(part, Grip) and isinstance(widget, GripHandle):
                widget.part = part
            elif isinstance(part, Choice) and isinstance(widget, WordButton):
                widget.points = part.points
                if widget.text() != part.text:
                    widget.setText(part.text)
                    widget.updateGeometry()

    @property
    def grip(self) -> Grip | None:
        """What moves it among its like, where it has an order."""
        return next((part for part, _ in self.parts if isinstance(part, Grip)), None)

    def move_by(self, places: int) -> None:
        """Go so many places down in the order."""
        grip, holder = self.grip, self.parentWidget()
        if grip is None or not places or holder is None:
            return
        self._edit(grip.move(places), f"{grip.name}: {'later' if places > 0 else 'earlier'}")
        rows = (row for row in holder.findChildren(RowWidget) if row.grip is not None and row.isVisibleTo(holder))
        moved = next((row for row in rows if row.grip is not None and row.grip.name == grip.name), None)
        if moved is not None and moved.focusable_parts():
            moved.focusable_parts()[0][1].setFocus(Qt.FocusReason.OtherFocusReason)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Alt with an arrow moves the row in its order."""
        ways = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        if event is not None and event.modifiers() & Qt.KeyboardModifier.AltModifier and event.key() in ways:
            self.move_by(ways[Qt.Key(event.key())])
            return
        super().keyPressEvent(event)

    def _made(self, part: SentencePart) -> QWidget:
        match part:
            case Word(text, role, points):
                label = PointedLabel(text, points, self._words) if points else QLabel(text, self._words)
                if isinstance(label, PointedLabel):
                    label.pointed.connect(self.pointed)
                label.setProperty("role", role)
                if role in ("note", "open"):
                    label.setWordWrap(True)  # it takes a line of its own
                return label
            case Entry():
                return self._entry(part)
            case Choice():
                return self._choice(part)
            case CurveOfLaw():
                return self._curve(part)
            case Grip():
                handle = GripHandle(part, self._words)
                handle.dropped.connect(lambda place: self.dropped.emit(self, place))
                return handle
            case Remove(key, hint, _, _):
                button = _button(key, "✕", "remove", self)
                button.setToolTip(hint)
                button.setAccessibleName(hint)
                button.clicked.connect(lambda: self._remove(button))
                return button

    def _entry(self, part: Entry) -> EntryField:
        field = EntryField(part, self._words)
        field.committed.connect(lambda text: self._typed(field, text))
        field.table_pasted.connect(lambda text: self._pasted(field, text))
        field.chosen.connect(lambda option: self._edit(option.edit, self._phrase(field.part, option.text)))
        return field

    def _curve(self, part: CurveOfLaw) -> CurveButton:
        button = CurveButton(self._words)
        button.setObjectName(part.key)
        button.setAccessibleName(f"table, {part.text}")
        button.setToolTip("Open the table")
        button.show_table(part.table, part.text)
        button.clicked.connect(lambda: self._open_table(button))
        return button

    def _open_table(self, widget: QWidget) -> None:
        part, case = self._part_of(widget), self._current.case
        if isinstance(part, CurveOfLaw) and case is not None:
            cells = table_cells(value_at(case.data, part.tabled.path))
            self._edit_table(part.tabled, cells, part.table.over)

    def _pasted(self, field: EntryField, text: str) -> None:
        tabled = field.part.tabled
        if tabled is not None:
            self._edit_table(tabled, pasted_cells(text), "T" if "T" in tabled.variables else tabled.variables[0])

    def _edit_table(self, tabled: Tabled, cells: Cells, over: str) -> None:
        dialog = TableDialog(self._current, tabled.path, tabled.kind, tabled.variables, cells, over, self.window())
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    def _choice(self, part: Choice) -> QToolButton:
        button = _button(part.key, part.text, part.role, self._words)
        button.points = part.points
        button.pointed.connect(self.pointed)
        button.setProperty("open", part.is_open)
        button.setAccessibleName(part.key)

        def choose(option: Option) -> None:
            now = self._part_of(button)
            if isinstance(now, Choice):
                self._chosen(now, option)

        def open_menu() -> None:
            if part.direct and len(self._options_of(button)) == 1:
                choose(self._options_of(button)[0])
                return
            if is_long(self._options_of(button)):
                listed = OptionList(self._options_of(button), choose, button)
                listed.pointed.connect(self.pointed)
                listed.open_at(button.mapToGlobal(button.rect().bottomLeft()))
                return
            menu = QMenu(button)
            _fill(menu, self._options_of(button), choose)
            menu.aboutToHide.connect(menu.deleteLater)
            menu.popup(button.mapToGlobal(button.rect().bottomLeft()))

        button.clicked.connect(open_menu)
        return button

    def _options_of(self, widget: QWidget) -> tuple[Option, ...]:
        part = self._part_of(widget)
        return part.options if isinstance(part, Choice) else ()

    def _part_of(self, widget: QWidget) -> SentencePart:
        return next(part for part, other in self.parts if other is widget)

    def _phrase(self, part: SentencePart, text: str) -> str:
        """What an edit is called that puts a text in place of a part."""
        row = tuple(each for each, _ in self.parts)
        return phrase_of(row, part, text) if part in row else text

    def _remove(self, widget: QWidget) -> None:
        part, case = self._part_of(widget), self._current.case
        if not isinstance(part, Remove) or case is None:
            return
        try:
            goes_too = part.goes_too(case)
        except BluntEmberError:
            goes_too = []  # the edit will say why it is refused
        self._edit(part.edit, part.hint)
        if goes_too and self._current.case is not case:
            self._current.told.emit(f"Removed with it: {', '.join(goes_too)}. Ctrl+Z brings everything back.")

    def _typed(self, field: EntryField, text: str) -> None:
        part = field.part
        if text.strip() == part.text:
            self._accept(field)
            return
        why: BluntEmberError | None = None
        try:
            text = _with_unit(text, part.text) if part.style == "value" else text
        except ExpressionError as error:
            why = error
        was_wrong = bool(field.property("wrong"))
        field.setProperty("wrong", False)  # so that an accepted edit may show the text of the case
        why = why or self._current.edit(self._phrase(part, text.strip()), lambda case: part.edit(case, text.strip()))
        if why is None:
            field.setProperty("wrong", was_wrong)
            self._accept(field)
        else:
            said = _said_at(part.key, why)
            field.refuse(said)
            self._fault.setText(f"{said}\nThe case still has '{part.text}'. Esc takes that back.")
            self._fault.show()
            self._offer_instead(field, why)

    def check_again(self) -> None:
        """Try once more what was refused, as its cause may be cured; what stays wrong stays as it is."""
        for part, widget in self.parts:
            wrong = isinstance(widget, EntryField) and widget.property("wrong") and not widget.is_typed_into
            if wrong and isinstance(part, Entry) and isinstance(widget, EntryField):
                self._typed(widget, widget.text())

    def show_trouble(self, faults: Sequence[Fault], use: Callable[[Fault], None]) -> None:
        """Say beside the row what is wrong with it; the name that was meant is a click away."""
        told = tuple((fault.message, fault.meant) for fault in faults)
        if told == self._told:
            return
        self._told = told
        for link in self._trouble:
            discard(link)
        self._trouble = []
        for fault in faults:
            label = QLabel(f"✕  {fault.message}", self)
            label.setProperty("role", "fault")
            label.setObjectName(f"fault {fault.path}")
            label.setWordWrap(True)
            self._trouble.append(label)
            if fault.meant is not None:
                link = WrappedLink(f"use '{fault.meant[1]}'", self)
                link.setObjectName(f"here {fault.meant[1]}")
                link.clicked.connect(lambda _, fault=fault: use(fault))
                self._trouble.append(link)
        for widget in self._trouble:
            self._column.addWidget(widget)

    def _accept(self, field: EntryField) -> None:
        field.accept()
        self._fault.hide()
        self._instead.hide()

    def _offer_instead(self, field: EntryField, why: BluntEmberError) -> None:
        """Offer what would be right, each by a click."""
        layout = self._instead.layout()
        assert layout is not None
        while (item := layout.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                discard(widget)
        told: tuple[ExpressionError | Fault, ...] = (why,) if isinstance(why, ExpressionError) else ()
        told = why.faults if isinstance(why, CaseError) else told
        ways = dict.fromkeys(way for each in told for way in each.instead)
        for way in ways:
            button = _button(f"instead {way}", way, "link", self._instead)
            button.setToolTip(f"Write '{way}'")
            button.clicked.connect(lambda _, way=way: self._typed(field, way))
            layout.addWidget(button)
        self._instead.setVisible(bool(ways))

    def _chosen(self, part: Choice, option: Option) -> None:
        if option.asks is not None:
            self.asked.emit(option.asks)
        else:
            self._edit(option.edit, self._phrase(part, option.text))

    def _edit(self, edit: Edit | None, label: str) -> None:
        if edit is not None:
            self._current.edit_or_tell(label, edit)


def _with_unit(typed: str, before: str) -> str:
    """What was typed with the unit of what stood there, that of a new parameter too."""
    named = named_value(typed)
    return with_unit_of(typed, before) if named is None else f"{named[0]} = {with_unit_of(named[1], before)}"


def _said_at(key: str, error: BluntEmberError) -> str:
    """Why an edit was refused, without the path of the very field it was typed into."""
    if not isinstance(error, CaseError):
        return str(error)
    # Of a single one it is plain which it is: what was typed may have gone to the parameter that stands there.
    own = [fault.message for fault in error.faults if fault.path == key or len(error.faults) == 1]
    return "\n".join(own or [str(fault) for fault in error.faults])


def _fill(menu: QMenu, options: tuple[Option, ...], choose: Callable[[Option], None]) -> None:
    for option in options:
        if inner := option.within:
            submenu = menu.addMenu(option.text)
            if submenu is not None:
                _fill(submenu, inner, choose)
        else:
            action = menu.addAction(option.text)
            if action is not None:
                action.triggered.connect(lambda _=False, option=option: choose(option))
    if not options:
        action = menu.addAction("nothing to choose from yet")
        if action is not None:
            action.setEnabled(False)


def _button(key: str, text: str, role: str, parent: QWidget) -> WordButton:
    button = WordButton((), parent)
    button.setObjectName(key)
    button.setText(text)
    button.setProperty("role", role)
    button.setCursor(Qt.CursorShape.PointingHandCursor)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    return button


class RowList(QWidget):
    """Rows one below the other."""

    pointed = pyqtSignal(tuple)
    asked = pyqtSignal(object)

    def __init__(self, current: CurrentCase, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._current = current
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(4)
        self.rows: list[RowWidget] = []

    def show_rows(self, rows: Sequence[SheetRow]) -> None:
        """Take new texts, making rows anew only where their shape has changed."""
        for place, row in enumerate(rows):
            if place < len(self.rows) and self.rows[place].same_shape(row):
                self.rows[place].show_row(row)
                continue
            widget = RowWidget(row, self._current, self)
            widget.pointed.connect(self.pointed)
            widget.asked.connect(self.asked)
            widget.dropped.connect(self._drop)
            if place < len(self.rows):
                self._layout.replaceWidget(self.rows[place], widget)
                discard(self.rows[place])
                self.rows[place] = widget
            else:
                self._layout.addWidget(widget)
                self.rows.append(widget)
            widget.show()
        while len(self.rows) > len(rows):
            gone = self.rows.pop()
            self._layout.removeWidget(gone)
            discard(gone)

    def _drop(self, row: RowWidget, place: QPoint) -> None:
        """Put a row before or after the one it was dropped on."""
        onto = next((each for each in self.rows if each.rect().contains(each.mapFromGlobal(place))), None)
        if onto is not None and onto.grip is not None and row.grip is not None:
            row.move_by(onto.grip.place - row.grip.place)


def discard(widget: QWidget) -> None:
    """Take a widget out of sight and give it back; what is typed in it is not committed by that."""
    for field in widget.findChildren(EntryField):
        field.blockSignals(True)
    widget.hide()
    widget.deleteLater()
