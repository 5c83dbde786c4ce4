"""Names of what the edges of a plan sweep and of what its columns end with."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.case.document.bodies import PLAN_SIDES
from blunt_ember.geometry.arrangement import VOID, Arrangement
from blunt_ember.geometry.path import Path, Round, Upward
from blunt_ember.geometry.regions import RegionGeometry, Surface
from blunt_ember.geometry.section import SectionGeometry, SectionSurface, side_name
from blunt_ember.geometry.surface_parts import PartsByName
from blunt_ember.immutable import immutable

#: What closes a sweep at its two ends.
_ENDS = {Upward: ("bottom", "top"), Round: ("first cut", "last cut")}


@immutable
class SideCuts:
    """Parts cut out of the sides of a solid: (name, edges of the plan, lowest and highest place along the path)."""

    parts: tuple[tuple[str, frozenset[int], float, float], ...]

    def of_edge(self, edge: int) -> tuple[str, ...]:
        """Names of the parts an edge belongs to."""
        return tuple(name for name, edges, _, _ in self.parts if edge in edges)

    def at(self, edge: int, along: float) -> list[str]:
        """Names of the parts that hold an edge at a place along the path, in the order they were cut."""
        return [name for name, edges, low, high in self.parts if edge in edges and low <= along <= high]


class SweptNames:
    """Names of what every edge of the plan sweeps and of what every column ends with, gathered in order."""

    def __init__(
        self,
        regions: tuple[RegionGeometry, ...],
        plan_of: list[int],
        plan_names: list[str],
        plan: SectionGeometry,
        stated: Ints,
        holds: Ints,
        reaches: Flags,
        path: Path,
        parts: PartsByName,
        cuts: SideCuts,
        columns: Mapping[str, Flags],
    ) -> None:
        self.plan, self._parts, self._cuts, self._columns = plan, parts, cuts, columns
        self._regions, self._plan_of, self._plan_names = regions, plan_of, plan_names
        self._holds, self._path = holds, path
        #: Which regions of the plan stand behind each station at all, (regions of the plan, slabs).
        self._stands = np.zeros((len(plan_names), reaches.shape[1]), dtype=bool)
        np.logical_or.at(self._stands, plan_of, reaches)
        self._found: dict[str, tuple[tuple[int, ...], float]] = {}
        self.sides: dict[tuple[str, int], str] = {}
        self.ends: dict[tuple[int, int], str] = {}
        for group, surface in plan.surfaces.items():
            self._name_sides(group, surface, plan.arrangement)
        areas = column_integral(plan.arrangement, len(holds), 1)
        if not path.closed:
            for column, area in enumerate(areas.tolist()):
                self._name_ends(column, area, stated[column])

    def surfaces(self) -> dict[str, Surface]:
        """All surfaces, outer ones first, region by region in the order they were met."""
        ordered = sorted(self._found.items(), key=lambda item: (len(item[1][0]), item[1][0]))
        return {name: Surface(name, owners, area) for name, (owners, area) in ordered}

    def _note(self, a: int, b: int, side: str, area: float, parts: Sequence[str]) -> str:
        """Add to the surface between two owners; ``side`` names it where one of them is nothing.

        Each of the ``parts`` takes it that is cut out of the surface it then is.
        """
        owners = (max(a, b),) if VOID in (a, b) else (min(a, b), max(a, b))
        names = [self._regions[owner].name for owner in owners]
        name = f"{names[0]}.{side}" if len(names) == 1 else "|".join(names)
        for part in parts:
            if part in self._parts and self._parts[part].on == name:
                name = part
        self._found[name] = (owners, self._found.get(name, ((), 0.0))[1] + area)
        return name

    def _name_sides(self, group: str, surface: SectionSurface, plan: Arrangement) -> None:
        curves, stations = plan.curves.take(surface.edges), self._path.stations
        reach = np.abs(plan.points).max() * 1e-9
        if not self._path.straight and np.abs([curves.start[:, 0], curves.end[:, 0]]).max() <= reach:
            return  # the axis sweeps nothing
        for slab in range(self._holds.shape[1]):
            area = self._path.swept_area(curves, float(stations[slab]), float(stations[slab + 1]))
            a = int(self._holds[surface.regions[0], slab])
            b = int(self._holds[surface.regions[1], slab]) if len(surface.regions) > 1 else VOID
            if a == b:
                continue
            sources = [source for source in plan.side[surface.edges[0]] if self._stands_in(source[0], slab)]
            side = self._side(max(a, b), sources) if VOID in (a, b) else ""
            middle = float(stations[slab] + stations[slab + 1]) / 2
            parts = self._cuts.at(int(surface.edges[0]), middle)
            self.sides[group, slab] = self._note(a, b, side, area, parts)

    def _stands_in(self, place: int, slab: int) -> bool:
        return place < len(self._stands) and bool(self._stands[place, slab])

    def _side(self, owner: int, sources: Sequence[tuple[int, str]]) -> str:
        if self._path.straight:
            sources = [(region, PLAN_SIDES.get(side, side)) for region, side in sources]
        return side_name(self._plan_of[owner], sources, self._plan_names)

    def _name_ends(self, column: int, area: float, stated: Ints) -> None:
        slabs = [VOID, *self._holds[column].tolist(), VOID]
        cutters = [VOID, *stated.tolist(), VOID]
        for station in range(len(slabs) - 1):
            below, above = slabs[station], slabs[station + 1]
            if below == above:
                continue
            cutter = cutters[station + (1 if above == VOID else 0)]
            # What a later void cuts open is named after the void, by its own end there.
            cutter = cutter if cutter > max(below, above) else VOID
            end = _ENDS[type(self._path)][int((above == VOID) != (cutter != VOID))]
            by = f"{self._regions[cutter].name} " if cutter != VOID else ""
            parts = [name for name, own in self._columns.items() if own[column]]
            self.ends[column, station] = self._note(below, above, by + end, area, parts)


def column_integral(plan: Arrangement, count: int, power: int) -> Floats:
    """Return ∫ x^(power − 1) dA of every column (c,), by Green's theorem: the area in m², or its moment in m³."""
    nodes, weights = np.polynomial.legendre.leggauss(12)
    total = np.zeros(len(plan.curves))
    for node, weight in zip(nodes.tolist(), weights.tolist(), strict=True):
        share = np.full(len(plan.curves), (node + 1) / 2)
        x, rise = plan.curves.at(share)[:, 0], plan.curves.direction(share)[:, 1] * plan.curves.length / 2
        total += weight * x**power / power * rise
    result = np.zeros(count)
    for sign, side in ((1.0, plan.left), (-1.0, plan.right)):
        own = side != VOID
        np.add.at(result, side[own], sign * total[own])
    return result
