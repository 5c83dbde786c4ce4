"""A study of a case, by its kind."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.document.studies import Aim, AnyStudy, Fitting, Sensitivity, Sweep, Uncertainty
from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.studies.kinds.fitting import least_squares_fit
from blunt_ember.studies.kinds.sensitivity import sensitivity
from blunt_ember.studies.kinds.target import target
from blunt_ember.studies.kinds.uncertainty import uncertainty
from blunt_ember.studies.laboratory import Laboratory
from blunt_ember.studies.points import StudyError, require_followed, swept
from blunt_ember.studies.result import StudyResult
from blunt_ember.studies.running.rows import OnProgress
from blunt_ember.studies.running.store import ResultsStore
from blunt_ember.studies.running.workplace import OpenWorkplace
from blunt_ember.studies.table_of_points import points_in


def study(
    case: Case,
    name: str,
    store: ResultsStore,
    on_progress: OnProgress = lambda done, of: None,
    jobs: int | None = None,
    elsewhere: OpenWorkplace | None = None,
) -> StudyResult:
    """Do the study of a name, by a number of processes or ``elsewhere``.

    Raises :class:`StudyError` for one that cannot be done.
    """
    if name not in case.document.studies:
        raise StudyError(f"there is no study '{name}'{nearest(name, case.document.studies)}")
    if not case.document.questions:
        raise StudyError("nothing is asked, so there is nothing to study; add a question")
    stated: Any = case.document.studies[name]
    require_followed(case, stated.varied)
    result = STUDIES[type(stated)](Laboratory(case, store, on_progress, jobs, elsewhere), stated)
    if result.rows and all(row.trouble for row in result.rows):
        raise StudyError(f"no point has an answer; the first says: {result.rows[0].trouble}")
    return result


def _sweep(lab: Laboratory, stated: Sweep) -> StudyResult:
    points = swept(lab.case, stated) if stated.rows is None else points_in(lab.case, stated.rows)
    return StudyResult(tuple(points), tuple(lab.rows(points, bool(stated.errors))))


#: What does a study, by its kind.
STUDIES: Mapping[type[AnyStudy], Callable[[Laboratory, Any], StudyResult]] = MappingProxyType(
    {Sweep: _sweep, Sensitivity: sensitivity, Uncertainty: uncertainty, Aim: target, Fitting: least_squares_fit}
)
