"""A job behind a pipe, in a process of its own that the window may end at any time. It never imports Qt."""

from __future__ import annotations

from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any

from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.process.own_end import end_with_starter


def do_job(connection: Connection, what: str, job: Callable[[Callable[[Any], None]], None]) -> None:
    """Do a job that sends what it finds; the last thing sent is a line, empty when it is done, else what stopped it."""
    end_with_starter()
    try:
        job(connection.send)
        connection.send("")
    except (BrokenPipeError, ConnectionResetError, EOFError):  # the other end is closed
        return
    except (BluntEmberError, OSError) as error:
        connection.send(str(error))
    except MemoryError:
        connection.send(f"the {what} does not fit in memory")
    except Exception as error:  # the window must hear of it, whatever it was
        connection.send(unforeseen(what, error))


def unforeseen(what: str, error: Exception) -> str:
    """Return the words for an error nobody thought of."""
    return f"the {what} met something unforeseen ({type(error).__name__}: {error})"
