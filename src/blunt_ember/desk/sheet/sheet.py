"""The sheet: the problem as sentences whose values are edited in place."""

from __future__ import annotations

from itertools import pairwise

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from blunt_ember.case.editing.renaming import with_meant_name
from blunt_ember.desk.app.current_case import CurrentCase
from blunt_ember.desk.sheet.fields import EntryField, WordButton
from blunt_ember.desk.sheet.rows import RowList, RowWidget, discard
from blunt_ember.desk.widgets.elided_label import ElidedLabel
from blunt_ember.desk.widgets.wrapped_link import WrappedLink
from blunt_ember.errors import BluntEmberError, CaseError, DataPath, Fault, OpenCaseError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.sentences.blocks.sections import sections
from blunt_ember.sentences.parts import Choice, SheetSection

#: Rows of a section that are shown at once, and at its end where there are more; and things to mend that are listed.
_AT_ONCE, _AT_THE_END, _LISTED = 120, 2, 30


class SectionWidget(QWidget):
    """A heading with its state, and the rows under it."""

    pointed = pyqtSignal(tuple)
    asked = pyqtSignal(object)

    def __init__(self, section: SheetSection, current: CurrentCase, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._current = current
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(4)
        top = QHBoxLayout()
        title = QLabel(section.title.upper(), self)
        title.setProperty("role", "heading")
        font = title.font()
        font.setLetterSpacing(font.SpacingType.AbsoluteSpacing, 1.4)
        title.setFont(font)
        self._state = ElidedLabel(self)
        self._state.setProperty("role", "state")
        top.addWidget(title)
        top.addWidget(self._state, 1)
        self._layout.addLayout(top)
        line = QFrame(self)
        line.setProperty("role", "line")
        line.setFixedHeight(1)
        self._layout.addWidget(line)
        self._rows = RowList(current, self)
        self._rows.pointed.connect(self.pointed)
        self._rows.asked.connect(self.asked)
        self._layout.addWidget(self._rows)
        self._more = WrappedLink("", self)
        self._more.setObjectName(f"more {section.title}")
        self._more.clicked.connect(self._show_more)
        self._layout.addWidget(self._more)
        self._most = _AT_ONCE
        self.show_section(section)

    @property
    def rows(self) -> list[RowWidget]:
        """Its rows that are shown, from the top down."""
        return self._rows.rows

    def show_section(self, section: SheetSection) -> None:
        """Take new texts, making rows anew only where their shape has changed; of very many rows the first and those
        that add others."""
        self.block = section.block
        self._section = section
        self._state.say(section.state)
        left_out = len(section.rows) - self._most - _AT_THE_END
        rows = section.rows
        if left_out > 0:
            rows = (*rows[: self._most], *rows[-_AT_THE_END:])
            self._more.setText(f"show {min(left_out, _AT_ONCE)} more of {left_out} lines")
        self._more.setVisible(left_out > 0)
        self._rows.show_rows(rows)

    def _show_more(self) -> None:
        self._most += _AT_ONCE
        self.show_section(self._section)


class Sheet(QScrollArea):
    """All sections, scrolled."""

    #: Surfaces that the sheet points at, to be lit up on the picture.
    pointed = pyqtSignal(tuple)
    asked = pyqtSignal(object)

    def __init__(self, current: CurrentCase, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._current = current
        self._outcome: Outcome | None = None
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QFrame.Shape.NoFrame)
        page = QWidget(self)
        page.setObjectName("sheetPage")
        self._layout = QVBoxLayout(page)
        self._layout.setContentsMargins(16, 12, 14, 16)
        self._layout.setSpacing(13)
        self._open_items = QVBoxLayout()
        self._open_items.setSpacing(3)
        self._layout.addLayout(self._open_items)
        self._layout.addStretch(1)
        self.setWidget(page)
        self._sections: list[SectionWidget] = []
        self._in_order: list[QWidget] = []
        current.changed.connect(self.refresh)
        current.done.connect(self._check_again)

    def show_outcome(self, outcome: Outcome | None) -> None:
        """Take the names of surfaces and the counts of a new outcome."""
        known = self._outcome
        self._outcome = outcome
        if known is None or outcome is None or outcome.trouble or known.trouble:
            self._list_open_items(outcome.trouble if outcome else None)
        if outcome is None or known is None or _seen(outcome) != _seen(known):
            self.refresh()

    def refresh(self) -> None:
        """Show the case as it stands."""
        case = self._current.case
        found = sections(case, self._outcome) if case else []
        focused = self.focusWidget()
        key = focused.objectName() if isinstance(focused, EntryField) and focused.hasFocus() else ""
        typing = isinstance(focused, EntryField) and focused.is_typed_into
        for place, section in enumerate(found):
            if place < len(self._sections):
                self._sections[place].show_section(section)
            else:
                widget = SectionWidget(section, self._current, self.widget())
                widget.pointed.connect(self.pointed)
                widget.asked.connect(self.asked)
                self._layout.insertWidget(place + 1, widget)
                self._sections.append(widget)
        if key and focused is not None and not focused.isVisibleTo(self):  # its row was made anew around it
            again = next((f for f in self.findChildren(EntryField, key) if f.isVisibleTo(self)), None)
            if again is not None and typing and isinstance(focused, EntryField):
                again.go_on_from(focused)
            elif again is not None:
                again.setFocus()
        self._order_tabs()
        self._mark_rows()

    def _order_tabs(self) -> None:
        """Let the Tab key go down the sheet, wherever rows were made anew: what is made last would come last."""
        every = (widget for section in self._sections for row in section.rows for _, widget in row.parts)
        found = [widget for widget in every if widget.focusPolicy() & Qt.FocusPolicy.TabFocus]
        if found != self._in_order:
            for one, following in pairwise([self, *found]):
                QWidget.setTabOrder(one, following)
            self._in_order = found

    def _check_again(self) -> None:
        """Look whether what was refused is right by what was edited elsewhere."""
        for row in self.findChildren(RowWidget):
            if row.isVisibleTo(self):
                row.check_again()

    def _mark_rows(self) -> None:
        """Say beside each row what is wrong with what it states."""
        trouble = self._outcome.trouble if self._outcome is not None else None
        faults = trouble.faults if isinstance(trouble, CaseError) and not isinstance(trouble, OpenCaseError) else ()
        of_row: dict[RowWidget, list[Fault]] = {}
        for fault in faults:
            if (near := self._nearest(fault.at)) is not None:
                of_row.setdefault(near[0], []).append(fault)
        for row in self.findChildren(RowWidget):
            row.show_trouble(of_row.get(row, []), self._use_meant)

    def _nearest(self, at: DataPath) -> tuple[RowWidget, QWidget] | None:
        """The row that states a place of the document, or the nearest there is, and what of it takes the focus."""
        near = [
            (shared, -len(part.at), row, widget)
            for row in self.findChildren(RowWidget)
            for part, widget in row.focusable_parts()
            if row.isVisibleTo(self) and part.at and (shared := _shared(part.at, at)) > min(1, len(at) - 1)
        ]
        return max(near, key=lambda each: each[:2])[2:] if near else None

    def jump_to(self, at: DataPath) -> None:
        """Bring what states a place of the document into view, or the nearest there is, and put the focus there."""
        near = self._nearest(at)
        if near is not None:
            _, widget = near
            self.ensureWidgetVisible(widget)
            widget.setFocus(Qt.FocusReason.TabFocusReason)
            return
        heading = next((section for section in self._sections if at[:1] == (section.block,)), None)
        if heading is not None:
            self.ensureWidgetVisible(heading)
            first = next((row for row in heading.findChildren(RowWidget) if row.isVisibleTo(self)), None)
            if first is not None and first.focusable_parts():
                first.focusable_parts()[0][1].setFocus(Qt.FocusReason.TabFocusReason)

    def show_pointed(self, surface: str) -> None:
        """Mark the words that speak of the surface the picture points at."""
        for button in self.findChildren(WordButton):
            marked = bool(surface) and surface in button.points
            if bool(button.property("pointed")) != marked:
                button.setProperty("pointed", marked)
                style = button.style()
                if style is not None:
                    style.unpolish(button)
                    style.polish(button)

    def jump_to_surface(self, surface: str) -> bool:
        """Bring the statement on a surface into view; False when nothing is stated on it."""
        for row in self.findChildren(RowWidget):
            for part, widget in row.focusable_parts() if row.isVisibleTo(self) else ():
                if isinstance(part, Choice) and part.at[-1:] == ("on",) and surface in part.points:
                    self.ensureWidgetVisible(widget)
                    widget.setFocus(Qt.FocusReason.TabFocusReason)
                    return True
        return False

    def _list_open_items(self, trouble: BluntEmberError | None) -> None:
        while (item := self._open_items.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                discard(widget)
        faults = trouble.faults if isinstance(trouble, CaseError) else ()
        for fault in faults[:_LISTED]:
            mark = "○" if isinstance(trouble, OpenCaseError) else "✕"
            link = WrappedLink(f"{mark}  {fault.message}", self)
            link.setObjectName(f"open {fault.path}")
            link.setToolTip(fault.path)
            link.clicked.connect(lambda _, at=fault.at: self.jump_to(at))
            self._open_items.addWidget(link)
            if fault.meant is not None:
                use = WrappedLink(f"      use '{fault.meant[1]}'", self)
                use.setObjectName(f"use {fault.meant[1]}")
                use.clicked.connect(lambda _, fault=fault: self._use_meant(fault))
                self._open_items.addWidget(use)
        if len(faults) > _LISTED:
            self._open_items.addWidget(QLabel(f"      and {len(faults) - _LISTED} more", self))
        self._mark_rows()

    def _use_meant(self, fault: Fault) -> None:
        """Put the name that was meant in place of one there is none of."""
        if fault.meant is not None:
            at, (wrong, right) = fault.at, fault.meant
            self._current.edit(f"'{wrong}' is '{right}'", lambda case: with_meant_name(case, at, wrong, right))

    def focus_first(self) -> None:
        """Put the focus into the first field."""
        field = next((field for field in self.findChildren(EntryField) if field.isVisibleTo(self)), None)
        if field is not None:
            field.setFocus(Qt.FocusReason.TabFocusReason)

    def entry(self, key: str) -> EntryField | None:
        """Return the field with a key such as ``body.regions.brick.size[0]``."""
        return next((field for field in self.findChildren(EntryField, key) if field.isVisibleTo(self)), None)


def _shared(one: DataPath, other: DataPath) -> int:
    """How many steps two paths into the document have in common."""
    return next((n for n, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))


def _seen(outcome: Outcome) -> tuple[object, ...]:
    surfaces = tuple(outcome.geometry.surfaces) if outcome.geometry else ()
    mesh = (outcome.mesh.cell_count, outcome.mesh.node_count) if outcome.mesh else ()
    ended = outcome.run.times[-1] if outcome.run is not None else None
    return surfaces, outcome.unstated, mesh, outcome.notes, outcome.scales, ended
