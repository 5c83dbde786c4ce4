"""The command line as others run it: exit status and output; where it matters, as a process of its own."""

from __future__ import annotations

import contextlib
import io
import json
import os
import re
import signal
import subprocess
import sys
from pathlib import Path
from typing import Any
from unittest import mock

import meshio
import pytest

from blunt_ember.cli.main import main


def run(*arguments: str, folder: Path, **environment: str) -> subprocess.CompletedProcess[str]:
    """What a command gives, in this process, which has imported all it needs."""
    out, err = io.StringIO(), io.StringIO()
    surroundings = contextlib.chdir(folder), mock.patch.dict(os.environ, environment)
    with surroundings[0], surroundings[1], contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            status = main(arguments)
        except SystemExit as end:
            status = int(end.code or 0)
    return subprocess.CompletedProcess(arguments, status, out.getvalue(), err.getvalue())


def run_alone(*arguments: str, folder: Path, **environment: str) -> subprocess.CompletedProcess[str]:
    env = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
    command = [sys.executable, "-m", "blunt_ember", *arguments]
    return subprocess.run(command, cwd=folder, env={**env, **environment}, capture_output=True, text=True, timeout=120)


@pytest.fixture
def wall(tmp_path: Path) -> Path:
    made = run(
        "new", "composite-wall", "--set", "t_brick=120 mm", "--set", "T_hot=1500 °F", "-o", "w.ember", folder=tmp_path
    )
    assert made.returncode == 0, made.stderr
    return tmp_path / "w.ember"


def test_a_case_from_family_to_verdict(wall: Path) -> None:
    assert '"t_brick": "120 mm"' in wall.read_text(encoding="utf-8")
    done = run_alone("solve", wall.name, "--json", folder=wall.parent)
    assert done.returncode == 0, done.stderr
    result: dict[str, Any] = json.loads(done.stdout)
    assert {"title", "mesh", "answers", "ledger", "seconds"} <= set(result)
    assert {"nodes", "cells", "order"} <= set(result["mesh"])
    keys = {"name", "value", "unit", "error", "expected", "source", "deviation", "tolerance", "verdict"}
    assert all(keys <= set(answer) for answer in result["answers"])
    hot, air = (1500 + 459.67) / 1.8, 298.15
    flux = (hot - air) / (0.120 / 0.35 + 0.05 / 0.12 + 0.003 / 45 + 1 / 12)
    assert result["answers"][0]["value"] == pytest.approx(flux, rel=1e-10)
    assert result["answers"][4]["value"] == pytest.approx(air + flux / 12 - 273.15, rel=1e-10)
    assert result["answers"][4]["unit"] == "°C"
    rows = {row["name"]: row["heat_flow"] for row in result["ledger"]["rows"]}
    assert rows == pytest.approx({"brick.left": flux / 10, "shell.right": -flux / 10}, rel=1e-10)
    assert result["ledger"]["imbalance_relative"] < 1e-9


def test_values_are_shown_in_other_units_and_the_library_is_listed(wall: Path) -> None:
    us = json.loads(run("solve", wall.name, "--json", "--units", "US customary", folder=wall.parent).stdout)
    si = json.loads(run("solve", wall.name, "--json", folder=wall.parent).stdout)
    first, second = us["answers"][0], si["answers"][0]
    assert first["unit"] == "BTU/(h ft²)" and first["value"] == pytest.approx(second["value"] / 3.15459074506, rel=1e-9)
    assert us["answers"][4]["value"] == pytest.approx(si["answers"][4]["value"] * 1.8 + 32, rel=1e-12)
    wrong = run("solve", wall.name, "--units", "imperial", folder=wall.parent)
    assert wrong.returncode == 2 and "there is 'SI with mm', 'SI', 'US customary'" in wrong.stderr
    text = run("solve", wall.name, folder=wall.parent).stdout
    assert "note: " not in text and "Newton" not in text
    table = '"k": {"table": [["20 °C", "0.3 W/(m K)"], ["600 °C", "0.4 W/(m K)"]]}'
    hot = wall.read_text(encoding="utf-8").replace('"k": "k_brick"', table)
    wall.write_text(hot, encoding="utf-8")
    told = run("solve", wall.name, folder=wall.parent).stdout
    assert "Newton's method, heat left over after each step:" in told
    assert "note: materials.brick: 'brick' lies between" in told and "but its table goes from 20 °C to 600 °C" in told
    kept = {"own brick": {"k": "0.4 W/(m K)", "source": "our laboratory"}}
    own = wall.parent / "blunt-ember" / "materials.json"
    own.parent.mkdir()
    own.write_text(json.dumps(kept), encoding="utf-8")
    listed = json.loads(run("materials", "--json", folder=wall.parent, XDG_CONFIG_HOME=str(wall.parent)).stdout)
    assert listed["my own"] == kept and len(listed) == 6
    assert "our laboratory" in run("materials", folder=wall.parent, XDG_CONFIG_HOME=str(wall.parent)).stdout


def test_exit_status_tells_off_wrong_and_unsolvable(wall: Path) -> None:
    text = wall.read_text(encoding="utf-8")
    fluxes = '"film": {"h": "h_out", "temperature": "T_air"}', '"flux": "100 W/m²"'
    held = '{"on": "brick.left", "temperature": "T_hot"},'
    cases = [
        (1, text.replace("+ t_blanket/k", "+ 2*t_blanket/k"), ""),
        (2, text.replace('"120 mm"', '"120 W"'), "body.regions.brick.size[0]: 't_brick' is not a length"),
        (2, text.replace(held, "").replace(*fluxes), "no temperature can settle in brick, blanket, shell"),
        (2, text.replace('"material": "steel"', '"material": null'), "say what 'shell' is made of"),
        (3, text.replace(*fluxes).replace("100 W/m²", "1e308 W/m²"), "no finite temperatures"),
    ]
    for status, changed, said in cases:
        assert changed != text
        wall.write_text(changed, encoding="utf-8")
        done = run("solve", wall.name, folder=wall.parent)
        assert done.returncode == status, (status, done.stdout, done.stderr)
        assert said in done.stderr
        assert "Traceback" not in done.stderr
    wall.write_text(cases[1][1], encoding="utf-8")
    told = run_alone("solve", wall.name, "--json", folder=wall.parent)
    assert told.returncode == 2
    assert "body.regions.brick.size[0]" in {fault["path"] for fault in json.loads(told.stdout)["faults"]}


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (("new", "composite-wal", "-o", "x.ember"), "did you mean 'composite-wall'"),
        (("new", "plane-wall", "--set", "thick=1 mm", "-o", "x.ember"), "no parameter 'thick'"),
        (("new", "plane-wall", "--set", "thickness=1 W", "-o", "x.ember"), "is not a length"),
        (("new", "plane-wall", "--set", "thickness", "-o", "x.ember"), "NAME=QUANTITY"),
        (("new", "plane-wall", "-o", "w.ember"), "exists already"),
        (("solve", "none.ember"), "no such file"),
        (("new", "plane-wall", "-o", "no/such/x.ember"), "no such file"),
        (("slove", "w.ember"), "unrecognized"),
        (("slove",), "no command 'slove'"),
        (("solve", "."), "is a folder"),
    ],
)
def test_a_wrong_command_says_how_to_mend_it(wall: Path, arguments: tuple[str, ...], said: str) -> None:
    done = run(*arguments, folder=wall.parent)
    assert done.returncode == 2
    assert said in done.stderr
    assert "Traceback" not in done.stderr


def test_families_schema_and_verify_print_json(tmp_path: Path) -> None:
    families = json.loads(run("families", "--json", folder=tmp_path).stdout)
    assert {"plane-wall", "composite-wall"} <= {entry["name"] for entry in families}
    assert "properties" in json.loads(run("schema", folder=tmp_path).stdout)
    verified = run("verify", "lying wall", "--json", folder=tmp_path)
    summary = json.loads(verified.stdout)
    assert verified.returncode == 0
    assert summary["agree"] == summary["count"] == len(summary["checks"]) == 144
    nothing = run("verify", "no such case", folder=tmp_path)
    assert nothing.returncode == 2 and "no reference case" in nothing.stderr


def test_a_run_is_written_as_histories_and_a_series_of_fields(tmp_path: Path) -> None:
    run("new", "cooling-wall", "--set", "t_end=8 min", "-o", "wall.ember", folder=tmp_path)
    done = run("solve", "wall.ember", "--history", "run.csv", "--series", "run.xdmf", folder=tmp_path)
    assert done.returncode == 0 and "ledger over the run" in done.stdout and "run.xdmf written" in done.stdout
    rows = [line.split(",") for line in (tmp_path / "run.csv").read_text().splitlines()]
    heads, first, last = rows[0], rows[1], rows[-1]
    assert heads[0] == "time [s]" and float(first[0]) == 0 and float(last[0]) == 480
    stored = heads.index("heat stored [kJ]")
    passed = [number for number, head in enumerate(heads) if head.startswith("heat passed")]
    assert float(last[stored]) == pytest.approx(sum(float(last[n]) for n in passed[-4:]), rel=1e-9)
    with contextlib.chdir(tmp_path), meshio.xdmf.TimeSeriesReader("run.xdmf") as reader:
        points, _ = reader.read_points_cells()
        t, fields, _ = reader.read_data(reader.num_steps - 1)
    assert t == 480 and fields["temperature °C"].shape == (len(points),)
    assert fields["temperature °C"].max() == pytest.approx(float(last[heads.index("highest [°C]")]), abs=1e-3)
    told = json.loads(run("solve", "wall.ember", "--json", folder=tmp_path).stdout)
    middle = next(each for each in told["histories"] if each["name"] == "middle")
    assert len(middle["values"]) == len(told["times_s"]) and told["run"]["end_s"] == 480
    assert middle["values"][-1] == pytest.approx(told["answers"][0]["value"])
    again = run("solve", "wall.ember", "--history", "run.csv", folder=tmp_path)
    assert again.returncode == 2 and "exists already" in again.stderr and not again.stdout
    run("new", "plane-wall", "-o", "still.ember", folder=tmp_path)
    still = run("solve", "still.ember", "--history", "still.csv", folder=tmp_path)
    assert still.returncode == 2 and "so it has no histories" in still.stderr and not still.stdout


def test_the_demo_without_a_display_writes_pictures_and_tables(tmp_path: Path) -> None:
    done = run_alone("demo", "-o", "out", folder=tmp_path)
    assert done.returncode == 0, done.stderr
    assert str(tmp_path / "out") in done.stdout
    written = {path.name: path.stat().st_size for path in (tmp_path / "out").iterdir()}
    assert {"temperature.png", "heat-flow.png", "profile.png", "checks.csv", "kiln-wall.ember"} <= set(written)
    assert min(written.values()) > 500
    assert run("solve", "out/kiln-wall.ember", folder=tmp_path).returncode == 0


def test_help_teaches_a_first_case(tmp_path: Path) -> None:
    done = run_alone("--help", folder=tmp_path)
    assert "blunt-ember solve wall.ember" in done.stdout
    assert "exit status" in done.stdout


def test_a_long_run_says_how_long_and_is_stopped_by_a_key(tmp_path: Path) -> None:
    steel = {"k": "40 W/(m K)", "density": "7800 kg/m³", "c": "480 J/(kg K)"}
    case = {
        "format": "blunt-ember/1",
        "materials": {"steel": steel},
        "body": {"kind": "rod", "pieces": {"rod": {"length": "300 mm", "diameter": "20 mm", "material": "steel"}}},
        "surroundings": [{"on": "rod.start", "temperature": "40 °C + 20 K*sin(2*pi*t/(1 s))"}],
        "clock": {"start": "40 °C", "end": "5 h"},
        "questions": [{"name": "tip", "temperature": ["300 mm"]}],
    }
    (tmp_path / "swings.ember").write_text(json.dumps(case), encoding="utf-8")
    # Where tests run in the background the key is ignored, which a process inherits.
    run_it = (
        "import signal, sys; signal.signal(signal.SIGINT, signal.default_int_handler)\n"
        "from blunt_ember.cli.main import main; sys.exit(main(['solve', 'swings.ember']))"
    )
    with subprocess.Popen([sys.executable, "-c", run_it], cwd=tmp_path, stdout=-1, stderr=-1, text=True) as process:
        try:
            assert process.stderr is not None and process.stdout is not None
            # What it says first may come before anything is known of the time that is left.
            said = next(line for line in process.stderr if line.rstrip().endswith(" left"))
            process.send_signal(signal.SIGINT)
            assert process.wait(120) == 130 and process.stdout.read() == ""
            rest = process.stderr.read()
        finally:
            process.kill()
    assert re.fullmatch(r"reached [\d.]+ of 5 h, \d+ steps, about .* left\n", said), said
    assert rest.strip().endswith("stopped") and "Traceback" not in rest
