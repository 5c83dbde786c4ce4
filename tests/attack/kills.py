"""Kill the window, the saving of a file, studies, their workers and first starts at random moments.

``python -m tests.attack.kills [--seed N] [--windows N] [--saves N] [--studies N] [--workers N] [--starts N]``: a window
that is edited and killed must offer its case back, at most a second old, and leave no process; a file that was being
saved must be whole, and the next saving leaves nothing beside it; a study must keep every row and never put down one
again; a case that ends every worker that takes it on must say so in its row, and the others be solved; the program must
start with any home, or none. ``make attack`` runs it.
"""

from __future__ import annotations

import argparse
import json
import os
import resource
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from random import Random

from blunt_ember.case.case import case_from_data
from blunt_ember.studies.running.cluster import Cluster
from blunt_ember.studies.running.store import ResultsStore
from blunt_ember.studies.study import study
from tests.studies.test_cluster import Farm

#: What the workers of a cluster may yet compute, s: less than a million nodes take.
_SECONDS = 6

#: A window whose case is edited every few hundredths of a second; it writes down when, and how often.
_WINDOW = """
import sys, time
from pathlib import Path
from PyQt6.QtCore import QTimer
import blunt_ember.desk.app.application as desk
from blunt_ember.desk.app.window import Window
shown, count = Window.show, [0]
def edit(window, told):
    count[0] += 1
    title = f"edit {count[0]}"
    window.current.edit("title", lambda case: case.restated({**case.data, "title": title}))
    told.write(f"{time.time()} {count[0]}\\n"); told.flush()
def show(window):
    shown(window)
    window.edits = QTimer()
    told = open(sys.argv[2], "w")
    window.edits.timeout.connect(lambda: edit(window, told))
    QTimer.singleShot(300, lambda: window.edits.start(40))
Window.show = show
if __name__ == "__main__":
    sys.exit(desk.run_window(Path(sys.argv[1]), False))
"""
#: Two cases saved in turn into one file.
_SAVING = """
import sys
from pathlib import Path
from blunt_ember.case.files.case_file import write_case
from blunt_ember.gallery.families import family
print("ready", flush=True)
while True:
    for name in ("composite-wall", "wall-corner"):
        write_case(family(name).case(), Path(sys.argv[1]))
"""
_LEFT_WORK = """
import json
from blunt_ember.desk.app.kept_work import left_work
from blunt_ember.desk.solver.scratch import sweep
sweep()
print(json.dumps([[each.kept, each.case.document.title] for each in left_work()]))
"""
_MARK = "BLUNT_EMBER_ATTACK"
#: Seconds in which what worked for a window is gone after it.
_LEAVE = 2


def window_killed(seed: int) -> str:
    """Kill a window while it is edited; say what is wrong, empty for nothing."""
    random = Random(seed)
    from blunt_ember.case.files.case_file import write_case
    from blunt_ember.gallery.families import family

    with tempfile.TemporaryDirectory() as scratch:
        home = Path(scratch)
        for name in ("state", "config", "tmp"):
            (home / name).mkdir()
        write_case(family("composite-wall").case(), home / "wall.ember")
        (home / "window.py").write_text(_WINDOW, encoding="utf-8")
        env = os.environ | {
            "XDG_STATE_HOME": str(home / "state"),
            "XDG_CONFIG_HOME": str(home / "config"),
            "TMPDIR": str(home / "tmp"),
            "QT_QPA_PLATFORM": "offscreen",
            _MARK: str(seed),
        }
        told = home / "edits"
        command = [sys.executable, str(home / "window.py"), str(home / "wall.ember"), str(told)]
        window = subprocess.Popen(command, env=env, stderr=subprocess.DEVNULL)
        if not _waited(lambda: told.exists() and told.stat().st_size > 0, 120):
            window.kill()
            return "it never began"
        time.sleep(random.uniform(1.1, 4.0))
        by = random.choice((signal.SIGKILL, signal.SIGKILL, signal.SIGTERM, signal.SIGINT, signal.SIGHUP))
        killed = time.time()
        window.send_signal(by)
        window.wait(60)
        if not _waited(lambda: not _marked(seed), _LEAVE):
            return f"{by.name}: goes on: {', '.join(_marked(seed))}"
        found = json.loads(subprocess.run([sys.executable, "-c", _LEFT_WORK], env=env, capture_output=True).stdout)
        if not found:
            return f"{by.name}: nothing is offered back"
        edits = [line.split() for line in told.read_text().splitlines() if line.count(" ") == 1]
        lost = [float(when) for when, number in edits if int(number) > int(found[0][1].removeprefix("edit "))]
        if lost and killed - min(lost) > 1.5:
            return f"{by.name}: {killed - min(lost):.1f} s of work are lost"
        left = list((home / "tmp").iterdir())
        return f"{by.name}: {left[0].name} is left" if left else ""


def save_killed(seed: int) -> str:
    """Kill a program that saves; say what is wrong, empty for nothing."""
    random = Random(seed)
    from blunt_ember.case.files.case_file import read_case, write_case
    from blunt_ember.gallery.families import family

    with tempfile.TemporaryDirectory() as scratch:
        path = Path(scratch) / "case.ember"
        write_case(family("plane-wall").case(), path)
        saving = subprocess.Popen([sys.executable, "-c", _SAVING, str(path)], stdout=subprocess.PIPE)
        assert saving.stdout is not None
        saving.stdout.readline()
        time.sleep(random.uniform(0.0, 0.3))
        saving.kill()
        saving.wait(60)
        read_case(path)
        write_case(family("plane-wall").case(), path)
        left = [each.name for each in Path(scratch).iterdir() if each != path]
        return f"{left[0]} is left" if left else ""


def study_killed(seed: int) -> str:
    """Kill a study again and again until it is done; say what is wrong, empty for nothing."""
    random = Random(seed)
    from blunt_ember.case.case import case_from_data
    from blunt_ember.case.files.case_file import write_case
    from blunt_ember.gallery.families import family

    vary = {"h_out": {"start": "5 W/(m² K)", "end": "25 W/(m² K)", "count": _ROWS}}
    case = case_from_data({**family("composite-wall").case().data, "studies": {"it": {"kind": "sweep", "vary": vary}}})
    with tempfile.TemporaryDirectory() as scratch:
        path = Path(scratch) / "wall.ember"
        write_case(case, path)
        env = os.environ | {"OPENBLAS_NUM_THREADS": "1", _MARK: f"study {seed}"}
        command = [sys.executable, "-m", "blunt_ember", "study", str(path), "--jobs", "2", "--json"]
        rows = 0
        for _ in range(_AGAIN):
            run = subprocess.Popen(command, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
            time.sleep(random.uniform(1.2, 3.5))
            run.kill()
            run.wait(60)
            if not _waited(lambda: not _marked(f"study {seed}"), _LEAVE):
                return "its processes go on"
            before, rows = rows, _rows_kept(path)[0]
            if rows < before:
                return f"{before - rows} rows are lost"
        subprocess.run(command, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=True)
        kept, put = _rows_kept(path)
        return "" if kept == put == _ROWS else f"{kept} rows of {_ROWS} after {put} were put down"


#: Rows of a study that is killed, and how often it is.
_ROWS, _AGAIN = 300, 5


def _rows_kept(path: Path) -> tuple[int, int]:
    """How many rows there are of a study, and how many were ever put down."""
    base = sqlite3.connect(path.with_suffix(".results"), timeout=60)
    try:
        count, last = base.execute("SELECT count(*), max(rowid) FROM points").fetchone()
        return int(count), int(last or 0)
    except sqlite3.OperationalError:  # it was killed before there was a table
        return 0, 0
    finally:
        base.close()


def workers_ended(seed: int) -> str:
    """Let one case of a study take more time than workers are given by the machine; say what is wrong afterwards."""
    sizes = ["100 mm", "50 mm", "80 mm", "40 mm"]
    heavy = Random(seed).randrange(5)
    sizes.insert(heavy, "4 mm")
    block = {"shape": "rectangle", "size": ["400 mm", "400 mm"], "z": ["0 mm", "400 mm"], "material": "a"}
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "parameters": {"s": "50 mm"},
            "materials": {"a": {"k": "2 W/(m K)"}},
            "body": {"kind": "stacked", "regions": {"b": block}},
            "mesh": {"size": "s", "order": 1},
            "surroundings": [{"on": "b.bottom", "temperature": "0 °C"}, {"on": "b.top", "temperature": "90 °C"}],
            "questions": [{"name": "in", "heat_flow": "b.top"}],
            "studies": {"it": {"kind": "sweep", "vary": {"s": {"values": sizes}}}},
        }
    )
    with tempfile.TemporaryDirectory() as folder:
        farm = Farm(Path(folder))
        try:
            for worker in [farm.worker() for _ in range(5)]:
                spent = Path(f"/proc/{worker.pid}/stat").read_text().rsplit(")", 1)[1].split()[11:13]
                most = round(sum(map(int, spent)) / os.sysconf("SC_CLK_TCK")) + _SECONDS
                resource.prlimit(worker.pid, resource.RLIMIT_CPU, (most, most))
            rows = study(case, "it", ResultsStore(None), elsewhere=lambda: Cluster(farm.address)).rows
        finally:
            farm.close()
    said = [place for place, row in enumerate(rows) if "ended every worker" in row.trouble]
    solved = [place for place, row in enumerate(rows) if row.answers]
    return "" if said == [heavy] and len(solved) == 4 else f"{said} ended workers, {solved} were solved"


def first_start(seed: int) -> str:
    """Start with a home in some state, several at once; say what is wrong, empty for nothing."""
    random = Random(seed)
    with tempfile.TemporaryDirectory() as scratch:
        home = Path(scratch) / "home"
        state = random.choice(("none", "read-only", "file", "torn", "fresh", "missing"))
        env = {key: value for key, value in os.environ.items() if not key.startswith("XDG_")} | {"HOME": str(home)}
        if state == "none":
            env.pop("HOME")
        elif state == "file":
            home.write_text("no folder")
        elif state != "missing":
            home.mkdir()
        if state == "torn":
            _start(env).wait(120)
            for each in home.rglob("*"):
                if each.is_file():
                    each.write_bytes(each.read_bytes()[: random.randrange(max(each.stat().st_size, 1))])
        if state == "read-only":
            home.chmod(0o500)
        started = [_start(env) for _ in range(random.choice((1, 1, 8)))]
        ends = [each.wait(240) for each in started]
        return f"{state}, {len(started)} at once: ended with {ends}" if any(ends) else ""


def _start(env: dict[str, str]) -> subprocess.Popen[bytes]:
    command = [sys.executable, "-m", "blunt_ember", "families", "--json"]
    return subprocess.Popen(command, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def _marked(seed: int | str) -> list[str]:
    """The processes that live and were started for a kill, by what they run."""
    found = []
    for each in Path("/proc").glob("[0-9]*"):
        try:
            marked = f"{_MARK}={seed}".encode() in (each / "environ").read_bytes().split(b"\0")
            if marked and (each / "stat").read_text().rpartition(")")[2].split()[0] != "Z":
                found.append((each / "cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")[-120:])
        except OSError:
            continue
    return found


def _waited(true: Callable[[], bool], seconds: float) -> bool:
    """Wait until something is true; tell whether it came to be."""
    end = time.monotonic() + seconds
    while not true():
        if time.monotonic() > end:
            return False
        time.sleep(0.02)
    return True


def main(arguments: list[str] | None = None) -> int:
    """Run the kills, two at a time; return 1 where something is wrong."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seed", type=int, default=1)
    for name, count in (("windows", 20), ("saves", 40), ("studies", 2), ("workers", 1), ("starts", 10)):
        parser.add_argument(f"--{name}", type=int, default=count)
    options = parser.parse_args(arguments)
    wrong = 0
    for kind, count, attack in (
        ("windows", options.windows, window_killed),
        ("saves", options.saves, save_killed),
        ("studies", options.studies, study_killed),
        ("workers", options.workers, workers_ended),
        ("starts", options.starts, first_start),
    ):
        with ThreadPoolExecutor(2) as pool:
            ends = Counter(pool.map(attack, range(options.seed, options.seed + count)))
        wrong += sum(ends.values()) - ends[""]
        print(f"{kind}: {ends.pop('', 0)} of {count} as they should be", *ends.items(), sep="\n  ", flush=True)
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
