"""The short form of the attack: nothing ends in anything but an answer or one of our own errors."""

from __future__ import annotations

from pathlib import Path

from tests.attack.attack import case_of, file_of, flow_of, told, whole_files


def test_nothing_breaks_under_the_short_attack(tmp_path: Path) -> None:
    whole = whole_files(tmp_path)
    assert told("case", 300, 100_000, case_of) == []
    assert told("flow", 15, 200_000, flow_of) == []
    assert told("file", 80, 300_000, lambda seed: file_of(seed, tmp_path, whole)) == []
