"""Reports and moving pictures written as jobs behind a pipe."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from multiprocessing.connection import Connection
from pathlib import Path
from typing import TYPE_CHECKING, Any

from blunt_ember.flow.process.job import do_job
from blunt_ember.flow.process.server import Packed, unpacked

if TYPE_CHECKING:
    from blunt_ember.case.values.units import Kind
    from blunt_ember.picture.look import Look
    from blunt_ember.picture.palette import Theme
    from blunt_ember.refinement.trend import RefinementLevel
    from blunt_ember.studies.result import StudyDone


def serve_report(
    connection: Connection,
    known: Packed,
    path: Path,
    look: Look,
    levels: Sequence[RefinementLevel],
    kinds: Sequence[Kind],
    studies: Sequence[StudyDone],
) -> None:
    """Write the report of a case, of which an outcome is ``known``; send a line that says how it ended."""

    def job(_: Callable[[Any], None]) -> None:
        from blunt_ember.report.page.html import write_report

        write_report(unpacked(known), path, levels, kinds, look, studies)

    do_job(connection, "report", job)


def serve_animation(connection: Connection, known: Packed, path: Path, look: Look, theme: Theme) -> None:
    """Write a run that is ``known`` as moving pictures; send the share that is done, then how it ended."""

    def job(send: Callable[[Any], None]) -> None:
        from blunt_ember.picture.animation import write_animation

        outcome = unpacked(known)
        for share in write_animation(outcome, path, look, theme):
            send(float(share))

    do_job(connection, "animation", job)
