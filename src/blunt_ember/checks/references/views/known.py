"""A view factor that a closed form says."""

from __future__ import annotations

from blunt_ember.immutable import immutable


@immutable
class KnownView:
    """The exchanged area, m², and by which form it is known."""

    exchanged: float
    form: str
