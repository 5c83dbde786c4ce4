"""A run as moving pictures: numbered PNG files, or one animated GIF or WebP."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
from PIL import Image as Pictures

from blunt_ember.case.values.display import time_shown
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.annotated import BodyPictures
from blunt_ember.picture.body.renderer import BodyRenderer
from blunt_ember.picture.look import Look
from blunt_ember.picture.palette import Theme
from blunt_ember.picture.png import write_png
from blunt_ember.written_file import written

#: What an animation may be written as.
ANIMATION_FILES = {".gif": "Animated GIF", ".webp": "Animated WebP", ".png": "Numbered PNG files"}
ANIMATION_WIDTH, ANIMATION_HEIGHT = 900, 560
#: Pictures of one animation at most, evenly spread over the time of the run, and how long each is seen, ms.
MOST_PICTURES = 120
_SEEN_MS = 80
#: Pictures that the colours of all are chosen by, about.
_FOR_COLOURS = 6


def frames_of(outcome: Outcome, most: int = MOST_PICTURES) -> list[int]:
    """Return the numbers of the kept instants that are nearest to evenly spread times."""
    if outcome.run is None:
        raise BluntEmberError("only a case whose clock has run can be animated")
    times = outcome.run.fields.times
    wanted = np.linspace(times[0], times[-1], min(most, len(times)))
    nearest = np.abs(times[None] - wanted[:, None]).argmin(axis=1)
    return [int(number) for number in np.unique(nearest)]


def write_animation(
    outcome: Outcome, path: Path, look: Look, theme: Theme, most: int = MOST_PICTURES
) -> Iterator[float]:
    """Write the run as seen through a lens; yield the share that is done after every picture.

    ``.gif`` and ``.webp`` become one file; ``.png`` numbered files beside each other, ``name-0001.png`` on. What is not
    finished leaves no file. Raises :class:`BluntEmberError` for another suffix or a full disk.
    """
    suffix = path.suffix.lower()
    if suffix not in ANIMATION_FILES:
        raise BluntEmberError(f"'{path.suffix}' is no kind of animation; write one of {', '.join(ANIMATION_FILES)}")
    numbers = frames_of(outcome, most)
    renderer = BodyRenderer()
    pictures = BodyPictures(renderer, look, ANIMATION_WIDTH, ANIMATION_HEIGHT, theme)
    drawn: list[Pictures.Image] = []
    try:
        with written(path) as scratch:
            for place, number in enumerate(numbers, start=1):
                seen = outcome.at_frame(number)
                picture = pictures.of(
                    seen, f"{outcome.case.document.title}: {look.lens.lower()} at {time_shown(seen.t)}"
                )
                if suffix == ".png":
                    write_png(picture, scratch.with_name(f"{path.stem}-{place:04d}.png"))
                else:
                    drawn.append(Pictures.fromarray(picture[..., :3]))
                yield place / len(numbers)
            if drawn:
                drawn = _in_few_colours(drawn) if suffix == ".gif" else drawn
                drawn[0].save(
                    scratch, suffix[1:].upper(), save_all=True, append_images=drawn[1:], duration=_SEEN_MS, loop=0
                )
    finally:
        renderer.close()


def _in_few_colours(pictures: list[Pictures.Image]) -> list[Pictures.Image]:
    """Pictures in the 256 colours that some of them, evenly chosen, are best drawn in together."""
    chosen = pictures[:: max(len(pictures) // _FOR_COLOURS, 1)]
    width, height = chosen[0].size
    together = Pictures.new("RGB", (width, height * len(chosen)))
    for place, picture in enumerate(chosen):
        together.paste(picture, (0, height * place))
    colours = together.quantize()
    return [picture.quantize(palette=colours, dither=Pictures.Dither.NONE) for picture in pictures]
