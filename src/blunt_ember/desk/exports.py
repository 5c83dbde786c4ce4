"""Writes what is seen and found to files: meshes, pictures, tables, the report, moving pictures."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox, QProgressDialog

from blunt_ember.case.files import write_text
from blunt_ember.case.units import Kind
from blunt_ember.errors import BluntEmberError
from blunt_ember.foreign_files import write_foreign
from blunt_ember.outcome import Outcome
from blunt_ember.picture.body import BodyRenderer
from blunt_ember.picture.look import Look
from blunt_ember.picture.palette import DARK, LIGHT, Theme
from blunt_ember.picture.plot import write_plot
from blunt_ember.refinement import Level

if TYPE_CHECKING:
    from blunt_ember.desk.window import Window

_EXPORTED = (
    "Mesh with temperatures (*.vtu);;Report (*.html);;Picture (*.png);;Checks and ledger (*.csv);;"
    "Skin of a solid (*.stl);;Outlines of a section (*.svg);;All files (*)"
)
_ANIMATED = "Animated GIF (*.gif);;Animated WebP (*.webp);;Numbered PNG files (*.png)"
_CHARTS = "Drawing that scales (*.svg);;Page (*.pdf);;Picture (*.png);;All files (*)"
_WIDTH, _HEIGHT = 1600, 1000
_CHART_SIZE = 900, 320


def export(window: Window) -> None:
    """Ask for a name and write what its suffix says."""
    outcome, case = window.outcome, window.current.case
    if outcome is None or case is None:
        return
    path = _asked_for(window, "Export", f"{case.document.title}.vtu", _EXPORTED)
    if path is None:
        return
    QApplication.setOverrideCursor(Qt.CursorShape.WaitCursor)
    try:
        levels, kinds = window.strip.refinement.found_of(outcome)
        written(outcome, path, window.stage.look, _theme(window), levels, kinds)
    except (BluntEmberError, OSError) as error:
        QMessageBox.warning(window, "Nothing was exported", str(error))
        return
    finally:
        QApplication.restoreOverrideCursor()
    window.tell(f"exported {path}")


def written(
    outcome: Outcome, path: Path, look: Look, theme: Theme, levels: Sequence[Level] = (), kinds: Sequence[Kind] = ()
) -> None:
    """Write an outcome, looked at in a way, with a refinement, in the format of a suffix; raise
    :class:`BluntEmberError` for what cannot be."""
    # Imported when they are wanted: the window is there the sooner.
    from matplotlib.image import imsave

    from blunt_ember.picture.annotated import body_picture
    from blunt_ember.report.html import write_report
    from blunt_ember.report.table import checks_csv

    suffix = path.suffix.lower()
    if suffix in (".html", ".htm"):
        write_report(outcome, path, levels, kinds, look)
    elif suffix == ".csv":
        write_text(checks_csv(outcome), path)
    elif suffix == ".png":
        renderer = BodyRenderer()
        image = body_picture(renderer, outcome, look, _WIDTH, _HEIGHT, theme)
        renderer.close()
        imsave(path, image)
    else:
        write_foreign(outcome, path)


def export_chart(window: Window) -> None:
    """Ask for a name and write the chart that the strip shows, as pixels or as lines."""
    plot, case = window.strip.plot, window.current.case
    if plot is None or case is None:
        window.tell("The strip shows no chart now; choose one of its curves, or the resistances.")
        return
    path = _asked_for(window, "Export chart", f"{case.document.title}, {window.strip.view}.svg", _CHARTS)
    if path is None:
        return
    try:
        write_plot(plot, path, *_CHART_SIZE, _theme(window))
    except (BluntEmberError, OSError) as error:
        QMessageBox.warning(window, "Nothing was exported", str(error))
        return
    window.tell(f"exported {path}")


def export_animation(window: Window) -> None:
    """Ask for a name and write the run as moving pictures, with progress, until it is done or cancelled."""
    outcome = window.outcome
    if outcome is None or outcome.run is None:
        window.tell("Only a case whose clock has run can be animated.")
        return
    path = _asked_for(window, "Export animation", f"{outcome.case.document.title}.gif", _ANIMATED)
    if path is None:
        return
    from blunt_ember.picture.animation import write_animation

    progress = QProgressDialog("Drawing the run …", "Stop", 0, 100, window)
    progress.setWindowModality(Qt.WindowModality.WindowModal)
    try:
        for share in write_animation(outcome, path, window.stage.look, _theme(window)):
            progress.setValue(int(100 * share))
            QApplication.processEvents()
            if progress.wasCanceled():
                window.tell("The animation was stopped.")
                return
    except BluntEmberError as error:
        QMessageBox.warning(window, "Nothing was exported", str(error))
        return
    finally:
        progress.close()
    window.tell(f"exported {path}")


def _asked_for(window: Window, title: str, suggestion: str, kinds: str) -> Path | None:
    """The file asked for, with the suffix of the suggestion where none is given; None where none is wanted."""
    folder = window.current.path.parent if window.current.path else Path()
    name, _ = QFileDialog.getSaveFileName(window, title, str(folder / suggestion), kinds)
    if not name:
        return None
    return Path(name) if Path(name).suffix else Path(f"{name}{Path(suggestion).suffix}")


def _theme(window: Window) -> Theme:
    return DARK if window.settings.dark else LIGHT
