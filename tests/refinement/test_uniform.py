"""Finer and finer meshes: orders that theory gives, limits within their bands, and cells that follow the error."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.cli.main import main
from blunt_ember.fem.transient.exact import exact_in_time
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.refinement.trend import trend
from blunt_ember.refinement.uniform import MOST_NODES, uniform_refinement
from blunt_ember.report.tables.refined import trends


def test_smooth_heat_flows_settle_with_order_four_and_a_corner_with_four_thirds() -> None:
    # An answer settles with twice the order of the flux: quadratic cells give 4; at a corner turned inwards the field
    # goes with r^(2/3), so 4/3 whatever the cells (Strang and Fix 1973, ch. 8).
    flow, plate = Flow(), family("hot-edge-plate").case()
    found = dict(
        zip(
            (question.name for question in plate.document.questions),
            trends(list(uniform_refinement(flow, plate, 3))),
            strict=True,
        )
    )
    expected = {check.name: check.expected for check in flow.answered(plate).checks}
    for name in ("middle", "out through the bottom"):
        order, limit, known = found[name].order, found[name].limit, expected[name]
        assert order is not None and (order == pytest.approx(4.0, abs=0.1) if name != "middle" else order > 3.9)
        assert known is not None and limit == pytest.approx(known, rel=1e-8)
    corner = family("wall-corner").case()
    levels = list(uniform_refinement(flow, corner, 3))
    (settling,) = trends(levels)
    assert settling.order == pytest.approx(4 / 3, abs=0.03)
    finer = uniform_refinement(flow, corner, 4)
    *_, finest = finer
    assert abs(finest.values[0] - settling.limit) < settling.band


@pytest.mark.parametrize(
    ("values", "order", "limit", "said"),
    [
        ([1 + 1.0, 1 + 0.25, 1 + 0.0625], 2.0, 1.0, ""),
        ([5.0, 5.0 + 1e-12, 5.0 + 1.1e-12], None, 5.0, "round-off"),
        ([1.0, 2.0, 1.5], None, 1.5, "to and fro"),
        ([3.0, 2.0, 1.1], np.log2(1 / 0.9), 1.1, "too slowly"),
        ([1.0, 2.0, 3.01], np.log2(1 / 1.01), 3.01, "no bound"),
        ([3.0, 2.0], None, 2.0, "three meshes"),
        ([1.0, np.nan, 2.0], None, np.nan, "not answered"),
    ],
)
def test_what_a_sequence_tends_to(values: list[float], order: float | None, limit: float, said: str) -> None:
    found = trend(values, 1.0)
    assert found.limit == pytest.approx(limit, nan_ok=True) and said in found.note
    assert found.order == (pytest.approx(order) if order is not None else None)
    assert np.isnan(found.limit) or found.band >= abs(values[-1] - found.limit)


def test_an_order_that_no_cells_have_is_chance_and_what_steps_are_off_by_is_in_the_band() -> None:
    """A change that happens to be small is not taken for one that has nearly gone; nor one lost in that of steps."""
    chance = trend([1.0, 2.0, 2.0 + 2**-9], 1.0, highest=4.0)
    assert chance.order is None and "by chance" in chance.note and chance.band >= 2**-9
    fast = trend([1.0, 2.0, 2.0 + 2**-5.5], 1.0, highest=4.0)
    assert fast.order == pytest.approx(5.5) and fast.band == pytest.approx(3 * 2**-4 / 15)
    lost = trend([1.0, 1.01, 1.012], 1.0, (0.01, 0.004, 0.001))
    assert lost.order is None and "error in time" in lost.note
    assert lost.band == pytest.approx(0.003) and lost.in_time == 0.001
    two = trend([1.0, 1.01], 1.0, (0.01, 0.004))
    assert two.band == pytest.approx(0.01 / (2**0.5 - 1) + 0.004) and two.in_time == 0.004
    assert np.isnan(trend([1.0, 1.4, 1.5], 1.0, (0.01, np.nan, 0.001)).band)
    both = trend([1.0, 1.4, 1.5], 1.0, (0.01, 0.004, 0.001))
    assert both.order == pytest.approx(2.0) and both.band == pytest.approx(1.25 * 0.1 / 3 + 0.001)


def test_what_no_mesh_tells_is_in_the_band() -> None:
    """The hottest place of a heated bar lies between nodes on all meshes, and may be read at the same one on each."""
    piece = {"length": "60 mm", "area": "1 cm²", "material": "m"}
    for h in (100, 120, 140, 300):
        bar = {
            "format": "blunt-ember/1",
            "materials": {"m": {"k": "2 W/(m K)"}},
            "body": {"kind": "rod", "pieces": {"part": piece}},
            "surroundings": [
                {"on": "part.start", "temperature": "200 °C"},
                {"on": "part.end", "film": {"h": f"{h} W/(m² K)", "temperature": "20 °C"}},
            ],
            "heat_inside": [{"region": "part", "per_volume": "200 kW/m³"}],
            "mesh": {"size": "15 mm", "order": 1},
            "questions": [{"name": "hottest", "highest": "body"}, {"name": "warm", "temperature": ["13 mm"]}],
        }
        flow, case = Flow(curves=False), case_from_data(bar)
        for found, check in zip(
            trends(list(uniform_refinement(flow, case, 3))), flow.answered(case).checks, strict=True
        ):
            assert check.expected is not None
            assert abs(found.limit - check.expected) <= found.band < 2, (h, check.name, found)


@pytest.mark.one_in(2)
@pytest.mark.parametrize(
    ("name", "exact"),
    [("quenched-wall", True), ("deep-wall-film", True), ("swinging-wall", True), ("swinging-wall", False)],
)
def test_bands_of_runs_hold_what_is_exact(name: str, exact: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    """Cells and steps are halved together; both parts of the error are in the band, and it becomes smaller."""
    if not exact:
        monkeypatch.setattr(exact_in_time, "_MOST_NODES", 0)
    flow, case = Flow(curves=False), family(name).case()
    levels = list(uniform_refinement(flow, case, 3))
    parts = zip(levels[0].in_time, levels[2].in_time, strict=True)
    assert all(first == later == 0 if exact else 0 < later < 0.6 * first for first, later in parts)
    checks = flow.answered(case).checks
    for check, found in zip(checks, trends(levels), strict=True):
        assert check.expected is not None
        assert abs(found.limit - check.expected) <= found.band, check.name
        assert found.in_time <= found.band
        assert found.band <= 2e-3 * max(abs(check.expected), 100), check.name


def test_refinement_on_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = str(tmp_path / "c.ember")
    assert main(["new", "wall-corner", "-o", path]) == 0
    capsys.readouterr()
    assert main(["refine", path, "--levels", "3", "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert [mesh["nodes"] for mesh in found["meshes"]] == sorted(mesh["nodes"] for mesh in found["meshes"])
    assert all(len(each["values"]) == 3 and {"order", "limit", "band"} <= set(each) for each in found["answers"])
    assert main(["solve", path, "--json"]) in (0, 1)
    solved = json.loads(capsys.readouterr().out)
    for each, answer in zip(found["answers"], solved["answers"], strict=True):  # both speak the units of the case
        assert each["unit"] == answer["unit"]
        assert each["values"][0] == pytest.approx(answer["value"], rel=1e-9)
        assert abs(each["limit"] - each["values"][-1]) <= each["band"] + 1e-9 * abs(each["limit"])
    assert {row["unit"] for row in solved["ledger"]["rows"]} == {"W"}
    assert main(["refine", path, "--follow-error"]) == 0
    assert "flux off by" in capsys.readouterr().out
    assert main(["refine", str(tmp_path / "none.ember")]) == 2


@pytest.mark.parametrize(("how", "way_out"), [([], "follow the error"), (["--follow-error"], "ask for less")])
def test_a_sequence_that_ends_early_says_why_and_what_else_can_be_done(
    how: list[str], way_out: str, tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setitem(MOST_NODES, 2, 900)
    path = tmp_path / "c.ember"
    assert main(["new", "wall-corner", "-o", str(path)]) == 0
    stated = json.loads(path.read_text())
    questions = [{**each, "tolerance": "0.0001 %"} for each in stated["questions"] if "heat_flow" in each]
    path.write_text(json.dumps({**stated, "questions": questions, "mesh": {"order": 1, "size": "120 mm"}}))
    capsys.readouterr()
    assert main(["refine", str(path), *how]) == 0
    last = capsys.readouterr().out.strip().splitlines()[-1]
    assert "a finer mesh would have about" in last and "it goes up to 900" in last
    assert "begin with larger cells" in last and way_out in last
    assert main(["refine", str(path), *how, "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert found["meshes"][-1]["nodes"] <= 900 and "it goes up to 900" in found["ended"]


def test_a_table_that_is_wider_than_the_terminal_goes_on_below(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    path = str(tmp_path / "c.ember")
    assert main(["new", "composite-wall", "-o", path]) == 0
    monkeypatch.setenv("COLUMNS", "80")
    capsys.readouterr()
    assert main(["refine", path, "--levels", "3"]) == 0
    lines = capsys.readouterr().out.splitlines()
    heads = [line for line in lines if line.startswith("nodes")]
    assert len(heads) > 1 and all(len(line) <= 80 for line in lines)
    for name in ("heat flow", "hot face", "brick to blanket", "blanket to shell", "outer surface", "time"):
        assert sum(name in head for head in heads) == 1
    assert sum(line.startswith("tends to") for line in lines) == len(heads)
