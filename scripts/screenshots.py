"""Takes the pictures in docs/screenshots from the demo case, through the real window."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

FOLDER = Path(__file__).parents[1] / "docs" / "screenshots"


def main() -> None:
    """Open the window off screen, bring it into each state and grab it."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    with tempfile.TemporaryDirectory() as config:
        os.environ["XDG_CONFIG_HOME"] = config
        _take(Path(sys.argv[1]) if len(sys.argv) > 1 else FOLDER)


def _take(folder: Path) -> None:
    from PyQt6.QtCore import Qt
    from PyQt6.QtTest import QTest

    from blunt_ember.desk.application import application
    from blunt_ember.desk.window import Window
    from blunt_ember.gallery.families import demo_case, family

    app = application()
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
    for name, picture in (("hollow-cylinder", "pipe"), ("hollow-sphere", "sphere")):
        window.show_case(family(name).case(), None)
        spin(lambda: window.outcome is not None and window.outcome.final)
        grab(picture)
    window.current.open(demo_case(), None)
    window.close()


if __name__ == "__main__":
    main()
