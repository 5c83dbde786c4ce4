"""Studies: rows a second of a wall, a section and a solid, on one process and on all cores, beside single commands.

Run it from the repository: ``.venv/bin/python bench/studies.py``. Everything is a ratio of one run.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.files.case_file import write_case
from blunt_ember.gallery.families import family
from blunt_ember.studies.store import ResultsStore
from blunt_ember.studies.study import study


def _swept(name: str, parameter: str, ends: tuple[str, str], count: int, **more: Any) -> Case:
    data = dict(family(name).case().data)
    vary = {parameter: {"start": ends[0], "end": ends[1], "count": count}}
    return case_from_data({**data, **more, "studies": {"it": {"kind": "sweep", "vary": vary}}})


def _rate(case: Case, jobs: int) -> float:
    started = time.perf_counter()
    found = study(case, "it", ResultsStore(None), jobs=jobs)
    return len(found.rows) / (time.perf_counter() - started)


def _single(case: Case) -> float:
    """Commands a second that solve one case each."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "one.ember"
        write_case(case, path)
        started = time.perf_counter()
        for _ in range(3):
            subprocess.run([sys.executable, "-m", "blunt_ember", "solve", str(path)], check=False, capture_output=True)
        return 3 / (time.perf_counter() - started)


def main() -> None:
    """Print a line a case."""
    os.environ["OPENBLAS_NUM_THREADS"] = "1"
    film = ("5 W/(m² K)", "25 W/(m² K)")
    cases = {
        "wall, 1,000 points": _swept("composite-wall", "h_out", film, 1000),
        "section of 8,000 nodes, 200 points": _swept("floor-through-wall", "R_out", ("0.03 m² K/W", "0.2 m² K/W"), 200),
        "solid of 8,000 nodes, 60 points": _swept("stacked-floor", "h_under", film, 60),
    }
    print(f"{'':38}{'one':>9}{'all':>9}{'efficiency':>12}{'single commands':>17}{'times':>8}")
    for name, case in cases.items():
        one, both, single = _rate(case, 1), _rate(case, os.cpu_count() or 1), _single(case)
        share = both / one / (os.cpu_count() or 1)
        print(f"{name:38}{one:7.1f}/s{both:7.1f}/s{share:12.2f}{single:15.2f}/s{both / single:8.0f}")


if __name__ == "__main__":
    main()
