"""An exact solution is never set beside a case in which something is stated that it does not understand."""

from __future__ import annotations

from dataclasses import field, replace
from typing import Any

import pytest

from blunt_ember.arrays import Floats
from blunt_ember.checks.references.exact_field import SOLUTIONS, exact_field, recognised
from blunt_ember.checks.references.fits.in_time.moving import MOVING_SOLUTIONS, moving_field, recognised_in_time
from blunt_ember.checks.references.fits.in_time.timing import Timing
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.laws.surface_law import OnFacets, SurfaceLaw
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.steady.steady import solve_steady
from blunt_ember.flow.cache import StepCache
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.in_time.clock_steps import ClockSteps
from blunt_ember.flow.steps import Steps
from blunt_ember.gallery.families import FAMILIES
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.immutable import immutable


@immutable
class Draught(SurfaceLaw):
    """A law nobody has heard of."""

    label = "draught"

    def flux(self, at: OnFacets) -> Floats:
        return -2.0 * at.temperature / 300.0


@immutable
class WiderProblem(Problem):
    """A problem with a block nobody has heard of."""

    draughts: tuple[str, ...] = field(default=("chimney",))


def known(name: str) -> tuple[BodyGeometry, Problem, Timing | None]:
    case = FAMILIES[name].case()
    steps = Steps(StepCache(), lambda step: None)
    on = steps.mesh(case, 1)
    timing = None
    if case.document.running_clock is not None:
        timing = ClockSteps(steps, lambda: False, None, curves=False).timing(case)
    return steps.geometry(case), steps.problem(case, on), timing


def fitted(solution: str, geometry: BodyGeometry, problem: Problem, timing: Timing | None) -> Any:
    if timing is not None and solution in MOVING_SOLUTIONS:
        return moving_field(solution, geometry, problem, timing)
    return exact_field(solution, geometry, problem)


#: One family a fit, and what it is recognised as.
RECOGNISED = {
    "plane-wall": "plane-wall",
    "composite-wall": "composite-wall",
    "hollow-cylinder": "hollow-cylinder",
    "hollow-sphere": "hollow-sphere",
    "hot-edge-plate": "hot-edge-plate",
    "straight-fin": "straight-fin",
    "annular-fin": "annular-fin",
    "plate-generation": "rectangle",
    "rod-held-tip": "rod",
    "box-of-six": "box",
    "short-roller": "finite-cylinder",
    "two-materials": "layered-rectangle",
    "cooling-wall": "series-in-time",
    "cooling-block": "product-in-time",
    "warming-lining": "series-in-time",
    "sleeve-on-shaft": "block-in-time",
    "rod-in-air": "rod-in-time",
}


@pytest.mark.parametrize("name", RECOGNISED)
def test_a_law_nobody_has_heard_of_is_never_passed_over(name: str) -> None:
    geometry, problem, timing = known(name)

    def found(stated: Problem) -> Any:
        return recognised(geometry, stated) if timing is None else recognised_in_time(geometry, stated, timing)

    as_it_is = found(problem)
    assert as_it_is is not None and as_it_is.name == RECOGNISED[name]
    surfaces = [surface for surface, facets in problem.mesh.surfaces.items() if facets.outer]
    for surface in surfaces:
        laws = (*problem.exchanges.get(surface, ()), Draught())
        draughty = replace(problem, exchanges={**problem.exchanges, surface: laws})
        assert found(draughty) is None
        for solution in (*SOLUTIONS, *(MOVING_SOLUTIONS if timing is not None else ())):
            with pytest.raises(ReferenceRefusedError):
                fitted(solution, geometry, draughty, timing)
    wider = WiderProblem(**{key: value for key, value in vars(problem).items() if key in Problem.__dataclass_fields__})
    assert found(wider) is None
    assert found(replace(wider, draughts=())) is not None


def test_a_law_in_a_module_of_its_own_is_solved() -> None:
    """All that a law needs is its class: terms, ledger and solver ask only what it says of itself."""
    case = FAMILIES["plane-wall"].case()
    outcome = Flow().answered(case)
    assert outcome.problem is not None and outcome.solution is not None
    surface = next(iter(outcome.problem.exchanges))
    laws = (*outcome.problem.exchanges[surface], Draught())
    colder = solve_steady(replace(outcome.problem, exchanges={**outcome.problem.exchanges, surface: laws}))
    assert colder.temperature.min() < outcome.solution.temperature.min() - 0.01
