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

RUNS = 5
EDITS = 20


def main() -> None:
    """Print both tables."""
    with tempfile.TemporaryDirectory() as folder:
        env = {
            **os.environ,
            "XDG_CONFIG_HOME": folder,
            "QT_QPA_PLATFORM": os.environ.get("QT_QPA_PLATFORM", "offscreen"),
        }
        for what in ("start", "edit"):
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
            }
            print(f"\n{title[what]}")
            for name, values in found.items():
                print(f"  {name:<58} {median(values) * 1000:8.1f} ms")


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
