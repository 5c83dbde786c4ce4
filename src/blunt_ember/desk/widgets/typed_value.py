"""What is typed into a field that belongs to the picture and not to the case."""

from __future__ import annotations

from blunt_ember.case.values.evaluation import quantity_si
from blunt_ember.case.values.units import Kind


def typed_si(text: str, kind: Kind) -> float | None:
    """Return what was typed in SI, a bare number in the unit that the kind is shown in; None where nothing was.

    Raises :class:`ExpressionError` for what is no quantity of the kind.
    """
    text = text.strip().replace("\u2009", "").replace("−", "-")
    if not text:
        return None
    try:
        return (float(text) + kind.zero) / kind.factor
    except ValueError:
        return quantity_si(text, kind, {})
