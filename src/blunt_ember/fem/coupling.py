"""Heat that follows temperatures far away: dense where it couples, and never part of the sparse matrix."""

from __future__ import annotations

import warnings
from collections.abc import Callable, Sequence
from typing import Protocol

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.linalg import LinearOperator, gmres

from blunt_ember.arrays import Floats
from blunt_ember.fem.linear import largest
from blunt_ember.immutable import immutable

#: How far the residual of what is coupled is taken down in one run, and after how many steps it starts anew.
_TOLERANCE, _RESTART, _RUNS = 1e-9, 80, 5
#: What may be left over of a run by cycles before each facet is gone through instead.
_POOR = 1e-3


@immutable
class Coupling:
    """How heat at nodes follows temperatures across a space: dF/dT has the part ``left @ middle @ right``.

    ``left`` (n, m) and ``right`` (m, n) are sparse, ``middle`` (m, m) is dense, which the matrix of all nodes must not
    become.
    """

    left: csr_array
    middle: Floats
    right: csr_array

    def times(self, weight: float) -> Coupling:
        """Return the coupling of a heat that counts ``weight`` times."""
        return Coupling(self.left, weight * self.middle, self.right)

    def turned(self) -> Coupling:
        """Return the transpose."""
        return Coupling(csr_array(self.right.T), self.middle.T, csr_array(self.left.T))

    def reduced(self, prolongation: csr_array) -> Coupling:
        """Return what the free temperatures see of it."""
        return Coupling(csr_array(prolongation.T @ self.left), self.middle, csr_array(self.right @ prolongation))


class Solves(Protocol):
    """A matrix made ready to be solved with."""

    @property
    def method(self) -> str:
        """How it is solved."""

    @property
    def prepared(self) -> bool:
        """Whether its factors, or its grids, are made."""

    @property
    def cycle(self) -> Callable[[Floats], Floats] | None:
        """One cycle of multigrid, which nearly solves with it; None where it has factors."""

    def off(self, left: Floats, noise: Floats) -> float:
        """Return by how much an x may be off at most, of which ``left`` (n,) is left over to ± ``noise`` (n,)."""

    def times(self, x: Floats) -> Floats:
        """Return A x (n,) of ``x`` (n,)."""

    def solve(self, left: Floats) -> Floats:
        """Return x (n,) with A x = ``left``."""


class CoupledSolver:
    """Solves (K − Σ L M R) x = b by a solver of the sparse K alone.

    With y = R x it is (1 − R K⁻¹ L M) y = R K⁻¹ b, which has as many unknowns as there are facets, and is solved by
    generalised minimal residuals: K holds all that leaves a facet, so that what comes back to it is less. Where K is
    solved by cycles of multigrid itself, all unknowns take them together with what couples.
    """

    def __init__(self, sparse: Solves, couplings: Sequence[Coupling]) -> None:
        self._sparse = sparse
        self._couplings = couplings
        ends = np.cumsum([0, *(len(each.middle) for each in couplings)])
        self._own = [slice(*pair) for pair in zip(ends[:-1].tolist(), ends[1:].tolist(), strict=True)]
        self._count = int(ends[-1])

    @property
    def method(self) -> str:
        """How it is solved."""
        return f"{self._sparse.method}, what radiates across by minimal residuals"

    @property
    def prepared(self) -> bool:
        """As the sparse matrix is."""
        return self._sparse.prepared

    @property
    def cycle(self) -> Callable[[Floats], Floats] | None:
        """That of the sparse matrix."""
        return self._sparse.cycle

    def off(self, left: Floats, noise: Floats) -> float:
        """Return by how much an x may be off at most, of which ``left`` (n,) is left over, known to ± ``noise`` (n,).

        What comes back across a space adds up: one cycle, which knows nothing of it, does not tell.
        """
        return largest(self.solve(np.abs(left) + noise))

    def times(self, x: Floats) -> Floats:
        """Return (K − Σ L M R) x."""
        return self._sparse.times(x) - self._given(self._seen(x))

    def solve(self, left: Floats) -> Floats:
        """Return x (n,) with (K − Σ L M R) x = ``left``."""
        cycle = self._sparse.cycle
        if cycle is not None:
            found = _minimal_residuals(self.times, left, cycle)
            if np.linalg.norm(left - self.times(found)) <= _POOR * np.linalg.norm(left):
                return found
        return self._by_facets(left)

    def _by_facets(self, left: Floats) -> Floats:
        first = self._sparse.solve(left)
        seen = self._seen(first)
        if not seen.any():
            return first

        def missed(y: Floats) -> Floats:
            return y - self._seen(self._sparse.solve(self._given(y)))

        return self._sparse.solve(left + self._given(_minimal_residuals(missed, seen)))

    def _seen(self, x: Floats) -> Floats:
        return np.concatenate([each.right @ x for each in self._couplings])

    def _given(self, y: Floats) -> Floats:
        parts = [each.left @ (each.middle @ y[own]) for each, own in zip(self._couplings, self._own, strict=True)]
        return np.asarray(sum(parts[1:], parts[0]))


def _minimal_residuals(
    times: Callable[[Floats], Floats], left: Floats, nearly: Callable[[Floats], Floats] | None = None
) -> Floats:
    """x (n,) with A x = ``left``, by what ``times`` it, and what ``nearly`` solves with it."""

    def operator(apply: Callable[[Floats], Floats]) -> LinearOperator:
        return LinearOperator((len(left), len(left)), matvec=lambda x: apply(np.ravel(x)), dtype=float)

    ready = operator(nearly) if nearly is not None else None
    with warnings.catch_warnings():  # what did not converge is seen from what is left over
        warnings.simplefilter("ignore")
        found, _ = gmres(operator(times), left, rtol=_TOLERANCE, restart=_RESTART, maxiter=_RUNS, M=ready)
    return np.asarray(found)


def coupled(sparse: Solves, couplings: Sequence[Coupling]) -> Solves:
    """Return a solver with couplings; the sparse one itself where there are none."""
    return CoupledSolver(sparse, couplings) if couplings else sparse
