"""Lenses: what of an outcome is drawn on the body, as plain data for the renderer."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache, cached_property

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.display import in_shown_unit, number
from blunt_ember.case.values.units import HEAT_FLUX, TEMPERATURE, TEMPERATURE_DIFFERENCE, Kind
from blunt_ember.fem.reading import flux_at, flux_at_nodes
from blunt_ember.fem.recovery import recovered
from blunt_ember.flow.outcome import Outcome
from blunt_ember.geometry.space import Solid
from blunt_ember.picture.body.flow_lines import FlowLines, flow_lines
from blunt_ember.picture.look import SOLVED, CutPlane, Lens, Look
from blunt_ember.picture.palette import difference_map, temperature_map

#: Colours in a map, and steps of a scale that is divided by tens.
_COLOURS = 512
_DECADES = 4.0
#: About so many bands.
_BANDS = 12
#: Where so few values lie beyond the others, as at a corner held at two temperatures, they do not set the range.
_FEW, _BEYOND = 0.02, 3.0


@dataclass(frozen=True)
class Field:
    """What a lens shows: values (m, k) in SI at the nodes of each cell, for each block, and the ends of their range.

    ``signed`` values are coloured about zero; those that are ``positive`` may be coloured by tens. ``follow`` gives the
    lines that follow the heat, where there are any, ``flux`` the heat flux (p, d) in W/m² at places (p, d) in m.
    """

    what: str
    kind: Kind
    values: tuple[Floats, ...]
    ends: tuple[float, float]
    signed: bool = False
    positive: bool = False
    follow: Callable[[], FlowLines] | None = None
    flux: Callable[[Floats], Floats] | None = None


@dataclass(frozen=True)
class Shade:
    """A field with the range it is coloured over, and how."""

    kind: Kind
    values: tuple[Floats, ...]
    low: float
    high: float
    what: str = "Temperature"
    signed: bool = False
    bands: bool = False
    log: bool = False
    vanish: bool = False
    #: Whether the range was narrowed below, and above.
    narrowed: tuple[bool, bool] = (False, False)
    marks: bool = False
    #: The range that the legend shows, which holds all values and the coloured range.
    outer: tuple[float, float] | None = None
    cuts: tuple[CutPlane, ...] = ()
    #: Whether only the one plane is drawn, as a flat picture.
    flat: bool = False
    #: The heat flux (p, d) in W/m² at places (p, d) in m, where arrows are drawn.
    arrows: Callable[[Floats], Floats] | None = None
    flow_lines: FlowLines | None = None

    @property
    def scale(self) -> Shade:
        """The shade over the whole range that the legend shows."""
        low, high = self.outer or (self.low, self.high)
        return replace(self, low=low, high=high)

    @property
    def title(self) -> str:
        """What the legend says above its colours."""
        return f"{self.what}, {self.kind.shown}"

    def places(self, values: Floats) -> Floats:
        """Return where values lie on the scale, 0 at its lower and 1 at its upper end."""
        if self.log:
            with np.errstate(divide="ignore", invalid="ignore"):
                place = np.log(values / self.low) / np.log(self.high / self.low)
            return np.where(values > 0, place, -1.0)
        return (values - self.low) / (self.high - self.low)

    def value_at(self, place: float) -> float:
        """Return the value at a place of the scale."""
        if self.log:
            return float(self.low * (self.high / self.low) ** place)
        return self.low + place * (self.high - self.low)

    @cached_property
    def levels(self) -> Floats:
        """Round values inside the range, where bands meet and lines of one value are drawn."""
        ticks = self.ticks(_BANDS)
        return np.array([self.value_at(place) for place, _ in ticks if 1e-9 < place < 1 - 1e-9])

    @cached_property
    def colours(self) -> Floats:
        """Colours (c, 3) in 0…1 along the scale from its lower end."""
        base = difference_map(_COLOURS) if self.signed else temperature_map(_COLOURS)
        if not self.bands:
            return base
        edges = np.concatenate([[0.0], self.places(self.levels), [1.0]])
        at = (np.arange(_COLOURS) + 0.5) / _COLOURS
        band = np.clip(np.searchsorted(edges, at, side="right") - 1, 0, len(edges) - 2)
        # The first band has the first colour of the map and the last the last, so that neighbours differ most.
        return base[np.round(band / max(len(edges) - 2, 1) * (_COLOURS - 1)).astype(int)]

    def ticks(self, count: int = 5) -> list[tuple[float, str]]:
        """Return (share of the range, text) of round values between the ends."""
        if self.log:
            return self._decades(count)
        low, high = in_shown_unit(self.low, self.kind), in_shown_unit(self.high, self.kind)
        step = _round_step((high - low) / count)
        first = np.ceil(low / step - 1e-9) * step
        values = np.arange(first, high + 1e-9 * step, step)
        values[np.abs(values) < 1e-9 * step] = 0.0
        return [((v - low) / (high - low), number(v)) for v in values.tolist()]

    def _decades(self, count: int) -> list[tuple[float, str]]:
        low, high = (np.log10(in_shown_unit(end, self.kind)) for end in (self.low, self.high))
        nice = (1.0, 2.0, 5.0) if (high - low) * 3 <= count + 2 else (1.0,)
        powers = np.arange(np.floor(low), np.ceil(high) + 1)
        values = np.array([digit * 10.0**power for power in powers for digit in nice])
        shares = (np.log10(values) - low) / (high - low)
        kept = (shares > -1e-9) & (shares < 1 + 1e-9)
        return list(zip(shares[kept].tolist(), [number(value, 3) for value in values[kept].tolist()], strict=True))


def lens_parts(outcome: Outcome, lens: Lens) -> tuple[str, ...]:
    """Return what of a lens can be chosen, the first is shown when nothing is; nothing where there is no choice."""
    mesh = outcome.mesh
    if mesh is None:
        return ()
    if lens == "Heat flow" and mesh.dimension > 1:
        along = tuple(f"along {axis}" for axis in "xyz"[: mesh.dimension])
        about = ("radial", "tangential") if "theta" in mesh.space.variables(mesh.points[:1]) else ()
        return ("size", *along, *about)
    if lens == "Error":
        return ("estimated", "against exact") if outcome.exact_now is not None else ("estimated",)
    if lens == "Difference":
        return (
            *(("mesh − exact",) if outcome.exact_now is not None else ()),
            *(("now − kept",) if outcome.kept is not None else ()),
        )
    return ()


def field_of(outcome: Outcome, lens: Lens, part: str = "") -> Field | None:
    """Return what a lens shows of an outcome; None for lenses that show no field, or while there is none."""
    mesh, solution, problem = outcome.mesh, outcome.solution, outcome.problem
    if mesh is None or solution is None or problem is None or lens not in SOLVED:
        return None
    units, parts = outcome.case.units, lens_parts(outcome, lens)
    chosen = part if part in parts else next(iter(parts), "")
    if lens == "Temperature":
        values = tuple(solution.temperature[block.nodes] for block in mesh.blocks)
        ends = float(solution.temperature.min()), float(solution.temperature.max())
        return Field("Temperature", units.of(TEMPERATURE), values, ends)
    if lens == "Heat flow":
        return _heat_flow(outcome, chosen)
    if lens == "Error" and chosen == "estimated":
        found = recovered(problem, solution.temperature, outcome.t)
        spread = tuple(
            np.broadcast_to(missed[:, None], block.nodes.shape)
            for missed, block in zip(found.missed, mesh.blocks, strict=True)
        )
        ends = _ends(spread)[0], _reach(spread)
        return Field("Error of heat flux", units.of(HEAT_FLUX), spread, ends, positive=True)
    gap = _gap(outcome, chosen)
    if gap is None:
        return None
    kind = units.of(TEMPERATURE_DIFFERENCE)
    if lens == "Error":
        size = tuple(np.abs(block) for block in gap)
        return Field("Error of temperature", kind, size, (0.0, _reach(gap)), positive=True)
    far = _reach(gap)
    return Field(chosen, kind, gap, (-far, far), signed=True)


def shaded(field: Field, look: Look, outcome: Outcome | None = None) -> Shade:
    """Return a field with the range it is coloured over."""
    low, high = field.ends
    run = outcome.run if outcome is not None else None
    if run is not None and look.whole_run and look.lens == "Temperature":
        low, high = float(run.lowest.min()), float(run.highest.max())
    if high - low < 1e-9 * max(abs(high), abs(low), 1e-30):  # an even field still needs a range to be coloured over
        middle = 0.5 if field.kind.name == TEMPERATURE.name else max(abs(high), 1.0) * 0.5
        low, high = low - middle, high + middle
    narrowed = (look.low is not None and look.low > low, look.high is not None and look.high < high)
    ends = low, high
    low = look.low if look.low is not None else low
    high = look.high if look.high is not None else high
    log = look.log and field.positive and high > 0
    if log and look.low is None:
        smallest = min((float(block[block > 0].min(initial=np.inf)) for block in field.values), default=high)
        low = max(smallest, high / 10**_DECADES, 1e-300) if smallest < high else high / 10
    if log:
        ends = min(low, high), max(ends[1], high)
    if not low < high or (log and low <= 0):
        (low, high), log, narrowed = ends, False, (False, False)
    lines = field.follow() if field.follow is not None and look.over == "flow lines" else None
    arrows = field.flux if look.over == "arrows" else None
    face = look.face
    return Shade(
        field.kind,
        field.values,
        low,
        high,
        field.what,
        field.signed,
        look.bands,
        log,
        look.vanish,
        narrowed,
        look.marks,
        (min(ends[0], low), max(ends[1], high)),
        look.cuts if face is None else (face,),
        face is not None,
        arrows,
        lines,
    )


def shade(outcome: Outcome, look: Look | Lens) -> Shade | None:
    """Return what a look colours the body by; None for lenses that show no field, or while there is none."""
    chosen = look if isinstance(look, Look) else Look(look)
    field = field_of(outcome, chosen.lens, chosen.part)
    return None if field is None else shaded(field, chosen, outcome)


def _heat_flow(outcome: Outcome, part: str) -> Field:
    mesh, solution, problem = outcome.mesh, outcome.solution, outcome.problem
    assert mesh is not None and solution is not None and problem is not None
    fluxes = flux_at_nodes(problem, solution.temperature, outcome.t)
    kind = outcome.case.units.of(HEAT_FLUX)
    follow = cache(lambda: flow_lines(mesh, fluxes)) if mesh.dimension > 1 else None

    def flux_of(places: Floats) -> Floats:
        return flux_at(problem, solution.temperature, places, outcome.t)

    flux = flux_of if mesh.dimension > 1 else None
    if part in ("", "size"):
        sizes = tuple(np.linalg.norm(each, axis=-1) for each in fluxes)
        ends = 0.0, _reach(sizes)
        return Field("Heat flux", kind, sizes, ends, False, True, follow, flux)
    if part.startswith("along "):
        axis = "xyz".index(part[-1])
        values = tuple(each[..., axis] for each in fluxes)
    else:
        values = tuple(
            (each * _direction(mesh.points[block.nodes], part, outcome)).sum(axis=-1)
            for each, block in zip(fluxes, mesh.blocks, strict=True)
        )
    far = _reach(values)
    return Field(f"Heat flux {part}", kind, values, (-far, far), True, follow=follow, flux=flux)


def _direction(points: Floats, part: str, outcome: Outcome) -> Floats:
    """Unit vectors (…, d) away from the axis that r and theta of formulas go about, or the way round it."""
    assert outcome.mesh is not None
    theta = outcome.mesh.space.variables(points)["theta"]
    cosine, sine = np.cos(theta), np.sin(theta)
    first, second = (cosine, sine) if part == "radial" else (-sine, cosine)
    if points.shape[-1] == 2:
        return np.stack([first, second], axis=-1)
    nil = np.zeros_like(theta)
    turned = isinstance(outcome.mesh.space, Solid) and outcome.mesh.space.turned
    return np.stack([first, nil, second] if turned else [first, second, nil], axis=-1)


def _gap(outcome: Outcome, part: str) -> tuple[Floats, ...] | None:
    """Temperature of the mesh less that of an exact field, or of an answer that was kept, at the nodes of the cells."""
    mesh, solution, exact = outcome.mesh, outcome.solution, outcome.exact_now
    assert mesh is not None and solution is not None
    if part == "now − kept":
        return None if outcome.kept is None else outcome.kept.less(mesh, solution.temperature)
    if exact is None:
        return None
    gaps = []
    for block in mesh.blocks:
        known = np.empty(block.nodes.shape)
        for region in np.unique(block.region).tolist():
            own = block.region == region
            nodes, back = np.unique(block.nodes[own], return_inverse=True)
            known[own] = exact.temperature(mesh.points[nodes], region)[back].reshape(known[own].shape)
        gaps.append(solution.temperature[block.nodes] - known)
    return tuple(gaps)


def _ends(values: tuple[Floats, ...]) -> tuple[float, float]:
    lows, highs = zip(*((np.nanmin(block), np.nanmax(block)) for block in values), strict=True)
    return float(min(lows)), float(max(highs))


def _reach(gap: tuple[Floats, ...]) -> float:
    """How far values go from nothing, but for a few that go much farther."""
    sizes = np.abs(np.concatenate([block.ravel() for block in gap]))
    sizes = sizes[~np.isnan(sizes)]
    if not len(sizes):
        return 1.0
    most, usual = float(sizes.max()), float(np.quantile(sizes, 1 - _FEW))
    return usual if 0 < _BEYOND * usual < most else most


def _round_step(step: float) -> float:
    size = 10.0 ** np.floor(np.log10(step))
    return float(size * next(nice for nice in (1, 2, 5, 10) if nice >= step / size * (1 - 1e-9)))
