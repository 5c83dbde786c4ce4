"""A report written behind a pipe, in a process of its own that the window may end at any time. It never imports Qt."""

from __future__ import annotations

from collections.abc import Sequence
from multiprocessing.connection import Connection
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from blunt_ember.case.values.units import Kind
    from blunt_ember.picture.look import Look
    from blunt_ember.refinement.uniform import RefinementLevel


def serve_report(
    connection: Connection,
    data: dict[str, Any],
    folder: str,
    known: dict[str, Any],
    path: Path,
    look: Look,
    levels: Sequence[RefinementLevel],
    kinds: Sequence[Kind],
) -> None:
    """Write the report of a case, of which an outcome is ``known``; send nothing but a line, empty when it is written,
    else what stopped it."""
    from blunt_ember.case.case import case_from_data
    from blunt_ember.errors import BluntEmberError
    from blunt_ember.flow.server import with_news
    from blunt_ember.report.html import write_report

    try:
        write_report(with_news(None, known, case_from_data(data, folder)), path, levels, kinds, look)
        connection.send("")
    except (BrokenPipeError, ConnectionResetError):
        return
    except (BluntEmberError, OSError) as error:
        connection.send(str(error))
    except Exception as error:  # the window must hear of it, whatever it was
        connection.send(f"the report met something unforeseen ({type(error).__name__}: {error})")
