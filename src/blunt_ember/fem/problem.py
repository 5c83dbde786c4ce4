"""The problem a mesh is asked to solve: conductivities by region and what is stated on each surface, in SI."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from blunt_ember.case.case import place_faults
from blunt_ember.case.document import CaseDocument, Film, Surrounding
from blunt_ember.case.structure_faults import nearest, path_text
from blunt_ember.errors import CaseError, Fault, OpenCaseError
from blunt_ember.mesh.mesh import Mesh


@dataclass(frozen=True)
class Held:
    """Surface held at ``temperature`` (K)."""

    temperature: float


@dataclass(frozen=True)
class Exchange:
    """Heat entering a surface: flux ``q`` (W/m²) plus film ``h (T_fluid − T)`` with ``h`` in W/(m² K), K."""

    flux: float = 0.0
    h: float = 0.0
    fluid: float = 0.0


@dataclass(frozen=True)
class Problem:
    """Steady conduction: ``conductivity`` W/(m K) by region, statements by surface name."""

    mesh: Mesh
    conductivity: tuple[float, ...]
    held: Mapping[str, Held]
    exchanges: Mapping[str, Exchange]


def problem_of(document: CaseDocument, mesh: Mesh) -> Problem:
    """Put what the case states on the regions and surfaces of its mesh.

    Raises :class:`OpenCaseError` for a conductivity that is not stated, :class:`CaseError` for surfaces that do not
    exist, lie inside the body or are stated against each other.
    """
    open_items = open_conductivities(document)
    if open_items:
        raise OpenCaseError(open_items)
    fillings, conductivity = document.body.fillings, []
    for region in mesh.regions:
        filling = fillings[region]
        if filling.void:
            conductivity.append(0.0)
            continue
        k = document.materials[str(filling.material)].k
        conductivity.append(k.si if k else 0.0)
    held: dict[str, Held] = {}
    exchanges: dict[str, Exchange] = {}
    insulated: dict[str, int] = {}
    faults: list[Fault] = []
    for place, entry in enumerate(document.surroundings):
        for name in (member for stated in entry.surfaces for member in document.members_of(stated)):
            path = path_text(("surroundings", place, "on"))
            what = _surface_fault(name, mesh, document) or _conflict(name, entry, held, exchanges, insulated)
            if what:
                faults.append(Fault(path, what))
            elif entry.temperature is not None:
                held[name] = Held(entry.temperature.si)
            elif entry.insulated:
                insulated[name] = place
            else:
                flux = entry.flux.si if entry.flux else 0.0
                exchanges[name] = _joined(exchanges.get(name, Exchange()), flux, entry.film)
    known = [*mesh.surfaces, *document.surfaces]
    for place, question in enumerate(document.questions):
        if isinstance(question.target, str) and question.target not in known:
            what = f"there is no surface '{question.target}'{nearest(question.target, known)}"
            faults.append(Fault(path_text(("questions", place, question.asks)), what))
    faults += _own_name_faults(document, mesh) + place_faults(document, "xyz"[: mesh.dimension])
    if faults:
        raise CaseError(tuple(faults))
    return Problem(mesh, tuple(conductivity), held, exchanges)


def open_conductivities(document: CaseDocument) -> tuple[Fault, ...]:
    """Return what is not stated yet of the materials, a line each."""
    items = []
    fillings = document.body.fillings
    for name, filling in fillings.items():
        if filling.material is None and not filling.void:
            items.append(Fault(path_text(filling.path), f"say what '{name}' is made of"))
    used = {filling.material for filling in fillings.values()}
    for name, material in document.materials.items():
        if material.k is None and name in used:
            items.append(Fault(path_text(("materials", name, "k")), f"state the conductivity of '{name}'"))
    return tuple(items)


def _own_name_faults(document: CaseDocument, mesh: Mesh) -> list[Fault]:
    faults = []
    for name in document.surfaces:
        members = document.members_of(name)
        for member in members:
            if member not in mesh.surfaces:
                what = f"there is no surface '{member}'{nearest(member, mesh.surfaces)}"
                faults.append(Fault(path_text(("surfaces", name)), what))
        if not members:
            faults.append(Fault(path_text(("surfaces", name)), "it names no surface; write one, or a list of them"))
    return faults


def _surface_fault(name: str, mesh: Mesh, document: CaseDocument) -> str | None:
    if name not in mesh.surfaces:
        outer = [surface for surface, facets in mesh.surfaces.items() if facets.outer]
        return f"there is no surface '{name}'{nearest(name, [*outer, *document.surfaces])}"
    if not mesh.surfaces[name].outer:
        return f"'{name}' lies inside the body, where nothing can surround it"
    return None


def _conflict(
    name: str,
    entry: Surrounding,
    held: Mapping[str, Held],
    exchanges: Mapping[str, Exchange],
    insulated: Mapping[str, int],
) -> str | None:
    if name in held:
        return f"'{name}' is already held at a temperature; remove one of the two statements"
    if name in insulated:
        return f"'{name}' is already said to be insulated; remove one of the two statements"
    if name in exchanges and (entry.temperature is not None or entry.insulated):
        return f"'{name}' already meets a film or a flux; remove one of the two statements"
    return None


def _joined(before: Exchange, flux: float, film: Film | None) -> Exchange:
    """Several films on a surface act side by side: their conductances add, their fluids are weighted by them."""
    h, fluid = (film.h.si, film.temperature.si) if film else (0.0, 0.0)
    total = before.h + h
    mixed = (before.h * before.fluid + h * fluid) / total if total else 0.0
    return Exchange(before.flux + flux, total, mixed)
