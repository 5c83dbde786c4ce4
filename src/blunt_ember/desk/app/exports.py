"""Writes what is seen and found to files: meshes, pictures, tables, the report, moving pictures."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QMessageBox, QProgressDialog

from blunt_ember.case.values.units import Kind
from blunt_ember.desk.app.desk_window import DeskWindow
from blunt_ember.desk.solver.child_process import ChildProcess
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.flow.process.server import packed
from blunt_ember.picture.charts.plot import CHART_FILES, write_plot
from blunt_ember.picture.palette import DARK, LIGHT, Theme
from blunt_ember.refinement.trend import RefinementLevel
from blunt_ember.report.server import serve_animation, serve_report

_CHART_SIZE, _USUAL_SIZE = (900, 320), (1600, 1000)


def export(window: DeskWindow) -> None:
    """Ask for a name and write what its suffix says."""
    outcome, case = window.outcome, window.current.case
    if outcome is None or case is None:
        return
    # Imported when it is wanted: the window is there the sooner.
    from blunt_ember.report.exporting import ExportOptions, file_kinds, write_outcome

    path = _asked_for(window, "Export", f"{case.document.title}.vtu", file_kinds())
    size = _asked_size(window) if path is not None and path.suffix.lower() == ".png" else _USUAL_SIZE
    if path is None or size is None:
        return
    levels, kinds = window.strip.refinement.found_of(outcome)
    if path.suffix.lower() in (".html", ".htm") and outcome.solution is not None:
        _write_report(window, outcome, path, (levels, kinds))
        return
    QApplication.setOverrideCursor(Qt.CursorShape.WaitCursor)
    try:
        write_outcome(outcome, path, ExportOptions(window.stage.look, _theme(window), levels, kinds, size))
    except (BluntEmberError, OSError) as error:
        QMessageBox.warning(window, "Nothing was exported", str(error))
        return
    finally:
        QApplication.restoreOverrideCursor()
    window.tell(f"exported {path}")


def _write_report(
    window: DeskWindow, outcome: Outcome, path: Path, refined: tuple[Sequence[RefinementLevel], Sequence[Kind]]
) -> None:
    """Write a report beside the work in the window, with a way to stop it."""
    study = window.strip.study.done
    arguments = packed(outcome), path, window.stage.look, *refined, () if study is None else (study,)
    _write_beside(window, "report", ChildProcess(serve_report, arguments, "report", window), path)


def _write_beside(window: DeskWindow, what: str, process: ChildProcess, path: Path) -> None:
    """Wait beside the work in the window for a process that writes a file, with its progress and a way to stop it."""
    progress = QProgressDialog(f"Writing {path.name} …", "Stop", 0, 0, window)
    progress.setWindowTitle(what.capitalize())
    progress.setMinimumDuration(600)
    progress.setAutoClose(False)
    progress.setAutoReset(False)

    def heard(said: object) -> None:
        if isinstance(said, float):
            progress.setMaximum(100)
            progress.setValue(int(100 * said))
            return
        progress.canceled.disconnect(stopped)  # closing it is no wish to stop
        process.end()
        progress.close()
        progress.deleteLater()
        if said:
            QMessageBox.warning(window, "Nothing was exported", str(said))
        else:
            window.tell(f"exported {path}")

    def stopped() -> None:
        process.end()
        window.tell(f"The {what} was stopped; nothing was written.")

    process.said.connect(heard)
    process.lost.connect(lambda: heard(f"the process that wrote the {what} ended unexpectedly"))
    progress.canceled.connect(stopped)


def export_chart(window: DeskWindow) -> None:
    """Ask for a name and write the chart that the strip shows, as pixels or as lines."""
    plot, case = window.strip.plot, window.current.case
    if plot is None or case is None:
        window.tell("The strip shows no chart now; choose one of its curves, or the resistances.")
        return
    path = _asked_for(window, "Export chart", f"{case.document.title}, {window.strip.view}.svg", _kinds(CHART_FILES))
    if path is None:
        return
    try:
        write_plot(plot, path, *_CHART_SIZE, _theme(window))
    except (BluntEmberError, OSError) as error:
        QMessageBox.warning(window, "Nothing was exported", str(error))
        return
    window.tell(f"exported {path}")


def export_animation(window: DeskWindow) -> None:
    """Ask for a name and write the run as moving pictures beside the work in the window."""
    outcome = window.outcome
    if outcome is None or outcome.run is None:
        window.tell("Only a case whose clock has run can be animated.")
        return
    from blunt_ember.picture.animation import ANIMATION_FILES

    path = _asked_for(window, "Export animation", f"{outcome.case.document.title}.gif", _kinds(ANIMATION_FILES))
    if path is None:
        return
    arguments = packed(outcome), path, window.stage.look, _theme(window)
    _write_beside(window, "animation", ChildProcess(serve_animation, arguments, "animation", window), path)


def _kinds(files: Mapping[str, str]) -> str:
    """Kinds of file as a dialog offers them, from their names by suffix."""
    return ";;".join([*(f"{name} (*{suffix})" for suffix, name in files.items()), "All files (*)"])


def _asked_for(window: DeskWindow, title: str, suggestion: str, kinds: str) -> Path | None:
    """The file asked for, with the suffix of the suggestion where none is given; None where none is wanted."""
    folder = window.current.path.parent if window.current.path else Path()
    name, _ = QFileDialog.getSaveFileName(window, title, str(folder / suggestion), kinds)
    if not name:
        return None
    return Path(name) if Path(name).suffix else Path(f"{name}{Path(suggestion).suffix}")


def _asked_size(window: DeskWindow) -> tuple[int, int] | None:
    """The size of a picture in pixels; asked again until it can be understood, None when it is not told."""
    from blunt_ember.report.files.picture_file import picture_size

    said, typed = "Width and height in pixels", " x ".join(map(str, _USUAL_SIZE))
    while True:
        typed, told = QInputDialog.getText(window, "Size of the picture", said, text=typed)
        if not told:
            return None
        try:
            return picture_size(typed)
        except BluntEmberError as error:
            said = f"{error}.\nWidth and height in pixels"


def _theme(window: DeskWindow) -> Theme:
    return DARK if window.settings.dark else LIGHT
