"""A study told: as a table of its points, as JSON, and in lines."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Any

import numpy as np

from blunt_ember.case.case import Case
from blunt_ember.case.document.studies import Sensitivity
from blunt_ember.case.values.display import in_shown_unit, shown, shown_difference
from blunt_ember.case.values.units import TEMPERATURE, Kind
from blunt_ember.studies.points import StudyError
from blunt_ember.studies.result import Row, StudyDone, StudyResult
from blunt_ember.written_file import write_text

#: What a finding of an uncertain answer is, that is a difference and not a reading.
_SHARES = ("share of", "with others")
_DIFFERENCES = ("deviation", "off", "± of the mesh")


def kind_of_parameter(case: Case, name: str) -> Kind:
    """Return the kind of a parameter in the units of the case."""
    return case.units.of_dimension(case.parameters[name].dimension)


def stated_as(case: Case, name: str, si: float) -> str:
    """Return a value of a parameter, SI, as the text that a case states it by, in the units it is shown in."""
    kind = kind_of_parameter(case, name)
    return f"{in_shown_unit(si, kind):.12g} {kind.shown}".strip()


def kinds_of_questions(case: Case) -> dict[str, Kind]:
    """Return the kind of every answer in the units of the case."""
    return {question.name: case.units.of(question.kind) for question in case.document.questions}


def result_object(case: Case, name: str, result: StudyResult) -> dict[str, Any]:
    """Return a study as ``blunt-ember study --json`` prints it: values in the units that stand beside them."""
    kinds = kinds_of_questions(case)
    varied = list(dict.fromkeys(parameter for point in result.points for parameter in point))
    units = {parameter: kind_of_parameter(case, parameter).shown for parameter in varied}
    return {
        "study": name,
        "kind": case.document.studies[name].kind,
        "parameters": units,
        "answers": {question: kind.shown for question, kind in kinds.items()},
        "points": [
            {
                **{key: in_shown_unit(value, kind_of_parameter(case, key)) for key, value in point.items()},
                **{key: in_shown_unit(value, kinds[key]) for key, value in row.answers.items() if key in kinds},
                **({"errors_si": row.errors} if row.errors is not None else {}),
                **({"trouble": row.trouble} if row.trouble else {}),
            }
            for point, row in zip(result.points, result.rows, strict=True)
        ],
        "findings_si": {question: dict(found) for question, found in result.findings.items()},
        **_relative(case, name, result),
        "found": {key: shown(value, kind_of_parameter(case, key), 10) for key, value in result.found.items()},
        "deviations": {
            key: shown_difference(value, kind_of_parameter(case, key)) for key, value in result.deviations.items()
        },
        "said": result.said,
    }


def _relative(case: Case, name: str, result: StudyResult) -> dict[str, Any]:
    """Of a sensitivity, by what share an answer changes over that by which a parameter does, ∂ln J/∂ln p, where neither
    is a temperature, whose shares hang on its scale."""
    if not isinstance(case.document.studies[name], Sensitivity) or len(result.rows) != 1:
        return {}
    kinds, answers = kinds_of_questions(case), result.rows[0].answers
    plain = [key for key, value in case.parameters.items() if value.dimension != TEMPERATURE.dimension]
    return {
        "relative": {
            question: {
                key: slope * float(case.parameters[key].magnitude) / answers[question]
                for key, slope in found.items()
                if key in plain
            }
            for question, found in result.findings.items()
            if not kinds[question].zero and answers.get(question)
        }
    }


def result_table(case: Case, result: StudyResult) -> list[tuple[str, ...]]:
    """Return headings and a row a point, in the units of the case."""
    kinds = kinds_of_questions(case)
    varied = list(dict.fromkeys(parameter for point in result.points for parameter in point))
    rows = [(*varied, *kinds, "")]
    for point, row in zip(result.points, result.rows, strict=True):
        given = [shown(point[name], kind_of_parameter(case, name)) if name in point else "" for name in varied]
        answers = [_answer_cell(row, name, kind) for name, kind in kinds.items()]
        rows.append((*given, *answers, row.trouble))
    return rows


def _answer_cell(row: Row, name: str, kind: Kind) -> str:
    """An answer, with what the mesh may have it off by where that is known."""
    if name not in row.answers:
        return ""
    error = (row.errors or {}).get(name, np.nan)
    within = f" ± {shown_difference(error, kind, 2)}" if np.isfinite(error) else ""
    return f"{shown(row.answers[name], kind)}{within}"


def findings_table(case: Case, result: StudyResult) -> list[tuple[str, ...]]:
    """Return headings and a row a finding: what was found of every answer; of a sensitivity what one per cent of a
    parameter changes, of a temperature one kelvin."""
    if not result.findings:
        return []
    kinds = kinds_of_questions(case)
    heads = list(dict.fromkeys(head for found in result.findings.values() for head in found))
    # What one is known by stands in its cell.
    heads = [head for head in heads if head.removeprefix("± ") == head or head.removeprefix("± ") not in heads]
    heads = [head for head in heads if head != "t"]  # the name of a row of a log says it
    slopes = set(heads) <= set(case.parameters)
    steps = {head: step_of(case, head) for head in heads} if slopes else {}
    rows: list[tuple[str, ...]] = [("question", *((f"{steps[head][0]} {head}" if slopes else head) for head in heads))]
    for question, found in result.findings.items():
        kind = kinds[question] if question in kinds else kinds[question.rsplit(" at ", 1)[0]]  # a row of a log
        cells = []
        for head in heads:
            value = found.get(head, np.nan)
            if slopes:
                cells.append(shown_difference(value * steps[head][1], kind))
            else:
                cells.append(_finding_cell(head, value, found.get(f"± {head}", np.nan), kind))
        rows.append((question, *cells))
    return rows


def _finding_cell(head: str, value: float, within: float, kind: Kind) -> str:
    """A finding, with what it is known ``within``."""
    if np.isnan(value):
        return ""
    if head.startswith(_SHARES):
        return f"{100 * value:.1f} %" + (f" ± {100 * within:.1f}" if np.isfinite(within) else "")
    told = (shown_difference if head in _DIFFERENCES else shown)(value, kind)
    return f"{told} ± {shown_difference(within, kind)}" if np.isfinite(within) else told


def step_of(case: Case, name: str) -> tuple[str, float]:
    """Return what a sensitivity is told for, in words and in SI."""
    value = case.parameters[name]
    if value.dimension == TEMPERATURE.dimension:
        return "1 K of", 1.0
    return "1 % of", 0.01 * abs(float(value.magnitude))


def found_lines(case: Case, result: StudyResult) -> list[str]:
    """Return what was found of parameters that were sought, a line each."""
    lines = []
    for name, value in result.found.items():
        kind = kind_of_parameter(case, name)
        off = result.deviations.get(name)
        within = f" ± {shown_difference(off, kind)}" if off is not None and np.isfinite(off) else ""
        lines.append(f"{name} = {shown(value, kind, 7)}{within}")
    return [*lines, *([result.said] if result.said else [])]


def write_study(done: StudyDone, path: Path) -> None:
    """Write the points of a study as CSV, or all that was found as JSON, as the suffix says.

    Raises :class:`StudyError` for any other.
    """
    match path.suffix.lower():
        case ".csv":
            stream = io.StringIO()
            csv.writer(stream).writerows(result_table(done.case, done.result))
            write_text(stream.getvalue(), path)
        case ".json":
            found = result_object(done.case, done.name, done.result)
            write_text(json.dumps(found, indent=2, ensure_ascii=False, default=float), path)
        case other:
            raise StudyError(f"a study is written as .csv or .json; '{other}' is none of them")
