"""Starts the window."""

from __future__ import annotations

import logging
import os
import signal
import sys
import traceback
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from blunt_ember.desk.solver.child_process import prepare
from blunt_ember.desk.solver.scratch import put_aside_together, sweep
from blunt_ember.desk.widgets.icon import ICON
from blunt_ember.desk.widgets.style import base_font
from blunt_ember.kept_imports import kept_imports


def application() -> QApplication:
    """Return the application, made ready."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    if app.windowIcon().isNull():
        _made_ready(app)
    return app


def _made_ready(app: QApplication) -> None:
    app.setApplicationName("blunt-ember")
    app.setApplicationDisplayName("Blunt Ember")
    app.setDesktopFileName("blunt-ember")
    app.setStyle("Fusion")
    app.setFont(base_font())
    app.setWindowIcon(QIcon(str(ICON)))


def run_window(path: Path | None, demo: bool) -> int:
    """Open the window on a file, on the demo case or on the start page; return when it is closed."""
    app = application()
    sweep()
    put_aside_together()
    prepare()  # the solver's process imports NumPy and SciPy while this one imports VTK and matplotlib

    with kept_imports():
        from blunt_ember.desk.app.window import Window
        from blunt_ember.gallery.families import demo_case

    window = Window()
    _survive_slips(window)

    def end(number: int, _: object) -> None:
        window.commit_typing()
        window.keeper.keep()
        app.exit(128 + number)  # at once: a question about unsaved work would wait for an answer

    for each in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(each, end)
    heartbeat = QTimer()  # lets Python see the signal
    heartbeat.start(200)
    heartbeat.timeout.connect(lambda: None)
    if demo:
        window.show_case(demo_case(), None)
    window.show()
    if path is not None:
        QTimer.singleShot(0, lambda: window.open_path(path))
    QTimer.singleShot(0, window.offer_left_work)
    status = app.exec()
    window.solver.close()
    return status


def log_path() -> Path:
    """Where slips of our own are written down."""
    state = os.environ.get("XDG_STATE_HOME") or str(Path.home() / ".local" / "state")
    return Path(state) / "blunt-ember" / "slips.log"


def _survive_slips(window: object) -> None:
    """Write an unforeseen error down and go on, instead of ending with the analyst's work."""

    def written_down(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        path = log_path()
        text = "".join(traceback.format_exception(kind, error, trace))
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            with path.open("a", encoding="utf-8") as stream:
                stream.write(text + "\n")
        except OSError:
            logging.getLogger(__name__).exception("the slip could not be written down")
        bar = getattr(window, "statusBar", lambda: None)()
        if bar is not None:
            bar.showMessage(f"Something went wrong in the window; the case is as it was. Written down in {path}")

    sys.excepthook = written_down
