"""Refinement behind a pipe, in a process of its own that the window may end at any time. It never imports Qt."""

from __future__ import annotations

from multiprocessing.connection import Connection
from typing import Any


def serve_levels(connection: Connection, data: dict[str, Any], folder: str, follow_error: bool) -> None:
    """Send every level of a refinement, then the kinds of the answers, or in words what stopped it."""
    from blunt_ember.case.case import case_from_data
    from blunt_ember.errors import BluntEmberError
    from blunt_ember.flow.flow import Flow
    from blunt_ember.refinement.adaptive import adaptive_refinement
    from blunt_ember.refinement.uniform import uniform_refinement

    try:
        case, flow = case_from_data(data, folder), Flow()
        if not case.document.questions:
            raise BluntEmberError("nothing is asked of this case; add a question, so that there is an answer to follow")
        connection.send(flow.kinds(case, flow.solved(case)))
        for level in adaptive_refinement(flow, case) if follow_error else uniform_refinement(flow, case):
            connection.send(level)
        connection.send("")
    except (BrokenPipeError, ConnectionResetError):
        return
    except BluntEmberError as error:
        connection.send(str(error))
    except MemoryError:
        connection.send("the next mesh does not fit in memory")
    except Exception as error:  # the window must hear of it, whatever it was
        connection.send(f"the refinement met something unforeseen ({type(error).__name__}: {error})")
