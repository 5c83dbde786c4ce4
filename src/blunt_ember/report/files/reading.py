"""Drawings and meshes read behind a pipe: what the window's reading process runs. It never imports Qt."""

from __future__ import annotations

from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from blunt_ember.flow.process.job import do_job


def serve_reading(connection: Connection, path: Path, unit: str | None) -> None:
    """Send the :class:`ForeignCase` made of a file, or the :class:`BluntEmberError` that says why there is none."""

    def job(send: Callable[[Any], None]) -> None:
        from blunt_ember.errors import BluntEmberError
        from blunt_ember.report.files.foreign_files import case_from_foreign

        try:
            send(case_from_foreign(path, unit))
        except BluntEmberError as error:
            send(error)

    do_job(connection, "drawing or mesh", job)
