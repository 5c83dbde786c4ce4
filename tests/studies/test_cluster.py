"""Studies on a real scheduler with real workers, as processes that listen on the loopback address."""

from __future__ import annotations

import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import meshio
import numpy as np
import pytest

import blunt_ember
from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.files.case_file import write_case
from blunt_ember.gallery.families import family
from blunt_ember.studies.points import StudyError
from blunt_ember.studies.result import StudyResult
from blunt_ember.studies.running.cluster import Cluster
from blunt_ember.studies.running.store import ResultsStore
from blunt_ember.studies.study import study

PATIENCE = 120.0


class Farm:
    """A scheduler and its workers, each a process."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.address = f"tcp://127.0.0.1:{probe.getsockname()[1]}"
        self.processes: list[subprocess.Popen[bytes]] = []
        port = self.address.rsplit(":", 1)[1]
        self.scheduler = self._start("scheduler", "--host", "127.0.0.1", "--port", port, "--no-dashboard")

    def _start(self, *words: str, sources: Path | None = None) -> subprocess.Popen[bytes]:
        environment = {**os.environ, "OPENBLAS_NUM_THREADS": "1"}
        if sources is not None:
            environment["PYTHONPATH"] = str(sources)
        log = (self.folder / f"{len(self.processes)}.log").open("wb")
        command = [sys.executable, "-m", "dask", *words]
        process = subprocess.Popen(command, cwd=self.folder, env=environment, stdout=log, stderr=log)
        log.close()
        self.processes.append(process)
        return process

    def worker(self, sources: Path | None = None) -> subprocess.Popen[bytes]:
        """Start a worker, of other sources where some are given, and wait until it is there."""
        words = ("--no-nanny", "--nthreads", "1", "--no-dashboard", "--host", "127.0.0.1")
        process = self._start("worker", self.address, *words, sources=sources)
        log, end = self.folder / f"{len(self.processes) - 1}.log", time.monotonic() + PATIENCE
        while b"Registered to" not in log.read_bytes():
            assert process.poll() is None and time.monotonic() < end, log.read_text()
            time.sleep(0.05)
        return process

    def close(self) -> None:
        for process in reversed(self.processes):
            process.kill()
            process.wait()


@pytest.fixture
def farm(tmp_path: Path) -> Iterator[Farm]:
    made = Farm(tmp_path)
    yield made
    made.close()


def swept(count: int, **more: Any) -> Case:
    vary = {"h_out": {"start": "5 W/(m² K)", "end": "25 W/(m² K)", "count": count}}
    return case_from_data(
        {**family("composite-wall").case().data, **more, "studies": {"it": {"kind": "sweep", "vary": vary}}}
    )


def on(farm: Farm, case: Case, **more: Any) -> StudyResult:
    return study(case, "it", ResultsStore(None), elsewhere=lambda: Cluster(farm.address), **more)


def test_a_study_on_a_cluster_is_that_of_this_machine_and_outlives_a_worker(farm: Farm) -> None:
    workers = [farm.worker(), farm.worker()]
    case, seen = swept(60), []

    def kill_one(done: int, of: int) -> None:
        seen.append(done)
        if done >= 10 and workers[0].poll() is None:
            workers[0].send_signal(signal.SIGKILL)
            workers[0].wait()

    found = on(farm, case, on_progress=kill_one)
    assert found == study(case, "it", ResultsStore(None), jobs=1)
    assert seen == sorted(seen) and seen[-1] == 60 and workers[0].poll() is not None


def test_workers_of_another_version_are_refused(farm: Farm, tmp_path: Path) -> None:
    other = tmp_path / "other"
    shutil.copytree(Path(blunt_ember.__file__).parent, other / "blunt_ember")
    with (other / "blunt_ember" / "flow" / "flow.py").open("a") as source:
        source.write("\n# another one\n")
    stranger = farm.worker(sources=other)
    with pytest.raises(StudyError, match=r"have another version of the program.*install the same one there"):
        on(farm, swept(4))
    farm.worker()
    assert not any(row.trouble for row in on(farm, swept(4)).rows)  # by the one that has this version
    assert stranger.poll() is None


@pytest.mark.parametrize("address", ["nonsense", "127.0.0.1", "http://here:80", "tcp://", "tcp://here"])
def test_what_is_no_address_is_said_at_once(address: str) -> None:
    with pytest.raises(StudyError, match=r"is no address of a scheduler; write it like tcp://127.0.0.1:8786"):
        Cluster(address)


def test_a_cluster_without_workers_says_so(farm: Farm) -> None:
    with pytest.raises(StudyError, match="has no worker; start some by 'dask worker'"):
        on(farm, swept(4))


def test_the_files_a_case_reads_go_along_and_come_again_where_the_worker_that_has_them_is_lost(farm: Farm) -> None:
    folder = farm.folder / "far"
    folder.mkdir()
    x = np.linspace(0, 20, 9)
    points = np.array([[a, b, 0] for a in x for b in (0.0, 5.0)])
    cells = np.array([[2 * n, 2 * n + 2, 2 * n + 3, 2 * n + 1] for n in range(8)])
    meshio.Mesh(points, [("quad", cells)], cell_data={"part": [np.ones(8, int)]}).write(folder / "b.vtu")
    data = {
        "format": "blunt-ember/1",
        "parameters": {"k": "4 W/(m K)"},
        "materials": {"a": {"k": "k"}},
        "body": {"kind": "imported", "file": "b.vtu", "unit": "1 mm", "groups": {"part": {"material": "a"}}},
        "surroundings": [{"on": "part.face 1", "temperature": "0 °C"}, {"on": "part.face 3", "temperature": "90 °C"}],
        "questions": [{"name": "through", "heat_flow": "part.face 3", "direction": "in"}],
        "studies": {"it": {"kind": "sweep", "vary": {"k": {"start": "1 W/(m K)", "end": "40 W/(m K)", "count": 40}}}},
    }
    case, first = case_from_data(data, str(folder)), farm.worker()
    here = study(case, "it", ResultsStore(None), jobs=1)

    def lose(done: int, of: int) -> None:
        if done and first.poll() is None:
            (folder / "b.vtu").unlink()
            first.kill()
            first.wait()
            farm.worker()

    assert on(farm, case, on_progress=lose) == here and not any(row.trouble for row in here.rows)


def test_a_scheduler_that_does_not_answer_or_goes_away_is_told_and_what_was_solved_stays(
    farm: Farm, tmp_path: Path
) -> None:
    farm.worker()
    path = tmp_path / "wall.ember"
    write_case(swept(60), path)
    command = [sys.executable, "-m", "blunt_ember", "study", str(path), "--on", farm.address, "--json"]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    end = time.monotonic() + PATIENCE
    while not known(path) and time.monotonic() < end:
        time.sleep(0.05)
    farm.scheduler.kill()
    _, said = process.communicate(timeout=PATIENCE)
    assert process.returncode == 2 and "was lost; what was solved is kept: do the study again to go on" in said
    assert "Traceback" not in said
    kept = known(path)
    assert 0 < kept < 60
    missing = subprocess.run(command, capture_output=True, text=True, timeout=PATIENCE, check=False)
    assert (
        missing.returncode == 2 and "no scheduler answers at" in missing.stderr and "dask scheduler" in missing.stderr
    )
    here = subprocess.run([*command[:-3], "--json"], capture_output=True, text=True, timeout=PATIENCE, check=True)
    assert len(json.loads(here.stdout)[0]["points"]) == known(path) == 60


def known(path: Path) -> int:
    """How many rows are kept beside a case."""
    import sqlite3

    results = path.with_suffix(".results")
    if not results.exists():
        return 0
    base = sqlite3.connect(results, timeout=60)
    try:
        return int(base.execute("SELECT count(*) FROM points").fetchone()[0])
    except sqlite3.OperationalError:  # it is being made
        return 0
    finally:
        base.close()
