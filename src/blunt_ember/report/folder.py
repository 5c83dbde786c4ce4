"""The demo written to a folder, for machines on which no window can be opened."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from blunt_ember.case.files.case_file import write_case
from blunt_ember.checks.questions.profile import main_axis, profile_through
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import demo_case
from blunt_ember.picture.annotated import body_picture
from blunt_ember.picture.body.renderer import BodyRenderer
from blunt_ember.picture.charts.charts import profile_plot
from blunt_ember.picture.charts.plot import image_of
from blunt_ember.picture.look import Look
from blunt_ember.picture.palette import LIGHT
from blunt_ember.picture.png import write_png
from blunt_ember.report.tables.checks import checks_csv, outcome_text
from blunt_ember.written_file import NotWrittenError, reason, write_text, written

DEMO_WIDTH, DEMO_HEIGHT = 900, 560


def write_demo(folder: Path) -> tuple[Outcome, list[Path]]:
    """Solve the demo case and write its file, tables and pictures; return the outcome and what was written."""
    outcome = Flow().run(demo_case())
    made: list[Path] = []
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise NotWrittenError(f"{folder} cannot be made: {reason(error)}") from error
    write_case(outcome.case, _noted(folder / "kiln-wall.ember", made))
    write_text(checks_csv(outcome), _noted(folder / "checks.csv", made))
    write_text(outcome_text(outcome) + "\n", _noted(folder / "checks.txt", made))
    for name, image in _pictures(outcome):
        with written(_noted(folder / f"{name}.png", made)) as scratch:
            write_png(image, scratch)
    return outcome, made


def _pictures(outcome: Outcome) -> list[tuple[str, NDArray[np.uint8]]]:
    renderer = BodyRenderer()
    pictures = [
        (lens.lower().replace(" ", "-"), body_picture(renderer, outcome, Look(lens), DEMO_WIDTH, DEMO_HEIGHT, LIGHT))
        for lens in ("Shape", "Mesh", "Temperature", "Heat flow", "Error")
    ]
    renderer.close()
    geometry, mesh, solution = outcome.geometry, outcome.mesh, outcome.solution
    if geometry and mesh and solution:
        axis = main_axis(geometry, mesh, solution.temperature)
        profile = profile_through(axis, geometry, mesh, solution.temperature, outcome.exact_now)
        pictures.append(("profile", image_of(profile_plot(profile, outcome.case.units), DEMO_WIDTH, 320, LIGHT)))
    return pictures


def _noted(path: Path, made: list[Path]) -> Path:
    made.append(path)
    return path
