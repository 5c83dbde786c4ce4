"""Things of a case removed, with what cannot stand without them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.parts import Statement
from blunt_ember.case.document.walk import Leaf, models_on
from blunt_ember.case.editing.edits import value_at, without
from blunt_ember.case.editing.references import NAMES_OF_SURFACES, ON_THE_BODY, references, used_by
from blunt_ember.case.editing.renaming import full_name, is_within
from blunt_ember.case.values.references import Target
from blunt_ember.errors import CaseError, DataPath, Fault


def without_part(case: Case, path: DataPath) -> tuple[Case, list[str]]:
    """Return the case without a part of the body, and in words what else went because it referred to it.

    ``path`` leads to a region, a level of a region or a piece of a rod. Raises :class:`CaseError` while another region
    is placed by it, or the clock waits for something there.
    """
    name = full_name(path)
    if len(path) == 3:
        for leaf in used_by(case, frozenset({Target.SHAPE}), name):
            other = leaf.path[2]
            raise CaseError((Fault(path, f"'{other}' is placed by it; place '{other}' otherwise first"),))

    def gone(stated: str) -> bool:
        return any(is_within(side, name) for side in stated.split("|"))

    data, also = _without_names(without_data(case.data, [path]), gone)
    return case.restated(data), also


def without_surface_name(case: Case, name: str) -> Case:
    """Return the case without an analyst's own name; raises :class:`CaseError` while anything refers to it."""
    for leaf in used_by(case, NAMES_OF_SURFACES, name):
        if leaf.path[:2] == ("surfaces", name):
            continue
        owner, statement = _statement_of(case.data, leaf)
        words = (
            f"the {leaf.path[0]}"
            if statement is None or owner is None
            else statement.named(value_at(case.data, owner), name)
        )
        raise CaseError((Fault(leaf.path, f"'{name}' is still used: {words}; change that first"),))
    return without(case, ("surfaces", name))


def without_material(case: Case, name: str) -> Case:
    """Return the case without a material; raises :class:`CaseError` while a part of the body is made of it."""
    users = [leaf.path for leaf in used_by(case, frozenset({Target.MATERIAL}), name)]
    if users:
        parts = list(dict.fromkeys(f"'{'.'.join(str(each) for each in path[2:-1:2])}'" for path in users))
        words = f"{', '.join(parts[:-1])} and {parts[-1]} are" if len(parts) > 1 else f"{parts[0]} is"
        raise CaseError((Fault(users[0], f"{words} made of '{name}'; say what else first"),))
    return without(case, ("materials", name))


def without_data(data: Mapping[str, Any], paths: list[DataPath]) -> dict[str, Any]:
    """Return JSON data without the entries at some paths."""
    going = set(paths)

    def kept(here: Any, path: DataPath) -> Any:
        if isinstance(here, Mapping):
            return {key: kept(entry, (*path, key)) for key, entry in here.items() if (*path, key) not in going}
        if isinstance(here, list):
            return [kept(entry, (*path, at)) for at, entry in enumerate(here) if (*path, at) not in going]
        return here

    made: dict[str, Any] = kept(data, ())
    return made


def _without_names(data: dict[str, Any], gone: Callable[[str], bool]) -> tuple[dict[str, Any], list[str]]:
    """The data without what refers to names that are gone, and in words what went.

    A statement on several surfaces stays on those that are left; an analyst's own name that stands for nothing any more
    goes too, with what is stated on it.
    """
    lost = [leaf for leaf, target in references(data) if target in ON_THE_BODY and gone(leaf.data)]
    if not lost:
        return data, []
    going: list[DataPath] = []
    also: list[str] = []
    emptied: set[str] = set()
    statements: dict[DataPath, list[Leaf]] = {}
    for leaf in lost:
        if leaf.path[0] == "surfaces":
            statements.setdefault(leaf.path[:2], []).append(leaf)
            continue
        if leaf.is_key:
            going.append(leaf.path)
            also.append(f"the start of {leaf.data}")
            continue
        owner, _ = _statement_of(data, leaf)
        if owner is None:
            raise CaseError((Fault(leaf.path, "it waits for something there; change that first"),))
        statements.setdefault(owner, []).append(leaf)
    for owner, leaves in statements.items():
        here = value_at(data, owner)
        if owner[0] == "surfaces":
            members = here if isinstance(here, list) else [here]
            if len(leaves) == len(members):
                going.append(owner)
                emptied.add(str(owner[1]))
                also.append(f"the name '{owner[1]}'")
            else:
                going += [leaf.path for leaf in leaves]
            continue
        _, model = _statement_of(data, leaves[0])
        assert model is not None
        left = without_data(data, [leaf.path for leaf in leaves])
        stands = model.stands(value_at(left, owner))
        going += [leaf.path for leaf in leaves] if stands else [owner]
        where = f" in {value_at(data, (*owner[:3], 'name'))}" if owner[:2] == ("clock", "stages") else ""
        also += [f"{model.named(here, leaf.data)}{where}" for leaf in leaves]
    data, more = _without_names(without_data(data, going), lambda name: name in emptied)
    return data, list(dict.fromkeys([*also, *more]))


def _statement_of(data: Mapping[str, Any], leaf: Leaf) -> tuple[DataPath | None, type[Statement] | None]:
    """The innermost statement that a leaf stands in: its path and its type; None where it stands in none."""
    found = [(path, model) for path, model in models_on(CaseDocument, data, leaf.path) if issubclass(model, Statement)]
    return found[-1] if found else (None, None)
