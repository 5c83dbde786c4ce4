"""The line above the zones: title, state of the answer, Live and Solve."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtSvgWidgets import QSvgWidget
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.values.display import number
from blunt_ember.desk.app.current_case import CurrentCase
from blunt_ember.desk.sheet.fields import EntryField
from blunt_ember.desk.widgets.icon import ICON
from blunt_ember.fem.steady.balance import NewtonStep
from blunt_ember.fem.transient.recorded.run import Progress
from blunt_ember.flow.outcome import Outcome
from blunt_ember.sentences.parts import Entry
from blunt_ember.sentences.progress import progress_text


def _how_solved(outcome: Outcome) -> str:
    """The method, and the steps of Newton's method one by one."""
    if outcome.solution is None:
        return ""
    steps = (
        f"{number}: {step.residual:.1e} of the heat left over"
        + (f", {step.taken:.3g} of the step taken" if step.taken < 1 else "")
        for number, step in enumerate(outcome.solution.steps, start=1)
    )
    if outcome.run is not None:
        work = outcome.run.work
        return (
            f"{work.steps} steps, {work.refused} tried again, {work.factorised} matrices made, "
            f"{work.solved} systems solved"
        )
    return "\n".join(
        [f"solved: {outcome.solution.method}", *(["Newton's method:"] if outcome.solution.steps else []), *steps]
    )


class Header(QWidget):
    """Title of the case, edited in place, and whether what is seen is current."""

    solve_clicked = pyqtSignal()
    live_toggled = pyqtSignal(bool)

    def __init__(self, current: CurrentCase, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("header")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(42)
        self._current = current
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 0, 14, 0)
        layout.setSpacing(8)
        mark = QSvgWidget(str(ICON), self)
        mark.setFixedSize(QSize(24, 24))
        layout.addWidget(mark)
        self._title = EntryField(self._part(), self, widest=560)
        font = self._title.font()
        font.setPointSizeF(12)
        font.setBold(True)
        self._title.setFont(font)
        self._title.committed.connect(self._renamed)
        layout.addWidget(self._title)
        self._edited = QLabel(self)
        self._edited.setProperty("role", "quiet")
        layout.addWidget(self._edited)
        layout.addStretch(1)
        self._state = QLabel(self)
        self._state.setObjectName("state")
        self._state.setProperty("role", "quiet")
        layout.addWidget(self._state)
        layout.addSpacing(10)
        self._live = QPushButton("Live ◉", self)
        self._live.setObjectName("live")
        self._live.setCheckable(False)
        self._live.clicked.connect(lambda: self.live_toggled.emit(self._live.text().endswith("○")))
        self._live.setToolTip("Live: every edit is solved at once  (Ctrl+L)")
        layout.addWidget(self._live)
        self._solve = QPushButton("Solve  F5", self)
        self._solve.setObjectName("solve")
        self._solve.setProperty("role", "primary")
        self._solve.clicked.connect(self.solve_clicked)
        layout.addWidget(self._solve)

    def refresh(self) -> None:
        """Show the title and whether it is saved."""
        self._title.show_part(self._part())
        self._edited.setText("· edited" if self._current.edited and self._current.case else "")

    def show_live(self, live: bool) -> None:
        """Show whether edits are solved at once."""
        self._live.setText("Live ◉" if live else "Live ○")

    def show_busy(self, busy: bool) -> None:
        """Offer to stop while something runs."""
        self._solve.setText("Stop  F5" if busy else "Solve  F5")

    def show_progress(self, step: NewtonStep | Progress) -> None:
        """Say how far Newton's method, or a run, has got."""
        self._state.setText(progress_text(step))

    def show_outcome(self, outcome: Outcome) -> None:
        """Say what the answer cost, or that there is none."""
        self._state.setToolTip(_how_solved(outcome))
        if outcome.trouble is not None or outcome.mesh is None:
            self._state.setText("not solved")
        else:
            nodes = number(outcome.mesh.node_count, 9)
            steps = len(outcome.solution.steps) if outcome.solution is not None else 0
            newton = f"   {steps} Newton step{'s' if steps > 1 else ''}" if steps else ""
            if outcome.run is not None:
                run = outcome.run
                newton = "   exact in time" if run.exact_in_time else f"   {number(run.work.steps)} time steps"
            state = "unfinished" if outcome.run is not None and outcome.run.unfinished else "current"
            if outcome.solution is None:
                state = "running" if outcome.scales is not None else state
            more = "" if outcome.final or not outcome.checks else "   estimating errors …"
            self._state.setText(f"{state}   {nodes} nodes{newton}   {outcome.seconds:.2f} s{more}")

    def show_stale(self, why: str) -> None:
        """Say why the answer is not current."""
        self._state.setText(why)

    def _part(self) -> Entry:
        title = self._current.case.document.title if self._current.case else ""
        return Entry(
            "title", title, "Title of the case", lambda case, typed: with_value(case, ("title",), typed), "name"
        )

    def _renamed(self, text: str) -> None:
        self._current.edit_or_tell("title", lambda case: with_value(case, ("title",), text.strip() or "Untitled"))
