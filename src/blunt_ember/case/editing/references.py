"""Names in a case that refer to something stated elsewhere: where they stand, and the case with them changed."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.walk import Leaf, leaves, with_leaves
from blunt_ember.case.values.references import RefersTo, Target

#: Names that stand for surfaces or for regions as the mesh knows them.
NAMES_OF_SURFACES = frozenset({Target.SURFACE, Target.SURFACE_OR_REGION, Target.SURFACE_OR_OPENING})
ON_THE_BODY = NAMES_OF_SURFACES | {Target.REGION}


def references(data: Mapping[str, Any]) -> Iterator[tuple[Leaf, Target]]:
    """Yield every name in the data of a case that refers to something, with what it refers to."""
    for leaf in leaves(CaseDocument, data):
        mark = leaf.marked(RefersTo)
        if mark is not None and isinstance(leaf.data, str):
            yield leaf, mark.target


def used_by(case: Case, targets: frozenset[Target], name: str) -> list[Leaf]:
    """Return the places of a case at which something of the ``name`` is referred to."""
    return [leaf for leaf, target in references(case.data) if target in targets and leaf.data == name]


def with_names_changed(
    data: Mapping[str, Any], targets: frozenset[Target], change: Callable[[str], Any]
) -> dict[str, Any]:
    """Return the data of a case with every name that refers to one of the ``targets`` changed."""

    def changed(leaf: Leaf) -> Any:
        mark = leaf.marked(RefersTo)
        return (
            change(leaf.data)
            if mark is not None and mark.target in targets and isinstance(leaf.data, str)
            else leaf.data
        )

    made: dict[str, Any] = with_leaves(CaseDocument, data, changed)
    return made
