"""Things of a case renamed, everything that refers to them following."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from pydantic_core import PydanticCustomError

from blunt_ember.case.case import Case
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.parts import check_name
from blunt_ember.case.document.questions.derived import DerivedQuestion, formula_name
from blunt_ember.case.document.walk import Leaf, with_leaves
from blunt_ember.case.editing.edits import value_at, with_data_at
from blunt_ember.case.editing.references import NAMES_OF_SURFACES, ON_THE_BODY, with_names_changed
from blunt_ember.case.values.expressions import renamed
from blunt_ember.case.values.references import IsFormula, RefersTo, Target
from blunt_ember.errors import CaseError, DataPath, ExpressionError, Fault


def renamed_part(case: Case, path: DataPath, new: str) -> Case:
    """Return the case with a part of the body renamed, and every statement that refers to it or its surfaces following.

    ``path`` leads to a region, a level of a region, a piece of a rod or a group of a mesh file.
    """
    owner, old = path[:-1], path[-1]
    _require_free(new, value_at(case.data, owner, {}), path, "part")
    before, after = full_name(path), full_name((*owner, new))

    def follows(name: str) -> str:
        return "|".join(after + side[len(before) :] if is_within(side, before) else side for side in name.split("|"))

    data = _with_key_renamed(case.data, owner, str(old), new)
    data = with_names_changed(data, ON_THE_BODY, follows)
    if len(path) == 3:
        data = with_names_changed(data, frozenset({Target.SHAPE}), lambda name: new if name == old else name)
    return case.restated(data)


def full_name(path: DataPath) -> str:
    """Return the name surfaces know a part of the body by: a level goes by its region's name and its own."""
    return f"{path[2]}.{path[4]}" if len(path) == 5 else str(path[-1])


def is_within(name: str, part: str) -> bool:
    """Tell whether a name is that of a part of the body, of a level of it, or of a side of either."""
    return name == part or name.startswith(f"{part}.")


def with_meant_name(case: Case, path: DataPath, wrong: str, right: str) -> Case:
    """Return the case with a name at a path, one of a list perhaps, put right."""

    def meant(here: Any) -> Any:
        if isinstance(here, list):
            return [meant(each) for each in here]
        if isinstance(here, Mapping):
            return {key: meant(entry) for key, entry in here.items()}
        return right if here == wrong else here

    return case.restated(with_data_at(case.data, path, meant))


def renamed_material(case: Case, old: str, new: str) -> Case:
    """Return the case with a material renamed, what is made of it following."""
    return _renamed_in_block(case, "materials", old, new, "material", Target.MATERIAL)


def renamed_surface(case: Case, old: str, new: str) -> Case:
    """Return the case with an analyst's own name of surfaces changed, everything stated on it following."""
    return _renamed_in_block(case, "surfaces", old, new, "surface", *NAMES_OF_SURFACES)


def renamed_enclosure(case: Case, old: str, new: str) -> Case:
    """Return the case with an enclosure renamed; raises :class:`CaseError` where the name is taken or is no name."""
    return _renamed_in_block(case, "enclosures", old, new, "enclosure")


def renamed_environment(case: Case, old: str, new: str) -> Case:
    """Return the case with an environment renamed, films and questions following."""
    return _renamed_in_block(case, "environments", old, new, "environment", Target.ENVIRONMENT)


def renamed_study(case: Case, old: str, new: str) -> Case:
    """Return the case with a study renamed."""
    return _renamed_in_block(case, "studies", old, new, "study")


def _renamed_in_block(case: Case, block: str, old: str, new: str, what: str, *targets: Target) -> Case:
    _require_free(new, getattr(case.document, block), (block, old), what)
    data = _with_key_renamed(case.data, (block,), old, new)
    return case.restated(with_names_changed(data, frozenset(targets), lambda name: new if name == old else name))


def renamed_formula(case: Case, block: str, old: str, new: str) -> Case:
    """Return the case with a parameter or a line of the Working renamed, in every formula that uses it.

    ``block`` is ``parameters`` or ``working``. Raises :class:`CaseError` where the new name is taken or is no name.
    """
    taken = {**case.data.get("parameters", {}), **case.data.get("working", {})}
    if new != old and new in taken:
        raise CaseError((Fault((block, old), f"'{new}' is taken already; choose another name"),))

    def changed(leaf: Leaf) -> Any:
        if leaf.marked(IsFormula) is not None:
            return _in_formulas(leaf.data, lambda text: _name_replaced(text, old, new))
        mark = leaf.marked(RefersTo)
        named = Target.WORKING if block == "working" else Target.PARAMETER
        is_line = mark is not None and mark.target is named
        return new if is_line and leaf.data == old else leaf.data

    data = with_leaves(CaseDocument, case.data, changed)
    return case.restated(_with_key_renamed(data, (block,), old, new))


def renamed_question(case: Case, place: int, new: str) -> Case:
    """Return the case with a question renamed, formulas over its answer and studies following.

    Raises :class:`CaseError` for what is taken or no name.
    """
    path: DataPath = ("questions", place, "name")
    old, now = formula_name(case.document.questions[place].name), formula_name(new)

    def changed(leaf: Leaf) -> Any:
        is_over = leaf.path[:1] == path[:1] and leaf.path[2:] == (DerivedQuestion.asks,)
        mark = leaf.marked(RefersTo)
        if mark is not None and mark.target is Target.QUESTION:
            return new if leaf.data == case.document.questions[place].name else leaf.data
        return _name_replaced(leaf.data, old, now) if is_over else leaf.data

    return case.restated(with_data_at(with_leaves(CaseDocument, case.data, changed), path, lambda _: new))


def _in_formulas(stated: Any, change: Callable[[str], str]) -> Any:
    """A value with the formulas in it changed: a text, or the rows of a table."""
    if isinstance(stated, str):
        return change(stated)
    if isinstance(stated, Mapping) and isinstance(stated.get("table"), list):
        return {**stated, "table": _in_formulas(stated["table"], change)}
    return [_in_formulas(entry, change) for entry in stated] if isinstance(stated, list) else stated


def _with_key_renamed(data: Mapping[str, Any], owner: DataPath, old: str, new: str) -> dict[str, Any]:
    made: dict[str, Any] = with_data_at(
        data, owner, lambda here: {new if name == old else name: entry for name, entry in here.items()}
    )
    return made


def _require_free(new: str, taken: Mapping[str, Any], path: DataPath, what: str) -> None:
    try:
        check_name(new)
    except PydanticCustomError as error:
        raise CaseError((Fault(path, str(error)),)) from error
    if new in taken and new != path[-1]:
        raise CaseError((Fault(path, f"there is a {what} '{new}' already; choose another name"),))


def _name_replaced(text: str, old: str, new: str) -> str:
    try:
        return renamed(text, old, new)
    except ExpressionError:
        return text
