"""What share of the variance of an answer every uncertain parameter has."""

from __future__ import annotations

from typing import Any

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.studies.points import StudyError


def straight_shares(inputs: Floats, answers: Floats) -> Floats:
    """Return what share of the variance of answers (p,) a straight line in each of the inputs (p, d) explains."""
    spread = inputs.std(axis=0)
    scaled = np.where(spread > 0, (inputs - inputs.mean(axis=0)) / np.where(spread > 0, spread, 1.0), 0.0)
    slopes = np.linalg.lstsq(scaled, answers - answers.mean(), rcond=None)[0]
    whole = float(answers.var())
    return np.asarray(slopes**2 / whole if whole > 0 else np.zeros(len(slopes)))


class SharedDraws:
    """Draws (p, d) between 0 and 1 from which all shares of the variance follow, those of parameters by themselves and
    with all they do together (Saltelli et al., Computer Physics Communications 181 (2010) 259).

    Raises :class:`StudyError` where there are too few.
    """

    def __init__(self, names: list[str], count: int, seed: int) -> None:
        from SALib.sample import sobol

        self._names, self._seed = names, seed
        self._problem: dict[str, Any] = {"num_vars": len(names), "names": names, "bounds": [[0.0, 1.0]] * len(names)}
        each = len(names) + 2
        bases = 2 ** int(np.floor(np.log2(max(count // each, 1))))
        if bases < _FEWEST:
            raise StudyError(
                f"shares of {len(names)} parameters want {_FEWEST * each} cases at least; there are {count}"
            )
        self.draws: Floats = sobol.sample(self._problem, bases, calc_second_order=False, seed=seed)
        #: The first and the last of each set: they are drawn independently of each other.
        place = np.arange(len(self.draws)) % each
        self.independent = (place == 0) | (place == each - 1)

    def told(self, answers: Floats) -> dict[str, float]:
        """Return the shares of answers (p,) at all draws, with half of the interval each lies in by 95 %."""
        from SALib.analyze import sobol

        if not answers.std() > 0:
            return {}
        found = sobol.analyze(self._problem, answers, calc_second_order=False, seed=self._seed)
        told: dict[str, float] = {}
        for head, key in (("share of", "S1"), ("with others", "ST")):
            for name, share, sure in zip(self._names, found[key], found[f"{key}_conf"], strict=True):
                told |= {f"{head} {name}": float(share), f"± {head} {name}": float(sure)}
        return told


#: Sets of draws below which shares are no better than guessed.
_FEWEST = 16
