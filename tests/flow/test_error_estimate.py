"""How far answers may be off: told for every one, by cells and steps that suit its size, and not too much of it."""

from __future__ import annotations

import itertools
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import meshio
import numpy as np
import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.editing.edits import with_value
from blunt_ember.errors import CaseError, OpenCaseError
from blunt_ember.fem.between_nodes import missed_between_nodes
from blunt_ember.flow.answering import error_estimate
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family
from blunt_ember.gallery.reference_cases import reference_cases
from blunt_ember.gallery.varied import other_values

#: Nodes times steps by dimension up to which runs are solved on finer cells.
NOTHING_IS_SMALL = dict.fromkeys((1, 2, 3), 0)


def solved(name: str, wish: dict[str, Any]) -> Outcome:
    return Flow(curves=False).run(with_value(dict(reference_cases())[name], ("mesh",), wish))


def overstated(outcome: Outcome) -> list[float]:
    """Estimated over true error of every answer whose true one is known."""
    return [
        check.error / abs(check.deviation)
        for check in outcome.checks
        if check.deviation is not None and check.error is not None and check.relative > 1e-9
    ]


@pytest.mark.one_in(2)
@pytest.mark.parametrize(
    ("name", "wish"),
    [
        ("hot-edge-plate", {"size": "1.97 mm", "order": 1}),
        ("hot-edge-plate", {"size": "2.06 mm", "order": 1, "cells": "triangles"}),
        ("hot-edge-plate", {"size": "2.9 mm", "order": 2, "cells": "triangles"}),
        ("hot-edge-plate", {"size": "1.97 mm", "order": 1, "across": 1}),
        ("pipe-wedge", {"size": "6 mm", "order": 1}),
        ("manufactured solid, triangles, order 2", {"size": "13 mm", "order": 2, "cells": "triangles"}),
    ],
)
def test_errors_on_large_meshes_are_told_by_larger_cells(
    name: str, wish: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(error_estimate, "FINER_NODES", NOTHING_IS_SMALL)
    outcome = solved(name, wish)
    assert outcome.errors is not None and "three meshes of larger cells" in outcome.errors.told_by
    assert all(check.error is not None for check in outcome.checks)
    ratios = overstated(outcome)
    assert len(ratios) >= 2
    # Where a place lies within its cell matters too with linear cells, so that one may be worse than the change says.
    assert sum(ratio >= 1 for ratio in ratios) >= len(ratios) - 1 and min(ratios) > 0.5, ratios
    # Quadratic cells gain more by being small, so that what larger ones tell of them is more too much.
    assert sorted(ratios)[len(ratios) // 2] < (10 if wish["order"] == 1 else 25), ratios


@pytest.mark.one_in(3)
@pytest.mark.parametrize(
    ("name", "wish"),
    [
        ("cooling-short-cylinder", {"cells": "triangles"}),
        ("cooling-bar", {"size": "0.7 mm", "order": 1}),
        ("cooling-block", {"size": "9 mm", "order": 1}),
    ],
)
def test_errors_of_long_runs_are_told_by_larger_cells(
    name: str, wish: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(error_estimate, "FINER_WORK", NOTHING_IS_SMALL)
    outcome = solved(name, wish)
    assert outcome.mesh is not None and outcome.run is not None and outcome.errors is not None
    assert outcome.errors.told_by == "the largest change on three meshes of larger cells"
    ratios = overstated(outcome)
    assert len(ratios) >= 3 and min(ratios) >= 1, ratios
    assert sorted(ratios)[len(ratios) // 2] < 15, ratios


def bar(folder: Path, counts: tuple[int, int, int]) -> None:
    """A bar of 20 by 10 by 10 mm in hexahedra, as a file."""
    shape = tuple(count + 1 for count in counts)
    axes = [np.linspace(0, length, count) for length, count in zip((20, 10, 10), shape, strict=True)]
    corner = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 1], [1, 0, 1], [1, 1, 1], [0, 1, 1]])
    first = np.array(list(itertools.product(*map(range, counts))))
    cells = np.ravel_multi_index(tuple((first[:, None] + corner).transpose(2, 0, 1)), shape)
    points = np.array(list(itertools.product(*axes)))
    meshio.Mesh(points, [("hexahedron", cells)], cell_data={"part": [np.ones(len(cells), int)]}).write(folder / "b.vtu")


def cooling_bar(folder: Path) -> Case:
    """Both ends of a read bar held at nothing, while a half wave dies away: the middle is 100 exp(−a (π/L)² t)."""
    return case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"a": {"k": "4 W/(m K)", "density": "1000 kg/m³", "c": "1000 J/(kg K)"}},
            "body": {"kind": "imported", "file": "b.vtu", "unit": "1 mm", "groups": {"part": {"material": "a"}}},
            "surroundings": [{"on": ["part.face 1", "part.face 2"], "temperature": "0 °C"}],
            "clock": {"start": "0 °C + 100 K*sin(pi*x/(20 mm))", "end": "10 s"},
            "questions": [
                {"name": "middle", "temperature": ["10 mm", "5 mm", "5 mm"], "expect": {"working": "middle"}},
                {"name": "aside", "temperature": ["3.7 mm", "5 mm", "2 mm"], "expect": {"working": "aside"}},
            ],
            "working": {
                "middle": "0 °C + 100 K*exp(-4e-6 m²/s*(pi/(20 mm))^2*10 s)",
                "aside": "0 °C + 100 K*sin(pi*3.7/20)*exp(-4e-6 m²/s*(pi/(20 mm))^2*10 s)",
            },
        },
        str(folder),
    )


def test_groups_that_a_file_has_not_and_those_a_case_does_not_speak_of_are_named(tmp_path: Path) -> None:
    bar(tmp_path, (2, 1, 1))
    case, groups = cooling_bar(tmp_path), ("body", "groups")
    with pytest.raises(CaseError, match=r"body.groups.port: 'b.vtu' has no group 'port'.*'part'"):
        Flow().answered(with_value(case, groups, {"port": {"material": "a"}}))
    with pytest.raises(OpenCaseError, match=r"body.groups.part.material: say what 'part' is made of"):
        Flow().answered(with_value(case, groups, {}))


def test_errors_of_a_long_run_on_a_read_mesh_are_told_by_its_halves(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    bar(tmp_path, (14, 4, 4))
    monkeypatch.setattr(error_estimate, "FINER_WORK", NOTHING_IS_SMALL)
    outcome = Flow().run(cooling_bar(tmp_path))
    assert outcome.mesh is not None and outcome.run is not None and outcome.errors is not None
    assert outcome.errors.told_by == "twice the change on cells of half the size"
    ratios = overstated(outcome)
    assert len(ratios) == 2 and all(1 <= ratio < 10 for ratio in ratios), ratios


def test_a_run_that_is_stopped_while_its_errors_are_estimated_keeps_its_answers(tmp_path: Path) -> None:
    bar(tmp_path, (12, 4, 4))
    answered: list[Outcome] = []
    for each in Flow(stopped=lambda: bool(answered)).outcomes(cooling_bar(tmp_path)):
        answered.extend([each] if each.checks else [])  # what comes now are its errors
    _, outcome = answered
    assert outcome.final and outcome.trouble is None
    assert outcome.run is not None and not outcome.run.unfinished
    assert outcome.errors is not None and outcome.errors.missing.startswith("it was stopped before the errors")
    assert all(check.error is None and check.verdict == "agrees" for check in outcome.checks)


def test_naming_a_question_or_its_tolerance_solves_nothing_again(tmp_path: Path) -> None:
    bar(tmp_path, (12, 4, 4))
    steps: list[object] = []
    flow, case = Flow(on_progress=steps.append), cooling_bar(tmp_path)
    before, taken = flow.run(case), len(steps)
    assert taken > 0
    after = flow.run(with_value(with_value(case, ("questions", 0, "tolerance"), "3 %"), ("questions", 1, "name"), "b"))
    assert len(steps) == taken and after.run is before.run
    assert [check.error for check in after.checks] == [check.error for check in before.checks]


def test_an_answer_stands_where_nothing_finer_fits_into_memory(tmp_path: Path) -> None:
    """In a process of its own, whose memory is limited: eight times the cells do not fit."""
    bar(tmp_path, (40, 25, 25))
    script = (
        "import resource, sys, blunt_ember.flow.flow as f\n"
        "from pathlib import Path\n"
        "from blunt_ember.case.case import case_from_data\n"
        "body = {'kind': 'imported', 'file': 'b.vtu', 'unit': '1 mm', 'groups': {'part': {'material': 'a'}}}\n"
        "case = case_from_data({'format': 'blunt-ember/1', 'materials': {'a': {'k': '1 W/(m K)'}}, 'body': body,"
        " 'surroundings': [{'on': 'part.face 1', 'temperature': '20 °C'}, {'on': 'part.face 2', 'temperature':"
        " '60 °C'}], 'questions': [{'name': 'q', 'heat_flow': 'part.face 1'}]}, sys.argv[1])\n"
        "f.Flow().geometry(case)\n"
        "used = int(Path('/proc/self/statm').read_text().split()[0]) * resource.getpagesize()\n"
        "resource.setrlimit(resource.RLIMIT_AS, (used + 550_000_000,) * 2)\n"
        "*_, outcome = f.Flow().outcomes(case)\n"
        "print(outcome.trouble, outcome.checks[0].error, round(outcome.checks[0].value, 6), outcome.errors.missing)\n"
    )
    run: Callable[..., Any] = subprocess.run
    said = run([sys.executable, "-c", script, str(tmp_path)], capture_output=True, text=True, timeout=120, check=False)
    assert said.stdout.startswith("None None -0.2 solving it again on finer cells"), said.stdout + said.stderr
    assert "GB of memory" in said.stdout


def test_what_steps_lose_does_not_hide_what_cells_lose() -> None:
    """A steel bar through felt under a gas that swings: where the cells are off one way and the steps the other."""

    def box(x: int, wide: int, material: str) -> dict[str, object]:
        return {"shape": "rectangle", "size": [f"{wide} mm", "60 mm"], "at": [f"{x} mm", "0 mm"], "material": material}

    regions = {"left": box(0, 90, "felt"), "bar": box(90, 20, "steel"), "right": box(110, 90, "felt")}
    gas = {"h": "20 W/(m² K)", "temperature": "200 °C + 80 K*sin(2*pi*t/(20 min))"}
    air = {"h": "8 W/(m² K)", "temperature": "20 °C"}
    outcome = Flow(curves=False).run(
        case_from_data(
            {
                "format": "blunt-ember/1",
                "materials": {
                    "felt": {"k": "0.06 W/(m K)", "density": "120 kg/m³", "c": "840 J/(kg K)"},
                    "steel": {"k": "45 W/(m K)", "density": "7800 kg/m³", "c": "480 J/(kg K)"},
                },
                "body": {"kind": "section", "depth": "1 m", "regions": regions},
                "surroundings": [
                    {"on": [f"{name}.bottom" for name in regions], "film": gas},
                    {"on": [f"{name}.top" for name in regions], "film": air},
                ],
                "clock": {"start": "20 °C", "end": "40 min"},
                "mesh": {"size": "auto", "order": 2},
                "questions": [
                    {"name": "mean", "mean": "bar.top", "time": "20 min"},
                    {"name": "loss", "heat_flow": "bar.top"},
                ],
            }
        )
    )
    # Cells of 1.25 mm, 60,000 nodes, steps 50 times as exact.
    for check, truth in zip(outcome.checks, (316.850, -7.05659), strict=True):
        assert check.error is not None and abs(check.value - truth) < check.error < 20 * abs(check.value - truth)


@pytest.mark.parametrize("large", [False, True])
def test_points_between_the_nodes_of_linear_cells_are_within_their_errors(
    large: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    """In a wall that gives off heat, whose field is a parabola; with free triangles a fifth of such points was not."""
    if large:
        monkeypatch.setattr(error_estimate, "FINER_NODES", NOTHING_IS_SMALL)
    away = np.random.default_rng(5).uniform(0, 0.2, 60)
    held = 0
    for size in ("12 mm", "20 mm"):
        data = {
            "format": "blunt-ember/1",
            "materials": {"clay": {"k": "2 W/(m K)"}},
            "body": {
                "kind": "section",
                "regions": {"w": {"shape": "rectangle", "size": ["200 mm", "60 mm"], "material": "clay"}},
            },
            "mesh": {"size": size, "order": 1, "cells": "triangles"},
            "heat_inside": [{"region": "w", "per_volume": "40 kW/m³"}],
            "surroundings": [{"on": "w.left", "temperature": "20 °C"}, {"on": "w.right", "temperature": "50 °C"}],
            "questions": [
                {"name": f"p{place}", "temperature": [f"{1000 * x} mm", "30 mm"]} for place, x in enumerate(away)
            ],
        }
        outcome = Flow().run(case_from_data(data))
        true = 293.15 + 150 * away + 40e3 / (2 * 2) * away * (0.2 - away)
        off = np.array([abs(check.value - each) for check, each in zip(outcome.checks, true, strict=True)])
        errors = np.array([check.error for check in outcome.checks])
        held += int((off <= errors).sum())
        assert (off <= 1.25 * errors).all() and np.median(errors / np.maximum(off, 1e-9)) < 5
        assert missed_between_nodes(outcome.mesh, outcome.solution.temperature, np.array([5.0, 5.0])) == 0.0
    assert held >= 118


@pytest.mark.parametrize(
    ("cells", "size", "clock"),
    [
        *((cells, size, "steady") for cells, size in (("auto", 10), ("auto", 12), ("auto", 33), ("triangles", 10))),
        *((cells, 12, {"start": "20 °C", "end": "40 h"}) for cells in ("auto", "triangles")),
    ],
)
def test_the_highest_along_lines_through_linear_cells_is_within_its_error(cells: str, size: int, clock: Any) -> None:
    """In a wall that gives off heat; a point where it is highest too, also at the end of a run."""
    top = 0.1 + 2 * 30 / (40e3 * 0.2)
    true = 293.15 + 150 * top + 40e3 / (2 * 2) * top * (0.2 - top)
    lines = [{"start": ["3 mm", f"{low} mm"], "end": ["197 mm", f"{high} mm"]} for low, high in ((5, 55), (31, 29))]
    data = {
        "format": "blunt-ember/1",
        "materials": {"clay": {"k": "2 W/(m K)", "density": "1900 kg/m³", "c": "800 J/(kg K)"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {"w": {"shape": "rectangle", "size": ["200 mm", "60 mm"], "material": "clay"}},
        },
        "mesh": {"size": f"{size} mm", "order": 1, "cells": cells, "across": 2},
        "clock": clock,
        "heat_inside": [{"region": "w", "per_volume": "40 kW/m³"}],
        "surroundings": [{"on": "w.left", "temperature": "20 °C"}, {"on": "w.right", "temperature": "50 °C"}],
        "questions": [
            *({"name": f"line {place}", "highest": line} for place, line in enumerate(lines)),
            {"name": "body", "highest": "body"},
            {"name": "point", "temperature": [f"{1000 * top} mm", "22 mm"]},
        ],
    }
    for check in Flow(curves=False).run(case_from_data(data)).checks:
        assert check.error is not None and abs(check.value - true) <= 1.02 * check.error, check
        assert check.error < 60 * max(abs(check.value - true), 2e-3), check


@pytest.mark.parametrize("hot", ["901.5 °C", "799.2 °C", "1010 °C", "1100 °C"])
def test_where_conductivity_bends_with_temperature_one_other_mesh_does_not_tell(hot: str) -> None:
    """The bends of a table lie at other places in other cells, so that two meshes may agree by chance."""
    others = other_values(family("wall-k-table").parameters)
    outcome = Flow().run(family("wall-k-table").case({**others, "T_hot": hot}))
    assert outcome.errors is not None and "as what is stated bends" in outcome.errors.told_by
    for check in outcome.checks:
        assert check.error is not None and check.deviation is not None
        assert abs(check.deviation) <= check.error <= max(60 * abs(check.deviation), 1e-3 * abs(check.value)), check


@pytest.mark.parametrize("size", ["2 mm", "0.7 mm"])
def test_where_a_flux_bends_within_a_facet_one_other_mesh_does_not_tell(size: str) -> None:
    """What comes in is the area of a triangle, and what leaves by the films is known as a series."""
    table = {"over": "x", "table": [["0 mm", "0 W/m²"], ["31.7 mm", "5 kW/m²"], ["100 mm", "0 W/m²"]]}
    faces = ["a.left", "a.right", "a.bottom"]
    data = {
        "format": "blunt-ember/1",
        "materials": {"a": {"k": "2 W/(m K)"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {"a": {"shape": "rectangle", "size": ["100 mm", "40 mm"], "material": "a"}},
        },
        "mesh": {"size": size},
        "surroundings": [
            {"on": "a.top", "flux": table},
            {"on": faces, "film": {"h": "30 W/(m² K)", "temperature": "20 °C"}},
        ],
        "questions": [{"name": name.replace(".", " "), "heat_flow": name} for name in ("a.top", *faces)],
    }
    checks = Flow().run(case_from_data(data)).checks
    assert checks[0].expected == pytest.approx(250, rel=1e-8)
    for check in checks:
        assert abs(check.deviation) < check.error, check.name


@pytest.mark.parametrize(("size", "order"), [("60 mm", 2), ("40 mm", 1)])
def test_what_an_iteration_leaves_over_is_within_the_errors(size: str, order: int) -> None:
    """Of a solid whose field every cell has exactly, so that other cells change nothing."""
    regions = {
        name: {"shape": "rectangle", "size": ["1 m", "1 m"], "z": between, "material": material}
        for name, between, material in (("low", ["0 m", "0.5 m"], "clay"), ("top", ["0.5 m", "1 m"], "iron"))
    }
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"clay": {"k": "2 W/(m K)"}, "iron": {"k": "50 W/(m K)"}},
            "body": {"kind": "stacked", "regions": regions},
            "mesh": {"size": size, "order": order},
            "surroundings": [
                {"on": "low.bottom", "temperature": "10 °C"},
                {"on": "top.top", "film": {"h": "25 W/(m² K)", "temperature": "200 °C"}},
            ],
            "questions": [
                {"name": "in clay", "temperature": ["0.3 m", "0.4 m", "0.25 m"]},
                {"name": "hottest", "highest": "top.top"},
                {"name": "lost", "heat_flow": "low.bottom"},
            ],
        }
    )
    outcome = Flow().run(case)
    assert outcome.solution is not None and outcome.solution.method == "conjugate gradients with multigrid"
    through = 190 / (0.5 / 2 + 0.5 / 50 + 1 / 25)
    exact = 283.15 + through * 0.25 / 2, 473.15 - through / 25, -through
    for check, known, share in zip(outcome.checks, exact, (190, 190, through), strict=True):
        assert check.error is not None and abs(check.value - known) < check.error < 1e-9 * share
