"""The JSON Schema of the case document, for editors and other programs."""

from __future__ import annotations

from typing import Any

from blunt_ember.case.document.case_document import FORMAT, CaseDocument


def case_schema() -> dict[str, Any]:
    """Return the schema; quantities are texts whose unit and dimension the program checks beyond it."""
    schema = CaseDocument.model_json_schema()
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": f"Case file {FORMAT}", **schema}
