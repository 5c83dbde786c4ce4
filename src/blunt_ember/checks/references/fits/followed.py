"""Faces on which what is stated follows the place: the field of its mean, and what is beside it as a series.

All is linear, so that the answer is that to the mean of every face, and for each face that follows the place one more
of which every other face is at nothing: modes of the face, each carried through the body.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import cached_property, partial
from typing import Any, TypeVar

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.laws import Law, constant_law
from blunt_ember.checks.references.fits import plates, plates_on_each_other, separable
from blunt_ember.checks.references.fits.field import ExactField
from blunt_ember.checks.references.fits.plates_on_each_other import PlatesField
from blunt_ember.checks.references.fits.separable import Places, SeparableField
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.laws.film import FilmLaw
from blunt_ember.fem.laws.heat_flux import FluxLaw
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.geometry.space import Space
from blunt_ember.immutable import immutable
from blunt_ember.reference.crosswise.limits import extrapolated
from blunt_ember.reference.crosswise.plans import Plan
from blunt_ember.reference.crosswise.spreading import Course, Plate, Spreading
from blunt_ember.reference.in_layers.modes import Stack
from blunt_ember.reference.side import Side

#: Modes along one axis of a face, and along each of two.
_ALONE, _OF_TWO = (32, 128, 512), (24, 48, 96, 160)
#: Modes along one axis, and along each of two, of sums from which heat is extrapolated; and the share of all terms by
#: which it may differ from the last of them, and what round-off may make of the largest term.
_SUMS_ALONE, _SUMS_OF_TWO, _SETTLES, _ROUND_OFF = (64, 128, 256, 512), (20, 40, 80, 160), 1e-4, 1e-8
#: Places along an edge at which it is looked whether two held faces meet at one temperature, and by what share they may
#: differ.
_ALONG, _MEETS = 33, 1e-9
#: What a formula may name to follow the place.
_PLACE = frozenset({"x", "y", "z", "r", "theta"})
#: Angles, in radians, at which what is said to go round an axis alike is read.
_ROUND = (0.0, 1.0, 2.4)
#: By what share it may differ there.
_ALIKE = 1e-9

Geometry = TypeVar("Geometry", SectionGeometry, SolidGeometry)


@immutable
class _Part:
    """What one face makes besides its mean, by its ``course``: ``order`` are the axes of the face and, last, the one
    through it."""

    spreading: Spreading
    course: Course
    places: Callable[[Floats], Floats]
    order: tuple[int, ...]
    #: What the face has more than in the field of the means, K, where it is held.
    held: Callable[[Floats], Floats] | None

    def heat(self, axis: int, end: int) -> float:
        """What it adds to the heat through an end of an axis of the body, per what the field is of; NaN where that is
        without bound, or its sum does not settle."""
        course = self.course
        through = axis == self.order[-1]
        if self._is_torn and not (through and end != course.end):
            return float("nan")
        plan = self.spreading.plan
        sums: list[float] = []
        for count in self._counts:
            enters, leaves = self.spreading.flows(count, course.end)
            if through:
                flow, passing = enters if end == course.end else -leaves, plan.whole(count)
            else:
                flow = (leaves - enters) / plan.modes(count) ** 2
                passing = plan.leaving(self.order.index(axis), end, count)
            flow = flow * self._first_modes(count)
            sums.append(float(flow @ passing))
        found = extrapolated(sums)
        # What cancels but for round-off is as good as settled.
        size = float(np.abs(flow) @ np.abs(passing)) + _ROUND_OFF * float(np.abs(flow).sum() * np.abs(passing).max())
        return found if abs(found - sums[-1]) <= _SETTLES * size else float("nan")

    @property
    def _counts(self) -> tuple[int, ...]:
        """Along each axis, the modes of sums from which heat is extrapolated."""
        return _SUMS_ALONE if len(self.spreading.plan.axes) == 1 else _SUMS_OF_TWO

    @cached_property
    def _of_modes(self) -> Floats:
        """What the course is of every mode, (n,) or (n, n) of the most that are taken."""
        plan, most = self.spreading.plan, self._counts[-1]
        even = np.zeros(int(plan.shut))
        whole = np.concatenate([even, self.course.of_every_mode(plan, most)])
        return np.asarray(whole.reshape((most,) * len(plan.axes)))

    def _first_modes(self, count: int) -> Floats:
        """The same of the first of each axis, as the plan lists them."""
        plan = self.spreading.plan
        return np.asarray(self._of_modes[(slice(count),) * len(plan.axes)].ravel()[int(plan.shut) :])

    @cached_property
    def _is_torn(self) -> bool:
        """Whether the face is held at another temperature than what it meets at an edge that is held too."""
        if self.held is None:
            return False
        plan, along = self.spreading.plan, np.linspace(0.0, 1.0, _ALONG)
        spans = [axis.lines[0] + (axis.lines[-1] - axis.lines[0]) * along for axis in plan.axes]
        most = float(np.abs(self.held(_grid(spans))).max())
        for number, axis in enumerate(plan.axes):
            for end, leaves in enumerate(axis.leaves):
                if np.isinf(leaves):
                    edge = [np.array([axis.lines[-1 if end else 0]]) if n == number else s for n, s in enumerate(spans)]
                    if float(np.abs(self.held(_grid(edge))).max()) > _MEETS * most:
                        return True
        return False

    def temperature(self, points: Floats, layer: int | None) -> Floats:
        """What it adds, K, at ``points`` (p, d) in m."""
        places = self.places(points)[:, list(self.order)]
        found = self.spreading.temperature_at(places, layer, with_mean=False)
        if self.held is None:
            return found
        end, whole = self.course.end, self.spreading.plates[-1].end
        on_face = np.abs(places[:, -1] - end * whole) <= 1e-12 * whole
        return np.where(on_face, self.held(places[:, :-1]), found)


@immutable
class FollowedField:
    """The field of the means, and the parts of the faces that follow the place."""

    base: SeparableField | PlatesField
    parts: tuple[_Part, ...]
    name: str

    @property
    def source(self) -> str:
        """That of the means."""
        return self.base.source

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, d) in m, in one region if one is given."""
        order = self.base.order
        layer = order.index(region) if region is not None and order.count(region) == 1 else None
        return self.base.temperature(points, region) + sum(part.temperature(points, layer) for part in self.parts)

    def heat(self, surface: str) -> float:
        """Heat in W through a surface: that of the means, and what the parts add, none where nothing leaves by the
        edges of their faces."""
        known = self.base.heat(surface)
        adding = [part for part in self.parts if not part.spreading.plan.shut]
        if not adding or not isinstance(self.base, SeparableField):
            return known
        at = next(
            ((n, e) for n, axis in enumerate(self.base.axes) for e in (0, 1) if axis.names[e] == (surface,)), None
        )
        if at is None:
            return float("nan")
        return known + self.base.factor * sum(part.heat(*at) for part in adding)


@immutable
class _Face:
    """Where a surface is: the axis through it and its end, with the pile behind and the plan."""

    axis: int
    end: int
    plan: Plan
    plates: tuple[Plate, ...]
    sides: tuple[Side, Side]
    counts: tuple[int, ...]


def rectangle(geometry: SectionGeometry, problem: Problem) -> ExactField:
    """Fit a rectangle of one material; raises :class:`ReferenceRefusedError` with the reason it does not hold, as all
    here do."""
    return _fitted(plates.rectangle, separable.one_rectangle, "rectangle", geometry, problem)


def layered_rectangle(geometry: SectionGeometry, problem: Problem) -> ExactField:
    """Fit a rectangle of layers of its whole width or height."""
    make = separable.layered_rectangle
    return _fitted(make, make, "layered-rectangle", geometry, problem)


def finite_cylinder(geometry: SectionGeometry, problem: Problem) -> ExactField:
    """Fit a cylinder of any length as a turned section."""
    make = separable.finite_cylinder
    return _fitted(make, make, "finite-cylinder", geometry, problem)


def plates_in_section(geometry: SectionGeometry, problem: Problem) -> ExactField:
    """Fit layers on each other in a section."""
    make = plates_on_each_other.plates_in_section
    return _fitted(make, make, "plates", geometry, problem)


def box(geometry: SolidGeometry, problem: Problem) -> ExactField:
    """Fit a box of one material."""
    return _fitted(separable.box, separable.box, "box", geometry, problem)


def upright_cylinder(geometry: SolidGeometry, problem: Problem) -> ExactField:
    """Fit an upright cylinder of one material."""
    make = separable.upright_cylinder
    return _fitted(make, make, "upright-cylinder", geometry, problem)


def plates_in_space(geometry: SolidGeometry, problem: Problem) -> ExactField:
    """Fit a pile of plates."""
    return _fitted(plates_on_each_other.plates, plates_on_each_other.pile, "plates", geometry, problem)


def _fitted(
    make: Callable[[Geometry, Problem], ExactField],
    of_means: Callable[[Geometry, Problem], SeparableField | PlatesField],
    name: str,
    geometry: Geometry,
    problem: Problem,
) -> ExactField:
    """What holds where nothing follows the place, else that of the means and what is beside it."""
    try:
        return make(geometry, problem)
    except ReferenceRefusedError:
        following = _following(problem)
        if not following:
            raise
    anyhow = of_means(geometry, _with_means(problem, dict.fromkeys(following, 300.0)))
    faces = {surface: _face_of(anyhow, surface) for surface in following}
    follows = {
        surface: partial(_along_face, _Read(laws, problem.mesh.space), anyhow.places, faces[surface])
        for surface, laws in following.items()
    }
    means = {surface: _mean(faces[surface].plan, follows[surface], surface) for surface in following}
    means |= {surface: level for surface in following if (level := _level(anyhow, surface, following)) is not None}
    base = of_means(geometry, _with_means(problem, means))
    parts: list[_Part] = []
    for surface, laws in following.items():
        face: _Face = faces[surface]
        beside = _Beside(follows[surface], means[surface], laws.factor)
        course = Course(face.end, beside)
        spreading = Spreading(face.plan, face.plates, face.sides, (course,), face.counts)
        order = (*(axis for axis in range(len(face.plan.axes) + 1) if axis != face.axis), face.axis)
        held = beside if laws.held is not None else None
        parts.append(_Part(spreading, course, base.places, order, held))
    return FollowedField(base, tuple(parts), name)


def _mean(plan: Plan, follows: Callable[[Floats], Floats], surface: str) -> float:
    found = plan.mean(follows)
    if not np.isfinite(found):
        raise ReferenceRefusedError(f"what is stated on {surface} jumps from place to place")
    return found


def _level(field: SeparableField | PlatesField, surface: str, following: Mapping[str, _Laws]) -> float | None:
    """The temperature of all held faces beside one that is held, K, which the field of the means has there too, so that
    it jumps at no edge; None where there is none, or several."""
    if following[surface].held is None or not isinstance(field, SeparableField):
        return None
    own = next(number for number, axis in enumerate(field.axes) if (surface,) in axis.names)
    beside = [
        (side.held, names)
        for number, axis in enumerate(field.axes)
        for side, names in zip(axis.sides, axis.names, strict=True)
        if number != own and side.held is not None
    ]
    levels = {held for held, _ in beside}
    moving = any(name in following for _, names in beside for name in names)
    return levels.pop() if len(levels) == 1 and not moving else None


def _grid(spans: list[Floats]) -> Floats:
    return np.column_stack([each.ravel() for each in np.meshgrid(*spans, indexing="ij")])


@immutable
class _Laws:
    """What of a surface follows the place: a temperature that it is ``held`` at, or a ``flux`` or a ``fluid`` behind a
    film coefficient ``h``."""

    held: Law | None = None
    flux: Law | None = None
    fluid: Law | None = None
    h: float = 0.0

    @property
    def factor(self) -> float:
        """What its values are taken times for the flux that comes in, or the temperature that is held."""
        return self.h if self.fluid is not None else 1.0

    @property
    def law(self) -> Law:
        """The one that follows the place."""
        found = self.held or self.flux or self.fluid
        assert found is not None
        return found


def _following(problem: Problem) -> dict[str, _Laws]:
    """The surfaces on which a law follows the place."""
    found: dict[str, _Laws] = {}
    for surface, law in problem.held.items():
        if _follows_place(law):
            found[surface] = _Laws(held=law)
    for surface, laws in problem.exchanges.items():
        for each in laws:
            if isinstance(each, FluxLaw) and _follows_place(each.stated):
                own = _Laws(flux=each.stated)
            elif isinstance(each, FilmLaw) and _follows_place(each.fluid) and each.h.constant is not None:
                own = _Laws(fluid=each.fluid, h=each.h.constant)
            else:
                continue
            if surface in found:
                raise ReferenceRefusedError(f"two things on {surface} follow the place")
            found[surface] = own
    return found


def _follows_place(law: Law) -> bool:
    return law.constant is None and bool(law.variables) and law.variables <= _PLACE


def _with_means(problem: Problem, means: Mapping[str, float]) -> Problem:
    """The problem with a mean in place of what follows the place on each of some surfaces."""
    following = _following(problem)

    def even(law: Law, surface: str) -> Law:
        return constant_law(means[surface], law.kind)

    held = {
        surface: even(law, surface) if surface in means and following[surface].held is law else law
        for surface, law in problem.held.items()
    }
    exchanges: dict[str, tuple[Any, ...]] = {}
    for surface, laws in problem.exchanges.items():
        own = following.get(surface)
        changed: list[Any] = []
        for law in laws:
            if own is not None and isinstance(law, FluxLaw) and law.stated is own.flux:
                changed.append(replace(law, stated=even(law.stated, surface)))
            elif own is not None and isinstance(law, FilmLaw) and law.fluid is own.fluid:
                changed.append(replace(law, fluid=even(law.fluid, surface)))
            else:
                changed.append(law)
        exchanges[surface] = tuple(changed)
    return replace(problem, held=held, exchanges=exchanges)


@immutable
class _Read:
    """Reads what follows the place on a surface, in SI."""

    laws: _Laws
    space: Space

    def __call__(self, points: Floats) -> Floats:
        return self.laws.law.at({**self.space.variables(points), "t": np.zeros(len(points))})


@immutable
class _Beside:
    """What is more than the mean of a face, times a factor, at places (p, axes) of its plan in m."""

    follows: Callable[[Floats], Floats]
    mean: float
    factor: float

    def __call__(self, places: Floats) -> Floats:
        return (self.follows(places) - self.mean) * self.factor


def _along_face(read: _Read, places: Places, face: _Face, on_plan: Floats) -> Floats:
    """Values (p,) at places (p, axes) in m of the plan of a face."""
    level = face.end * face.plates[-1].end
    coordinates = np.insert(on_plan, face.axis, level, axis=1)
    values = [read(places.points(coordinates, angle)) for angle in (_ROUND if places.radial else _ROUND[:1])]
    reach = float(np.abs(values[0]).max())
    if any(np.abs(each - values[0]).max() > _ALIKE * reach for each in values[1:]):
        raise ReferenceRefusedError("what is stated on an end is not the same all round")
    return values[0]


def _face_of(field: SeparableField | PlatesField, surface: str) -> _Face:
    if isinstance(field, PlatesField):
        pile = field.spreading
        for end, names in enumerate(field.ends):
            if names == (surface,):
                counts = _ALONE if len(pile.plan.axes) == 1 else _OF_TWO
                return _Face(len(pile.plan.axes), end, pile.plan, pile.plates, _at_nothing(pile.sides), counts)
        raise ReferenceRefusedError(f"'{surface}' is no whole end of the plates")
    for axis, own in enumerate(field.axes):
        for end, names in enumerate(own.names):
            if names == (surface,):
                return _separable_face(field, axis, end)
    raise ReferenceRefusedError(f"'{surface}' is no whole face of the body")


def _separable_face(field: SeparableField, axis: int, end: int) -> _Face:
    through, others = field.axes[axis], [own for place, own in enumerate(field.axes) if place != axis]
    if field.form == "cylinder" and axis == 0:
        raise ReferenceRefusedError("what is stated on a rim follows the place")
    if any(len(own.lines) > 2 for own in others):
        raise ReferenceRefusedError("what is stated across layers follows the place")
    along = others[0].k if len(others[0].k) == len(through.k) else others[0].k * len(through.k)
    stacks = []
    for place, own in enumerate(field.axes):
        if place != axis:
            leaves = tuple(np.inf if side.held is not None else side.h / own.k[0] for side in own.sides)
            form = field.form if place == 0 else "wall"
            stacks.append(Stack(form, own.lines, (1.0,), (1.0,), (), (leaves[0], leaves[1])))
    low, contacts = through.lines[0], (*through.contacts, *([0.0] * len(through.k)))[: len(through.k)]
    plates = tuple(
        Plate(line - low, k, k_along, 0.0, contact)
        for line, k, k_along, contact in zip(through.lines[1:], through.k, along, contacts, strict=True)
    )
    counts = _ALONE if len(others) == 1 else _OF_TWO
    return _Face(axis, end, Plan(tuple(stacks)), plates, _at_nothing(through.sides), counts)


def _at_nothing(sides: tuple[Side, Side]) -> tuple[Side, Side]:
    """The same ends, at nothing."""
    first, last = (Side(held=None if side.held is None else 0.0, h=side.h) for side in sides)
    return first, last
