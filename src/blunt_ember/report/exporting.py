"""An outcome written in the format of a file's suffix."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from blunt_ember.case.files.case_file import write_text
from blunt_ember.case.values.units import Kind
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.look import Look
from blunt_ember.picture.palette import Theme
from blunt_ember.refinement.uniform import RefinementLevel
from blunt_ember.report.checks_table import checks_csv
from blunt_ember.report.foreign_files import write_foreign
from blunt_ember.report.html import write_report
from blunt_ember.report.number_tables import number_table
from blunt_ember.report.picture_file import USUAL, write_picture


def write_outcome(
    outcome: Outcome,
    path: Path,
    look: Look,
    theme: Theme,
    levels: Sequence[RefinementLevel] = (),
    kinds: Sequence[Kind] = (),
    size: tuple[int, int] = USUAL,
    table: str = "",
) -> None:
    """Write a report (``.html``) with what a refinement found, a picture (``.png``) as it is looked at and of a size in
    pixels, the checks or another table (``.csv``), or the body and its temperatures in a format of others.

    Raises :class:`BluntEmberError` for what cannot be, :class:`OSError` where it cannot be written.
    """
    suffix = path.suffix.lower()
    if suffix in (".html", ".htm"):
        write_report(outcome, path, levels, kinds, look)
    elif suffix == ".csv" and table:
        found = number_table(outcome, table)
        if found is None:
            raise BluntEmberError(f"there is no table of {table} before the case is solved")
        write_text(found.csv(), path)
    elif suffix == ".csv":
        write_text(checks_csv(outcome), path)
    elif suffix == ".png":
        write_picture(outcome, path, look, theme, size)
    else:
        write_foreign(outcome, path)
