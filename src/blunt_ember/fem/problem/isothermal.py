"""What has one temperature throughout, put on the nodes of a mesh."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from blunt_ember.arrays import Ints
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.faults.structure_faults import unknown_name
from blunt_ember.errors import Fault
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh


@immutable
class IsothermalSet:
    """The ``nodes`` (n,) of regions or surfaces that have one temperature, those at corners of cells first; ``name`` is
    what they are called, ``regions`` are those that are of one temperature altogether, or ``surfaces`` of the mesh."""

    name: str
    nodes: Ints
    regions: tuple[int, ...] = ()
    surfaces: tuple[str, ...] = ()


@dataclass
class StatedIsothermal:
    """Gathers what a case says to be of one temperature, with what is wrong."""

    document: CaseDocument
    mesh: Mesh
    found: list[IsothermalSet] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)

    def gather(self) -> None:
        """Look at every statement of the case."""
        corners = np.zeros(self.mesh.node_count, dtype=bool)
        for block in self.mesh.blocks:
            corners[block.nodes[:, : CELL_FAMILIES[block.family].corners]] = True
        for place, entry in enumerate(self.document.isothermal):
            before = len(self.faults)
            own = np.zeros(self.mesh.node_count, dtype=bool)
            regions = tuple(self._region(name, place) for name in entry.regions)
            surfaces = [member for name in entry.surfaces for member in self.document.members_of(name)]
            for name in surfaces:
                self._look_at(name, place)
            if len(self.faults) > before:
                continue
            for block in self.mesh.blocks:
                own[block.nodes[np.isin(block.region, regions)]] = True
            for name in surfaces:
                own[self.mesh.surfaces[name].nodes] = True
            nodes = np.flatnonzero(own)
            order = np.argsort(~corners[nodes], kind="stable")
            self.found.append(
                IsothermalSet(", ".join((*entry.regions, *entry.surfaces)), nodes[order], regions, tuple(surfaces))
            )

    def _region(self, name: str, place: int) -> int:
        filling = self.document.body.fillings.get(name)
        if name not in self.mesh.regions or (filling is not None and filling.void):
            known = [each for each in self.mesh.regions if each != name]
            what = f"there is nothing in '{name}'" if filling is not None else f"there is no region '{name}'"
            self.faults.append(unknown_name(("isothermal", place, "region"), what, name, known))
            return -1
        return self.mesh.regions.index(name)

    def _look_at(self, name: str, place: int) -> None:
        path = ("isothermal", place, "on")
        facets = self.mesh.surfaces.get(name)
        if facets is None:
            known = [*self.mesh.surfaces, *self.document.surfaces]
            self.faults.append(unknown_name(path, f"there is no surface '{name}'", name, known))
        elif facets.far:
            what = f"the two sides of the joint '{name}' differ in temperature; name a region, or remove the joint"
            self.faults.append(Fault(path, what))
