"""Sparse linear systems: factorised, or by conjugate gradients with algebraic multigrid where that is faster."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from functools import cache

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.linalg import LinearOperator, cg, gmres

from blunt_ember.arrays import Floats
from blunt_ember.errors import SolverError
from blunt_ember.fem.equations import Equations
from blunt_ember.fem.factors import Analysis, factorised
from blunt_ember.fem.multigrid.cycle import Correction, multigrid_cycle
from blunt_ember.fem.multigrid.product import Product
from blunt_ember.fem.multigrid.spaces import Spaces
from blunt_ember.immutable import immutable

#: Unknowns above which multigrid is faster than factors, in a solid and in a plane, whose factors stay thinner.
#: Measured on quadratic cells, one core, factors and one solution beside multigrid: a plane of 44 300 unknowns takes
#: 0.40 s and 0.50 s, 178 000 unknowns 1.1 s and 1.5 s, 715 000 unknowns 6.0 s and 4.1 s; a solid of 5 700 unknowns
#: 0.04 s and 0.06 s, 27 000 unknowns 0.54 s and 0.27 s, 74 300 unknowns 3.7 s and 0.7 s.
#: Cells thin as a coat take multigrid several times as long: 14 500 unknowns of such 3.7 s, factors 0.7 s.
MULTIGRID_NODES = 20_000
PLANE_NODES = 250_000
#: The same of solids on a lattice that is halved: 4 600 unknowns take 0.036 s and 0.019 s, 15 000 take 0.27 s and
#: 0.08 s, flat cells (1 to 100) no longer than others.
LATTICE_NODES = 5_000
#: How many times as many where a matrix is solved with again and again, as in steps of time.
REPEATED = 5
#: Unknowns above which a matrix that is solved with repeatedly is first tried without any preparation, and the steps
#: that may take: in a short step of time its diagonal outweighs the rest, and neither factors nor grids pay.
PLAIN_NODES = 5_000
PLAIN_STEPS = 80
PLAIN_TOLERANCE = 1e-11
#: Steps that it may take altogether, over all that is solved with one matrix, for each of its unknowns: so many take as
#: long as factors, which then are made. A solid of 14 000 unknowns on quadratic cells: 1.2 ms a step, factors 0.25 s.
PLAIN_SPENT = 1 / 70
#: Unknowns up to which factors are tried where conjugate gradients do not get there, by dimension.
MOST_FACTORED = {1: 1_000_000, 2: 1_000_000, 3: 100_000}
#: How far one run of conjugate gradients takes the residual down, and the most steps it may take.
RUN_TOLERANCE = 1e-11
RUN_STEPS = 400
#: Steps of minimal residuals that are kept, and runs of so many, of which the first may end early by its own measure.
RESTARTED = 60
FEW_RUNS = 4
#: The most steps with cycles through halves of a lattice, which take ten where they are of use; and those with cycles
#: of half the digits, which take no more unless conduction differs too much from cell to cell.
PATIENT_STEPS, HASTY_STEPS = 30, 20
#: Corrections with one preparation: the first, and those that take the residual down to round-off.
CORRECTIONS = 5
#: Where a residual is as good as none: of factors, and of an iteration, whose corrections cost more: on flat cells
#: every digit takes a second, and a tenth of a millionth of a millionth of the heat is far below what cells lose.
ENOUGH = 1e-15
ENOUGH_ITERATED = 1e-10
GOOD_ENOUGH = 1e-9
#: A correction by factors that takes the residual down by less than this has met round-off: none follows it.
WORTH_A_SOLVE = 10.0
#: Last digits that a residual may be made of.
MANY_DIGITS = 10.0
#: What a run of the iteration may leave over before factors are taken instead.
POOR = 1e-3
#: The same of an iteration through halves of a lattice, which then is the wrong one for its cells.
SLOW = 1e-6
#: How many times as far as one cycle tells an iteration may be off.
TOLD_BY_CYCLE = 20.0


@immutable
class Solved:
    """An ``x`` (n,), the ``method`` it was found by, and by how much it may be ``off`` by what is left over of it, as
    where an iteration ends, and by last digits."""

    x: Floats
    method: str
    off: float


def fits_factors(count: int, dimension: int, repeated: bool = True, on_lattice: bool = False) -> bool:
    """Tell whether factors of a matrix of so many unknowns are worth their memory and time."""
    solid = LATTICE_NODES if on_lattice and not repeated else MULTIGRID_NODES
    most = (solid if dimension > 2 else PLANE_NODES) * (REPEATED if repeated else 1)
    return dimension == 1 or count <= most


class LinearSolver:
    """A matrix (n, n) made ready to be solved with; ``method`` says how.

    ``spaces`` are coarser ones of its unknowns, if there are any. A matrix that is not ``symmetric``
    is solved by generalised minimal residuals in place of conjugate gradients. One that is solved with ``repeated``
    times is worth factors up to a larger size. One whose diagonal may be ``heavy``, as that of a short step of time
    is, is only made ready when conjugate gradients scaled by it take too many steps; ``prepared`` tells whether it was.
    ``analysis`` is that of factors of matrices before, which is taken again where their entries have the same places.
    ``cycle`` is one cycle of multigrid, nearly solving with it, where it is solved that way; an iteration takes the
    residual down to a share ``left_over``. Raises
    :class:`SolverError` when it is singular.
    """

    def __init__(
        self,
        matrix: csr_array | Equations,
        spaces: Spaces,
        dimension: int,
        symmetric: bool = True,
        repeated: bool = False,
        heavy: bool = False,
        analysis: Analysis | None = None,
        left_over: float = RUN_TOLERANCE,
    ) -> None:
        self._equations = matrix if isinstance(matrix, Equations) else Equations.of(matrix)
        if not self._equations.finite:
            raise SolverError("the equations hold a value that is not finite; look for values far out of scale")
        self.count = self._equations.count
        self._symmetric = symmetric
        self._spaces = spaces
        self._analysis = analysis
        self._left_over = left_over
        self._most_factored = MOST_FACTORED[dimension]
        self.multigrid = not fits_factors(self.count, dimension, repeated, spaces.on_lattice)
        self.prepared = False
        self._spent = 0
        self.cycle: Correction | None = None
        self.method = "conjugate gradients"
        if not (heavy and symmetric and self.count > PLAIN_NODES):
            self._prepare()

    def _prepare(self) -> None:
        self.prepared = True
        self.method = "direct"
        if not self.multigrid:
            self._correct = factorised(self._equations.written, self._symmetric, self._analysis)
            return
        self.method = f"{'conjugate gradients' if self._symmetric else 'minimal residuals'} with multigrid"
        large = self.count > self._most_factored
        self._correct, self.cycle = _multigrid(self._equations, self._spaces, self._symmetric, self._left_over, large)

    def times(self, x: Floats) -> Floats:
        """Return A x (n,) of ``x`` (n,)."""
        return self._equations.times(x)

    def off(self, left: Floats, noise: Floats) -> float:
        """Return by how much an x may be off at most, of which ``left`` (n,) is left over, known to ± ``noise`` (n,).

        Factors tell what all of it comes to at worst: inverses of conduction have no negative entries. Where a cycle
        tells, what is left over is counted as often as the cycle may be wrong, and noise where there is more of it.
        """
        if self.cycle is None or not self.multigrid:
            return largest(self.solve(np.abs(left) + noise))
        counted = [left] if np.linalg.norm(noise) <= np.linalg.norm(left) else [left, noise]
        return TOLD_BY_CYCLE * sum(largest(self.cycle(each)) for each in counted)

    def solve(self, left: Floats) -> Floats:
        """Return x (n,) with A x = ``left``; by factors after all where the iteration gets nowhere near."""
        if not self.prepared:
            plain, steps = _by_diagonal(self._equations.written, left)
            self._spent += steps
            if plain is not None and (self.multigrid or self._spent <= PLAIN_SPENT * self.count):
                return plain
            self._prepare()
            if plain is not None:
                return plain
        found = self._correct(left)
        if self.multigrid and self.count <= self._most_factored:
            gap = np.linalg.norm(left - self._equations.times(found))
            if not gap <= (SLOW if self._spaces.on_lattice else POOR) * np.linalg.norm(left):
                self.multigrid = False
                self.method = "direct, as the iteration did not get there"
                self._correct = factorised(self._equations.written, self._symmetric, self._analysis)
                found = self._correct(left)
        return found


def largest(values: Floats) -> float:
    """Return the largest size of values (n,), 0 of none."""
    return float(np.abs(values).max(initial=0.0))


def solve_corrected(
    matrix: csr_array | Equations,
    left_at: Callable[[Floats], tuple[Floats, float]],
    noise_at: Callable[[Floats], Floats],
    spaces: Spaces,
    dimension: int,
    analysis: Analysis | None = None,
    near: Solved | None = None,
) -> Solved:
    """Return the x (n,) at which nothing is left over.

    ``left_at`` tells of an x (n,) what is left over there (n,) and the size of the heat flows it is the sum of,
    ``noise_at`` what its last digits make of that (n,); ``matrix`` (n, n) is minus the derivative of what is left over,
    ``spaces`` and ``analysis`` as in :class:`LinearSolver`. Where it would be iterated and nothing is left over at what
    is thought to be ``near`` (n,), that is taken. Raises :class:`SolverError` when it is singular, or the
    iteration does not get there.
    """
    equations = matrix if isinstance(matrix, Equations) else Equations.of(matrix)
    if near is not None and not fits_factors(len(near.x), dimension, False, spaces.on_lattice):
        first, (left, flowing) = (float(np.linalg.norm(left_at(0 * near.x)[0])), left_at(near.x))
        if _is_little(float(np.linalg.norm(left)), first, flowing, equations, near.x):
            return near
    solver = LinearSolver(equations, spaces, dimension, analysis=analysis)
    with np.errstate(all="ignore"):
        x, left, first, flowing = _corrected(solver, equations, left_at)
        size = float(np.linalg.norm(left))
    # Where what is held happens to be the answer already, round-off is all that is left over from the start on.
    if not np.isfinite(x).all() or not np.isfinite(first) or not size <= max(POOR * first, GOOD_ENOUGH * flowing):
        raise SolverError("the equations gave no finite temperatures; look for values far out of scale")
    if solver.multigrid and size > GOOD_ENOUGH * first and size > _round_off(equations, x):
        what = "conjugate gradients did not get to the solution; look for conductivities or sizes far out of scale"
        raise SolverError(f"{what} (the residual is still {size / first:.1g} of the load)")
    return Solved(x, solver.method, solver.off(left, noise_at(x)))


def _round_off(equations: Equations, x: Floats) -> float:
    """The size of a residual that the last digits of x (n,) make, many of them: where little heat flows beside what
    cells would conduct, as between weak films, nothing gets below it."""
    return float(MANY_DIGITS * np.finfo(float).eps * np.linalg.norm(abs(equations.written) @ np.abs(x)))


def _corrected(
    solver: LinearSolver, equations: Equations, left_at: Callable[[Floats], tuple[Floats, float]]
) -> tuple[Floats, Floats, float, float]:
    """Return x, what is left over there, the size of that at the start, and the size of the heat flows."""
    x = np.zeros(solver.count)
    left, flowing = left_at(x)
    first = size = float(np.linalg.norm(left))
    for _ in range(CORRECTIONS):
        trial = x + solver.solve(left)
        after, of_trial = left_at(trial)
        shrunk = float(np.linalg.norm(after))
        if not shrunk < size:  # round-off: there is nothing left to gain
            break
        gained = size / shrunk if shrunk else np.inf
        x, left, size, flowing = trial, after, shrunk, of_trial
        if solver.multigrid:
            if _is_little(size, first, flowing, equations, x):
                break
        elif size <= ENOUGH * first or gained < WORTH_A_SOLVE:
            break
    return x, left, first, flowing


def _is_little(size: float, first: float, flowing: float, equations: Equations, x: Floats) -> bool:
    """Tell whether what is left over at x (n,) is as good as nothing, for an iteration."""
    if size > ENOUGH_ITERATED * first:
        return False
    # What would flow while nothing but what is held is warm says little of what flows in the end.
    return size <= GOOD_ENOUGH * flowing or size <= _round_off(equations, x)


def _by_diagonal(matrix: csr_array, left: Floats) -> tuple[Floats | None, int]:
    """Conjugate gradients scaled by the diagonal, None where that takes too many steps; and how many it took."""
    diagonal = matrix.diagonal()
    if not (diagonal > 0).all():
        return None, 0
    steps = itertools.count()
    scaled = LinearOperator(matrix.shape, matvec=lambda x: np.ravel(x) / diagonal, dtype=float)
    found, failed = cg(
        matrix, left, rtol=PLAIN_TOLERANCE, maxiter=PLAIN_STEPS, M=scaled, callback=lambda _: next(steps)
    )
    return None if failed else np.asarray(found), next(steps)


def _multigrid(
    equations: Equations, spaces: Spaces, symmetric: bool, left_over: float, large: bool
) -> tuple[Correction, Correction]:
    """A run of the iteration, and the one cycle that makes each of its steps a good one; a ``large`` matrix is not
    given up where halves of a lattice are not what it wants."""
    boxes = equations.boxes

    @cache
    def even() -> csr_array:
        matrix = equations.written
        return matrix if symmetric else csr_array((matrix + matrix.T) / 2)

    def halves(single: bool) -> Correction:
        if boxes is not None:
            return boxes.cycle(single)
        return multigrid_cycle(even(), spaces, spaces.in_parts.rest() if spaces.in_parts else None, single)

    def by_order() -> Correction:
        cycle = multigrid_cycle(even(), spaces.by_order)
        return cycle if boxes is None else lambda left: boxes.spread(cycle(boxes.collected(left)))

    # Each way with the steps it may take before the next one is tried, which then stays.
    ways: list[tuple[Callable[[], Correction], int]] = [(lambda: halves(False), RUN_STEPS)]
    if spaces.on_lattice:
        ways = [(lambda: halves(True), HASTY_STEPS), (lambda: halves(False), PATIENT_STEPS)]
        if large:  # cells may be too uneven for halves of their lattice
            ways.append((by_order, RUN_STEPS))
    cycles = [ways[0][0]()]
    product = Product(equations.written) if boxes is None else boxes.matrix
    fine = LinearOperator(product.shape, matvec=lambda x: product @ np.ravel(x), dtype=float)

    def correct(left: Floats) -> Floats:
        found, failed = run(None, left, ways[len(cycles) - 1][1])
        while failed and len(cycles) < len(ways):
            make, steps = ways[len(cycles)]
            cycles.append(make())
            better = np.linalg.norm(left - product @ found) < np.linalg.norm(left)
            found, failed = run(found if better else None, left, steps)
        return found

    def run(start: Floats | None, left: Floats, steps: int) -> tuple[Floats, bool]:
        preconditioner = LinearOperator(fine.shape, matvec=cycles[-1], dtype=float)
        if symmetric:
            result, failed = cg(fine, left, start, rtol=left_over, maxiter=steps, M=preconditioner)
        else:
            inner = min(steps, RESTARTED)
            runs = max(FEW_RUNS, -(-steps // inner))
            result, failed = gmres(fine, left, start, rtol=left_over, restart=inner, maxiter=runs, M=preconditioner)
        return np.asarray(result), bool(failed)

    if boxes is None:
        return correct, lambda left: cycles[-1](left)
    return (
        lambda left: boxes.collected(correct(boxes.spread(left))),
        lambda left: boxes.collected(cycles[-1](boxes.spread(left))),
    )
