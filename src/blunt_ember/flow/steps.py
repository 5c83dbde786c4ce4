"""The steps of the flow up to a steady solution, each done once for what it depends on."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.checks.environments import EnvironmentCoupling, environment_coupling
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.fem.linear import Solved
from blunt_ember.fem.prepared import Prepared
from blunt_ember.fem.problem.enclosures import Chambers
from blunt_ember.fem.problem.joints import split_at_joints
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.problem.problem_from_case import problem_from_case
from blunt_ember.fem.steady.balance import NewtonStep
from blunt_ember.fem.steady.corrected import missed_by_correction
from blunt_ember.fem.steady.heat_flows import heat_flows, round_off
from blunt_ember.fem.steady.sharing import Sharing, sharing_of
from blunt_ember.fem.steady.steady import Solution, solve_steady
from blunt_ember.fem.transient.recorded.run import Progress
from blunt_ember.flow.cache import Step, StepCache
from blunt_ember.flow.keys import StepKeys
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.immutable import immutable
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import MeshRequest
from blunt_ember.radiation.chamber import Chamber

#: Nodes of meshes that are kept prepared for the next solution: the order of elimination and the last factors, or
#: spaces of cells on a lattice, up to some 100 MB each.
_PREPARED = 200_000
#: Hears of every step of Newton's method as it is done, and how far a run has got.
OnProgress = Callable[[NewtonStep | Progress], None]


@immutable
class CaseMesh:
    """A mesh of a case, split at its joints; ``refinement`` is None where the case does not make it by itself."""

    mesh: Mesh
    refinement: float | None


class KeptChambers(Chambers):
    """What surfaces see, kept: ``kept`` makes it, by what it is of, where it is not there yet."""

    def __init__(self, mesh: Mesh, kept: Callable[..., Any]) -> None:
        super().__init__(mesh)
        self._kept = kept

    def chamber(
        self, surfaces: tuple[str, ...], closed: bool, mirrors: tuple[str, ...], repeats: tuple[str, ...], fine: bool
    ) -> Chamber:
        """The chamber of some surfaces."""
        made: Chamber = self._kept(
            lambda: super(KeptChambers, self).chamber(surfaces, closed, mirrors, repeats, fine),
            surfaces,
            closed,
            mirrors,
            repeats,
            fine,
        )
        return made

    def bounding(self, sides: tuple[str, ...], mirrors: tuple[str, ...], repeats: tuple[str, ...]) -> list[str]:
        """The surfaces that bound the empty space of some sides."""
        made: list[str] = self._kept(
            lambda: super(KeptChambers, self).bounding(sides, mirrors, repeats), "bounding", sides, mirrors, repeats
        )
        return made

    def shares(self, surfaces: tuple[str, ...]) -> Floats:
        """The shares of views."""
        made: Floats = self._kept(lambda: super(KeptChambers, self).shares(surfaces), surfaces)
        return made


class Steps:
    """Does the steps of cases and keeps their recent results."""

    def __init__(self, cache: StepCache, on_progress: OnProgress) -> None:
        self.cache = cache
        self.keys = StepKeys()
        self.on_progress = on_progress

    def geometry(self, case: Case) -> BodyGeometry:
        """Return the body of a case."""
        document = case.document

        def make() -> BodyGeometry:
            return geometry_of(document.body, case.folder, document.surface_parts)

        return self.cache.get(Step.GEOMETRY, self.keys.of(case, Step.GEOMETRY, case.folder), make)

    def mesh(self, case: Case, refinement: float) -> CaseMesh:
        """Return the mesh of a case with every cell divided so often."""
        document = case.document

        def make() -> Mesh:
            return generate_mesh(self.geometry(case), MeshRequest.of(document, refinement))

        def split() -> Mesh:
            whole = self.cache.get(Step.MESH, self.keys.of(case, Step.MESH, refinement), make)
            return split_at_joints(document, whole)

        key = self.keys.of(case, Step.SPLIT_MESH, refinement)
        return CaseMesh(self.cache.get(Step.SPLIT_MESH, key, split), refinement)

    def own_mesh(self, case: Case, mesh: Mesh) -> CaseMesh:
        """Return a mesh that something else has made of the body, split at the joints of the case."""
        return CaseMesh(split_at_joints(case.document, mesh), None)

    def problem(self, case: Case, on: CaseMesh, stage: int = 0, t: float = 0.0) -> Problem:
        """Return the problem that holds right after the time ``t``, s, in a stage of the clock."""

        def make() -> Problem:
            return problem_from_case(case.document, on.mesh, stage, t, self._chambers(case, on))

        if on.refinement is None:
            return make()
        return self.cache.get(Step.PROBLEM, self.keys.of(case, Step.PROBLEM, on.refinement, stage, t), make)

    def _chambers(self, case: Case, on: CaseMesh) -> Chambers:
        """What makes the chambers of a mesh: what surfaces see follows from their shapes alone, and is kept."""
        if on.refinement is None:
            return Chambers(on.mesh)

        def kept(make: Callable[[], Any], *of: Any) -> Any:
            return self.cache.get(Step.CHAMBER, self.keys.of(case, Step.CHAMBER, on.refinement, *of), make)

        return KeptChambers(on.mesh, kept)

    def solution(self, case: Case, on: CaseMesh) -> Solution:
        """Return the steady solution of a case on its mesh."""

        def make() -> Solution:
            prepared = None
            if on.mesh.node_count <= _PREPARED:
                prepared = self.cache.get(Step.PREPARED, self.keys.of(case, Step.PREPARED, on.refinement), Prepared)
            problem = self.problem(case, on)
            near = self._weighed(case, on, problem)
            return solve_steady(problem, on_progress=self.on_progress, prepared=prepared, near=near)

        return self.cache.get(Step.SOLUTION, self.keys.of(case, Step.SOLUTION, on.refinement), make)

    def heat(self, case: Case, on: CaseMesh) -> dict[str, float]:
        """Return the heat, W, through every surface of the steady solution of a case."""

        def make() -> dict[str, float]:
            problem = self.problem(case, on)
            return heat_flows(problem, self.solution(case, on), self._sharing(case, on, problem))

        return self.cache.get(Step.HEAT, self.keys.of(case, Step.HEAT, on.refinement), make)

    def _sharing(self, case: Case, on: CaseMesh, problem: Problem) -> Sharing:
        """How surfaces share heat, which stays as it is while what acts on them changes."""
        by = tuple(problem.held), tuple(each.regions for each in problem.isothermal)
        key = self.keys.of(case, Step.SHARING, on.refinement, *by)
        return self.cache.get(Step.SHARING, key, lambda: sharing_of(problem))

    def _weighed(self, case: Case, on: CaseMesh, problem: Problem) -> Solved | None:
        """What temperatures the environments make where it is known what couples them, and nothing else acts."""
        if not case.document.environments:
            return None
        key = self.keys.of(case, Step.COUPLING, on.refinement)
        return self._coupled(case, on).temperature(problem) if self.cache.known(Step.COUPLING, key) else None

    def _coupled(self, case: Case, on: CaseMesh) -> EnvironmentCoupling:
        """What couples the environments of a case, whatever their temperatures."""

        def make() -> EnvironmentCoupling:
            return environment_coupling(self.problem(case, on), self.solution(case, on).temperature)

        return self.cache.get(Step.COUPLING, self.keys.of(case, Step.COUPLING, on.refinement), make)

    def solved(self, case: Case, refinement: float) -> SolvedField:
        """Return the steady solution as questions see it."""
        on = self.mesh(case, refinement)
        solution = self.solution(case, on)
        return SolvedField(
            case.document,
            self.geometry(case),
            on.mesh,
            solution.temperature,
            self.heat(case, on),
            problem=self.problem(case, on),
            round_off=round_off(self.problem(case, on), solution),
            off=solution.off,
            missed=lambda: missed_by_correction(self.problem(case, on), solution),
            coupled=lambda: self._coupled(case, on),
        )

    def solved_anew(self, case: Case, on: CaseMesh, on_progress: OnProgress) -> tuple[SolvedField, Problem]:
        """Return the steady solution on a mesh and the problem, neither of them kept."""
        problem = problem_from_case(case.document, on.mesh, 0, 0.0)
        solution = solve_steady(problem, on_progress=on_progress)
        heat = heat_flows(problem, solution)
        return SolvedField(
            case.document, self.geometry(case), on.mesh, solution.temperature, heat, problem=problem
        ), problem
