"""Units by their names: what is shipped is what pint says, which is asked for the others, once."""

from __future__ import annotations

import os
import subprocess
import sys
from functools import cache
from pathlib import Path
from typing import Any

import pytest
from scripts.usual_units import usual_names

from blunt_ember.case.values import unit_names
from blunt_ember.case.values.dimension import DIMENSIONLESS, Dimension
from blunt_ember.case.values.evaluation import evaluate
from blunt_ember.case.values.units import KINDS, kind_of, single_unit

ASK = (
    "import sys; from blunt_ember.case.values.units import single_unit; "
    "found = single_unit(sys.argv[1]); print(found and found.factor, 'pint' in sys.modules)"
)


def said(cache: Path, name: str) -> tuple[str, bool]:
    """What another process says of a name, and whether it asked pint."""
    run = subprocess.run(
        [sys.executable, "-c", ASK, name],
        check=True,
        capture_output=True,
        text=True,
        env={**os.environ, "XDG_CACHE_HOME": str(cache)},
    )
    value, asked = run.stdout.split()
    return value, asked == "True"


def test_what_is_shipped_is_what_pint_says() -> None:
    for name in usual_names():
        assert unit_names.unit_of_name(name) == unit_names.asked_of_pint(name), name
    assert single_unit("mm") == unit_names.Unit(0.001, Dimension({"[length]": 1}))
    assert single_unit("acosh") is None


def test_an_answer_is_kept_and_what_is_broken_of_it_is_asked_again(tmp_path: Path) -> None:
    assert said(tmp_path, "kW") == ("1000.0", False)
    assert said(tmp_path, "furlong") == ("201.16840233680466", True)
    assert said(tmp_path, "furlong") == ("201.16840233680466", False)
    assert said(tmp_path, "k_sleeve") == ("None", True)
    assert said(tmp_path, "k_sleeve") == ("None", False)
    (kept,) = tmp_path.glob("blunt-ember/units-*/names")
    whole = kept.read_bytes()
    kept.write_bytes(b'["furlong", [1, {}]]\n\xff{' + whole[: len(whole) // 2])
    assert said(tmp_path, "furlong") == ("201.16840233680466", True)
    kept.unlink()
    kept.mkdir()
    assert said(tmp_path, "furlong") == ("201.16840233680466", True)


def test_a_shipped_case_is_solved_without_pint(tmp_path: Path) -> None:
    run = (
        "import sys; from blunt_ember.gallery.families import family; from blunt_ember.flow.flow import Flow; "
        "Flow().run(family('composite-wall').case()); print({'pint', 'dask', 'yaml'} & set(sys.modules))"
    )
    env = {**os.environ, "XDG_CACHE_HOME": str(tmp_path)}
    found = subprocess.run([sys.executable, "-c", run], check=True, capture_output=True, text=True, env=env)
    assert found.stdout.strip() == "set()"


def test_dimensions_are_multiplied_divided_and_raised() -> None:
    length, time = Dimension({"[length]": 1}), Dimension({"[time]": 1})
    speed = length / time
    assert speed * time == length and speed**0 == DIMENSIONLESS and (length**0.5) ** 2 == length
    assert len({speed, length * time**-1}) == 1
    assert unit_names.base_units_text(speed**2 / length) == "m/s²"


@pytest.mark.parametrize("text", ["3 kg*m/s^2", "2 W*W", "sqrt(4 mm)", "5 W/(m K^2)"])
def test_a_kind_that_is_made_up_has_the_dimension_it_was_made_of(text: str) -> None:
    value = evaluate(text, {})
    assert kind_of(value.dimension).dimension == value.dimension


def test_units_are_known_where_there_is_no_home() -> None:
    ask = (
        "import pathlib; "
        "pathlib.Path.home = classmethod(lambda cls: (_ for _ in ()).throw(RuntimeError('no home'))); "
        "from blunt_ember.case.values.units import single_unit; print(single_unit('furlong').factor)"
    )
    env = {name: value for name, value in os.environ.items() if name != "XDG_CACHE_HOME"}
    run = subprocess.run([sys.executable, "-c", ask], check=True, capture_output=True, text=True, env=env)
    assert float(run.stdout) == pytest.approx(201.168, rel=1e-5)


@cache
def independent_registry() -> Any:
    """Units as the package that defines them knows them, without ours."""
    from pint import UnitRegistry

    return UnitRegistry()


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.name)
def test_a_kind_has_the_dimension_of_its_unit(kind: object) -> None:
    from blunt_ember.case.values.units import Kind

    assert isinstance(kind, Kind)
    powers = independent_registry().Unit(kind.unit).dimensionality if kind.unit else {}
    assert dict(kind.dimension.items()) == dict(powers.items())
