"""What can be written of an outcome: the registry of exports, by the suffixes of their files."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field
from pathlib import Path
from types import MappingProxyType

from blunt_ember.case.values.units import Kind
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.immutable import immutable
from blunt_ember.mesh.imported import MESH_SUFFIXES
from blunt_ember.picture.look import Look
from blunt_ember.picture.palette import LIGHT, Theme
from blunt_ember.refinement.trend import RefinementLevel
from blunt_ember.report.files.foreign_files import write_mesh_file, write_outlines, write_skin_file
from blunt_ember.report.files.picture_file import USUAL, write_picture
from blunt_ember.report.page.html import write_report
from blunt_ember.report.tables.checks import checks_csv
from blunt_ember.report.tables.number_tables import TABLES, number_table
from blunt_ember.written_file import write_text


@immutable
class ExportOptions:
    """How things are written: pictures as the body is looked at, of a ``size`` in pixels; a report with what a
    refinement found; a ``table`` instead of the checks."""

    look: Look = field(default_factory=Look)
    theme: Theme = LIGHT
    levels: Sequence[RefinementLevel] = ()
    kinds: Sequence[Kind] = ()
    size: tuple[int, int] = USUAL
    table: str = ""


@immutable
class Export:
    """A kind of file: its name, its ``suffixes``, the usual one first, and what writes it.

    ``write`` raises :class:`BluntEmberError` for an outcome of which there is nothing to write, and where the file
    cannot be written.
    """

    name: str
    suffixes: tuple[str, ...]
    write: Callable[[Outcome, Path, ExportOptions], None]


def _csv(outcome: Outcome, path: Path, options: ExportOptions) -> None:
    if not options.table:
        write_text(checks_csv(outcome), path)
        return
    found = number_table(outcome, options.table)
    if found is None:
        why = "before the case is solved" if outcome.solution is None else TABLES[options.table].lacking
        raise BluntEmberError(f"there is no table of {options.table} {why}")
    write_text(found.csv(), path)


EXPORTS: tuple[Export, ...] = (
    Export("Mesh with temperatures", MESH_SUFFIXES, lambda outcome, path, _: write_mesh_file(outcome, path)),
    Export(
        "Report",
        (".html", ".htm"),
        lambda outcome, path, how: write_report(outcome, path, how.levels, how.kinds, how.look),
    ),
    Export(
        "Picture", (".png",), lambda outcome, path, how: write_picture(outcome, path, how.look, how.theme, how.size)
    ),
    Export("Checks and ledger, or a table", (".csv",), _csv),
    Export("Skin of a solid", (".stl",), lambda outcome, path, _: write_skin_file(outcome, path)),
    Export("Outlines of a section", (".svg",), lambda outcome, path, _: write_outlines(outcome, path)),
)
BY_SUFFIX: Mapping[str, Export] = MappingProxyType({suffix: export for export in EXPORTS for suffix in export.suffixes})


def write_outcome(outcome: Outcome, path: Path, options: ExportOptions) -> None:
    """Write what the suffix of a path says.

    Raises :class:`BluntEmberError` for what cannot be, or cannot be written there.
    """
    export = BY_SUFFIX.get(path.suffix.lower())
    if export is None:
        raise BluntEmberError(f"'{path.suffix}' is no kind of file that is written; write {export_words()}")
    export.write(outcome, path, options)


def export_words() -> str:
    """Return every kind of file in words, for help and messages."""
    return ", ".join(f"{export.suffixes[0]} ({export.name[0].lower()}{export.name[1:]})" for export in EXPORTS)


def file_kinds() -> str:
    """Return every kind of file as a dialog offers it."""
    kinds = (f"{export.name} ({' '.join('*' + suffix for suffix in export.suffixes)})" for export in EXPORTS)
    return ";;".join([*kinds, "All files (*)"])
