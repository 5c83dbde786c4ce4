"""What is wrong with a case on its mesh, and what is not stated yet."""

from __future__ import annotations

from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.clock import WHOLE_BODY
from blunt_ember.case.document.enclosures import OPENING
from blunt_ember.case.document.every_value import every_part, own_references
from blunt_ember.case.document.places import Line
from blunt_ember.case.faults.structure_faults import nearest, unknown_name
from blunt_ember.case.values.laws import Law
from blunt_ember.case.values.references import Target
from blunt_ember.errors import CaseError, Fault, OpenCaseError
from blunt_ember.mesh.mesh import Mesh


def open_properties(document: CaseDocument) -> tuple[Fault, ...]:
    """Return what is not stated yet of the materials, and that nothing surrounds a body, a line each."""
    items = []
    fillings, even, runs = document.body.fillings, document.even_regions, document.running_clock is not None
    for name, filling in fillings.items():
        if filling.material is None and not filling.void and (runs or name not in even):
            items.append(Fault(filling.path, f"say what '{name}' is made of"))
    used = {filling.material for filling in fillings.values()}
    conducting = {filling.material for name, filling in fillings.items() if name not in even}
    for name, material in document.materials.items():
        if material.k is None and name in conducting:
            items.append(Fault(("materials", name, "k"), f"state the conductivity of '{name}'"))
        for key, words in (("density", "density"), ("c", "specific heat")) if runs else ():
            if getattr(material, key) is None and name in used:
                items.append(Fault(("materials", name, key), f"state the {words} of '{name}'"))
    acting = document.surroundings or document.enclosures or document.heat_inside
    if not acting and document.running_clock is None:
        what = "say what surrounds it: a surface that is held at a temperature, meets a fluid or radiates"
        items.append(Fault(("surroundings",), what))
    return tuple(items)


def require_groups(document: CaseDocument, mesh: Mesh) -> None:
    """Raise what stops a body whose file has other groups of cells than the case speaks of."""
    body = document.body
    if not body.files:
        return
    (file,), groups = body.files, body.fillings
    strange = tuple(
        Fault(("body", "groups", name), f"'{file}' has no group '{name}'{nearest(name, mesh.regions)}")
        for name in groups
        if name not in mesh.regions
    )
    if strange:
        raise CaseError(strange)
    missing = tuple(
        Fault(("body", "groups", name, "material"), f"say what '{name}' is made of")
        for name in mesh.regions
        if name not in groups
    )
    if missing:
        raise OpenCaseError(missing)


def law_faults(document: CaseDocument, mesh: Mesh) -> list[Fault]:
    """Faults of values that follow a coordinate that the body does not have; of materials only those that are used."""
    fillings = document.body.fillings
    used = {str(fillings[region].material) for region in mesh.regions}
    return [
        Fault(path, what)
        for path, value in document.values
        if isinstance(value, Law)
        and (path[0] != "materials" or path[1] in used)
        and (what := _unknown_variable(value, mesh))
    ]


def name_faults(document: CaseDocument, mesh: Mesh) -> list[Fault]:
    """Faults of names that questions and the clock refer to and that this mesh has not."""
    faults = []
    surfaces, regions = [*mesh.surfaces, *document.surfaces], [*mesh.regions, WHOLE_BODY]
    known = {
        Target.SURFACE: surfaces,
        Target.REGION: regions,
        Target.SURFACE_OR_REGION: surfaces + regions,
        Target.SURFACE_OR_OPENING: [*surfaces, OPENING],
    }
    for block in ("questions", "clock"):
        for path, part in every_part(getattr(document, block), (block,)):
            if isinstance(part, Line):
                faults += _line_faults(path, part, surfaces, mesh)
                continue
            for key, name, target in own_references(part):
                if target in known and name not in known[target]:
                    what = "region" if target is Target.REGION else "surface"
                    said = f"there is no {what} '{name}'"
                    faults.append(unknown_name((*path, *key), said, name, known[target]))
    return faults


def basis_faults(document: CaseDocument, mesh: Mesh) -> list[Fault]:
    """Faults of questions that ask for something per metre of a depth that this body does not have."""
    if mesh.space.depth is not None:
        return []
    what = "only a plane section has a depth, so nothing is per metre of it here; write 'depth' for the whole body"
    return [
        Fault(("questions", place, "basis"), what)
        for place, question in enumerate(document.questions)
        if getattr(question, "basis", None) == "length"
    ]


def _line_faults(path: tuple[str | int, ...], line: Line, surfaces: list[str], mesh: Mesh) -> list[Fault]:
    """What is wrong with a line that is read along in this body."""
    key = "edge" if line.edge is not None else "between"
    unknown = [name for name in line.surfaces if name not in surfaces]
    if unknown:
        return [unknown_name((*path, key), f"there is no surface '{unknown[0]}'", unknown[0], surfaces)]
    solid = mesh.dimension == 3
    if line.edge is not None and solid != (len(line.surfaces) == 2):
        what = (
            "an edge of a solid is where two surfaces meet; name both"
            if solid
            else "an edge of a section is a single surface; name one"
        )
        return [Fault((*path, "edge"), what)]
    if line.centre is not None and mesh.dimension == 1:
        return [Fault((*path, "centre"), "a rod has no circles; read along it from 'start' to 'end'")]
    if line.across is not None and not solid:
        return [Fault((*path, "across"), "only in a solid a circle lies across an axis; remove it")]
    return []


def own_name_faults(document: CaseDocument, mesh: Mesh) -> list[Fault]:
    """Return faults of the analyst's own names of surfaces."""
    faults = []
    for name in document.surfaces:
        members = document.members_of(name)
        for member in members:
            if member not in mesh.surfaces:
                what = f"there is no surface '{member}'"
                faults.append(unknown_name(("surfaces", name), what, member, mesh.surfaces))
        if not members:
            faults.append(Fault(("surfaces", name), "it names no surface; write one, or a list of them"))
    return faults


def _unknown_variable(law: Law, mesh: Mesh) -> str:
    known = {*mesh.space.variables(mesh.points[:1]), "t", "T"}
    for name in sorted(law.variables - known):
        return (
            f"'{law.text}' depends on {name}, which this body does not have; it has {', '.join(sorted(known - {'t'}))}"
        )
    return ""
