"""An enclosure as a network of isothermal grey surfaces, or resolved along them where that is known."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.enclosures import OPENING
from blunt_ember.case.document.questions.question import RadiatedHow
from blunt_ember.checks.references.fits.networks.isothermal_parts import Parts
from blunt_ember.checks.references.views.catalogue import EnclosureViews
from blunt_ember.checks.references.views.cylinder import cylinder_of
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.laws.black_body import emissive_power
from blunt_ember.fem.problem.enclosures import EnclosureLaw
from blunt_ember.fem.radiated import radiated_heat
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.immutable import immutable
from blunt_ember.reference.radiating.radiosity import Network, even_network
from blunt_ember.reference.radiating.round_chamber import round_chamber

Names = tuple[str, ...]
#: By how much of their views patches of a surface may differ in what they see and still be taken as one: about as much
#: as chords of round faces do.
_EVEN = 0.03
#: Heights of a cylinder, as shares of its radius, from which to which its radiosity is resolved.
_THINNEST, _DEEPEST = 0.02, 100.0


@immutable
class RadiatingCell:
    """An enclosure as a network: the part behind each surface, and how hot, K, it is ``behind`` an opening.

    It is ``exact`` where radiosities are even, or those that differ along surfaces are in it (``resolved``).
    """

    views: EnclosureViews
    network: Network
    parts: tuple[int, ...]
    behind: float | None
    resolved: bool
    exact: bool

    def power(self, temperatures: Floats) -> Floats:
        """Black emission of its surfaces, and last of the opening, W/m², at temperatures of parts in K."""
        own = temperatures[list(self.parts)]
        return emissive_power(own if self.behind is None else np.append(own, self.behind))

    def add_net(self, gained: Floats, temperatures: Floats) -> None:
        """Add the heat in W that parts take in at ``temperatures`` (n,) in K to what they ``gained`` (n,)."""
        power, passed = self.power(temperatures), self.network.absorbed_from
        net = passed @ power - passed.sum(axis=1) * power
        np.add.at(gained, list(self.parts), net[: len(self.parts)])

    def radiated(self, surfaces: Names, how: RadiatedHow, temperatures: Floats) -> float:
        """Heat in W of surfaces."""
        power, network = self.power(temperatures), self.network
        incident = network.incident(power)
        emitted, absorbed = network.emissivity * network.area * power, network.emissivity * incident
        own = [self.views.place(name) for name in surfaces]
        return float(radiated_heat(emitted, incident, absorbed, how)[own].sum())

    def exchanged(self, first: Names, second: Names, temperatures: Floats) -> float:
        """Net heat in W radiated from surfaces, or the opening, to others, on every way."""
        if self.behind is None and OPENING in (*first, *second):
            return float("nan")
        power = self.power(temperatures)
        own, other = ([self.views.place(name) for name in names] for names in (first, second))
        taken = self.network.absorbed_from[np.ix_(other, own)]
        return float((taken * (power[own][None, :] - power[other][:, None])).sum())


def cell_among(cells: Sequence[RadiatingCell], surfaces: Names) -> RadiatingCell | None:
    """Return the enclosure that surfaces, or the opening, are all in, or None."""
    for cell in cells:
        if all(name == OPENING or name in cell.views.surfaces for name in surfaces):
            return cell
    return None


def is_even(law: EnclosureLaw) -> bool:
    """Whether even radiosities are no assumption: they are stated, all is black, or all of a surface sees the same."""
    black = all(each.constant == 1 for each in law.emissivity)
    single = len(law.chamber.area) == len(law.chamber.surfaces)
    return black or single or (len(law.chamber.surfaces) < 3 and law.chamber.unevenness() <= _EVEN)


def cell_of(law: EnclosureLaw, seen: EnclosureViews, parts: Parts, geometry: BodyGeometry) -> RadiatingCell:
    """Return the network of an enclosure; raise :class:`ReferenceRefusedError` where a part of it is not known."""
    own = tuple(parts.behind(name) for name in law.chamber.surfaces)
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
    even = is_even(law)
    cylinder = None if even else cylinder_of(seen, geometry)
    if cylinder is None or not _THINNEST <= cylinder.height / cylinder.radius <= _DEEPEST:
        return RadiatingCell(seen, even_network(area, np.array(known), exchanged), own, behind, False, even)
    lower, side, upper = ([*known, 1.0][row] for row in cylinder.rows)
    network = round_chamber(cylinder.radius, cylinder.height, (lower, side, upper))
    return RadiatingCell(seen, network.taken(np.argsort(cylinder.rows).tolist()), own, behind, True, True)


def source_of_cells(cells: Sequence[RadiatingCell], views: str) -> str:
    """Return what cells follow, with where their ``views`` are from."""
    found = []
    if any(cell.resolved for cell in cells):
        found.append("integral equation of a cylinder's radiosity (Sparrow, Albers & Eckert 1962)")
    if not all(cell.resolved for cell in cells):
        found.append(f"radiosity network of isothermal grey surfaces (Oppenheim 1956), {views}")
    return "; ".join(found)
