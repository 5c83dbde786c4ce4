"""Whole pictures for files: the body with its legend and scale, as the window shows them."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence

import matplotlib as mpl
import numpy as np
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure

from blunt_ember.arrays import Floats, Image
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.immutable import immutable
from blunt_ember.picture.body.drawn import drawn_box, seen_pose
from blunt_ember.picture.body.renderer import BodyRenderer
from blunt_ember.picture.body.view import View, view_of_box
from blunt_ember.picture.body.whole import seen_through
from blunt_ember.picture.charts.charts import chart_style
from blunt_ember.picture.lenses.field import Shade
from blunt_ember.picture.look import Look
from blunt_ember.picture.palette import Theme

_DPI = 100
_MARGINS = (70, 50, 130, 60)
#: About how wide a letter of a tag is, and how high its line, in pixels.
_LETTER, _LINE = 7.0, 18.0
#: How high the line of the title is, in pixels.
_TITLE_LINE = 40
#: How far from the edge it begins, in pixels.
_TITLE_LEFT = 16


@immutable
class Tag:
    """A short ``text`` at a ``place`` (d,) in m of a body; ``strong`` ones point out something that is stated."""

    text: str
    place: Floats
    strong: bool = False


def body_picture(
    renderer: BodyRenderer,
    outcome: Outcome,
    look: Look,
    width: int,
    height: int,
    theme: Theme,
    title: str = "",
    tags: Sequence[Tag] = (),
) -> Image:
    """Return the body through a lens, with axes in mm, title, legend and ``tags``, as (height, width, 4) bytes RGBA."""
    return BodyPictures(renderer, look, width, height, theme, tags).of(outcome, title)


class BodyPictures:
    """Pictures of one body after the other, through one lens; what stands round it is drawn anew where it differs."""

    def __init__(
        self, renderer: BodyRenderer, look: Look, width: int, height: int, theme: Theme, tags: Sequence[Tag] = ()
    ) -> None:
        self._renderer, self._look, self._theme, self._tags = renderer, look, theme, tags
        self._width, self._height = width, height
        self._around: tuple[object, Image] | None = None

    def of(self, outcome: Outcome, title: str = "") -> Image:
        """Return a picture as (height, width, 4) bytes RGBA; raise :class:`BluntEmberError` where there is no body."""
        if outcome.geometry is None:
            raise BluntEmberError("the case has no body to draw")
        look, theme, width, height = self._look, self._theme, self._width, self._height
        seen, found = seen_through(outcome, look)
        geometry = seen.outcome.geometry
        assert geometry is not None
        low, high = drawn_box(geometry)
        pose = seen_pose(geometry, look)
        view = view_of_box(low, high, width, height, _MARGINS, pose)
        picture = self._renderer.draw(seen.outcome, look.lens, found, view, theme)[..., :3].astype(float)
        legend = None if found is None else (found.title, tuple(found.ticks(6)), found.colours.tobytes())
        key = (legend, low.tobytes(), high.tobytes())
        if self._around is None or self._around[0] != key:
            self._around = (key, self._drawn_around(found, view, (low, high), pose is None))
        title = title or f"{outcome.case.document.title}: {look.lens.lower()}"
        _lay_over(picture, self._around[1])
        _lay_over(picture[:_TITLE_LINE], _title(title, width, theme))
        return np.dstack([picture.round().astype(np.uint8), np.full((height, width), 255, np.uint8)])

    def _drawn_around(self, found: Shade | None, view: View, box: tuple[Floats, Floats], flat: bool) -> Image:
        """What stands round the body, and its tags, on nothing."""
        width, height, theme = self._width, self._height, self._theme
        figure = Figure(figsize=(width / _DPI, height / _DPI), dpi=_DPI, facecolor="none")
        with mpl.rc_context(chart_style(theme)):
            if flat:
                _scale(figure, view, *box, width, height)
            if found is not None:
                bar = figure.add_axes((1 - 50 / width, 60 / height, 14 / width, 1 - 130 / height))
                bar.imshow(found.colours[::-1][:, None], extent=(0, 1, 0, 1), aspect="auto")
                places, texts = zip(*found.ticks(6), strict=True)
                bar.set_yticks(places, texts)
                bar.set_xticks([])
                bar.set_title(found.title.replace(", ", "\n"), fontsize=8.5, loc="right", color=theme.quiet)
            self._draw_tags(figure, view)
            return _pixels_of(figure)

    def _draw_tags(self, figure: Figure, view: View) -> None:
        width, height, theme = self._width, self._height, self._theme
        taken: list[tuple[float, float, float]] = []
        for tag in sorted(self._tags, key=lambda tag: not tag.strong):
            x, y = view.pixels(tag.place[None])[0].tolist()
            half = _LETTER * len(tag.text) / 2 + 4
            if any(abs(x - other) < half + reach and abs(y - above) < _LINE for other, above, reach in taken):
                continue  # what lies on another cannot be read
            taken.append((x, y, half))
            box = {"boxstyle": "round,pad=0.25", "facecolor": theme.ember if tag.strong else theme.paper, "lw": 0}
            colour, weight = (theme.paper, "bold") if tag.strong else (theme.ink, "normal")
            figure.text(
                x / width,
                1 - y / height,
                tag.text,
                color=colour,
                weight=weight,
                bbox=box,
                ha="center",
                va="center",
                fontsize=8.5,
            )


def _title(text: str, width: int, theme: Theme) -> Image:
    """The line above the body, on nothing."""
    figure = Figure(figsize=(width / _DPI, _TITLE_LINE / _DPI), dpi=_DPI, facecolor="none")
    with mpl.rc_context(chart_style(theme)):
        place = _TITLE_LEFT / width, 1 - 26 / _TITLE_LINE
        drawn = figure.text(*place, text, fontsize=11, fontweight="bold", color=theme.ink)
        renderer = FigureCanvasAgg(figure).get_renderer()  # type: ignore[no-untyped-call]

        def too_long(letters: int) -> bool:
            drawn.set_text(_shortened(text, letters))
            return drawn.get_window_extent(renderer).width > width - 2 * _TITLE_LEFT

        if drawn.get_window_extent(renderer).width > width - 2 * _TITLE_LEFT:
            most = bisect_left(range(len(text)), True, key=too_long)
            drawn.set_text(_shortened(text, max(most - 1, 0)))
        return _pixels_of(figure)


def _shortened(text: str, letters: int) -> str:
    """A title with so many letters of what it is called, and all that is said to be seen of it."""
    head, colon, seen = text.rpartition(": ")
    return f"{head[:letters].rstrip()}…{colon}{seen}" if head else f"{text[:letters].rstrip()}…"


def _pixels_of(figure: Figure) -> Image:
    canvas = FigureCanvasAgg(figure)
    canvas.draw()  # type: ignore[no-untyped-call]
    return np.array(canvas.buffer_rgba())  # type: ignore[no-untyped-call]


def _lay_over(picture: Floats, image: Image) -> None:
    """Lay an image with see-through places over a picture (h, w, 3)."""
    rows, columns = np.nonzero(image[..., 3])
    share = image[rows, columns, 3:] / 255
    picture[rows, columns] += share * (image[rows, columns, :3] - picture[rows, columns])


def _scale(figure: Figure, view: View, low: Floats, high: Floats, width: int, height: int) -> None:
    """Draw a scale in mm under a body that is drawn flat."""
    ends = view.pixels(np.array([low, high]))
    left, right = ends[:, 0] / width
    bottom, top = 1 - ends[:, 1] / height
    scale = figure.add_axes((left, bottom - 12 / height, right - left, top - bottom + 12 / height))
    scale.patch.set_alpha(0)
    scale.spines["left"].set_visible(False)
    scale.set_xlim(low[0] * 1000, high[0] * 1000)
    scale.set_yticks([])
    scale.set_xlabel("mm")
