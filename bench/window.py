"""One measured run of the window, printed as ``name seconds``; started by ``run.py``."""

from __future__ import annotations

import sys
import time
from collections import defaultdict
from statistics import median
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QApplication

    from blunt_ember.desk.app.window import Window

SOLID_EDITS = 8
#: Edits that follow each other whether or not the one before is answered, and how soon, s.
STORM, APART = 200, 0.05


def _spin(app: QApplication, until: Any) -> None:
    while not until():
        app.processEvents()
        time.sleep(0.0002)


def _opened(marks: list[tuple[str, float]]) -> tuple[QApplication, Window]:
    from blunt_ember.desk.app.application import application
    from blunt_ember.desk.solver.child_process import prepare
    from blunt_ember.kept_imports import kept_imports

    app = application()
    prepare()
    marks.append(("Python and Qt started", time.time()))
    with kept_imports():
        from blunt_ember.desk.app.window import Window
        from blunt_ember.gallery.families import demo_case

    marks.append(("VTK and NumPy imported", time.time()))
    window = Window()
    window.show_case(demo_case(), None)
    window.show()
    app.processEvents()
    marks.append(("window built and shown", time.time()))
    _spin(app, lambda: window.outcome is not None)
    app.processEvents()
    marks.append(("solver ready, case solved, picture and checks painted", time.time()))
    _spin(app, lambda: window.strip.chart._image is not None)
    app.processEvents()
    marks.append(("curve painted", time.time()))
    return app, window


def start(began: float) -> None:
    """Measure a start from the moment the process was asked for."""
    marks: list[tuple[str, float]] = []
    _, window = _opened(marks)
    before = began
    for name, at in marks:
        print(f"{name} {at - before}")
        before = at
    print(f"in all {marks[-2][1] - began}")  # a click is answered; the curve comes meanwhile
    window.solver.close()


def edit() -> None:
    """Measure edits of a thickness, each a new mesh, to the painted picture, checks and curve."""
    from blunt_ember.desk.solver.solver import SolverProcess
    from run import EDITS, timed

    app, window = _opened([])
    _spin(app, lambda: window.outcome is not None and window.outcome.final)
    times: dict[str, list[float]] = defaultdict(list)
    zones = {
        "stage: VTK picture and what lies over it": (window.stage, "paintEvent"),
        "sheet": (window.sheet, "refresh"),
        "checks": (window.checks, "show_outcome"),
        "curve": (window.strip.chart, "paintEvent"),
    }
    for name, (zone, method) in zones.items():
        setattr(zone, method, timed(times, name, getattr(zone, method)))
    assert isinstance(window.solver, SolverProcess)
    for place in range(EDITS):
        began = time.perf_counter()
        entry = window.sheet.entry("body.regions.brick.size[0]")
        assert entry is not None
        entry.committed.emit(f"{90 + place} mm")
        _spin(app, lambda: window.outcome is not None and window.outcome.case is window.current.case)
        times["solved and received"].append(time.perf_counter() - began)
        app.processEvents()
        times["PICTURE AND CHECKS PAINTED"].append(time.perf_counter() - began)
        _spin(app, lambda: window.strip._outcome is window.outcome and not window.strip._soon.isActive())
        app.processEvents()
        times["CURVE PAINTED TOO"].append(time.perf_counter() - began)
        _spin(app, lambda: window.outcome is not None and window.outcome.final)
        times["errors estimated on the finer mesh"].append(time.perf_counter() - began)
    for name, values in times.items():
        print(f"{name} {median(values)}")
    window.solver.close()


def storm() -> None:
    """Measure edits that come as fast as a field is scrolled: how long after the last one its picture is painted."""
    app, window = _opened([])
    _spin(app, lambda: window.outcome is not None and window.outcome.final)
    answered: list[Any] = []
    late, begin = [], time.perf_counter()
    for place in range(STORM):
        due = begin + place * APART
        app.processEvents()
        _spin(app, lambda due=due: time.perf_counter() >= due)
        late.append(time.perf_counter() - due)
        entry = window.sheet.entry("body.regions.brick.size[0]")
        assert entry is not None
        entry.committed.emit(f"{60 + place / 2} mm")
        assert window.outcome is not None
        if not answered or window.outcome.case is not answered[-1]:
            answered.append(window.outcome.case)
    last = begin + (STORM - 1) * APART
    _spin(app, lambda: window.is_current() and window.outcome is not None and bool(window.outcome.checks))
    app.processEvents()
    print(f"ANSWER TO THE LAST ONE PAINTED {time.perf_counter() - last}")
    print(f"an edit is taken so late at most {max(late)}")
    print(f"between two answers that are seen {STORM * APART / len(answered)}")
    window.solver.close()


def solid() -> None:
    """Measure edits of a film about a solid of 99 000 nodes, to the painted picture and to its errors."""
    from steady import block

    app, window = _opened([])
    window.show_case(block(3, 22, 2), None)
    _spin(app, lambda: window.outcome is not None and window.outcome.final and window.is_current())
    times: dict[str, list[float]] = defaultdict(list)
    for place in range(SOLID_EDITS):
        began = time.perf_counter()
        entry = window.sheet.entry("surroundings[1].film.h")
        assert entry is not None
        entry.committed.emit(f"{30 + place} W/(m² K)")
        _spin(app, lambda: window.is_current() and window.outcome is not None and window.outcome.ledger is not None)
        app.processEvents()
        times["PICTURE AND CHECKS PAINTED"].append(time.perf_counter() - began)
        _spin(app, lambda: window.outcome is not None and window.outcome.final)
        times["errors estimated"].append(time.perf_counter() - began)
    for name, values in times.items():
        print(f"{name} {median(values)}")
    window.solver.close()


if __name__ == "__main__":
    if sys.argv[1] == "start":
        start(float(sys.argv[2]))
    elif sys.argv[1] == "solid":
        solid()
    elif sys.argv[1] == "storm":
        storm()
    else:
        edit()
