"""Pipes and spheres of any layers: heat, chain and every kind of line beside sums made on paper."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad

from blunt_ember.case.case import case_from_data
from blunt_ember.checks.references.series_path import series_path
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome

Shape = Literal["pipe", "sphere"]
FLOW = Flow()
GAS, AIR = 640.0, -15.0
layered = st.lists(st.tuples(st.floats(0.2, 0.9), st.floats(0.04, 40)), min_size=1, max_size=3)


class OnPaper:
    """Layers about one another: radii (n + 1,) in m, conductivities (n,) in W/(m K), a film within and without."""

    def __init__(self, shape: Shape, bore: float, layers: list[tuple[float, float]], h: float) -> None:
        self.shape, self.h = shape, h
        self.r = bore * np.cumprod([1, *(1 + share for share, _ in layers)])
        self.k = np.array([k for _, k in layers])
        self.films = 1 / (h * self.area(self.r[0])), 1 / (h * self.area(self.r[-1]))
        self.walls = [self.wall(k, *self.r[i : i + 2]) for i, k in enumerate(self.k)]
        self.heat = (GAS - AIR) / (sum(self.films) + sum(self.walls))

    def area(self, r: float) -> float:
        return 2 * np.pi * r if self.shape == "pipe" else 4 * np.pi * r**2

    def wall(self, k: float, inner: float, outer: float) -> float:
        if self.shape == "pipe":
            return float(np.log(outer / inner) / (2 * np.pi * k))
        return float((1 / inner - 1 / outer) / (4 * np.pi * k))

    def temperature(self, r: float) -> float:
        """Temperature in °C at the radius ``r``."""
        passed = [self.wall(k, self.r[i], min(r, self.r[i + 1])) for i, k in enumerate(self.k) if r > self.r[i]]
        return float(GAS - self.heat * (self.films[0] + sum(passed)))

    def mean(self) -> float:
        """Mean along a radius through every layer."""
        joints = self.r[1:-1]
        whole = quad(self.temperature, self.r[0], self.r[-1], points=joints if len(joints) else None)
        return float(whole[0] / (self.r[-1] - self.r[0]))

    def run(self) -> Outcome:
        last, r = len(self.k) - 1, [f"{each!r} m" for each in self.r.tolist()]
        turned = {"start": "-90°", "end": "90°"} if self.shape == "sphere" else {}
        regions = {
            f"l{i}": {
                "shape": "ring sector" if turned else "ring",
                "inner": r[i],
                "outer": r[i + 1],
                "material": f"m{i}",
                **turned,
                **({"around": f"l{i - 1}"} if i and not turned else {}),
            }
            for i in range(last + 1)
        }
        body: dict[str, Any] = {"kind": "turned section"} if turned else {"kind": "section", "depth": "1 m"}
        middle = f"{float(self.r[-2:].mean())!r} m"
        round_about = {"centre": ["0 m", "0 m"], "radius": middle}
        return FLOW.answered(
            case_from_data(
                {
                    "format": "blunt-ember/1",
                    "body": {**body, "regions": regions},
                    "materials": {f"m{i}": {"k": f"{k!r} W/(m K)"} for i, k in enumerate(self.k.tolist())},
                    "surroundings": [
                        {"on": on, "film": {"h": f"{self.h!r} W/(m² K)", "temperature": f"{fluid} °C"}}
                        for on, fluid in (("l0.bore", GAS), (f"l{last}.rim", AIR))
                    ],
                    "questions": [
                        {"name": "heat", "heat_flow": f"l{last}.rim", "direction": "out"},
                        {"name": "across", "mean": {"between": ["l0.bore", f"l{last}.rim"]}},
                        {"name": "drawn", "mean": {"start": [r[0], "0 m"], "end": [r[-1], "0 m"]}},
                        {"name": "round", "mean": round_about},
                        {"name": "skin", "mean": {"edge": f"l{last}.rim"}},
                    ],
                }
            )
        )


@pytest.mark.parametrize("shape", ["pipe", "sphere"])
@settings(max_examples=3, deadline=None)
@given(bore=st.floats(0.004, 2.0), layers=layered, h=st.floats(3, 300))
def test_what_is_read_is_that_of_paper(shape: Shape, bore: float, layers: list[tuple[float, float]], h: float) -> None:
    paper = OnPaper(shape, bore, layers, h)
    outcome = paper.run()
    assert outcome.trouble is None and outcome.problem is not None and outcome.solution is not None
    found = {check.name: check.value for check in outcome.checks}
    within = 1e-3 * (GAS - AIR)
    assert found["heat"] == pytest.approx(paper.heat, rel=2e-4)
    assert found["across"] - 273.15 == pytest.approx(paper.mean(), abs=within)
    assert found["drawn"] - 273.15 == pytest.approx(paper.mean(), abs=within)
    assert found["round"] - 273.15 == pytest.approx(paper.temperature(float(paper.r[-2:].mean())), abs=within)
    assert found["skin"] - 273.15 == pytest.approx(paper.temperature(paper.r[-1]), abs=within)
    path = series_path(outcome.exact, outcome.problem, outcome.solution.temperature, outcome.heat)
    expected = [paper.films[0], *paper.walls, paper.films[1]]
    np.testing.assert_allclose([link.resistance for link in path.links], expected, rtol=1e-9)
    assert path.heat == pytest.approx(paper.heat) and path.mesh_heat == pytest.approx(paper.heat, rel=2e-4)
