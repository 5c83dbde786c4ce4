"""Checks on the right: a card a question, and the heat ledger under them."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QFrame,
    QGraphicsOpacityEffect,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from blunt_ember.case.values.display import number, shown, shown_difference, time_shown
from blunt_ember.case.values.unit_sets import DEFAULT_UNITS, UnitSet
from blunt_ember.case.values.units import HEAT_FLOW, Kind
from blunt_ember.checks.ledger import Ledger, ledger_at
from blunt_ember.checks.verdict import Check
from blunt_ember.desk.checks.deviation_ruler import DeviationRuler
from blunt_ember.desk.widgets.elided_label import ElidedLabel
from blunt_ember.flow.answering.error_estimate import Errors
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.palette import LIGHT, Theme
from blunt_ember.report.tables.checks import MARKS, basis

#: What is stated keeps this room beside a long name, pixels.
_STATEMENT = 74
#: Share of the most heat in a ledger below which a row is round-off.
_NOTHING = 1e-13
#: How much is seen of what is no longer the answer to the case as it stands.
_FADED = 0.45


def _label(parent: QWidget, role: str = "", align: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft) -> QLabel:
    label = QLabel(parent)
    label.setProperty("role", role)
    label.setAlignment(align | Qt.AlignmentFlag.AlignVCenter)
    label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    return label


def _look(label: QLabel, name: str, value: str) -> None:
    """Set a property that the style sheet picks a look by."""
    if label.property(name) != value:
        label.setProperty(name, value)
        style = label.style()
        if style is not None:
            style.unpolish(label)
            style.polish(label)


class CheckCard(QFrame):
    """One question: mesh answer, expected value with its source, deviation, verdict."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setProperty("role", "card")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(11, 7, 11, 5)
        layout.setSpacing(1)
        top = QHBoxLayout()
        self.name, self.verdict = _label(self, "strong"), _label(self)
        self.verdict.setObjectName("verdict")
        top.addWidget(self.name)
        top.addStretch(1)
        top.addWidget(self.verdict)
        layout.addLayout(top)
        self.asked = _label(self, "quiet")
        self.asked.setWordWrap(True)
        self.asked.setMinimumWidth(40)
        layout.addWidget(self.asked)
        grid = QGridLayout()
        grid.setContentsMargins(0, 3, 0, 2)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(1)
        grid.setColumnStretch(2, 1)
        self.value, self.error = _label(self, "strong", Qt.AlignmentFlag.AlignRight), _label(self, "quiet")
        self.value.setObjectName("value")
        self.expected, self.source = _label(self, "", Qt.AlignmentFlag.AlignRight), _label(self, "quiet")
        self.expected.setObjectName("expected")
        self.deviation, self.tolerance = _label(self, "", Qt.AlignmentFlag.AlignRight), _label(self, "quiet")
        self._expected_words: list[QLabel] = []
        rows = (
            ("mesh", self.value, self.error),
            ("expected", self.expected, self.source),
            ("deviation", self.deviation, self.tolerance),
        )
        for row, (words, figure, beside) in enumerate(rows):
            heading = _label(self, "quiet")
            heading.setText(words)
            grid.addWidget(heading, row, 0)
            grid.addWidget(figure, row, 1)
            grid.addWidget(beside, row, 2)
            beside.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            if row:
                self._expected_words += [heading, figure, beside]
        layout.addLayout(grid)
        self.ruler = DeviationRuler(self)
        layout.addWidget(self.ruler)
        self.note = _label(self, "quiet")
        self.note.setWordWrap(True)
        layout.addWidget(self.note)

    def show_check(self, check: Check, theme: Theme, errors: Errors | None, units: UnitSet) -> None:
        """Take another check; as long as there are no ``errors`` its own may still come."""
        self.setObjectName(f"check {check.name}")
        self.name.setText(check.name)
        self.asked.setText(check.asked_in(units))
        self.value.setText(shown(check.value, check.kind, 7))
        if check.unbounded:
            self.error.setText("without bound")
            self.error.setToolTip(check.note)
        elif check.error is None:
            self.error.setText("± …" if errors is None else "± not known")
            self.error.setToolTip(
                "How far it may be off is being estimated: the case is solved again on other cells"
                if errors is None
                else f"Its error could not be estimated: {errors.missing}"
            )
        else:
            self.error.setText(f"± {number(check.error * check.kind.factor, 1)}")
            self.error.setToolTip(f"Estimated error of the mesh answer: {errors.told_by if errors else ''}")
        self.verdict.setText(MARKS[check.verdict])
        _look(self.verdict, "verdict", check.verdict)
        compared = check.expected is not None
        for label in self._expected_words:
            label.setVisible(compared)
        self.ruler.setVisible(compared)
        if check.expected is not None and check.deviation is not None:
            self.expected.setText(shown(check.expected, check.kind, 7))
            self.source.setText(check.source.short if check.source is not None else "")
            self.source.setToolTip("" if check.source is None else str(check.source))
            self.deviation.setText(shown_difference(check.deviation, check.kind))
            self.tolerance.setText(f"within {check.tolerance}")
        self.note.setText(check.note)
        self.note.setVisible(bool(check.note))
        self.ruler.show_check(check, theme)


class LedgerTable(QWidget):
    """Heat through every stated surface, + into the body, and what does not balance."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        top = QHBoxLayout()
        heading = _label(self, "heading")
        heading.setText("HEAT LEDGER")
        self._basis = _label(self, "state")
        self._basis.setWordWrap(True)
        self._basis.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom)
        top.addWidget(heading)
        top.addWidget(self._basis, 1)
        layout.addLayout(top)
        line = QFrame(self)
        line.setProperty("role", "line")
        line.setFixedHeight(1)
        layout.addWidget(line)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(10)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnStretch(1, 1)
        self._grid.setColumnMinimumWidth(1, _STATEMENT)
        layout.addLayout(self._grid)
        self._cells: list[tuple[ElidedLabel, ElidedLabel, QLabel, QLabel]] = []

    def show_ledger(self, ledger: Ledger | None, basis: str, theme: Theme, heat: Kind = HEAT_FLOW) -> None:
        """Take another ledger; figures align on their decimal point."""
        self._basis.setText(("+ in, " if ledger.stored is not None else "+ into the body, ") + basis if ledger else "")
        rows: list[tuple[str, str, str, str]] = []
        if ledger is not None:
            most = max((abs(row.heat) for row in ledger.rows), default=0.0)
            for row in ledger.rows:
                through = row.heat if abs(row.heat) > _NOTHING * most else 0.0
                said = f"{'+' if through > 0 else ''}{_fixed(through * heat.factor)}"
                rows.append((row.name, row.statement, said, theme.ember if row.heat > 0 else theme.teal))
            if ledger.stored is not None:
                rows.append(("goes into storage", "", _fixed(ledger.stored * heat.factor), theme.quiet))
            said = "0" if ledger.imbalance == 0 else number(ledger.imbalance * heat.factor, 2)
            rows.append(("does not balance", "", said, theme.quiet if ledger.relative < 1e-9 else theme.off))
            rows += [(row.name, row.statement, _fixed(row.heat * heat.factor), theme.quiet) for row in ledger.aside]
        while len(self._cells) < len(rows):
            cells = (
                ElidedLabel(self, named=True),
                ElidedLabel(self, left=True),
                _label(self, "", Qt.AlignmentFlag.AlignRight),
                _label(self, "quiet"),
            )
            for column, cell in enumerate(cells):
                self._grid.addWidget(cell, len(self._cells), column)
            self._cells.append(cells)
        for place, cells in enumerate(self._cells):
            for cell in cells:
                cell.setVisible(place < len(rows))
            if place < len(rows):
                name, statement, flow, colour = rows[place]
                last = place >= len(ledger.rows) if ledger is not None else True
                _look(cells[0], "role", "quiet" if last else "strong")
                cells[0].say(name)
                cells[1].say(statement)
                cells[2].setText(flow)
                cells[2].setStyleSheet(f"color: {colour};")
                cells[3].setText(heat.shown)
                cells[2].setObjectName(f"ledger {name}")


def _fixed(heat: float) -> str:
    """A heat flow to two decimals where it is of everyday size, so that a column aligns."""
    return f"{heat:,.2f}".replace(",", "\u2009").replace("-", "−") if 0.1 <= abs(heat) < 1e7 else number(heat, 5)


class ChecksPanel(QWidget):
    """The cards, scrolled, and the ledger always in view under them."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = LIGHT
        self._outcome: Outcome | None = None
        self.setObjectName("checksPage")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(12, 12, 12, 10)
        whole.setSpacing(7)
        top = QHBoxLayout()
        heading = _label(self, "heading")
        heading.setText("CHECKS")
        self._summary = _label(self, "state")
        self._summary.setObjectName("summary")
        top.addWidget(heading)
        top.addStretch(1)
        top.addWidget(self._summary)
        whole.addLayout(top)
        scroll = QScrollArea(self)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        page = QWidget(scroll)
        page.setObjectName("checksPage")
        self._layout = QVBoxLayout(page)
        self._layout.setContentsMargins(0, 0, 5, 0)
        self._layout.setSpacing(6)
        self._empty = _label(self, "note")
        self._empty.setWordWrap(True)
        self._layout.addWidget(self._empty)
        self._cards: list[CheckCard] = []
        self._first_card = self._layout.count()
        self._layout.addStretch(1)
        scroll.setWidget(page)
        whole.addWidget(scroll, 1)
        self._faded = QGraphicsOpacityEffect(self)
        self._faded.setOpacity(_FADED)
        self._faded.setEnabled(False)
        self.setGraphicsEffect(self._faded)
        self._ledger = LedgerTable(self)
        whole.addWidget(self._ledger)
        self._instant: Outcome | None = None
        self._whole = QPushButton("since the start, in J", self)
        self._whole.setObjectName("whole run")
        self._whole.setCheckable(True)
        self._whole.setToolTip("The ledger of the whole run up to the instant that is seen")
        self._whole.clicked.connect(lambda: self._show_ledger(self._instant))
        self._whole.hide()
        whole.addWidget(self._whole, 0, Qt.AlignmentFlag.AlignLeft)

    @property
    def cards(self) -> dict[str, CheckCard]:
        """The cards shown, by the name of their question."""
        return {card.name.text(): card for card in self._cards if card.isVisibleTo(self)}

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.show_outcome(self._outcome)

    def show_outcome(self, outcome: Outcome | None) -> None:
        """Take the checks of another outcome."""
        self._outcome = outcome
        self.setEnabled(True)
        self._faded.setEnabled(False)
        checks = outcome.checks if outcome else ()
        while len(self._cards) < len(checks):
            card = CheckCard(self._layout.parentWidget())
            self._layout.insertWidget(self._first_card + len(self._cards), card)
            self._cards.append(card)
        for place, card in enumerate(self._cards):
            card.setVisible(place < len(checks))
            if place < len(checks):
                units = outcome.case.units if outcome else DEFAULT_UNITS
                card.show_check(checks[place], self._theme, outcome.errors if outcome else None, units)
        self._empty.setVisible(not checks)
        self._empty.setText(_instead_of_checks(outcome))
        self._summary.setText(_summary(checks))
        self._instant = outcome
        self._show_ledger(outcome)

    def show_instant(self, outcome: Outcome) -> None:
        """Show the ledger at another instant of the run shown."""
        self._instant = outcome
        self._show_ledger(outcome)

    def _show_ledger(self, outcome: Outcome | None) -> None:
        """The ledger of the instant that is seen, or of the whole run up to it."""
        found, said = outcome.ledger if outcome else None, basis(outcome) if outcome else ""
        run = outcome.run if outcome is not None else None
        self._whole.setVisible(run is not None)
        if outcome is not None and run is not None:
            instant = int(np.argmin(np.abs(run.times - outcome.t)))
            whole = self._whole.isChecked()
            found = ledger_at(run, outcome.case.document, instant, whole)
            said = f"{'up to' if whole else 'at'} {time_shown(outcome.t)}, {said}"
        heat = outcome.case.units.of(found.kind) if outcome is not None and found is not None else HEAT_FLOW
        self._ledger.show_ledger(found, said, self._theme, heat)
        self._ledger.setVisible(found is not None)

    def mark_stale(self) -> None:
        """Fade what is no longer the answer to the case as it stands."""
        self.setEnabled(False)
        self._faded.setEnabled(True)


def _instead_of_checks(outcome: Outcome | None) -> str:
    """What is said where there are no checks."""
    if outcome is None:
        return "Nothing is solved yet."
    if outcome.trouble is not None:
        return "Nothing is solved: see the line under the picture."
    asked = len(outcome.case.document.questions)
    if asked:
        return f"{asked} question{'s are' if asked > 1 else ' is'} being answered …"
    return "No question is asked yet. Ask one in the sheet, under Questions."


def _summary(checks: tuple[Check, ...]) -> str:
    counts = [(sum(check.verdict == verdict for check in checks), verdict) for verdict in ("agrees", "off", "open")]
    said = {"agrees": "agree" if counts[0][0] != 1 else "agrees", "off": "off", "open": "open"}
    return " · ".join(f"{count} {said[verdict]}" for count, verdict in counts if count)
