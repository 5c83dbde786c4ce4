"""Every guide in docs/adding holds an example that works as it stands there."""

from __future__ import annotations

import re
import sys
from dataclasses import replace
from pathlib import Path
from types import ModuleType
from typing import Any

import numpy as np
import pytest

from blunt_ember.case.document.bodies import BODIES
from blunt_ember.case.values.laws import constant_law
from blunt_ember.case.values.units import FILM_COEFFICIENT, TEMPERATURE
from blunt_ember.checks.questions.answers import answer, exact_answer
from blunt_ember.checks.references.exact_field import recognised
from blunt_ember.fem.steady.heat_flows import heat_flows
from blunt_ember.fem.steady.steady import solve_steady
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.report import exporting

DOCS = Path(__file__).parents[2] / "docs"
GUIDES = sorted(path.stem for path in (DOCS / "adding").glob("*.md"))


def example(guide: str) -> dict[str, Any]:
    """The names that the code of a guide defines."""
    text = (DOCS / "adding" / f"{guide}.md").read_text(encoding="utf-8")
    module = ModuleType(f"docs_adding_{guide.replace('-', '_')}")
    sys.modules[module.__name__] = module
    for code in re.findall(r"```python\n(.*?)```", text, re.S):
        exec(compile(code, f"{guide}.md", "exec", dont_inherit=True), vars(module))
    return vars(module)


@pytest.mark.parametrize("guide", GUIDES)
def test_what_guides_and_the_map_name_is_there(guide: str) -> None:
    """Modules, folders and registries that are spoken of exist."""
    assert example(guide)
    text = (DOCS / "adding" / f"{guide}.md").read_text(encoding="utf-8")
    text += (DOCS / "architecture.md").read_text(encoding="utf-8")
    source = DOCS.parent / "src" / "blunt_ember"
    for name in re.findall(r"`([a-z_/]+(?:\.py|/))`", text):
        if "/" in name and not name.startswith("tests/"):
            assert (source / name).exists(), name


def test_every_kind_of_body_stands_in_every_table_and_is_asked_for_nowhere_else() -> None:
    from blunt_ember.checks.references.exact_field import OFFERED
    from blunt_ember.geometry.body_geometry import BodyGeometry
    from blunt_ember.mesh.generate import MESHERS
    from blunt_ember.picture.body.drawn import DRAWINGS
    from blunt_ember.refinement.followers import FOLLOWERS

    kinds = set(BodyGeometry.__subclasses__())
    assert len(kinds) > 3
    for table in (MESHERS, FOLLOWERS, OFFERED, DRAWINGS):
        assert set(table) == kinds
    asked = re.compile(rf"isinstance\([^)]*\b({'|'.join(kind.__name__ for kind in [*kinds, *BODIES.values()])})\b")
    sources = (DOCS.parent / "src").rglob("*.py")
    assert [str(source) for source in sources if asked.search(source.read_text()) and source.name != "section.py"] == []


def test_a_law() -> None:
    """Held at T0 behind a layer k/L: k/L (T0 − T) = c (T − T_air)²."""
    law = example("law")["DraughtLaw"]
    outcome = Flow().answered(family("plane-wall").case())
    assert outcome.problem is not None and outcome.geometry is not None
    problem = outcome.problem
    surface = next(iter(problem.exchanges))
    (held,) = problem.held
    hot, air, c = problem.held[held].constant, 300.0, 0.05
    assert hot is not None
    draught = law(constant_law(c, FILM_COEFFICIENT), constant_law(air, TEMPERATURE))
    solved = replace(problem, exchanges={surface: (draught,)})
    solution = solve_steady(solved)
    k = problem.conductors[0].constant
    assert k is not None
    length = float(np.ptp(problem.mesh.points[:, 0]))
    conductance = k / length
    rise = (-conductance + np.sqrt(conductance**2 + 4 * c * conductance * (hot - air))) / (2 * c)
    assert solution.temperature.min() == pytest.approx(air + rise, rel=1e-9)
    heat = heat_flows(solved, solution)
    assert heat[surface] == pytest.approx(-c * rise**2 * outcome.geometry.surfaces[surface].area, rel=1e-9)


def test_an_exact_solution(monkeypatch: pytest.MonkeyPatch) -> None:
    from blunt_ember.checks.references import exact_field

    case = family("hot-edge-plate").case()
    data = {
        **case.data,
        "surroundings": [
            {"on": entry["on"], "temperature": "80 °C"} for entry in case.data["surroundings"] if "temperature" in entry
        ],
    }
    outcome = Flow().answered(case.restated({**data, "questions": []}))
    assert outcome.problem is not None and outcome.geometry is not None
    offered = exact_field.Offered({"even": example("exact-solution")["EVEN"]}, "it is not even")
    monkeypatch.setattr(exact_field, "OFFERED", {type(outcome.geometry): offered})
    monkeypatch.setattr(exact_field, "SOLUTIONS", ("even",))
    found = recognised(outcome.geometry, outcome.problem)
    assert found is not None and found.temperature(np.zeros((2, 2))) == pytest.approx([353.15] * 2)


def test_a_lens() -> None:
    lens = example("lens")["ABOVE"]
    outcome = Flow().answered(family("composite-wall").case())
    assert lens.field is not None and outcome.solution is not None
    field = lens.field(outcome, "")
    assert field is not None and field.ends == pytest.approx((0.0, float(np.ptp(outcome.solution.temperature))))


def test_a_question() -> None:
    kind = example("question")["SpreadQuestion"]
    flow, case = Flow(), family("hot-edge-plate").case()
    question = kind.model_validate({"name": "spread", "spread": "plate.left"}, context={"names": {}})
    assert question.sentence("for 1 m depth", False) == "Spread of temperature of plate.left"
    solved = flow.solved(case)
    exact = flow.answered(case).exact
    assert exact is not None
    found = answer(question, 0, solved)
    nodes = solved.mesh.surfaces["plate.left"].nodes
    assert found >= float(np.ptp(solved.temperature[nodes])) * (1 - 1e-9)
    assert np.isfinite(exact_answer(question, exact, solved))


def test_an_export(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    export = example("export")["LEDGER"]
    monkeypatch.setattr(exporting, "BY_SUFFIX", {**exporting.BY_SUFFIX, ".txt": export})
    outcome = Flow().answered(family("composite-wall").case())
    exporting.write_outcome(outcome, tmp_path / "wall.txt", exporting.ExportOptions())
    assert outcome.ledger is not None
    rows = [line.split("\t") for line in (tmp_path / "wall.txt").read_text(encoding="utf-8").splitlines()]
    assert {name: float(heat) for name, heat in rows} == {row.name: row.heat for row in outcome.ledger.rows}
