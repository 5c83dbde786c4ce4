"""What can be done, said at the foot of the stage until it has been done once."""

from __future__ import annotations

from blunt_ember.desk.app.settings import Settings

#: Said in this order, so many at a time; those of solids only of solids, those of dimensions where there are any.
_HINTS = {
    "surface": "click a surface to say what surrounds it",
    "dimension": "click a dimension to change it",
    "turn": "drag to turn",
    "reading": "Ctrl and a click pins a reading, Ctrl and a drag draws a line to read along",
    "legend": "drag an end of the legend to see a part of the range",
    "cut": "X, Y, Z lay a plane through the body",
    "zoom": "the wheel enlarges, 0 shows the whole body",
    "lens": "Alt+1 … Alt+7 choose a lens, F1 lists every key",
}
_SOLID, _DIMENSIONED = ("turn", "cut"), ("dimension",)
_AT_A_TIME = 2


class Hints:
    """Remembers what has been done, from one session to the next."""

    def __init__(self, settings: Settings) -> None:
        self._settings = settings

    def used(self, what: str) -> None:
        """Something was done: its hint is not needed any more."""
        if what not in self._settings.hints_used:
            self._settings.hints_used = (*self._settings.hints_used, what)

    def said(self, solid: bool, dimensioned: bool) -> str:
        """Return the next hints for a picture of a ``solid``, or with dimensions; nothing once all are used."""
        used = self._settings.hints_used
        open_ones = [
            text
            for what, text in _HINTS.items()
            if what not in used and (solid or what not in _SOLID) and (dimensioned or what not in _DIMENSIONED)
        ]
        return "   ·   ".join(open_ones[:_AT_A_TIME])
