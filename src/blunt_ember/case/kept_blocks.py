"""Blocks of a case that say what those of another case say, whose entries are taken over instead of read again."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.questions.derived import DerivedQuestion
from blunt_ember.case.values.evaluation import Value

#: Stands for a body that is taken over while the rest of a document is read.
_ANY_BODY: Mapping[str, Any] = {"kind": "section", "regions": {}}


class BlockTexts:
    """The text of every block of the ``data`` of a case, with the digits that were written; made when it is needed."""

    def __init__(self, data: Mapping[str, Any]) -> None:
        self._data = data
        self._texts: dict[str, str] = {}

    def of(self, block: str) -> str:
        """Return the text of a block."""
        if block not in self._texts:
            self._texts[block] = repr(self._data[block])
        return self._texts[block]

    def same(self, other: BlockTexts, block: str) -> bool:
        """Tell whether two cases state the same block; the text of one is that of the other then."""
        if block not in self._data or block not in other._data:
            return False
        if self._data[block] is not other._data[block] and self.of(block) != other.of(block):
            return False
        if block in other._texts:
            self._texts[block] = other._texts[block]
        return True


def kept_blocks(texts: BlockTexts, before: BlockTexts, document: CaseDocument, changed: Collection[str]) -> list[str]:
    """Return the blocks that are in a case as they were ``before``, when it was read as ``document``: those with the
    same text, in which no formula is spoken of whose value has ``changed``."""

    def keeps(block: str) -> bool:
        if not texts.same(before, block):
            return False
        if block == "questions" and any(isinstance(question, DerivedQuestion) for question in document.questions):
            return False  # they are bound to the names of their case
        return not any(name in texts.of(block) for name in changed)

    return [block for block in CaseDocument.model_fields if keeps(block)]


def changed_names(names: Mapping[str, Value], before: Mapping[str, Value]) -> list[str]:
    """Return the names whose value is not what it was, and those that came or went."""
    return [name for name in {**names, **before} if names.get(name) != before.get(name)]


def document_of(
    data: Mapping[str, Any], names: Mapping[str, Value], kept: Collection[str], before: CaseDocument | None
) -> CaseDocument:
    """Read the ``data`` of a case in which formulas have values by their ``names``, and take over blocks of the one
    ``before``.

    Raises :class:`pydantic.ValidationError`.
    """
    rest = {key: entry for key, entry in data.items() if key not in kept}
    rest |= {"body": dict(_ANY_BODY)} if "body" in kept else {}
    rest |= {"format": data["format"]} if "format" in kept else {}
    read = CaseDocument.model_validate(rest, context={"names": names})
    return read.model_copy(update={block: getattr(before, block) for block in kept}) if kept else read
