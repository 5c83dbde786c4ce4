"""Charts as something that fills a figure, made into an image or written to a file of any kind."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future
from functools import cache
from importlib import import_module
from io import BytesIO
from pathlib import Path
from threading import Thread
from typing import TYPE_CHECKING, Any

import numpy as np

from blunt_ember.arrays import Image
from blunt_ember.errors import BluntEmberError
from blunt_ember.picture.palette import Theme
from blunt_ember.written_file import written

if TYPE_CHECKING:
    from matplotlib.figure import Figure


#: Fills an empty figure of a width and a height in pixels, in a theme.
Plot = Callable[["Figure", int, int, Theme], None]
#: Points of a figure at 100 dots an inch are close to the pixels of an ordinary screen.
DPI = 100
#: Kinds of files a chart is written to.
CHART_FILES = {".svg": "Drawing that scales", ".pdf": "Page", ".png": "Picture"}


@cache
def charts_imported() -> Future[None]:
    """Import what draws charts in a thread, as it takes as long as a start otherwise does; return when it is there."""
    found = Future[None]()

    def bring() -> None:
        try:
            import_module("matplotlib.figure")
            import_module("matplotlib.backends.backend_agg")
        except BaseException as error:
            found.set_exception(error)
        else:
            found.set_result(None)

    Thread(target=bring, name="charts", daemon=True).start()
    return found


def image_of(plot: Plot, width: int, height: int, theme: Theme, ratio: float = 1.0) -> Image:
    """Return a chart as (height, width, 4) bytes RGBA, with ``ratio`` pixels for each."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg

    figure = _filled(plot, max(width, 160), max(height, 60), theme, ratio)
    canvas = FigureCanvasAgg(figure)
    canvas.draw()  # type: ignore[no-untyped-call]
    return np.array(canvas.buffer_rgba())  # type: ignore[no-untyped-call]


def write_plot(plot: Plot, path: Path, width: int, height: int, theme: Theme) -> None:
    """Write a chart as PNG, SVG or PDF, as the suffix says; raise :class:`BluntEmberError` for any other."""
    import matplotlib as mpl

    suffix = path.suffix.lower()
    if suffix not in CHART_FILES:
        raise BluntEmberError(f"a chart is written as {', '.join(CHART_FILES)}; '{path.suffix}' is none of them")
    # Text stays text, so that it can be searched and edited; no date, so that the same chart is the same file.
    lasting_text: dict[Any, Any] = {"svg.fonttype": "none", "pdf.fonttype": 42, "svg.hashsalt": "blunt-ember"}
    # Made in memory: what breaks off in a file leaves it open.
    made = BytesIO()
    with mpl.rc_context(lasting_text):
        _filled(plot, width, height, theme, 2.0 if suffix == ".png" else 1.0).savefig(
            made, format=suffix[1:], facecolor=theme.paper, metadata=_NO_DATE.get(suffix)
        )
    with written(path) as scratch:
        scratch.write_bytes(made.getbuffer())


_NO_DATE: dict[str, dict[str, str | None]] = {".svg": {"Date": None}, ".pdf": {"CreationDate": None}}


def _filled(plot: Plot, width: int, height: int, theme: Theme, ratio: float) -> Figure:
    from matplotlib.figure import Figure

    figure = Figure(figsize=(width / DPI, height / DPI), dpi=DPI * ratio, facecolor=theme.paper)
    plot(figure, width, height, theme)
    return figure
