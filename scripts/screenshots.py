"""Takes the pictures in docs/screenshots from the demo case, through the real window."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

FOLDER = Path(__file__).parents[1] / "docs" / "screenshots"


#: Families that are shown, the name of the picture, the lens, the view of the strip, and what is read along a line or
#: stands in the table.
_FAMILIES: tuple[tuple[str, str, str, str, str], ...] = (
    ("stacked-floor", "stacked", "Shape", "along a line", "temperature"),
    ("bowl", "bowl", "Mesh", "along a line", "temperature"),
    ("rod-film-tip", "rod", "Temperature", "table", "surfaces"),
    ("wall-contact", "joint", "Temperature", "resistances", ""),
    ("setting-chamber", "enclosure", "Temperature", "table", "exchange"),
)


def main() -> None:
    """Open the window off screen, bring it into each state and grab it."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    with tempfile.TemporaryDirectory() as config:
        os.environ["XDG_CONFIG_HOME"] = config
        _take(Path(sys.argv[1]) if len(sys.argv) > 1 else FOLDER)


def _take(folder: Path) -> None:
    import numpy as np
    from PyQt6.QtCore import QPoint, Qt
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QLineEdit

    from blunt_ember.desk.app.application import application
    from blunt_ember.desk.app.window import Window
    from blunt_ember.desk.sheet.table_dialog import TableDialog
    from blunt_ember.desk.widgets.curve import CurveButton
    from blunt_ember.gallery.families import demo_case, family
    from blunt_ember.picture.charts.plot import charts_imported

    app = application()
    charts_imported().result()
    window = Window()
    window.resize(1280, 800)
    window.show()

    def spin(until: Callable[[], bool], seconds: float = 20.0) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end and not until():
            app.processEvents()
            time.sleep(0.005)

    def grab(name: str) -> None:
        spin(lambda: False, 0.4)
        window.grab().save(str(folder / f"{name}.png"))

    spin(lambda: False, 0.3)
    spin(lambda: not window.start_page._undrawn)
    window.start_page.line.field.setPlainText(
        "pipe bore 150 mm, 4 mm k 24, lagging 45 mm k 0.065; gas 310 °C h 38; air 18 °C h 9; top 4"
    )
    spin(lambda: bool(window.start_page.line.sentences.text()))
    grab("start")
    window.show_case(demo_case(), None)
    spin(lambda: window.outcome is not None and window.outcome.final)
    grab("desk")
    window.stage.set_lens("Mesh")
    grab("mesh")
    window.stage.set_lens("Heat flow")
    window.set_dark(True)
    grab("heat-flow-dark")
    window.set_dark(False)
    window.stage.set_lens("Temperature")
    entry = window.sheet.entry("body.regions.blanket.size[1]")
    if entry is not None:
        entry.selectAll()
        QTest.keyClicks(entry, "100 W")
        QTest.keyClick(entry, Qt.Key.Key_Return)
    grab("mistake")
    for name, picture, lens, view, what in _FAMILIES:
        window.show_case(family(name).case(), None)
        spin(lambda: window.outcome is not None and window.outcome.final)
        window.stage.set_lens(lens)
        window.strip.choose_view(view)
        if view == "along a line":
            window.strip.line.what.setCurrentText(what)
            window.strip.line.refresh()
        if view == "table":
            window.strip.tables.which.setCurrentText(what)
            window.strip.tables.refresh()
        if picture == "enclosure":
            window.stage.light(("kiln.chamber bottom",))
        grab(picture)
    window.stage.light(())
    window.strip.choose_view("along a line")
    window.stage.set_lens("Temperature")
    window.show_case(family("hot-edge-plate").case(), None)
    spin(lambda: window.outcome is not None and window.outcome.final)
    window.stage.looks.take(replace(window.stage.look, bands=True, marks=True))
    assert window.stage._view is not None
    spin(lambda: False, 0.3)
    ends = [QPoint(*map(round, pixel)) for pixel in window.stage._view.pixels(np.array([[0.03, 0.03], [0.28, 0.17]]))]
    control = Qt.KeyboardModifier.ControlModifier
    QTest.mousePress(window.stage, Qt.MouseButton.LeftButton, control, ends[0])
    QTest.mouseMove(window.stage, ends[1])
    QTest.mouseRelease(window.stage, Qt.MouseButton.LeftButton, control, ends[1])
    spin(lambda: window.outcome is not None and window.outcome.final and window.is_current())
    window.strip.choose_view("refinement")
    window.strip.refinement.divide.click()
    spin(lambda: not window.strip.refinement.running, 60)
    grab("bands")
    window.strip.choose_view("along a line")
    window.stage.looks.take(replace(window.stage.look, bands=False, marks=False))
    window.show_case(family("straight-fin").case(), None)
    spin(lambda: window.outcome is not None and window.outcome.final)
    window.strip.choose_view("study")
    window.strip.study.which.setCurrentText("sweep of h")
    window.strip.study.which.activated.emit(window.strip.study.which.currentIndex())
    window.strip.study.run.click()
    spin(lambda: window.strip.study.result is not None and not window.strip.study.running, 60)
    grab("study")
    window.strip.choose_view("along a line")
    window.show_case(family("room-corner").case(), None)
    spin(lambda: window.outcome is not None and window.outcome.final)
    window.stage.looks.cuts.buttons[0].click()
    grab("room-corner")
    window.stage.looks.cuts.buttons[0].click()
    for name, picture, view, share in (
        ("cooling-wall", "over-time", "over time", 0.6),
        ("firing", "time-line", "time line", 0.45),
    ):
        window.show_case(family(name).case(), None)
        spin(lambda: window.outcome is not None and window.outcome.final, 90)
        window.strip.choose_view(view)
        window.strip.time_bar.go(round(share * window.strip.time_bar.slider.maximum()))
        bar = window.sheet.verticalScrollBar()
        assert bar is not None
        bar.setValue(round(0.42 * bar.maximum()))
        grab(picture)
        window.strip.choose_view("along a line")
        bar.setValue(0)
    window.show_case(family("periodic-strip").case(), None)
    spin(lambda: window.outcome is not None and window.outcome.final)
    window.stage.light(("floor.top",))
    grab("formula")
    window.show_case(family("wall-k-table").case(), None)
    spin(lambda: window.outcome is not None and window.outcome.final)
    window.stage.set_lens("Shape")
    window.card.open_on("wall.top", QPoint(200, 150), window.outcome)
    grab("card")
    window.card.shut()
    curve = next(button for button in window.sheet.findChildren(CurveButton) if button.isVisible())
    QTest.mouseClick(curve, Qt.MouseButton.LeftButton)
    dialog = window.findChild(TableDialog)
    assert dialog is not None
    spin(lambda: False, 0.3)
    dialog.grab().save(str(folder / "table.png"))
    dialog.reject()
    window.show_case(family("plane-wall").case(), None)
    spin(lambda: window.outcome is not None and window.outcome.final)
    window.stage.zoom(0.5)
    window.stage.draw_outline()
    entry = window.stage.findChild(QLineEdit, "drawing entry")
    for text in ("32 mm, 80 mm", "50 mm at 0°", "82 mm, 20 mm", "a", "57 mm, 5 mm"):
        QTest.keyClicks(entry, text)
        QTest.keyClick(entry, Qt.Key.Key_Return) if text != "a" else None
    assert window.stage._view is not None
    x, y = window.stage._view.pixels(np.array([[0.032, 0.02]]))[0]
    QTest.mouseMove(window.stage, QPoint(round(x), round(y)))
    grab("drawing")
    window.stage.tool.leave()
    window.current.open(demo_case(), None)
    window.close()


if __name__ == "__main__":
    main()
