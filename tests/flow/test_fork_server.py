"""Neither the process that others are forked from nor what it forked outlives the one that they work for."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

import pytest

PATIENCE = 120
#: Starts it, as the window does, with what else it imports; says its number, and that of a process forked from it,
#: which sleeps, if one is wanted.
STARTER = """
import sys, time, multiprocessing
from multiprocessing import forkserver
if __name__ == "__main__":
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["blunt_ember.flow.process.fork_server", *sys.argv[1:2]])
    forkserver.ensure_running()
    print(forkserver._forkserver._forkserver_pid, flush=True)
    if sys.argv[1] != "imports_long":
        process = context.Process(target=time.sleep, args=(600,))
        process.start()
        print(process.pid, flush=True)
    print("", flush=True)
    time.sleep(600)
"""


def _lives(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except OSError:
        return False


@pytest.mark.skipif(not sys.platform.startswith("linux"), reason="asks the Linux kernel")
@pytest.mark.parametrize("also", ["imports_long", "blunt_ember.errors"])
def test_it_ends_with_its_starter_even_while_it_imports(tmp_path: Path, also: str) -> None:
    (tmp_path / "imports_long.py").write_text(
        "import time\nopen(__file__ + '.begun', 'w').close()\ntime.sleep(600)\n", encoding="utf-8"
    )
    script = tmp_path / "starter.py"
    script.write_text(STARTER, encoding="utf-8")
    path = os.pathsep.join([str(tmp_path), os.environ.get("PYTHONPATH", "")])
    starter = subprocess.Popen(
        [sys.executable, str(script), also], stdout=subprocess.PIPE, text=True, env=os.environ | {"PYTHONPATH": path}
    )
    assert starter.stdout is not None
    numbers = [int(line) for line in iter(starter.stdout.readline, "\n")]
    end = time.monotonic() + PATIENCE
    while also == "imports_long" and not (tmp_path / "imports_long.py.begun").exists() and time.monotonic() < end:
        time.sleep(0.01)
    assert all(map(_lives, numbers)) and len(numbers) == (1 if also == "imports_long" else 2)
    starter.kill()
    starter.communicate()
    while any(map(_lives, numbers)) and time.monotonic() < end:
        time.sleep(0.01)
    assert not any(map(_lives, numbers))


ASKS = """
import multiprocessing

def built(pipe):
    import gc
    from blunt_ember.case.document.case_document import CaseDocument
    pipe.send((CaseDocument.__pydantic_complete__, gc.isenabled(), gc.get_freeze_count() > 0))

if __name__ == "__main__":
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["blunt_ember.flow.process.fork_server", "blunt_ember.flow.process.built_models"])
    ours, theirs = context.Pipe()
    process = context.Process(target=built, args=(theirs,))
    process.start()
    print(*ours.recv(), flush=True)
    process.join()
"""


def test_what_is_forked_finds_the_models_of_a_case_built_and_looks_for_garbage(tmp_path: Path) -> None:
    script = tmp_path / "asks.py"
    script.write_text(ASKS, encoding="utf-8")
    said = subprocess.run([sys.executable, str(script)], capture_output=True, text=True, timeout=PATIENCE, check=True)
    assert said.stdout.split() == ["True", "True", "True"], said.stderr
