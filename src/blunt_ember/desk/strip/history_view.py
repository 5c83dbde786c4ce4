"""What is asked over the time of a run: one curve or several of a kind, and the steady answer they tend to."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QMenu, QToolButton, QWidget

from blunt_ember.case.case import Case
from blunt_ember.desk.solver.child_process import ChildProcess
from blunt_ember.desk.strip.time_view import TimeView
from blunt_ember.flow.answering.steady_answer import serve_steady
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.charts.history_chart import Level, TimeCurves, history_plot, laid_over
from blunt_ember.picture.charts.run_curves import time_curves
from blunt_ember.picture.palette import Theme

_STEADY = "the steady answer"


class HistoryView(TimeView):
    """Chooses what is drawn over time and what beside it."""

    #: What the curve is set beside, or why something is not there.
    said = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("Curves over time", parent)
        self._outcome: Outcome | None = None
        self._chosen = ""
        self._beside: tuple[str, ...] = ()
        self._steady_wanted = False
        #: Of which question of which case the steady answer is known, SI, or why there is none.
        self._steady: tuple[Case, str, float | str] | None = None
        self._process: ChildProcess | None = None
        self.controls = QWidget(parent)
        row = QHBoxLayout(self.controls)
        row.setContentsMargins(0, 0, 0, 0)
        self.curves = QComboBox(self.controls)
        self.curves.setObjectName("curves over time")
        self.curves.setAccessibleName("What is drawn over time")
        self.curves.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.curves.activated.connect(lambda place: self.choose(self.curves.itemText(place)))
        self.beside = QToolButton(self.controls)
        self.beside.setObjectName("curves beside")
        self.beside.setText("with …")
        self.beside.setAccessibleName("Other curves in the same chart")
        self.beside.setToolTip("Show other curves of its kind in the same chart, and the steady answer")
        self.beside.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self._menu = QMenu(self.beside)
        self.beside.setMenu(self._menu)
        for widget in (self.curves, self.beside):
            row.addWidget(widget)

    @property
    def steady(self) -> float | None:
        """The steady answer that is drawn, SI."""
        known = self._steady[2] if self._steady is not None and self._steady_wanted else None
        return known if isinstance(known, float) else None

    def choose(self, name: str) -> None:
        """Draw another curve."""
        self._chosen, self._steady_wanted = name, False
        self.refresh(self._outcome, self.theme)

    def end(self) -> None:
        """End a steady solve that is under way."""
        if self._process is not None:
            self._process.end()
            self._process = None

    def refresh(self, outcome: Outcome | None, theme: Theme) -> None:
        """Draw what is chosen of an outcome."""
        self._outcome = outcome
        if outcome is None:
            self.end()
            self._chosen, self._beside, self._steady_wanted = "", (), False
        if outcome is None or outcome.run is None:
            self.said.emit("")
            self.show_chart(None, 0.0, "Curves over time appear here once the clock has run.", theme)
            return
        choices = time_curves(outcome)
        if list(choices) != [self.curves.itemText(place) for place in range(self.curves.count())]:
            self.curves.clear()
            self.curves.addItems(list(choices))
        name = self._chosen if self._chosen in choices else next(iter(choices))
        self.curves.setCurrentText(name)
        asked = any(history.name == name for history in outcome.histories)
        alike = _alike(choices, name, outcome) if asked else ()
        self._offer(alike, asked)
        curves = laid_over(name, choices[name], {other: choices[other] for other in self._beside if other in alike})
        steady = self._steady_of(outcome, name) if self._steady_wanted and asked else None
        if isinstance(steady, float):
            curves = replace(curves, levels=(Level("steady", steady),))
        self.said.emit(steady if isinstance(steady, str) else str(curves.source or ""))
        self.show_chart(history_plot(curves, outcome.case.units), float(curves.times[-1]), "", theme)

    def _offer(self, alike: tuple[str, ...], asked: bool) -> None:
        """Offer what can stand in the same chart; a menu that says the same stays as it is, it may be open."""
        offered = [*alike, *([_STEADY] if asked else [])]
        self.beside.setVisible(bool(offered))
        if offered != [action.text() for action in self._menu.actions()]:
            self._menu.clear()
            for text in offered:
                action = self._menu.addAction(text)
                if action is not None:
                    action.setCheckable(True)
                    action.triggered.connect(lambda on, text=text: self._take(text, on))
        for action in self._menu.actions():
            action.setChecked(self._steady_wanted if action.text() == _STEADY else action.text() in self._beside)

    def _take(self, text: str, on: bool) -> None:
        if text == _STEADY:
            self._steady_wanted = on
        else:
            self._beside = tuple(each for each in (*self._beside, text) if on or each != text)
        self.refresh(self._outcome, self.theme)

    def _steady_of(self, outcome: Outcome, name: str) -> float | str:
        """The steady answer, SI, or why it is not there, or not yet."""
        if self._steady is not None and self._steady[0] is outcome.case and self._steady[1] == name:
            return self._steady[2]
        self.end()
        self._steady = (outcome.case, name, "solving for the steady answer …")
        arguments = dict(outcome.case.data), outcome.case.folder, name
        self._process = ChildProcess(serve_steady, arguments, "steady answer", self)
        self._process.said.connect(self._receive)
        self._process.lost.connect(lambda: self._receive("the steady solve ended unexpectedly"))
        return "solving for the steady answer …"

    def _receive(self, news: object) -> None:
        if self._steady is None:
            return
        if isinstance(news, float):
            self._steady = (*self._steady[:2], news)
        elif isinstance(news, str):
            self.end()
            if news:
                self._steady = (*self._steady[:2], f"no steady answer: {news}")
        self.refresh(self._outcome, self.theme)


def _alike(choices: dict[str, TimeCurves], name: str, outcome: Outcome) -> tuple[str, ...]:
    """Other questions whose answers are of the same kind."""
    kind = choices[name].kind
    return tuple(each.name for each in outcome.histories if each.name != name and choices[each.name].kind == kind)
