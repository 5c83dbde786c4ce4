"""Answers so soon after a change that heat has not come through a cell: within their ±, beside a body without end."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.special import erfcx

from blunt_ember.case.case import case_from_data
from blunt_ember.checks.verdict import Check
from blunt_ember.flow.answering import error_estimate
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family

K, HEAT = 2.0, 2000.0 * 900.0
TIMES = ("1 ms", "20 ms", "300 ms", "4 s", "50 s")
STATED: dict[str, dict[str, Any]] = {
    "held": {"temperature": "100 °C"},
    "film": {"film": {"h": "400 W/(m² K)", "temperature": "100 °C"}},
    "flux": {"flux": "9 kW/m²"},
}


def seconds(text: str) -> float:
    value, unit = text.split()
    return float(value) * (1e-3 if unit == "ms" else 1.0)


def flux_in(stated: str, t: float) -> float:
    """W/m² (Carslaw & Jaeger 1959, 2.5, 2.7 and 2.9); in a film exp(x²) erfc x of x = h √(αt)/k."""
    if stated == "held":
        return float(80 * np.sqrt(K * HEAT / (np.pi * t)))
    return 9e3 if stated == "flux" else float(400 * 80 * erfcx(400 * np.sqrt(t / (K * HEAT))))


def surface(stated: str, t: float) -> float:
    if stated == "held":
        return 373.15
    if stated == "flux":
        return float(293.15 + 2 * 9e3 * np.sqrt(t / (np.pi * K * HEAT)))
    return 373.15 - flux_in(stated, t) / 400


def answered(stated: str, mesh: dict[str, Any], kind: str = "section") -> dict[str, Check]:
    depth = {"depth": "1 m"} if kind == "section" else {}
    more = {"z": ["0 mm", "20 mm"]} if kind == "stacked" else {}
    slab = {"shape": "rectangle", "size": ["120 mm", "30 mm"], "at": ["0 mm", "0 mm"], "material": "clay", **more}
    questions = [
        {"name": f"{what} {place}", **{asked: on}, "time": t, **per}
        for place, t in enumerate(TIMES)
        for what, asked, on, per in (
            ("flux", "heat_flow", "slab.left", {"basis": "area"}),
            ("passed", "heat_passed", "slab.left", {}),
            ("face", "mean", "slab.left", {}),
        )
    ]
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"clay": {"k": "2 W/(m K)", "density": "2000 kg/m³", "c": "900 J/(kg K)"}},
            "body": {"kind": kind, "regions": {"slab": slab}, **depth},
            "surroundings": [{"on": "slab.left", **STATED[stated]}],
            "clock": {"start": "20 °C", "end": "1 min"},
            "mesh": mesh,
            "questions": [*questions, {"name": "at once", "heat_flow": "slab.left", "basis": "area", "time": "0 s"}],
        }
    )
    return {check.name: check for check in Flow(curves=False).run(case).checks}


@pytest.mark.one_in(3)
@pytest.mark.parametrize("stated", STATED)
@pytest.mark.parametrize(
    ("mesh", "kind", "large"),
    [
        ({"size": "8 mm"}, "section", False),
        ({"size": "8 mm"}, "section", True),
        ({"size": "5 mm", "order": 1}, "section", False),
        ({"size": "8 mm", "cells": "triangles"}, "section", False),
        ({"size": "15 mm", "across": 1}, "stacked", False),
    ],
    ids=str,
)
def test_what_is_asked_before_heat_has_come_through_a_cell_is_within_its_error(
    stated: str, mesh: dict[str, Any], kind: str, large: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A flux 1 ms after a jump was told as 6.9 kW ± 15 kW, and is 162 kW."""
    if large:
        monkeypatch.setattr(error_estimate, "FINER_WORK", dict.fromkeys((1, 2, 3), 0))
    found = answered(stated, mesh, kind)
    area = 0.03 if kind == "section" else 0.03 * 0.02
    for place, text in enumerate(TIMES):
        t = seconds(text)
        shares = (np.arange(2000) + 0.5) / 2000  # of √t, in which the flux is smooth
        passed = area * float(np.mean([flux_in(stated, t * share**2) * 2 * t * share for share in shares]))
        for what, true in (("flux", flux_in(stated, t)), ("passed", passed), ("face", surface(stated, t))):
            check = found[f"{what} {place}"]
            # The body ends somewhere, which is not felt so soon.
            assert check.error is not None
            assert abs(check.value - true) <= check.error + 1e-5 * abs(true), (text, check, true)
    once = found["at once"]
    assert once.unbounded == (stated == "held") and ("flux is infinite" in once.note) == once.unbounded
    assert (
        once.error is None if once.unbounded else abs(once.value - flux_in(stated, 0.0)) <= (once.error or 0.0) + 1e-6
    )
    late = found[f"flux {len(TIMES) - 1}"]
    assert late.error is not None and late.error < 0.1 * abs(late.value)


LATE_JUMP = {"table": [["0 s", "20 °C"], ["10 s", "20 °C"], ["10.0001 s", "100 °C"], ["60 s", "100 °C"]]}


@pytest.mark.one_in(2)
@pytest.mark.parametrize(
    ("side", "asked"),
    [
        ({"temperature": LATE_JUMP}, ["10.01 s", "11 s", "50 s"]),
        ({"temperature": "60 °C + 40 K*sin(2*pi*t/(10 s))"}, ["31 s", "58 s"]),
        ({"film": {"h": "400 W/(m² K)", "temperature": "60 °C + 40 K*sin(2*pi*t/(5 s))"}}, ["31 s", "58 s"]),
    ],
    ids=["a jump on the way", "held, swings", "film, swings"],
)
def test_so_is_what_follows_a_change_on_the_way_or_swings_too_fast_for_the_cells(
    side: dict[str, Any], asked: list[str]
) -> None:
    slab = {"shape": "rectangle", "size": ["100 mm", "30 mm"], "at": ["0 mm", "0 mm"], "material": "clay"}
    questions = [{"name": f"flux {place}", "heat_flow": "slab.left", "time": t} for place, t in enumerate(asked)]
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"clay": {"k": "2 W/(m K)", "density": "2000 kg/m³", "c": "900 J/(kg K)"}},
            "body": {"kind": "section", "depth": "1 m", "regions": {"slab": slab}},
            "surroundings": [{"on": "slab.left", **side}],
            "clock": {"start": "20 °C", "end": "1 min"},
            "mesh": {"size": "8 mm"},
            "questions": [*questions, {"name": "in it", "temperature": ["2 mm", "10 mm"]}],
        }
    )
    for check in Flow(curves=False).run(case).checks:
        assert check.expected is not None and check.error is not None
        assert abs(check.value - check.expected) <= check.error, check


def test_far_below_a_torch_that_passes_it_is_told_what_cells_make_of_it() -> None:
    """They do not follow the torch itself, and what that leaves dies out on the way; where it has not come nothing
    moves."""
    for check in Flow(curves=False).run(family("moving-torch").case()).checks:
        assert check.deviation is not None and check.error is not None
        assert abs(check.deviation) <= check.error < 0.2 * (check.value - 293.15), check
