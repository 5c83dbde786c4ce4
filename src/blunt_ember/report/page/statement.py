"""What a case states, as a report says it: the sentences of the sheet, the hand calculation, and where all of it is."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.values.display import shown
from blunt_ember.flow.outcome import Outcome
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.picture.annotated import Tag
from blunt_ember.sentences.spoken import SpokenSection, spoken_sections

#: Blocks that stand elsewhere in a report: what was asked beside the answers, the Working as a table.
_ELSEWHERE = ("questions", "working", "parameters")
#: Surfaces that are named on a picture at most.
_MOST = 12


@immutable
class WorkingLine:
    """A line of the hand calculation: its name, its formula as written, and its value; of a field no one value."""

    name: str
    formula: str
    value: str


def statement(case: Case, outcome: Outcome | None = None) -> list[SpokenSection]:
    """Return what is stated of the body and all about it, block by block."""
    return [section for section in spoken_sections(case, outcome) if section.block not in _ELSEWHERE]


def parameters(case: Case) -> list[tuple[str, str]]:
    """Return the parameters with what stands for them, as written."""
    return [(name, str(stated)) for name, stated in case.data.get("parameters", {}).items()]


def working(case: Case) -> list[WorkingLine]:
    """Return the hand calculation, line by line."""
    lines = []
    for name, formula in case.data.get("working", {}).items():
        value = case.working.get(name)
        kind = None if value is None else case.units.of_dimension(value.dimension)
        said = "" if value is None or kind is None else shown(float(value.magnitude), kind)
        lines.append(WorkingLine(name, str(formula), said or "follows the place"))
    return lines


def tags_of(outcome: Outcome) -> list[Tag]:
    """Return the names of regions and of surfaces on which something is stated, where they are on a picture."""
    geometry, mesh, document = outcome.geometry, outcome.mesh, outcome.case.document
    if geometry is None or mesh is None or mesh.dimension == 1:
        return []
    tags = []
    for number, name in enumerate(mesh.regions):
        middle = _middle_of_region(mesh, number)
        if middle is not None:
            tags.append(Tag(name, middle))
    problem = outcome.problem
    if problem is None:
        return tags
    stated = [*problem.held, *problem.exchanges, *problem.enclosed]
    named = [name for name in dict.fromkeys(stated) if name in mesh.surfaces][:_MOST]
    return [*tags, *(Tag(document.own_name(name), _middle_of_surface(mesh, name), True) for name in named)]


def _middle_of_region(mesh: Mesh, number: int) -> Floats | None:
    """The cell of a region nearest to its middle."""
    middles = [mesh.points[block.nodes[block.region == number]].mean(axis=1) for block in mesh.blocks]
    every = np.concatenate(middles)
    return None if not len(every) else _nearest(every)


def _middle_of_surface(mesh: Mesh, name: str) -> Floats:
    """The facet of a surface nearest to its middle."""
    return _nearest(np.concatenate([mesh.points[block.nodes].mean(axis=1) for block in mesh.surfaces[name].blocks]))


def _nearest(places: Floats) -> Floats:
    return np.asarray(places[np.linalg.norm(places - places.mean(axis=0), axis=1).argmin()])
