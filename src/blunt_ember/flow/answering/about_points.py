"""Places about the points that are asked for, so that how far an answer may be off is not read where it is by chance.

Between its nodes a cell is off now to this side and now to that; at one place two meshes may agree on what both miss.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.case import Case
from blunt_ember.case.document.questions.question import Question
from blunt_ember.case.document.questions.temperatures import PointQuestion
from blunt_ember.case.kept_blocks import BlockTexts
from blunt_ember.case.values.quantity import stated
from blunt_ember.case.values.units import LENGTH
from blunt_ember.checks.questions.probes import locate_points
from blunt_ember.checks.questions.readers import question_probes
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.fem.reading import places_about
from blunt_ember.fem.transient.recorded.run import Run


def asked_about_points(case: Case, solved: SolvedField) -> tuple[Case, Ints]:
    """Return the case with questions for places about the points it asks for behind its own, and for each of these (p,)
    the place of the question it stands beside."""
    mesh, questions = solved.mesh, list[Question](case.document.questions)
    owners: list[int] = []
    for place, question in enumerate(case.document.questions):
        if not isinstance(question, PointQuestion):
            continue
        point = np.array([each.si for each in question.temperature])
        region = mesh.regions.index(question.side) if question.side is not None else None
        for number, about in enumerate(places_about(mesh, point, region)):
            questions.append(_asked_at(question, about, f"about {place} {number}"))
            owners.append(place)
    document = case.document.model_copy(update={"questions": questions})
    return replace(case, document=document, texts=BlockTexts({})), np.array(owners, dtype=np.int64)


def answers_beside(case: Case, solved: SolvedField, own: int) -> Floats:
    """Return the answers (p,) to the questions behind a case's ``own`` ones, each for a temperature."""
    locate_points(case.document, solved.mesh)
    found = []
    for place, question in enumerate(case.document.questions[own:], own):
        (probe,) = question_probes(question, place, solved)
        found.append(probe(temperature_at(question, solved)))
    return np.array(found)


def temperature_at(question: Question, solved: SolvedField) -> Floats:
    """Return the temperatures (n,) in K that a question reads, of a run those that were kept nearest to its time."""
    asked = question.asked_time
    if solved.run is None or asked is None:
        return solved.temperature
    return solved.run.fields.field(nearest_kept(asked.si, solved.run))


def nearest_kept(t: float, run: Run) -> int:
    """Return which field kept of a run is the nearest to a time ``t`` in s."""
    return int(np.abs(run.fields.times - t).argmin())


def largest_about(amounts: Floats, owners: Ints) -> Floats:
    """Return the amounts (a,) of a case's own questions, each the largest of it and of those that stand beside it."""
    own = amounts[: len(amounts) - len(owners)].copy()
    np.fmax.at(own, owners, amounts[len(own) :])
    return own


def _asked_at(question: PointQuestion, point: Floats, name: str) -> Question:
    place = tuple(stated(f"{value!r} m", LENGTH) for value in point.tolist())
    return question.model_copy(update={"temperature": place, "name": name, "expect": None})
