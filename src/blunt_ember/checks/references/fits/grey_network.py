"""What isothermal surfaces of enclosures exchange: the network of a hand calculation."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import root

from blunt_ember.arrays import Floats
from blunt_ember.case.document.enclosures import OPENING
from blunt_ember.case.document.questions.question import RadiatedHow
from blunt_ember.checks.references.fits.field import Idealised, generation_of, side_of
from blunt_ember.checks.references.fits.seen_views import Names, SeenViews, known_views
from blunt_ember.checks.references.views.catalogue import EnclosureViews
from blunt_ember.checks.references.views.cylinder import cylinder_of
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.assembly import region_volume
from blunt_ember.fem.laws.black_body import emissive_power
from blunt_ember.fem.problem.enclosures import EnclosureLaw
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.radiated import radiated_heat
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.reference.radiosity import Network, even_network
from blunt_ember.reference.round_chamber import round_chamber
from blunt_ember.reference.side import Side

#: By how much of their views patches of a surface may differ in what they see and still be taken as one: about as much
#: as chords of round faces do.
_EVEN = 0.03
#: Heights of a cylinder, as shares of its radius, from which to which its radiosity is resolved.
_THINNEST, _DEEPEST = 0.02, 100.0
#: Share of the heat that is exchanged to which the temperatures of what floats are found.
_BALANCED = 1e-11
#: Where they are looked for, as shares of the highest temperature that is stated.
_STARTS = (0.9, 0.5, 2.0, 4.0, 8.0, 16.0)


@dataclass(frozen=True)
class _Node:
    """What has one temperature: of a surface that is held it is known, else what a part of the body gives off at it
    follows from what acts on its other ``sides`` and the ``heat``, W, that arises in it."""

    temperature: float | None
    regions: Names = ()
    sides: tuple[tuple[Side, float], ...] = ()
    heat: float = 0.0

    def gains(self, temperature: float) -> float:
        """Heat in W that comes into it besides from enclosures, at a temperature in K."""
        return self.heat + sum(side.inflow(temperature) * area for side, area in self.sides)


@dataclass(frozen=True)
class _Cell:
    """An enclosure as a network: the node of each surface, and how hot, K, it is ``behind`` an opening.

    It is ``resolved`` where radiosities that differ along surfaces are in it.
    """

    views: EnclosureViews
    network: Network
    nodes: tuple[int, ...]
    behind: float | None
    resolved: bool = False

    def power(self, temperatures: Floats) -> Floats:
        """Black emission of its surfaces, and last of the opening, W/m²."""
        own = temperatures[list(self.nodes)]
        return emissive_power(own if self.behind is None else np.append(own, self.behind))


@dataclass(frozen=True)
class NetworkField(SeenViews):
    """Isothermal grey surfaces of even radiosity: ``temperatures`` (n,) in K of the ``nodes``."""

    cells: tuple[_Cell, ...] = ()
    nodes: tuple[_Node, ...] = ()
    regions: Names = ()
    temperatures: Floats | None = None
    name: str = "grey-network"

    @property
    def source(self) -> str:
        """The network, and where its view factors are from."""
        found = []
        if any(cell.resolved for cell in self.cells):
            found.append("integral equation of a cylinder's radiosity (Sparrow, Albers & Eckert 1962)")
        if not all(cell.resolved for cell in self.cells):
            found.append(f"radiosity network of isothermal grey surfaces (Oppenheim 1956), {super().source}")
        return "; ".join(found)

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, d) of a region that has one throughout; NaN elsewhere."""
        assert self.temperatures is not None
        if region is not None:
            for node, temperature in zip(self.nodes, self.temperatures.tolist(), strict=True):
                if self.regions[region] in node.regions:
                    return np.full(len(points), temperature)
        return np.full(len(points), np.nan)

    def radiated(self, surfaces: Names, how: RadiatedHow) -> float:
        """Heat in W of surfaces; NaN where they are in no one enclosure."""
        cell = self._cell(surfaces)
        if cell is None:
            return float("nan")
        assert self.temperatures is not None
        power, network = cell.power(self.temperatures), cell.network
        incident = network.incident(power)
        emitted, absorbed = network.emissivity * network.area * power, network.emissivity * incident
        own = [cell.views.place(name) for name in surfaces]
        return float(radiated_heat(emitted, incident, absorbed, how)[own].sum())

    def exchanged(self, first: Names, second: Names) -> float:
        """Net heat in W radiated from surfaces, or the opening, to others, on every way."""
        cell = self._cell((*first, *second))
        if cell is None or (cell.behind is None and OPENING in (*first, *second)):
            return float("nan")
        assert self.temperatures is not None
        power = cell.power(self.temperatures)
        own, other = ([cell.views.place(name) for name in names] for names in (first, second))
        taken = cell.network.absorbed_from[np.ix_(other, own)]
        return float((taken * (power[own][None, :] - power[other][:, None])).sum())

    def _cell(self, surfaces: Names) -> _Cell | None:
        for cell in self.cells:
            if all(name == OPENING or name in cell.views.surfaces for name in surfaces):
                return cell
        return None


@dataclass(frozen=True)
class UnevenNetwork(Idealised, NetworkField):
    """A network of surfaces whose radiosity differs along them, which it leaves out."""


def grey_network(geometry: BodyGeometry, problem: Problem) -> NetworkField:
    """Fit the network; raise :class:`ReferenceRefusedError` where a surface is not isothermal or a view not known."""
    if problem.capacities:
        raise ReferenceRefusedError("the clock runs")
    views = known_views(geometry, problem)
    names = tuple(region.name for region in geometry.regions)
    nodes: list[_Node] = []
    cells = []
    for law, seen in zip(problem.enclosures, views, strict=True):
        places = tuple(_node_of(name, nodes, geometry, problem) for name in law.chamber.surfaces)
        cells.append(_cell_of(law, seen, places, geometry))
    temperatures = _balanced(cells, nodes)
    exactly = all(cell.resolved or is_even(law) for law, cell in zip(problem.enclosures, cells, strict=True))
    kind = NetworkField if exactly else UnevenNetwork
    return kind(views, cells=tuple(cells), nodes=tuple(nodes), regions=names, temperatures=temperatures)


def is_even(law: EnclosureLaw) -> bool:
    """Whether even radiosities are no assumption: they are stated, all is black, or all of a surface sees the same."""
    black = all(each.constant == 1 for each in law.emissivity)
    single = len(law.chamber.area) == len(law.chamber.surfaces)
    return black or single or (len(law.chamber.surfaces) < 3 and law.chamber.unevenness() <= _EVEN)


def _cell_of(law: EnclosureLaw, seen: EnclosureViews, nodes: tuple[int, ...], geometry: BodyGeometry) -> _Cell:
    emissivity = [each.constant for each in law.emissivity]
    known = [each for each in emissivity if each is not None]
    if len(known) < len(emissivity):
        raise ReferenceRefusedError(f"an emissivity in '{law.name}' is no constant")
    exchanged, area, behind = seen.exchanged[:-1, :-1], seen.area, None
    if law.opening is not None:
        behind = law.opening.constant
        if behind is None:
            raise ReferenceRefusedError(f"what is behind the opening of '{law.name}' follows the time")
        # The opening is as good as black; what it sees of itself changes nothing.
        exchanged = np.array(seen.exchanged)
        exchanged[-1, -1] = 0.0
        area, known = np.append(area, exchanged[:-1, -1].sum()), [*known, 1.0]
    if np.isnan(exchanged).any():
        raise ReferenceRefusedError(f"not every view factor in '{law.name}' is known in closed form")
    cylinder = None if is_even(law) else cylinder_of(seen, geometry)
    if cylinder is None or not _THINNEST <= cylinder.height / cylinder.radius <= _DEEPEST:
        return _Cell(seen, even_network(area, np.array(known), exchanged), nodes, behind)
    lower, side, upper = ([*known, 1.0][row] for row in cylinder.rows)
    network = round_chamber(cylinder.radius, cylinder.height, (lower, side, upper))
    return _Cell(seen, network.taken(np.argsort(cylinder.rows).tolist()), nodes, behind, True)


def _node_of(surface: str, nodes: list[_Node], geometry: BodyGeometry, problem: Problem) -> int:
    """The place of the node of a surface, which is added where it is new."""
    found = _node(surface, geometry, problem)
    for place, known in enumerate(nodes):
        if found.regions and found.regions == known.regions:
            return place
    nodes.append(found)
    return len(nodes) - 1


def _node(surface: str, geometry: BodyGeometry, problem: Problem) -> _Node:
    region = problem.mesh.surfaces[surface].regions[0]
    own = next((each for each in problem.isothermal if region in each.regions), None)
    if surface in problem.held:
        held = problem.held[surface].constant
        if held is None:
            raise ReferenceRefusedError(f"'{surface}' is not held at one temperature")
        return _Node(held)
    if own is None:
        raise ReferenceRefusedError(f"'{surface}' is neither held nor of one temperature throughout")
    names = tuple(problem.mesh.regions[each] for each in own.regions)
    sides, heat = [], 0.0
    for name, facets in problem.mesh.surfaces.items():
        within = [each in own.regions for each in facets.regions]
        joint = problem.joints.get(name)
        parted = joint is not None and joint.conductance is None
        if not any(within) or (not facets.outer and (all(within) or parted)):
            continue
        if not facets.outer:
            raise ReferenceRefusedError(f"'{own.name}' touches what conducts, at '{name}'")
        if name in problem.held:
            held = problem.held[name].constant
            if held is None:
                raise ReferenceRefusedError(f"'{name}' is not held at one temperature")
            return _Node(held, names)
        side = side_of(name, problem)
        if side != Side():
            sides.append((side, geometry.surfaces[name].area))
    for source, per_volume in generation_of(problem).items():
        heat += per_volume * region_volume(problem.mesh, source) if source in own.regions else 0.0
    return _Node(None, names, tuple(sides), heat)


def _balanced(cells: Sequence[_Cell], nodes: Sequence[_Node]) -> Floats:
    """Temperatures (n,) in K at which every node that floats gets as much as it gives."""
    known = np.array([np.nan if node.temperature is None else node.temperature for node in nodes])
    free = np.flatnonzero(np.isnan(known))
    if not len(free):
        return known
    around = [node.temperature for node in nodes if node.temperature is not None]
    around += [cell.behind for cell in cells if cell.behind is not None]
    around += [temperature for node in nodes for side, _ in node.sides for temperature in side.driving]
    scale = max(around, default=1000.0)
    taken = [cell.network.absorbed_from for cell in cells]

    def all_of(share: Floats) -> Floats:
        whole = known.copy()
        whole[free] = scale * share
        return whole

    def left(share: Floats) -> Floats:
        temperatures = all_of(share)
        gains = np.array([node.gains(t) for node, t in zip(nodes, temperatures.tolist(), strict=True)])
        for cell, passed in zip(cells, taken, strict=True):
            power = cell.power(temperatures)
            net = passed @ power - passed.sum(axis=1) * power
            np.add.at(gains, list(cell.nodes), net[: len(cell.nodes)])
        return gains[free]

    def shares_left(share: Floats, flows: float) -> Floats:
        return left(share) / flows

    for start in _STARTS:
        begin = np.full(len(free), start)
        flows = float(np.abs(left(begin)).max()) or 1.0
        found = root(shares_left, begin, args=(flows,), tol=1e-15)
        if np.abs(left(found.x)).max() <= _BALANCED * flows and (found.x > 0).all():
            return all_of(found.x)
    raise ReferenceRefusedError("the network finds no temperatures at which every part is in balance")
