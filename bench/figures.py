"""Figures that are kept: what was measured, on which machine and when, and how a new run compares with it.

A figure is a ratio to a yardstick of the same run, so that it means the same on another machine or a busy one.
"""

from __future__ import annotations

import json
import platform
import time
from collections.abc import Mapping
from datetime import date
from pathlib import Path
from statistics import median
from typing import Any

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import splu

KEPT = Path(__file__).with_name("figures.json")
#: By how much a figure may grow before it is said to have become slower.
SLACK = 1.25


def yardstick() -> float:
    """Return the seconds that one sparse factorisation of a fixed size takes here and now, the median of five."""
    count = 120
    line = sparse.diags([-1.0, 2.0, -1.0], [-1, 0, 1], shape=(count, count))
    matrix = (sparse.kron(line, sparse.eye(count)) + sparse.kron(sparse.eye(count), line)).tocsc()
    seconds = []
    for _ in range(5):
        begin = time.perf_counter()
        splu(matrix).solve(np.ones(count * count))
        seconds.append(time.perf_counter() - begin)
    return median(seconds)


def compared(found: Mapping[str, float], keep: bool) -> list[str]:
    """Return a line for every figure that differs from the kept one, and keep the new ones where that is asked for."""
    known: dict[str, Any] = json.loads(KEPT.read_text(encoding="utf-8")) if KEPT.exists() else {}
    lines = []
    for name, ratio in found.items():
        before = known.get(name, {}).get("ratio")
        if before is None:
            lines.append(f"  new      {name}: {ratio:.2f}")
        elif ratio > SLACK * before:
            lines.append(f"  SLOWER   {name}: {ratio:.2f}, was {before:.2f} ({known[name]['date']})")
        elif ratio < before / SLACK:
            lines.append(f"  quicker  {name}: {ratio:.2f}, was {before:.2f} ({known[name]['date']})")
    if keep:
        machine = f"{platform.machine()}, {platform.system()}, Python {platform.python_version()}"
        for name, ratio in found.items():
            known[name] = {"ratio": round(ratio, 3), "date": date.today().isoformat(), "machine": machine}
        KEPT.write_text(json.dumps(known, ensure_ascii=False, indent=2) + "\n", encoding="utf-8")
    return lines
