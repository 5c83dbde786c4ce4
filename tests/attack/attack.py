"""Attack the program: ``python -m tests.attack.attack [--seed N] [--cases N] [--flows N] [--files N]``.

Every mutated case, flow, drawing and mesh must end in an answer or in one of our own errors. What ends otherwise is
told with the seed that does it again. The suite runs a short form.
"""

from __future__ import annotations

import argparse
import json
import resource
import signal
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from random import Random
from types import FrameType

import ezdxf

from blunt_ember.case.case import Case, case_from_data, case_from_text
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import FAMILIES
from blunt_ember.mesh.imported import MESH_SUFFIXES
from blunt_ember.report.exporting import ExportOptions, write_outcome
from blunt_ember.report.files.foreign_files import case_from_foreign
from tests.attack.mutations import mutated_bytes, mutated_data

#: Seconds a flow may take before it is stopped, which counts as slow and not as broken.
PATIENCE = 30
_MEMORY = 8 * 2**30


class SlowError(Exception):
    """Something took longer than it may."""


@contextmanager
def limited(seconds: int) -> Iterator[None]:
    """Stop what is in here after some seconds."""

    def late(number: int, frame: FrameType | None) -> None:
        raise SlowError

    before = signal.signal(signal.SIGALRM, late)
    signal.alarm(seconds)
    try:
        yield
    finally:
        signal.alarm(0)
        signal.signal(signal.SIGALRM, before)


def case_of(seed: int) -> str:
    """Read a mutated case; say how it ended."""
    random = Random(seed)
    data = json.loads(json.dumps(dict(random.choice(list(FAMILIES.values())).case().data)))
    for _ in range(random.randint(1, 3)):
        data = mutated_data(data, random)
    case_from_text(json.dumps(data))
    return "read"


def flow_of(seed: int) -> str:
    """Solve a mutated case, as long as it can be read."""
    random = Random(seed)
    data = json.loads(json.dumps(dict(random.choice(list(FAMILIES.values())).case().data)))
    case: Case = case_from_data(mutated_data(data, random))
    started = time.monotonic()
    flow = Flow(stopped=lambda: time.monotonic() - started > PATIENCE / 2)
    outcome: Outcome | None = None
    for outcome in flow.outcomes(case):
        if outcome.checks:
            break  # how far off it may be is not attacked
    assert outcome is not None
    if outcome.trouble is not None:
        raise outcome.trouble
    return "solved"


def file_of(seed: int, folder: Path, whole: list[tuple[str, bytes]]) -> str:
    """Read a mutated drawing or mesh."""
    random = Random(seed)
    name, raw = random.choice(whole)
    path = folder / name
    path.write_bytes(mutated_bytes(raw, random))
    try:
        case_from_foreign(path.with_suffix(".xdmf") if path.suffix == ".h5" else path, "mm")
    finally:
        path.write_bytes(raw)
    return "read"


def whole_files(folder: Path) -> list[tuple[str, bytes]]:
    """Drawings and meshes as the program itself writes them."""
    meshes = [(family, f"{family}{suffix}") for family in ("hollow-cylinder", "bowl") for suffix in MESH_SUFFIXES]
    for family, name in [("hollow-cylinder", "a.svg"), *meshes]:
        write_outcome(Flow().run(FAMILIES[family].case()), folder / name, ExportOptions())
    drawing = ezdxf.new(units=4)
    space = drawing.modelspace()
    space.add_lwpolyline([(0, 0), (40, 0), (40, 20, 0, 0, 0.3), (0, 20)], close=True, dxfattribs={"layer": "plate"})
    space.add_circle((10, 10), 4, dxfattribs={"layer": "plate"})
    for start, end in (((50, 0), (70, 0)), ((70, 0), (60, 15)), ((60, 15), (50, 0))):
        space.add_line(start, end, dxfattribs={"layer": "wedge"})
    space.add_arc((90, 0), 10, 0, 180, dxfattribs={"layer": "half"})
    space.add_line((80, 0), (100, 0), dxfattribs={"layer": "half"})
    space.add_text("a note")
    drawing.saveas(folder / "a.dxf")
    return [(each.name, each.read_bytes()) for each in sorted(folder.iterdir())]


def told(kind: str, count: int, seed: int, attack: Callable[[int], str]) -> list[str]:
    """Attack so many times; return what ended in anything but an answer or one of our errors."""
    ends: Counter[str] = Counter()
    broken = []
    for number in range(seed, seed + count):
        try:
            with limited(PATIENCE):
                ends[attack(number)] += 1
        except BluntEmberError:
            ends["refused"] += 1
        except SlowError:
            ends["slow"] += 1
        except Exception as error:
            ends["broken"] += 1
            broken.append(f"{kind} {number}: {type(error).__name__}: {str(error)[:160]}")
    print(f"{kind}: {', '.join(f'{count} {end}' for end, count in sorted(ends.items()))}", flush=True)
    return broken


def main(arguments: list[str] | None = None) -> int:
    """Run the attack; return 1 where something is broken."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--cases", type=int, default=20_000)
    parser.add_argument("--flows", type=int, default=400)
    parser.add_argument("--files", type=int, default=3_000)
    options = parser.parse_args(arguments)
    resource.setrlimit(resource.RLIMIT_AS, (_MEMORY, _MEMORY))
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        whole = whole_files(folder)
        broken = told("case", options.cases, options.seed, case_of)
        broken += told("flow", options.flows, options.seed, flow_of)
        broken += told("file", options.files, options.seed, lambda seed: file_of(seed, folder, whole))
    print("\n".join(broken) or "nothing broke")
    return 1 if broken else 0


if __name__ == "__main__":
    sys.exit(main())
