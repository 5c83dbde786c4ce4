"""The solver process as the window sees it: cases go in, outcomes come out, it may die and the window lives on."""

from __future__ import annotations

import tempfile
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QElapsedTimer, QObject, QTimer, pyqtSignal

from blunt_ember.desk.solver.child_process import ChildProcess, forked
from blunt_ember.desk.solver.scratch import SCRATCH
from blunt_ember.fem.transient.recorded.run import Progress
from blunt_ember.flow.process.server import LASTING, serve, with_news
from blunt_ember.process_mark import own_mark

if TYPE_CHECKING:
    from blunt_ember.case.case import Case
    from blunt_ember.flow.outcome import Outcome

#: Times that the process may end by itself, without an answer between, before another is started only when asked for.
MOST_DEATHS = 3
#: A solve that a newer case has overtaken may go on so long before it is ended, ms.
OVERTAKEN_MS = 300
#: One whose answers are known, and only their errors are being estimated, is asked to stop first; what it keeps of the
#: body and its mesh is worth waiting so long for, ms.
ESTIMATING_MS = 1500
#: What a run may take to end after it was asked to stop, ms.
STOP_PATIENCE_MS = 4000
#: While cases come faster than they are answered, an answer on the way is told so often, ms.
PASSING_MS = 500


class SolverProcess(QObject):
    """Keeps one process that runs the flow; the newest case asked for wins."""

    solved = pyqtSignal(object)  # Outcome
    #: One of the answers to cases that newer ones have overtaken.
    passed = pyqtSignal(object)  # Outcome
    #: A step of Newton's method was done, or a run got so far.
    stepped = pyqtSignal(object)  # NewtonStep or Progress
    busy_changed = pyqtSignal(bool)
    #: What was running was ended on request, and nothing more is answered.
    stopped = pyqtSignal()
    died = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        #: Where the fields of runs are kept; it goes with the window, whatever became of the process.
        prefix = f"{SCRATCH}{own_mark()}-"
        self._folder = tempfile.TemporaryDirectory(prefix=prefix, ignore_cleanup_errors=True)
        #: Times it ended by itself since it last answered.
        self._deaths = 0
        self._in_run = False
        self._process: ChildProcess | None = None
        self._number = 0
        self._running: Case | None = None
        self._waiting: Case | None = None
        self._known: Outcome | None = None
        #: What the process need not send again.
        self._lasting: dict[str, Any] = {}
        self._told = QElapsedTimer()
        self._told.start()
        self._overtaken = QTimer(self)
        self._overtaken.setSingleShot(True)
        self._overtaken.timeout.connect(self._give_up)
        self._start()

    @property
    def pid(self) -> int | None:
        """Process number of the solver; None while there is none."""
        return self._process.pid if self._process is not None else None

    @property
    def busy(self) -> bool:
        """Whether an answer is still to come."""
        return self._running is not None or self._waiting is not None

    def submit(self, case: Case) -> None:
        """Ask for the outcome of a case; one that waits is dropped, one that runs too long is ended."""
        self._waiting = case
        if self._running is None:
            self._send()
        elif not self._overtaken.isActive():
            self._overtake()
        self.busy_changed.emit(True)

    def _overtake(self) -> None:
        """Make way for a newer case."""
        if self._known is not None and self._known.checks:
            self._asked_to_stop.set()
            self._overtaken.start(ESTIMATING_MS)
        else:
            self._overtaken.start(OVERTAKEN_MS)

    def stop(self) -> None:
        """End what is running.

        A run of the clock is asked to end after its step, and answers with what it has until then; asked twice, or
        where the step takes too long, it is ended at once as all else is.
        """
        self._waiting = None
        if self._in_run and not self._asked_to_stop.is_set():
            self._asked_to_stop.set()
            self._overtaken.start(STOP_PATIENCE_MS)
        else:
            self._give_up()

    def close(self) -> None:
        """End the process for good."""
        self._overtaken.stop()
        self._end()
        self._folder.cleanup()

    def _start(self) -> None:
        self._asked_to_stop = forked().Event()
        process = ChildProcess(serve, (self._asked_to_stop, self._folder.name), "solver", self)
        process.said.connect(self._receive)
        process.lost.connect(self._lost)
        self._process = process
        self._lasting = dict.fromkeys(LASTING)

    def _end(self) -> None:
        if self._process is not None:
            self._process.end()
        self._process = None

    def _give_up(self) -> None:
        """End at once what takes too long, for the case that waits or for none."""
        self._restart()
        if not self.busy:
            self.busy_changed.emit(False)
            self.stopped.emit()

    def _restart(self) -> None:
        self._overtaken.stop()
        self._end()
        self._running = None
        self._start()
        if self._waiting is not None:
            self._send()

    def _send(self) -> None:
        case, self._waiting = self._waiting, None
        if case is None:
            return
        self._number += 1
        self._running, self._known = case, None
        self._in_run = False
        if self._process is None:
            self._start()
        self._asked_to_stop.clear()
        if self._process is not None and not self._process.send((self._number, dict(case.data), case.folder)):
            self._lost()

    def _receive(self, news: tuple[int, object]) -> None:
        number, reply = news
        self._deaths = 0
        if isinstance(reply, dict):  # whether it still answers what is asked or not
            self._lasting.update({key: reply[key] for key in LASTING if key in reply})
        if number != self._number or self._running is None:
            return
        if not isinstance(reply, dict):  # a step of Newton's method on the way, or how far a run has got
            self._in_run = self._in_run or isinstance(reply, Progress)
            self.stepped.emit(reply)
            return
        outcome = self._known = with_news(self._known, reply, self._running, self._lasting)
        if outcome.final:
            self._running = None
            self._overtaken.stop()
        if self._waiting is None:
            self._told.start()
            self.solved.emit(outcome)
        else:
            if outcome.final:
                self._send()
            else:
                self._overtake()
            if outcome.checks and outcome.run is None and self._told.elapsed() >= PASSING_MS:
                self._told.start()
                self.passed.emit(outcome)
        if not self.busy:
            self.busy_changed.emit(False)

    def _lost(self) -> None:
        """The process ended by itself or was killed: start another, unless they all end so, and tell."""
        had_work = self._running is not None
        self._deaths += 1
        if self._deaths < MOST_DEATHS:
            self._restart()
        else:
            self._overtaken.stop()
            self._end()
            self._running = self._waiting = None
        if not self.busy:
            self.busy_changed.emit(False)
        if had_work or self._deaths == MOST_DEATHS:
            self.died.emit()

    @property
    def keeps_dying(self) -> bool:
        """Whether it ended by itself again and again, so that another is started only when one is asked for."""
        return self._deaths >= MOST_DEATHS
