"""The picture on the stage: drawn anew only as far as something of it has changed."""

from __future__ import annotations

from collections.abc import Collection

from PyQt6.QtGui import QImage

from blunt_ember.fem.transient.recorded.run import Run
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.body.renderer import BodyRenderer
from blunt_ember.picture.body.view import View
from blunt_ember.picture.body.whole import Drawn, drawn
from blunt_ember.picture.lenses.field import Field, Shade, shaded
from blunt_ember.picture.lenses.registry import field_of
from blunt_ember.picture.look import Look, Whole
from blunt_ember.picture.palette import Theme


class StagePicture:
    """Keeps what is drawn of an outcome, its field and its colours from one drawing to the next."""

    def __init__(self) -> None:
        self._renderer: BodyRenderer | None = None
        self._field: Field | None = None
        self._field_of: tuple[object, ...] = (None,) * 7
        self._drawn: Drawn | None = None
        self._drawn_of: tuple[Outcome | None, Whole] = (None, Whole())
        self._spread: tuple[Field | None, Drawn | None, Field | None] = (None, None, None)
        self._shaded: tuple[Field | None, Look, Run | None] = (None, Look(), None)
        self.shade: Shade | None = None

    def open(self) -> BodyRenderer:
        """Open the graphics context before it is first needed, as that takes a while."""
        if self._renderer is None:
            self._renderer = BodyRenderer()
        return self._renderer

    def close(self) -> None:
        """Give the graphics context back."""
        if self._renderer is not None:
            self._renderer.close()
            self._renderer = None

    def body(self, outcome: Outcome, look: Look) -> Drawn:
        """Return what is drawn of an outcome."""
        known, whole = self._drawn_of
        if self._drawn is None or known is not outcome or whole != look.whole:
            same = (
                self._drawn is not None
                and known is not None
                and whole == look.whole
                and known.mesh is outcome.mesh
                and known.solution is outcome.solution
                and known.problem is outcome.problem
            )
            if not same or not look.whole:
                self._drawn = drawn(outcome, look.whole)
            self._drawn_of = (outcome, look.whole)
        assert self._drawn is not None
        return self._drawn

    def field(self, outcome: Outcome, look: Look) -> Field | None:
        """Return what the lens shows of an outcome, in the body that is solved."""
        now = (outcome.mesh, outcome.solution, outcome.case, outcome.exact, outcome.kept, look.lens, look.part)
        if any(one is not other for one, other in zip(now, self._field_of, strict=True)):
            self._field_of, self._field = now, field_of(outcome, look.lens, look.part)
        return self._field

    def draw(
        self, outcome: Outcome, look: Look, view: View, theme: Theme, ratio: float, lit: Collection[str], moving: bool
    ) -> QImage:
        """Return the picture from where the eye is."""
        field, body = self.field(outcome, look), self.body(outcome, look)
        if self._spread[0] is not field or self._spread[1] is not body:
            self._spread = field, body, body.spread(field) if field is not None else None
        # What is drawn of a solid is kept as long as its shade is the same one.
        spread = self._spread[2]
        known, seen, run = self._shaded
        if known is not spread or seen != look or run is not outcome.run:
            self._shaded = (spread, look, outcome.run)
            self.shade = shaded(spread, look, outcome) if spread is not None else None
        pixels = self.open().draw(body.outcome, look.lens, self.shade, view, theme, ratio, lit, moving)
        height, width = pixels.shape[:2]
        image = QImage(pixels.tobytes(), width, height, width * 4, QImage.Format.Format_RGBA8888).copy()
        image.setDevicePixelRatio(ratio)
        return image
