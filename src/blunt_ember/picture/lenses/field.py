"""What a lens shows, and how it is coloured, as plain data for the renderer."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import cached_property

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.display import in_shown_unit, number
from blunt_ember.case.values.units import TEMPERATURE, Kind
from blunt_ember.flow.outcome import Outcome
from blunt_ember.immutable import immutable
from blunt_ember.picture.body.flow_lines import FlowLines
from blunt_ember.picture.look import CutPlane, Look
from blunt_ember.picture.palette import difference_map, temperature_map

#: Colours in a map, and steps of a scale that is divided by tens.
_COLOURS = 512
_DECADES = 4.0
#: About so many bands.
_BANDS = 12
#: Where so few values lie beyond the others, as at a corner held at two temperatures, they do not set the range.
_FEW, _BEYOND = 0.02, 3.0


@immutable
class Field:
    """What a lens shows: values (m, k) in SI at the nodes of each cell, for each block, and the ends of their range.

    ``signed`` values are coloured about zero; those that are ``positive`` may be coloured by tens. ``follow`` gives the
    lines that follow the heat, where there are any, ``flux`` the heat flux (p, d) in W/m² at places (p, d) in m.
    A field of ``surfaces`` is known on them alone, and NaN at all other nodes.
    """

    what: str
    kind: Kind
    values: tuple[Floats, ...]
    ends: tuple[float, float]
    signed: bool = False
    positive: bool = False
    follow: Callable[[], FlowLines] | None = None
    flux: Callable[[Floats], Floats] | None = None
    surfaces: frozenset[str] = frozenset()


@immutable
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
    #: Those that are coloured, where a field is known on surfaces alone.
    surfaces: frozenset[str] = frozenset()

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
        field.surfaces,
    )


def ends_of(values: tuple[Floats, ...]) -> tuple[float, float]:
    """Return the least and the greatest of values, SI."""
    lows, highs = zip(*((np.nanmin(block), np.nanmax(block)) for block in values), strict=True)
    return float(min(lows)), float(max(highs))


def reach_of(gap: tuple[Floats, ...]) -> float:
    """Return how far values go from nothing, but for a few that go much farther."""
    sizes = np.abs(np.concatenate([block.ravel() for block in gap]))
    sizes = sizes[~np.isnan(sizes)]
    if not len(sizes):
        return 1.0
    most, usual = float(sizes.max()), float(np.quantile(sizes, 1 - _FEW))
    return usual if 0 < _BEYOND * usual < most else most


def _round_step(step: float) -> float:
    size = 10.0 ** np.floor(np.log10(step))
    return float(size * next(nice for nice in (1, 2, 5, 10) if nice >= step / size * (1 - 1e-9)))
