"""A process of its own with a pipe to it, as the window sees it."""

from __future__ import annotations

import multiprocessing
from collections.abc import Callable
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerContext
from multiprocessing.process import BaseProcess
from typing import Any

from PyQt6.QtCore import QObject, QSocketNotifier, pyqtSignal
from PyQt6.sip import voidptr

from blunt_ember.flow.process.own_end import begin_forking

#: What every process needs, with all that these import; first of all, that it ends with this one.
_IMPORTED = [
    "blunt_ember.flow.process.fork_server",
    "blunt_ember.flow.flow",
    "blunt_ember.flow.process.server",
    "blunt_ember.refinement.uniform",
    "blunt_ember.flow.process.built_models",
]

#: The end of a process that was killed is told by the one it was forked from; so long it is waited for, s.
_TOLD_WITHIN = 2.0


def forked() -> ForkServerContext:
    """Processes forked from one that has imported all there is to import: a new one is there at once."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(_IMPORTED)
    return context


def prepare() -> None:
    """Let the process that others are forked from begin to import, without waiting for it."""
    forked()
    begin_forking()


class ChildProcess(QObject):
    """Runs ``target(connection, *arguments)`` until it is ended.

    It may have processes of its own if that is said, which see to it themselves that they end with it.
    """

    said = pyqtSignal(object)
    #: It ended by itself, or was killed.
    lost = pyqtSignal()

    def __init__(
        self,
        target: Callable[..., None],
        arguments: tuple[Any, ...],
        name: str,
        parent: QObject | None = None,
        has_children: bool = False,
    ) -> None:
        super().__init__(parent)
        context = forked()
        ours, theirs = context.Pipe()
        process = context.Process(target=target, args=(theirs, *arguments), name=f"blunt-ember {name}")
        process.daemon = not has_children
        process.start()
        theirs.close()
        self._process: BaseProcess | None = process
        self._connection: Connection | None = ours
        self._notifier = QSocketNotifier(voidptr(ours.fileno()), QSocketNotifier.Type.Read, self)
        self._notifier.activated.connect(self._receive)

    @property
    def pid(self) -> int | None:
        """Its number."""
        return self._process.pid if self._process else None

    def send(self, what: object) -> bool:
        """Tell it something; False where it is no longer there."""
        try:
            if self._connection is not None:
                self._connection.send(what)
        except OSError:
            return False
        return self._connection is not None

    def end(self) -> None:
        """End it for good; on a machine too busy to tell that it has ended, it ends unseen."""
        if self._connection is None or self._process is None:
            return
        self._notifier.setEnabled(False)
        self._connection.close()
        self._process.kill()
        self._process.join(_TOLD_WITHIN)
        if self._process.exitcode is not None:
            self._process.close()
        self._connection = self._process = None
        self.deleteLater()

    def _receive(self) -> None:
        if self._connection is None:
            return
        try:
            what = self._connection.recv()
        except (EOFError, OSError):
            self.lost.emit()
            return
        self.said.emit(what)
