"""A view factor that a closed form says."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class KnownView:
    """The exchanged area, m², and by which form it is known."""

    exchanged: float
    form: str
