"""A picture of the body in a file, of any size."""

from __future__ import annotations

import re
from pathlib import Path

from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.annotated import body_picture
from blunt_ember.picture.body.renderer import BodyRenderer
from blunt_ember.picture.lenses.registry import LENSES, lens_parts
from blunt_ember.picture.look import Look
from blunt_ember.picture.palette import Theme
from blunt_ember.picture.png import write_png
from blunt_ember.written_file import written

#: Width and height in pixels when nothing is said, and the least and the most there may be.
USUAL, LEAST, MOST = (1600, 1000), 200, 8000


def picture_size(text: str) -> tuple[int, int]:
    """Return the width and height in pixels of ``1600 x 1000``; raise :class:`BluntEmberError` for anything else."""
    found = re.fullmatch(r"\s*(\d+)\s*[x×,]\s*(\d+)\s*(?:px|pixels)?\s*", text)
    if found is None:
        raise BluntEmberError(f"'{text}' is no size of a picture; write it like 1600 x 1000, in pixels")
    width, height = int(found[1]), int(found[2])
    if not (LEAST <= width <= MOST and LEAST <= height <= MOST):
        raise BluntEmberError(f"a picture is {LEAST} to {MOST} pixels wide and high; {width} x {height} is not")
    return width, height


def write_picture(outcome: Outcome, path: Path, look: Look, theme: Theme, size: tuple[int, int] = USUAL) -> None:
    """Write the body as it is looked at, with legend and title, as PNG.

    Raises :class:`BluntEmberError` for a lens that shows nothing of this outcome yet, :class:`NotWrittenError` where it
    cannot be written.
    """
    parts = lens_parts(outcome, look.lens)
    if look.part and look.part not in parts:
        offered = ", ".join(parts) or "nothing to choose"
        raise BluntEmberError(f"the lens {look.lens} has no part '{look.part}' here; it has {offered}")
    lens = LENSES[look.lens]
    if lens.field is not None and (outcome.solution is None or (lens.wants_parts and not parts)):
        raise BluntEmberError(f"the lens {look.lens} shows nothing here: there is no answer, or none to set beside it")
    renderer = BodyRenderer()
    try:
        image = body_picture(renderer, outcome, look, *size, theme)
    finally:
        renderer.close()
    with written(path) as scratch:
        write_png(image, scratch)
