"""A cylindrical chamber with flat ends and a radiosity that differs along it: its integral equation.

B(x) = ε σ T⁴ + (1 − ε) ∫ K(x, y) B(y) dy along the meridian (E. M. Sparrow, L. U. Albers & E. R. G. Eckert, J. Heat
Transfer 84 (1962) 73, for a hole with a bottom). Every kernel is a derivative of what two coaxial discs exchange,
D = π/2 (S − √(S² − 4 r₁² r₂²)) with S = r₁² + r₂² + h². Along the side it has a bend where the two places meet, so
that of a panel with itself it is summed on both sides of each place; towards the corners panels shrink geometrically.
"""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.quadrature import gauss_rule
from blunt_ember.reference.radiating.radiosity import Network

#: Places in a panel, panels from a corner to the middle of what it ends, and how much each is shorter than the next.
_PLACES, _PANELS, _SHRINK = 12, 22, 0.35
#: Places on each side of a place along its own panel.
_INNER = 16


def round_chamber(radius: float, height: float, emissivity: tuple[float, float, float]) -> Network:
    """Return the network of the lower end, the side and the upper end of a cylinder of ``radius`` and ``height`` in m,
    each of one temperature and ``emissivity``; an opening is an end of emissivity 1.

    Good to eleven digits for heights from a fiftieth of the radius to a hundred radii.
    """
    at, weight = _panels(radius, height)
    own = np.repeat(np.arange(3), [len(each) for each in at])
    places, weights = np.concatenate(at), np.concatenate(weight)
    lower, side, upper = (own == part for part in range(3))
    around = np.where(side, 2 * np.pi * radius, 2 * np.pi * places)
    kernel = np.zeros((len(own), len(own)))
    r, z, r_up = places[lower], places[side], places[upper]
    kernel[np.ix_(lower, side)] = _end_and_side(r[:, None], z, radius)
    kernel[np.ix_(upper, side)] = _end_and_side(r_up[:, None], height - z, radius)
    kernel[np.ix_(side, lower)], kernel[np.ix_(side, upper)] = (kernel[np.ix_(end, side)].T for end in (lower, upper))
    kernel[np.ix_(lower, upper)] = _ends(r[:, None], r_up, height)
    kernel[np.ix_(upper, lower)] = kernel[np.ix_(lower, upper)].T
    taken = kernel * weights
    taken[np.ix_(side, side)] = _along_side(z, weights[side], radius)
    reflected = 1 - np.array(emissivity)[own]
    # What falls on every place, W/m of the meridian, from the black emission of each part.
    emitted = np.array(emissivity)[own][:, None] * (own[:, None] == np.arange(3))
    system = np.diag(around) - taken * reflected
    falling = around[:, None] * np.linalg.solve(system, taken @ emitted)
    onto = (own == np.arange(3)[:, None]) * weights
    area = np.array([np.pi * radius**2, 2 * np.pi * radius * height, np.pi * radius**2])
    return Network(area, np.array(emissivity), onto @ falling)


def _panels(radius: float, height: float) -> tuple[tuple[Floats, ...], tuple[Floats, ...]]:
    """Places along the lower end (from the axis), the side (from below) and the upper end, and their weights, m."""
    towards = np.concatenate([[0.0], _SHRINK ** np.arange(_PANELS - 1, -1, -1.0)])
    end = _cut(radius * (1 - towards[::-1]), height)
    half = height / 2 * towards
    side = _cut(np.concatenate([half, height - half[-2::-1]]), radius)
    place, weight = gauss_rule(_PLACES)
    at, weights = [], []
    for each in (end, side, end):
        wide = np.diff(each)[:, None] / 2
        at.append((each[:-1, None] + wide * (place + 1)).ravel())
        weights.append((wide * weight).ravel())
    return tuple(at), tuple(weights)


def _cut(ends: Floats, most: float) -> Floats:
    """Ends of panels, of which those longer than ``most`` are cut into equal ones."""
    number = np.ceil(np.diff(ends) / most).astype(int)
    parts = [low + (high - low) * np.arange(n) / n for low, high, n in zip(ends, ends[1:], number, strict=False)]
    return np.concatenate([*parts, ends[-1:]])


def _along_side(z: Floats, weights: Floats, radius: float) -> Floats:
    """What places (n,) of the side take in from each other, with the weights (n,) of these, m."""
    taken = _of_side(np.abs(z[:, None] - z), radius) * weights
    place, inner, inner_weight = gauss_rule(_PLACES)[0], *gauss_rule(_INNER)
    # Both parts of a panel about each of its places, on −1 … 1.
    half = np.stack([1 + place, 1 - place], axis=1)[..., None] / 2
    at = (np.stack([place - 1, place + 1], axis=1)[..., None] / 2 + half * inner).reshape(_PLACES, -1)
    share = (half * inner_weight).reshape(_PLACES, -1)
    through = _lagrange(place, at)
    for begin in range(0, len(z), _PLACES):
        panel = slice(begin, begin + _PLACES)
        long = float(weights[panel].sum()) / 2
        kernel = _of_side(long * np.abs(at - place[:, None]), radius) * share * long
        taken[panel, panel] = np.einsum("ps,psq->pq", kernel, through)
    return taken


def _lagrange(nodes: Floats, at: Floats) -> Floats:
    """The polynomials (…, n) that are 1 at one of ``nodes`` (n,) and 0 at the others."""
    apart = nodes[:, None] - nodes + np.eye(len(nodes))
    factors = np.where(np.eye(len(nodes), dtype=bool), 1.0, (at[..., None, None] - nodes) / apart)
    return np.asarray(factors.prod(axis=-1))


def _of_side(apart: Floats, radius: float) -> Floats:
    """∂²D/∂h² of two rings of the side."""
    root = np.sqrt(apart**2 + 4 * radius**2)
    # 1 − h (h² + 6 R²)/s³, without loss of digits where they are far apart.
    bend = (12 * radius**4 * apart**2 + 64 * radius**6) / (root**3 * (root**3 + apart * (apart**2 + 6 * radius**2)))
    return np.asarray(np.pi * bend)


def _end_and_side(r: Floats, z: Floats, radius: float) -> Floats:
    """−∂²D/∂r∂z of a ring of an end and one of the side."""
    square = _root_square(r, radius, z)
    return np.asarray(4 * np.pi * z * r * radius**2 * (radius**2 - r**2 + z**2) / square**1.5)


def _ends(r: Floats, other: Floats, height: float) -> Floats:
    """∂²D/∂r₁∂r₂ of rings of two ends."""
    square = _root_square(r, other, height)
    return np.asarray(4 * np.pi * r * other * (r**2 + other**2 + height**2) * height**2 / square**1.5)


def _root_square(r: Floats, other: Floats | float, apart: Floats | float) -> Floats:
    """S² − 4 r₁² r₂², m⁴, where radii are near each other too."""
    return np.asarray(((r - other) ** 2 + apart**2) * ((r + other) ** 2 + apart**2))
