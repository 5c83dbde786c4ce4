"""The body as a report draws it, look by look, with the help of a second process where there is one."""

from __future__ import annotations

import base64
import io
from collections import deque
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from blunt_ember.flow.outcome import Outcome
from blunt_ember.flow.process.server import packed
from blunt_ember.immutable import immutable
from blunt_ember.picture.annotated import body_picture
from blunt_ember.picture.body.renderer import BodyRenderer
from blunt_ember.picture.look import Look
from blunt_ember.picture.palette import LIGHT
from blunt_ember.picture.png import write_png
from blunt_ember.report.page.second_hand import SecondHand
from blunt_ember.report.page.statement import tags_of

#: Of larger meshes a second copy would take more memory than drawing them takes time.
_LARGEST = 200_000
#: How many drawings are with the second hand at once: one that it draws, and one that waits there.
_AHEAD = 2


@immutable
class Drawing:
    """A body through a ``look``, ``size`` (width, height) in pixels; a ``stated`` one says what is stated where."""

    look: Look
    size: tuple[int, int]
    title: str = ""
    stated: bool = False


class Hand:
    """Draws bodies, with a graphics context that it holds from the first one until it is closed."""

    def __init__(self) -> None:
        self._renderer: BodyRenderer | None = None

    def drawn(self, outcome: Outcome, drawing: Drawing) -> str:
        """Return a picture as PNG, written in base 64."""
        self._renderer = self._renderer or BodyRenderer()
        tags = tags_of(outcome) if drawing.stated else ()
        return png_text(body_picture(self._renderer, outcome, drawing.look, *drawing.size, LIGHT, drawing.title, tags))

    def close(self) -> None:
        """Give back the graphics context."""
        if self._renderer is not None:
            self._renderer.close()
            self._renderer = None


class Drawings:
    """What is ``wanted`` of one body: drawn from the last one on by a ``second`` hand from now on, and from the first
    one on here when all are to be :meth:`finished`."""

    def __init__(self, outcome: Outcome, wanted: Sequence[Drawing], second: SecondHand | None = None) -> None:
        self._rest, self._away = deque(enumerate(wanted)), deque[tuple[int, Drawing]]()
        self._outcome, self._second = outcome, second
        self._found: dict[int, str] = {}
        mesh = outcome.mesh
        if second is None or (mesh is not None and mesh.node_count > _LARGEST) or not second.tell(packed(outcome)):
            self._second = None
        self._tell_more()

    def finished(self) -> list[str]:
        """Draw the rest; return all in the order in which they are wanted, as PNG written in base 64."""
        own = Hand()
        try:
            while self._rest or self._away:
                self._take(wait=not self._rest)
                if self._rest:
                    place, drawing = self._rest.popleft()
                    self._found[place] = own.drawn(self._outcome, drawing)
        finally:
            own.close()
        return [self._found[place] for place in sorted(self._found)]

    def _take(self, wait: bool) -> None:
        """Take what the second hand has drawn; ``wait`` for what it is drawing."""
        while self._second is not None and (wait or self._second.has_said()):
            wait, said = False, self._second.said()
            if said is None:
                self._go_on_alone()
            else:
                self._found[self._away.popleft()[0]] = said
                self._tell_more()

    def _tell_more(self) -> None:
        while self._second is not None and self._rest and len(self._away) < _AHEAD:
            if self._second.tell(self._rest[-1][1]):
                self._away.append(self._rest.pop())
            else:
                self._go_on_alone()

    def _go_on_alone(self) -> None:
        """Draw here what the second hand was to draw."""
        self._second = None
        self._rest.extend(reversed(self._away))
        self._away.clear()


def png_text(image: NDArray[np.uint8]) -> str:
    """Return an image (h, w, 4) as PNG, written in base 64."""
    stream = io.BytesIO()
    write_png(image, stream)
    return base64.b64encode(stream.getvalue()).decode("ascii")
