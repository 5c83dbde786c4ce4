"""What else a part of a chamber sees: its mirror images, and itself again and again where it repeats."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.errors import BluntEmberError
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.motion import Motion, laid_upon
from blunt_ember.radiation.mirrors import Mirror, MirrorError, mirrors_at

#: Copies of a row that are seen each way by themselves; what is beyond is seen as a whole.
_COPIES = 2
#: Most copies round a point, lengths below this share of the body are none, and directions this near are one.
_ROUND, _FLAT, _SAME = 72, 1e-7, 1e-6


class RepeatError(BluntEmberError):
    """Surfaces between which nothing can repeat; the message says why."""


@immutable
class Images:
    """Planes that are ``mirrors`` of what is solved, and the ``copies`` of all that by rigid motions.

    Copies stand in a row without end, by a ``shift`` (d,) in m from one to the next, or all round where it is None. The
    body ends in the planes of its ``cuts``.
    """

    mirrors: tuple[Mirror, ...] = ()
    copies: tuple[Motion, ...] = ()
    shift: Floats | None = None
    cuts: tuple[Mirror, ...] = ()

    @property
    def count(self) -> int:
        """How many there are, with what is solved itself."""
        return (1 + len(self.copies)) * 2 ** len(self.mirrors)

    @property
    def last(self) -> int:
        """How many of them the last copies of a row have at both its ends."""
        return 2 * 2 ** len(self.mirrors)

    def cut(self, mesh: Mesh, name: str) -> bool:
        """Whether a surface is where the body is cut, and looks at nothing."""
        nodes = mesh.surfaces[name].nodes
        return any(not each.height(mesh.points)[nodes].any() for each in self.cuts)

    def of(self, points: Floats) -> list[tuple[Floats, bool]]:
        """Return all images of points (n, d) in m, the points themselves first, and whether each turns what runs left
        into what runs right."""
        found = [(points, False)]
        for mirror in self.mirrors:
            found += [(mirror.image(each), not turned) for each, turned in found]
        return found + [(copy(each), turned) for copy in self.copies for each, turned in found]

    def ends(self, points: Floats, axisymmetric: bool) -> Floats:
        """Return the two faces (2, c, d) in m across a row, behind its last copies of a body with ``points`` (n, d) in
        m, which look back at it; none (0, c, d) where there is no row."""
        dimension = points.shape[1]
        if self.shift is None:
            return np.zeros((0, 2 if dimension == 2 else 4, dimension))
        every = np.concatenate([points, *(mirror.image(points) for mirror in self.mirrors)])
        along = self.shift / np.linalg.norm(self.shift)
        if dimension == 2:
            across = np.array([[-along[1], along[0]]])
        else:
            first = np.cross(along, np.eye(3)[int(np.abs(along).argmin())])
            across = np.array([first / np.linalg.norm(first), np.cross(first, along) / np.linalg.norm(first)])
        low, high = (every @ across.T).min(axis=0), (every @ across.T).max(axis=0)
        if axisymmetric:
            low, high = np.minimum(low, 0.0), np.maximum(high, 0.0)
        corners = [[low[0]], [high[0]]] if dimension == 2 else _round(low, high)
        flat = np.array(corners) @ across
        copies = max(float(abs(copy.after @ along - copy.before @ along)) for copy in self.copies)
        behind, ahead = float((every @ along).min()) - copies, float((every @ along).max()) + copies
        return np.stack([flat + ahead * along, flat[::-1] + behind * along])


def images_at(mesh: Mesh, mirrors: Sequence[str], repeats: Sequence[str]) -> Images:
    """Return the images of a mesh in the planes of its surfaces that are ``mirrors``, again and again where it
    ``repeats`` between two surfaces, of which the second laid upon the first.

    Raises :class:`MirrorError` for surfaces that are no mirrors, and :class:`RepeatError` for those that do not repeat.
    """
    planes = mirrors_at(mesh, mirrors)
    if not repeats:
        return Images(planes, cuts=planes)
    first, second = repeats
    if first == second:
        raise RepeatError(f"'{first}' is named as one end twice; name the two ends of the part that repeats")
    try:
        cuts = (*planes, *(plane for name in repeats for plane in mirrors_at(mesh, [name])))
    except MirrorError as error:
        what = f"'{first}' and '{second}' are not two flat ends with all of the body between them"
        raise RepeatError(f"{what}; name two ends of the part that repeats") from error
    step = laid_upon(mesh, mesh.surfaces[first], mesh.surfaces[second])
    size = float(np.ptp(mesh.points, axis=0).max())
    own, other = (mesh.points[mesh.surfaces[name].nodes] for name in (first, second))
    if not _fits(step(own), other, size):
        raise RepeatError(
            f"'{first}' and '{second}' do not fit upon each other; name two ends of the part that repeats"
        )
    shift = step.shift
    if shift is None:
        return Images(planes, _all_round(mesh, step, planes, repeats), cuts=cuts)
    if np.linalg.norm(shift) <= _FLAT * size:
        raise RepeatError(f"'{first}' and '{second}' lie in one place; name two ends of the part that repeats")
    if mesh.space.axisymmetric and abs(shift[0]) > _FLAT * size:
        raise RepeatError(f"'{first}' and '{second}' do not lie along the axis from each other; name two that do")
    if any(abs(float(each.normal @ shift)) > _SAME * np.linalg.norm(shift) for each in planes):
        raise RepeatError("a mirror stands across what repeats, so that images would meet; leave one of the two out")
    steps = [sign * each for each in range(1, _COPIES + 1) for sign in (1, -1)]
    still = np.zeros(mesh.dimension)
    return Images(planes, tuple(Motion(np.eye(mesh.dimension), still, each * shift) for each in steps), shift, cuts)


def _all_round(mesh: Mesh, step: Motion, planes: Sequence[Mirror], repeats: Sequence[str]) -> tuple[Motion, ...]:
    """The copies that fill a turn."""
    first, second = repeats
    turned = float(np.arccos(np.clip((np.trace(step.turn) - (mesh.dimension - 2)) / 2, -1.0, 1.0)))
    number = round(2 * np.pi / turned)
    size = float(np.ptp(mesh.points, axis=0).max())
    copies = [step]
    for _ in range(min(number, _ROUND) - 2):
        copies.append(_after(step, copies[-1]))
    places = _after(step, copies[-1])(mesh.points)
    if mesh.space.axisymmetric or np.abs(places - mesh.points).max() > _SAME * size:
        what = f"from '{first}' to '{second}' it turns by {np.degrees(turned):.4g}°, which does not fill a turn"
        raise RepeatError(f"{what} with at most {_ROUND} copies; name two ends of the part that repeats")
    if any(np.abs(each.normal @ step.turn - each.normal).max() > _SAME for each in planes):
        raise RepeatError("a mirror stands across what repeats, so that images would meet; leave one of the two out")
    return tuple(copies)


def _after(second: Motion, first: Motion) -> Motion:
    """One motion after another."""
    return Motion(second.turn @ first.turn, first.before, second(first.after[None])[0])


def _fits(places: Floats, others: Floats, size: float) -> bool:
    """Whether places (n, d) fill what others (m, d) do, as far as their bounds and middles tell."""
    bounds = [np.stack([each.min(axis=0), each.max(axis=0)]) for each in (places, others)]
    return bool(np.abs(bounds[0] - bounds[1]).max() <= _FLAT * size)


def _round(low: Floats, high: Floats) -> list[list[float]]:
    """The corners of a rectangle, counter-clockwise."""
    return [[low[0], low[1]], [high[0], low[1]], [high[0], high[1]], [low[0], high[1]]]
