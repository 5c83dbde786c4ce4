"""Speed of what an analyst waits for: from start to a usable window, and from an edit to picture and checks."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections import defaultdict
from collections.abc import Callable
from pathlib import Path
from statistics import median
from typing import Any

from figures import compared, yardstick

RUNS = 5
EDITS = 20


#: What the window cannot do without, for a start to be held against.
_BARE = "import PyQt6.QtWidgets, numpy, scipy.sparse.linalg, vtkmodules.vtkRenderingOpenGL2, matplotlib.figure"


def bare_imports(env: dict[str, str]) -> float:
    """Return the seconds a process takes that only imports what the window needs, the median of several."""
    seconds = []
    for _ in range(RUNS):
        begin = time.perf_counter()
        subprocess.run([sys.executable, "-c", _BARE], env=env, check=True)
        seconds.append(time.perf_counter() - begin)
    return median(seconds)


def main() -> None:
    """Print both tables, and what became slower than the figures that are kept; ``--keep`` keeps the new ones."""
    ratios: dict[str, float] = {}
    with tempfile.TemporaryDirectory() as folder:
        env = {
            **os.environ,
            "XDG_CONFIG_HOME": folder,
            "OPENBLAS_NUM_THREADS": "1",  # as the command sets it
            "QT_QPA_PLATFORM": os.environ.get("QT_QPA_PLATFORM", "offscreen"),
        }
        for what in ("start", "edit", "storm", "solid"):
            runs = RUNS if what == "start" else 1
            found: dict[str, list[float]] = defaultdict(list)
            for _ in range(runs):
                began = time.time()
                done = subprocess.run(
                    [sys.executable, str(Path(__file__).with_name("window.py")), what, repr(began)],
                    env=env,
                    capture_output=True,
                    text=True,
                    check=True,
                )
                for line in done.stdout.splitlines():
                    name, _, value = line.rpartition(" ")
                    found[name].append(float(value))
            title = {
                "start": f"start to usable window, median of {RUNS} starts",
                "edit": f"edit to picture, median of {EDITS} edits",
                "storm": "edits that follow each other in 50 ms",
                "solid": "edit of a solid of 99 000 nodes to picture",
            }
            print(f"\n{title[what]}")
            unit = bare_imports(env) if what == "start" else yardstick()
            held = "bare imports" if what == "start" else "yardstick"
            print(f"  {held:<58} {unit * 1000:8.1f} ms")
            for name, values in found.items():
                ratios[f"{what}: {name}"] = median(values) / unit
                print(f"  {name:<58} {median(values) * 1000:8.1f} ms {median(values) / unit:8.2f}")
    print("\nbeside the figures that are kept, as ratios")
    print("\n".join(compared(ratios, "--keep" in sys.argv[1:])) or "  nothing differs by a quarter or more")


def timed(times: dict[str, list[float]], name: str, function: Callable[..., Any]) -> Callable[..., Any]:
    """Wrap a function so that its time is noted."""

    def wrapped(*arguments: Any, **named: Any) -> Any:
        start = time.perf_counter()
        try:
            return function(*arguments, **named)
        finally:
            times[name].append(time.perf_counter() - start)

    return wrapped


if __name__ == "__main__":
    main()
