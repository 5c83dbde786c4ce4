"""Lines of the Working that follow place or time, such as an exact solution written out: fields to compare with."""

from __future__ import annotations

from collections.abc import Mapping

from blunt_ember.case.values.evaluation import Value
from blunt_ember.case.values.expressions import parse
from blunt_ember.case.values.formula_tree import Node, names_in, substituted
from blunt_ember.case.values.laws import PLACE, Law, field_law
from blunt_ember.errors import ExpressionError


def lines_over_places(formulas: Mapping[str, str]) -> dict[str, Node]:
    """Return the parsed lines that refer to a coordinate or the time, in them or in a line they use."""
    parsed: dict[str, Node] = {}
    for name, text in formulas.items():
        try:
            parsed[name] = parse(text)
        except ExpressionError:
            continue  # said of the line itself
    used = {name: {reference.text for reference in names_in(node)} for name, node in parsed.items()}
    over = {name for name, names in used.items() if names & {*PLACE, "t"}}
    while more := {name for name, names in used.items() if names & over} - over:
        over |= more
    return {name: node for name, node in parsed.items() if name in over}


def field_laws(
    lines: Mapping[str, Node], formulas: Mapping[str, str], names: Mapping[str, Value]
) -> tuple[dict[str, Law], dict[str, str]]:
    """Return the law each line stands for, and for each that stands for none the reason."""
    laws: dict[str, Law] = {}
    faults: dict[str, str] = {}
    for name, line in lines.items():
        whole = line
        for _ in range(len(lines)):
            if not {reference.text for reference in names_in(whole)} & lines.keys():
                break
            whole = substituted(whole, lines)
        try:
            if {reference.text for reference in names_in(whole)} & lines.keys():
                raise ExpressionError(f"'{name}' is defined by itself")
            laws[name] = field_law(whole, formulas[name], names)
        except ExpressionError as error:
            faults[name] = str(error)
    return laws, faults
