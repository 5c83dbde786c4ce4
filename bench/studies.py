"""Studies: rows a second of a wall, a section and a solid, on one process, on all cores and on a cluster of as many
workers on this machine, beside single commands; and how often the truth lies in what fits of noisy readings say.

Run it from the repository: ``.venv/bin/python bench/studies.py``. Everything is a ratio of one run.
"""

from __future__ import annotations

import contextlib
import os
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import numpy as np

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.files.case_file import write_case
from blunt_ember.gallery.families import family
from blunt_ember.studies.running.cluster import Cluster
from blunt_ember.studies.running.store import ResultsStore
from blunt_ember.studies.study import study


def _swept(name: str, parameter: str, ends: tuple[str, str], count: int, **more: Any) -> Case:
    data = dict(family(name).case().data)
    vary = {parameter: {"start": ends[0], "end": ends[1], "count": count}}
    return case_from_data({**data, **more, "studies": {"it": {"kind": "sweep", "vary": vary}}})


def _rate(case: Case, jobs: int, address: str = "") -> float:
    started = time.perf_counter()
    elsewhere = (lambda: Cluster(address)) if address else None
    found = study(case, "it", ResultsStore(None), jobs=jobs, elsewhere=elsewhere)
    assert not any(row.trouble for row in found.rows)
    return len(found.rows) / (time.perf_counter() - started)


@contextlib.contextmanager
def _farm() -> Iterator[str]:
    """A scheduler and as many workers as there are cores, on the loopback address."""
    from distributed import Client  # here, as processes of a pool import this module too

    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    address, nothing = f"tcp://127.0.0.1:{port}", subprocess.DEVNULL
    local = ["--host", "127.0.0.1", "--no-dashboard"]
    with tempfile.TemporaryDirectory() as folder:
        dask = [sys.executable, "-m", "dask"]
        started = [
            subprocess.Popen(
                [*dask, "scheduler", "--port", str(port), *local], cwd=folder, stdout=nothing, stderr=nothing
            )
        ]
        worker = [*dask, "worker", address, "--nthreads", "1", "--no-nanny", *local]
        started += [
            subprocess.Popen(worker, cwd=folder, stdout=nothing, stderr=nothing) for _ in range(os.cpu_count() or 1)
        ]
        try:
            while True:
                try:
                    client = Client(address, timeout=60, set_as_default=False)
                    client.wait_for_workers(os.cpu_count() or 1, timeout=60)
                    client.close()
                    break
                except OSError:
                    time.sleep(0.2)
            yield address
        finally:
            for each in reversed(started):
                each.kill()
                each.wait()


def _fits(repeats: int) -> tuple[int, int]:
    """Of so many fits of noisy readings of a wall, in how many each of two parameters lies within 1.96 deviations."""
    data, rng = dict(family("composite-wall").case().data), np.random.default_rng(7)
    mesh = {"size": "200 mm", "across": 1, "order": 1}
    true, within = {"k_brick": 0.42, "h_out": 9.0}, np.array([12.0, 1.0, 3.0])
    resistance = 0.114 / true["k_brick"] + 0.05 / 0.12 + 0.003 / 45 + 1 / true["h_out"]
    flux = 955 / resistance
    readings = np.array([flux, 298.15 + flux / true["h_out"], 1253.15 - flux * 0.114 / true["k_brick"]])
    names, units = ("heat flow", "outer surface", "brick to blanket"), ("W/m²", "K", "K")
    vary = {"k_brick": ["0.1 W/(m K)", "2 W/(m K)"], "h_out": ["2 W/(m² K)", "50 W/(m² K)"]}
    inside = [0, 0]
    for _ in range(repeats):
        noisy = readings + within * rng.normal(size=3)
        measured = {name: f"{value!r} {unit}" for name, value, unit in zip(names, noisy.tolist(), units, strict=True)}
        known = {name: f"{value} {unit}" for name, value, unit in zip(names, within, units, strict=True)}
        stated = {"it": {"kind": "fit", "vary": vary, "measured": measured, "within": known}}
        found = study(case_from_data({**data, "mesh": mesh, "studies": stated}), "it", ResultsStore(None), jobs=1)
        for place, (name, value) in enumerate(true.items()):
            inside[place] += abs(found.found[name] - value) <= 1.96 * found.deviations[name]
    return inside[0], inside[1]


def _other(case: Case) -> Case:
    """The same study of few points, none of them one of the first."""
    stated = case.data["studies"]["it"]
    ((name, ends),) = stated["vary"].items()
    vary = {name: {**ends, "count": 17, "by": "ratio"}}
    return case_from_data({**case.data, "studies": {"it": {**stated, "vary": vary}}})


def _apart(case: Case) -> float:
    """Rows a second of as many processes as there are cores that know nothing of each other: what the machine gives."""
    count = os.cpu_count() or 1
    with ProcessPoolExecutor(count, get_context("spawn")) as pool:
        for told in [pool.submit(_rate, _other(case), 1) for _ in range(count)]:
            told.result()
        return sum(told.result() for told in [pool.submit(_rate, case, 1) for _ in range(count)])


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
    heads = f"{'one':>9}{'all':>9}{'efficiency':>12}{'apart':>9}{'of that':>9}{'cluster':>9}{'overhead':>10}"
    print(f"{'':38}{heads}{'single commands':>17}{'times':>8}")
    with _farm() as address:
        for name, case in cases.items():
            # The workers have imported what they need, as those of a cluster have, but know none of these points.
            _rate(_other(case), 1, address)
            one, both, single = _rate(case, 1), _rate(case, os.cpu_count() or 1), _single(case)
            share, far, apart = both / one / (os.cpu_count() or 1), _rate(case, 1, address), _apart(case)
            rates = f"{one:7.1f}/s{both:7.1f}/s{share:12.2f}{apart:7.1f}/s{both / apart:9.2f}"
            rates += f"{far:7.1f}/s{both / far - 1:10.0%}"
            print(f"{name:38}{rates}{single:15.2f}/s{both / single:8.0f}", flush=True)
    inside = _fits(100)
    print(f"of 100 fits of noisy readings {inside[0]} and {inside[1]} have the truth within their 95 %")


if __name__ == "__main__":
    main()
