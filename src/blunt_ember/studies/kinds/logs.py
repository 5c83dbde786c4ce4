"""What a log says of an answer at many times: a question of its own for every row."""

from __future__ import annotations

from dataclasses import replace

from blunt_ember.case.case import Case
from blunt_ember.case.document.studies import Fitting
from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.case.values.evaluation import evaluate, require_kind
from blunt_ember.case.values.units import TIME
from blunt_ember.errors import CaseError, ExpressionError
from blunt_ember.immutable import immutable
from blunt_ember.studies.laboratory import Laboratory
from blunt_ember.studies.points import StudyError
from blunt_ember.studies.stated_rows import Heading, stated_rows

#: Rows that a log has at most; a longer one is thinned by the analyst, who knows which rows matter.
_MOST_ROWS = 400


@immutable
class LogRow:
    """What the question of a row is ``called`` where it is told of, and the time ``t`` it is of, s."""

    called: str
    t: float


def with_logs(lab: Laboratory, stated: Fitting) -> tuple[Laboratory, Fitting, dict[str, LogRow]]:
    """Return a laboratory whose case asks for every row of the logs of a fit, the fit with what each row measured, and
    the rows by their questions.

    Raises :class:`StudyError` for a log that cannot be read, or of a question that has no answer at a time.
    """
    if not stated.logs:
        return lab, stated, {}
    case = lab.case
    asked = {question.name: place for place, question in enumerate(case.document.questions)}
    questions, measured, within = list(case.data["questions"]), dict(stated.measured), dict(stated.within)
    called: dict[str, LogRow] = {}
    for name, file in stated.logs.items():
        if name not in asked:
            raise StudyError(f"there is no question '{name}'{nearest(name, asked)}")
        if case.document.running_clock is None:
            raise StudyError(f"'{file}' is a log, and the clock of this case is steady; let it run first")
        known = within.get(name) if name in stated.measured else within.pop(name, None)
        for number, (time, value) in _rows(case, name, file).items():
            own = f"{name} row {number}"
            called[own] = LogRow(f"{name} at {time}", float(evaluate(time, {}).magnitude))
            questions.append({**case.data["questions"][asked[name]], "name": own, "time": time})
            measured[own] = value
            if known is not None:
                within[own] = known
    try:
        logged = case.restated({**case.data, "questions": questions})
    except CaseError as error:
        raise StudyError(f"a log cannot be asked for: {error.faults[0].message}") from error
    told = stated.model_copy(update={"measured": measured, "within": within, "logs": {}})
    return replace(lab, case=logged), told, called


def _rows(case: Case, question: str, file: str) -> dict[int, tuple[str, str]]:
    """Times and values of a log, as texts with their units, by the number of the row."""
    headings, rows = stated_rows(case, file, "t and what was measured")
    if len(headings) != 2 or not (headings[0].name == "t" or headings[0].name.casefold() == "time"):
        raise StudyError(
            f"'{file}' wants two columns: t, such as 't [min]', and what '{question}' was, such as 'T [°C]'"
        )
    if len(rows) > _MOST_ROWS:
        raise StudyError(f"'{file}' has {len(rows):,} rows; {_MOST_ROWS} at most: keep those that matter")
    return {
        number: (_time(file, number, headings[0], time), headings[1].text(value))
        for number, (time, value) in enumerate(rows, start=2)
    }


def _time(file: str, number: int, heading: Heading, cell: str) -> str:
    text = heading.text(cell)
    try:
        value = evaluate(text, {})
        require_kind(text, value, TIME)
    except ExpressionError as error:
        raise StudyError(f"'{file}', row {number}: {error}") from error
    return text
