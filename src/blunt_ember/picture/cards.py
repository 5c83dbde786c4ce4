"""Pictures of blank bodies and of the cases of the gallery, drawn as a job behind a pipe."""

from __future__ import annotations

from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import TYPE_CHECKING, Any

import numpy as np

from blunt_ember.flow.process.job import do_job
from blunt_ember.gallery.blank import BLANKS
from blunt_ember.gallery.families import FAMILIES
from blunt_ember.immutable import immutable
from blunt_ember.picture.palette import Theme

if TYPE_CHECKING:
    from blunt_ember.flow.flow import Flow
    from blunt_ember.flow.outcome import Outcome


@immutable
class CardRequest:
    """A family, or a blank body, that is to be pictured as large as ``size`` (width, height) at ``ratio`` dots a
    point."""

    name: str
    blank: bool
    size: tuple[int, int]
    ratio: float
    theme: Theme


def serve_cards(connection: Connection, scratch: str) -> None:
    """Answer requests with themselves and their pixels (h, w, 4), None where there are none, until the other end is
    closed; fields of runs are kept in the folder ``scratch``."""

    def job(send: Callable[[Any], None]) -> None:
        from blunt_ember.flow.flow import Flow
        from blunt_ember.picture.small_picture import SmallPictures

        flow, pictures = Flow(folder=scratch, curves=False), SmallPictures()
        while True:
            asked: CardRequest = connection.recv()
            outcome = _blank(asked.name) if asked.blank else _solved(asked.name, flow)
            lens = "Shape" if asked.blank else "Temperature"
            send((asked, pictures.of(outcome, lens, asked.size, asked.ratio, asked.theme)))

    do_job(connection, "gallery", job)


def _blank(name: str) -> Outcome:
    """A body with nothing stated; of a solid there is a mesh, whose skin is drawn."""
    from blunt_ember.flow.outcome import Outcome
    from blunt_ember.mesh.any_body import geometry_of
    from blunt_ember.mesh.generate import generate_mesh
    from blunt_ember.mesh.mesh_request import MeshRequest

    case = BLANKS[name].case()
    geometry = geometry_of(case.document.body)
    mesh = generate_mesh(geometry, MeshRequest.of(case.document)) if geometry.space.dimension == 3 else None
    return Outcome(case, geometry, mesh)


def _solved(name: str, flow: Flow) -> Outcome:
    """A family as soon as it is solved, roughly where it would take long: a card is too small to show more."""
    from blunt_ember.case.editing.edits import with_value

    case = with_value(FAMILIES[name].case(), ("questions",), [])
    if case.document.running_clock is not None:
        case = with_value(case, ("clock", "tolerance"), "5 %")
    if case.document.running_clock is not None or len(case.document.body.coordinates) == 3:
        case = with_value(case, ("mesh", "order"), 1)
    outcomes = flow.outcomes(case)
    return _where_it_differs_most(next(each for each in outcomes if each.solution is not None or each.trouble))


def _where_it_differs_most(outcome: Outcome) -> Outcome:
    """Of a run, the instant at which temperatures lie the furthest apart; any other outcome as it is."""
    run = outcome.run
    if run is None:
        return outcome
    widest = run.times[int(np.argmax(run.highest - run.lowest))]
    return outcome.at_frame(int(np.argmin(np.abs(run.fields.times - widest))))
