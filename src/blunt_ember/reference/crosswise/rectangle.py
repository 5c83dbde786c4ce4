"""A rectangle with even generation, each edge held, heated by a flux, or behind a film: a series of eigenfunctions.

T = P(x) + Σ Xₙ(x) Yₙ(y): P takes the generation and what the two edges across x meet, Xₙ are the cosines that both
edges leave alone, Yₙ the exponentials that bring in the other two. Conductivities along x and y may differ.

Sources: Carslaw & Jaeger, *Conduction of Heat in Solids*, 2nd ed. (1959), secs. 5.2–5.6 (rectangle), 1.17–1.20
(directional conductivity); Özışık, *Heat Conduction*, 2nd ed. (1993), table 2-2 (eigenfunctions for all pairs of ends).
"""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.immutable import immutable
from blunt_ember.reference.crosswise.limits import extrapolated
from blunt_ember.reference.side import Side

RECTANGLE_SOURCE = "Carslaw & Jaeger (1959), secs. 5.2–5.6: series for a rectangle"
#: Terms summed on the edges themselves, where the series falls off slowest, and pairs of place and term at once.
MOST_TERMS = 60_000
_AT_ONCE = 4_000_000
#: A term with an exponent beyond this adds nothing to a double.
_SPENT = 40.0
#: Terms of the partial sums from which the sum of a heat flow is extrapolated.
_SUMS = (500, 1_000, 2_000, 4_000, 8_000, 16_000)


@immutable
class RectangleSeries:
    """0 ≤ x ≤ ``width``, 0 ≤ y ≤ ``height`` (m), ``kx`` and ``ky`` in W/(m K), ``generation`` in W/m³."""

    width: float
    height: float
    kx: float
    ky: float
    generation: float
    left: Side
    right: Side
    bottom: Side
    top: Side

    def __post_init__(self) -> None:
        edges = (self.left, self.right, self.bottom, self.top)
        if any(edge.radiation for edge in edges):
            raise ReferenceRefusedError("an edge radiates, for which no series is known")
        if not any(edge.drives for edge in edges):
            raise ReferenceRefusedError("no edge is held or meets a fluid, so any temperature would do")

    @cached_property
    def _upright(self) -> RectangleSeries | None:
        """The same with x and y exchanged where the edges across x hold no temperature; else None."""
        if self.left.drives or self.right.drives:
            return None
        return replace(
            self,
            width=self.height,
            height=self.width,
            kx=self.ky,
            ky=self.kx,
            left=self.bottom,
            right=self.top,
            bottom=self.left,
            top=self.right,
        )

    @cached_property
    def _along(self) -> tuple[float, float, float]:
        """P = a + b x + c x², as (a, b, c)."""
        curve, width = -self.generation / (2 * self.kx), self.width
        # Rows: what enters at the left goes on as −k P'(0), what arrives at the right leaves there.
        matrix, right = np.zeros((2, 2)), np.zeros(2)
        if self.left.held is not None:
            matrix[0], right[0] = (1, 0), self.left.held
        else:
            matrix[0], right[0] = (self.left.h, -self.kx), self.left.flux + self.left.h * self.left.fluid
        if self.right.held is not None:
            matrix[1], right[1] = (1, width), self.right.held - curve * width**2
        else:
            h = self.right.h
            matrix[1] = h, h * width + self.kx
            right[1] = self.right.flux + h * self.right.fluid - curve * (h * width**2 + 2 * self.kx * width)
        a, b = np.linalg.solve(matrix, right)
        return float(a), float(b), curve

    @cached_property
    def _waves(self) -> tuple[Floats, Floats, Floats, Floats]:
        """λ in 1/m and phases φ of Xₙ = cos(λx − φ), and the factors of exp(−μ(H − y)) and exp(−μy) in Yₙ."""
        n = np.arange(MOST_TERMS, dtype=float)
        low, high = n * np.pi / self.width, (n + 1) * np.pi / self.width
        for _ in range(60):
            middle = (low + high) / 2
            first, last = _phase(self.left, self.kx, middle), _phase(self.right, self.kx, middle)
            beyond = middle * self.width - first - last - n * np.pi > 0
            low, high = np.where(beyond, low, middle), np.where(beyond, middle, high)
        wave = (low + high) / 2
        for _ in range(2):  # bisection leaves the last digits to Newton's method
            first, last = _phase(self.left, self.kx, wave), _phase(self.right, self.kx, wave)
            gap = wave * self.width - first - last - n * np.pi
            slope = self.width + _bend(self.left, self.kx, wave) + _bend(self.right, self.kx, wave)
            wave = wave - gap / slope
        phase = _phase(self.left, self.kx, wave)
        end = wave * self.width - phase
        norm = self.width / 2 + (np.sin(2 * end) + np.sin(2 * phase)) / (4 * wave)
        whole = (np.sin(end) + np.sin(phase)) / wave  # ∫ X
        a, b, c = self._along
        width = self.width
        at_end, slope_end = a + b * width + c * width**2, b + 2 * c * width
        # ∫ P X by parts, as X'' = −λ² X and P'' is constant.
        edge = (at_end * -wave * np.sin(end) - slope_end * np.cos(end)) - (a * wave * np.sin(phase) - b * np.cos(phase))
        curved = -(2 * c * whole + edge) / wave**2
        mu = wave * np.sqrt(self.kx / self.ky)
        decay = np.exp(-mu * self.height)
        rows = [
            _edge_row(self.top, self.ky, mu, decay, whole, curved),
            _edge_row(self.bottom, self.ky, mu, decay, whole, curved),
        ]
        (near, far, given), (near_b, far_b, given_b) = rows
        # The wave that dies away from the top is 1 there and `decay` at the bottom, the other the reverse.
        determinant = near * near_b - far * far_b
        up = (given * near_b - far * given_b) / determinant / norm
        down = (near * given_b - far_b * given) / determinant / norm
        return wave, phase, up, down

    def temperature_at(self, points: Floats) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m; on a held edge its temperature."""
        if self._upright is not None:
            return self._upright.temperature_at(points[:, ::-1])
        x, y = points.T
        wave, phase, up, down = self._waves
        mu = wave * np.sqrt(self.kx / self.ky)
        a, b, c = self._along
        result = a + b * x + c * x * x
        near = np.minimum(np.abs(self.height - y), np.abs(y))
        terms = np.minimum(_SPENT / np.maximum(near * mu[0], 1e-300) + 2, MOST_TERMS).astype(int)
        terms = np.minimum(4 ** np.ceil(np.log(np.maximum(terms, 4)) / np.log(4)).astype(int), MOST_TERMS)
        for count in np.unique(terms).tolist():
            places = np.flatnonzero(terms == count)
            for some in np.array_split(places, len(places) * count // _AT_ONCE + 1):
                # Small terms first, so that round-off does not add up.
                own = slice(count - 1, None, -1) if count < MOST_TERMS else slice(None, None, -1)
                across = np.cos(np.outer(x[some], wave[own]) - phase[own])
                rise = up[own] * np.exp(-np.outer(self.height - y[some], mu[own]))
                rise += down[own] * np.exp(-np.outer(y[some], mu[own]))
                result[some] += (across * rise).sum(axis=1)
        for edge, place, size in ((self.bottom, 0.0, self.height), (self.top, self.height, self.height)):
            if edge.held is not None:
                result = np.where(np.abs(y - place) <= 1e-12 * size, edge.held, result)
        inside = (x > -1e-9 * self.width) & (x < self.width * (1 + 1e-9))
        inside &= (y > -1e-9 * self.height) & (y < self.height * (1 + 1e-9))
        return np.where(inside, result, np.nan)

    def heat(self, edge: str) -> float:
        """Heat in W/m that enters through an edge (``left``, ``right``, ``bottom``, ``top``).

        NaN where it grows without bound, as held edges of two temperatures meet in a corner.
        """
        if self._upright is not None:
            turned = {"left": "bottom", "right": "top", "bottom": "left", "top": "right"}
            return self._upright.heat(turned[edge])
        side: Side = getattr(self, edge)
        neighbours = (self.bottom, self.top) if edge in ("left", "right") else (self.left, self.right)
        if side.held is not None and any(n.held is not None and n.held != side.held for n in neighbours):
            return float("nan")
        return self._through(edge)

    def _through(self, edge: str) -> float:
        wave, phase, up, down = self._waves
        mu = wave * np.sqrt(self.kx / self.ky)
        _, b, c = self._along
        decay = np.exp(-mu * self.height)
        if edge in ("left", "right"):
            slope = b if edge == "left" else b + 2 * c * self.width
            bent = wave * np.sin(phase) if edge == "left" else -wave * np.sin(wave * self.width - phase)
            sign = -1.0 if edge == "left" else 1.0
            terms = bent * (up + down) * (1 - decay) / mu
            return sign * self.kx * (slope * self.height + _extrapolated(terms))
        whole = (np.sin(wave * self.width - phase) + np.sin(phase)) / wave
        rise = mu * (up - down * decay) if edge == "top" else mu * (down - up * decay)
        return self.ky * _extrapolated(whole * rise)


def _phase(side: Side, k: float, wave: Floats) -> Floats:
    """φ with tan φ = h/(kλ): a quarter turn at a held end, none at an insulated one."""
    if side.held is not None:
        return np.full(wave.shape, np.pi / 2)
    return np.arctan2(side.h / k, wave)


def _bend(side: Side, k: float, wave: Floats) -> Floats:
    """−dφ/dλ."""
    if side.held is not None:
        return np.zeros(wave.shape)
    ratio = side.h / k
    return ratio / (wave**2 + ratio**2)


def _edge_row(
    side: Side, k: float, mu: Floats, decay: Floats, whole: Floats, curved: Floats
) -> tuple[Floats, Floats, Floats]:
    """What an edge demands of Yₙ: factors of the wave that is 1 there, of the one that is ``decay`` there, and what
    they add up to."""
    if side.held is not None:
        return np.ones(mu.shape), decay, side.held * whole - curved
    given = (side.flux + side.h * side.fluid) * whole - side.h * curved
    return k * mu + side.h, (side.h - k * mu) * decay, given


def _extrapolated(terms: Floats) -> float:
    """The sum of all terms, whose partial sums approach it in powers of 1/N."""
    return extrapolated([float(terms[:count][::-1].sum()) for count in _SUMS])
