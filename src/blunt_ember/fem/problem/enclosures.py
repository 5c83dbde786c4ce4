"""Enclosures of a case put on the surfaces of its mesh: what sees what, how black it is, what is behind openings."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.enclosures import OPENING, Enclosure, Face
from blunt_ember.case.faults.structure_faults import nearest, unknown_name
from blunt_ember.case.values.laws import Law
from blunt_ember.errors import DataPath, Fault, Note
from blunt_ember.fem.assembly import facet_weights
from blunt_ember.fem.laws.radiation import RadiationLaw
from blunt_ember.fem.laws.surface_law import Limit, SurfaceLaw
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.radiation.bounding import surfaces_bounding
from blunt_ember.radiation.chamber import BlindError, Chamber, ChamberError, chamber_of
from blunt_ember.radiation.images import RepeatError, images_at
from blunt_ember.radiation.in_sight import view_shares
from blunt_ember.radiation.mirrors import MirrorError

#: Share of what a surface that radiates to surroundings sees of another one from which that is said.
_PLAINLY = 0.1
#: Share of what a facet sees that a correction may move without a word.
_NOTED = 0.01


class Chambers:
    """What surfaces of a mesh see, made when it is asked for."""

    def __init__(self, mesh: Mesh) -> None:
        self._mesh = mesh

    def chamber(
        self, surfaces: tuple[str, ...], closed: bool, mirrors: tuple[str, ...], repeats: tuple[str, ...], fine: bool
    ) -> Chamber:
        """Return the chamber of some surfaces, which may be said to be closed, mirrored in the planes of others, and
        seen again where the body repeats between two; in ``fine`` patches or in plain ones."""
        return chamber_of(self._mesh, surfaces, facet_areas(self._mesh, surfaces), closed, mirrors, repeats, fine)

    def bounding(self, sides: tuple[str, ...], mirrors: tuple[str, ...], repeats: tuple[str, ...]) -> list[str]:
        """Return the surfaces that bound the empty space of some sides of a void."""
        return surfaces_bounding(self._mesh, sides, mirrors, repeats)

    def shares(self, surfaces: tuple[str, ...]) -> Floats:
        """Return about which share of what each of some surfaces sees every one of them takes, (s, s)."""
        return view_shares(self._mesh, surfaces, facet_areas(self._mesh, surfaces))


class Absorptions:
    """What of the emission of each patch every other one absorbs, (p, p) and through the opening (p,), both in m²: the
    last that was asked for, by the emissivities it is of. It does not travel."""

    def __init__(self) -> None:
        self._known: tuple[bytes, tuple[Floats, Floats]] | None = None

    def of(self, emissivity: Floats, make: Callable[[], tuple[Floats, Floats]]) -> tuple[Floats, Floats]:
        """Return those of emissivities (p,), made where they are others than before."""
        key = emissivity.tobytes()
        if self._known is None or self._known[0] != key:
            self._known = key, make()
        return self._known[1]

    def __reduce__(self) -> tuple[type[Absorptions], tuple[()]]:
        return Absorptions, ()


@immutable
class EnclosureLaw:
    """Grey, diffuse surfaces that see each other as a ``chamber`` says, each of its ``emissivity``.

    ``opening`` is the temperature of what is seen through the opening, K; None where there is none. It may be said to
    be ``closed``; its surfaces may have ``images``.
    """

    name: str
    chamber: Chamber = field(repr=False)
    emissivity: tuple[Law, ...]
    opening: Law | None
    closed: bool = False
    images: bool = False
    absorptions: Absorptions = field(default_factory=Absorptions, repr=False, compare=False)

    @property
    def label(self) -> str:
        """What it is called in the ledger."""
        return f"in {self.name}"

    @property
    def limits(self) -> list[tuple[str, list[Limit]]]:
        """By surface, what its values must keep to: an emissivity is a share."""
        stated = zip(self.chamber.surfaces, self.emissivity, strict=True)
        return [(name, [Limit(law, 0.0, 1.0, "emissivity", "between 0 and 1")]) for name, law in stated]

    @property
    def laws(self) -> tuple[Law, ...]:
        """Every value stated for it."""
        return self.emissivity if self.opening is None else (*self.emissivity, self.opening)


def facet_areas(mesh: Mesh, surfaces: Sequence[str]) -> Floats:
    """Return the area (m,) in m² of every facet of surfaces, block by block, on its true curve."""
    blocks = [(mesh.surfaces[name], block) for name in surfaces for block in mesh.surfaces[name].blocks]
    return np.concatenate([facet_weights(facets, block, mesh).sum(axis=1) for facets, block in blocks])


def faced_from(mesh: Mesh, surface: str) -> tuple[str, ...]:
    """Return the outer surfaces that plainly face one, those first of which it sees most."""
    names = tuple(name for name, facets in mesh.surfaces.items() if facets.outer)
    if mesh.dimension == 1 or surface not in names:
        return ()
    shares = Chambers(mesh).shares(names)
    own = names.index(surface)
    seen = np.minimum(np.maximum(shares[own], shares[:, own]), 1.0)
    order = np.argsort(-seen, kind="stable").tolist()
    return tuple(names[place] for place in order if seen[place] > _PLAINLY and place != own)


def enclosed_surfaces(document: CaseDocument, mesh: Mesh, name: str) -> list[str]:
    """Return the surfaces of a mesh that an enclosure of a case names, and those of its voids; what is wrong is left
    out."""
    stated, entry = StatedEnclosures(document, mesh, Chambers(mesh)), document.enclosures[name]
    path: DataPath = ("enclosures", name)
    beyond = stated._beyond(entry, path)
    return [surface for face in entry.faces for surface in stated._surfaces_of(face, path, entry, beyond)]


@immutable
class _Beyond:
    """The surfaces of a mesh in whose planes an enclosure is mirrored, and those between which it repeats."""

    mirrors: tuple[str, ...] = ()
    repeats: tuple[str, ...] = ()


@dataclass
class StatedEnclosures:
    """Gathers the enclosures of a case, with what is wrong, what is open, and what the analyst should know."""

    document: CaseDocument
    mesh: Mesh
    chambers: Chambers
    found: list[EnclosureLaw] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)
    open_items: list[Fault] = field(default_factory=list)
    notes: list[Note] = field(default_factory=list)
    facing: list[tuple[str, str]] = field(default_factory=list)
    _taken: dict[str, str] = field(default_factory=dict)
    _placed: set[str] = field(default_factory=set)

    def gather(self) -> None:
        """Look at every enclosure of the case."""
        for name, entry in self.document.enclosures.items():
            self._enclose(name, entry, ("enclosures", name))

    def look_between(self, exchanges: Mapping[str, Sequence[SurfaceLaw]]) -> None:
        """Note surfaces that radiate to surroundings and plainly see each other instead."""
        open_air = [
            name
            for name, laws in exchanges.items()
            if name not in self._taken and any(isinstance(law, RadiationLaw) for law in laws)
        ]
        if not open_air or self.mesh.dimension == 1:
            return
        seen = np.minimum(self.chambers.shares(tuple(open_air)), 1.0)
        # Of two surfaces the smaller one may see much of the other, which sees little of it.
        for pair in np.argwhere(np.triu(np.maximum(seen, seen.T)) > _PLAINLY).tolist():
            first, second = pair if 2 * seen[tuple(pair)] > seen[tuple(pair[::-1])] else pair[::-1]
            one, other = open_air[first], open_air[second]
            self.facing.append((one, other))
            who = f"'{one}' sees itself" if one == other else f"'{one}' and '{other}' see each other"
            what = f"{who}: about {seen[first, second]:.0%} of what '{one}' looks at, taken to be surroundings here"
            self.notes.append(Note(("surroundings",), f"{what}; state an enclosure to have it right"))

    def ask(self) -> None:
        """Look whether questions ask about surfaces of one enclosure."""
        known = [law.chamber.surfaces for law in self.found]
        for place, question in enumerate(self.document.questions):
            asked = [name for name in question.enclosed if name != OPENING]
            members = {member for name in asked for member in self.document.members_of(name)}
            if not question.enclosed or any(members <= set(surfaces) for surfaces in known):
                continue
            alone = sorted(member for member in members if not any(member in surfaces for surfaces in known))
            what = f"'{alone[0]}' is in no enclosure" if alone else "these surfaces are not in one enclosure"
            path = ("questions", place, question.asks)
            self.faults.append(Fault(path, f"{what}; name it among the faces of one, or ask of other surfaces"))

    def _enclose(self, name: str, entry: Enclosure, path: DataPath) -> None:
        if self.mesh.dimension == 1:
            what = "a rod has no surfaces that see each other; make the body a section, or state radiation on its side"
            self.faults.append(Fault(path, what))
            return
        if not entry.faces:
            what = f"name the surfaces that see each other in '{name}', or remove it"
            self.open_items.append(Fault((*path, "faces"), what))
            return
        emissivity: dict[str, Law] = {}
        self._placed = set()
        before = len(self.faults) + len(self.open_items)
        beyond = self._beyond(entry, path)
        for number, face in enumerate(entry.faces):
            at = (*path, "faces", number)
            for surface in self._surfaces_of(face, at, entry, beyond):
                self._take(surface, name, at)
                stated = self._emissivity(face, surface, at)
                if stated is not None:
                    emissivity[surface] = stated
        images = images_at(self.mesh, beyond.mirrors, beyond.repeats)
        for surface in [name for name in emissivity if images.cut(self.mesh, name)]:
            what = f"'{surface}' is where the body is cut and looks at nothing; take it out of the faces"
            self.faults.append(Fault((*path, "faces"), f"{what}, or mirror and repeat elsewhere"))
        if len(self.faults) + len(self.open_items) > before:
            return
        if all(law.constant == 0 for law in emissivity.values()):
            what = (
                "the emissivity of all its surfaces is 0, so nothing is absorbed and no temperature can follow from it"
            )
            self.faults.append(Fault((*path, "faces"), f"{what}; state one above 0"))
            return
        try:
            beside = (bool(entry.closed), beyond.mirrors, beyond.repeats, self.document.asks_finely)
            chamber = self.chambers.chamber(tuple(emissivity), *beside)
        except BlindError as error:
            self.faults.append(Fault((*path, "faces"), self._blind(emissivity, str(error))))
            return
        except ChamberError as error:
            self.faults.append(Fault((*path, "faces"), str(error)))
            return
        self._look_at(chamber, entry, path)
        opening = entry.opening if chamber.open_area > 0 else None
        if chamber.open_area > 0 and opening is None:
            return
        seen = chamber.evened() if entry.even else chamber
        self.found.append(
            EnclosureLaw(name, seen, tuple(emissivity.values()), opening, bool(entry.closed), images.count > 1)
        )

    def _surfaces_of(self, face: Face, at: DataPath, entry: Enclosure, beyond: _Beyond) -> list[str]:
        """The surfaces of the mesh that a face stands for; what there is not is a fault."""
        if face.void is not None:
            return self._sides_of(face.void, at, entry, beyond)
        found = []
        for name in (member for stated in face.surfaces for member in self.document.members_of(stated)):
            facets = self.mesh.surfaces.get(name)
            if facets is None:
                outer = [surface for surface, each in self.mesh.surfaces.items() if each.outer]
                known = [*outer, *self.document.surfaces]
                self.faults.append(unknown_name((*at, "on"), f"there is no surface '{name}'", name, known))
            elif not facets.outer:
                what = f"'{name}' lies inside the body and looks at nothing; take it out, or make a gap there"
                self.faults.append(Fault((*at, "on"), what))
            else:
                found.append(name)
        return found

    def _beyond(self, entry: Enclosure, path: DataPath) -> _Beyond:
        """The surfaces of the mesh in whose planes it is mirrored, and those between which it repeats."""
        mirrors = self._known(entry.mirror_surfaces, (*path, "mirrors"))
        repeats = self._known(entry.repeats or (), (*path, "repeats"))
        if entry.repeats and len(repeats) != 2:
            if len(repeats) > 2:
                what = "it repeats between two single surfaces; these names stand for more"
                self.faults.append(Fault((*path, "repeats"), what))
            repeats = ()
        try:
            images_at(self.mesh, mirrors, repeats)
        except MirrorError as error:
            self.faults.append(Fault((*path, "mirrors"), str(error)))
            return _Beyond()
        except RepeatError as error:
            self.faults.append(Fault((*path, "repeats"), str(error)))
            return _Beyond(mirrors)
        return _Beyond(mirrors, repeats)

    def _known(self, stated: Sequence[str], at: DataPath) -> tuple[str, ...]:
        """The surfaces of the mesh among those that are stated; what there is not is a fault."""
        members = [member for name in stated for member in self.document.members_of(name)]
        for name in members:
            if name not in self.mesh.surfaces:
                known = [*self.mesh.surfaces, *self.document.surfaces]
                self.faults.append(unknown_name(at, f"there is no surface '{name}'", name, known))
        return tuple(name for name in members if name in self.mesh.surfaces)

    def _sides_of(self, void: str, at: DataPath, entry: Enclosure, beyond: _Beyond) -> list[str]:
        """The sides of a void, less those that other faces of the enclosure name."""
        fillings = self.document.body.fillings
        if void not in fillings or not fillings[void].void:
            voids = [name for name, filling in fillings.items() if filling.void]
            what = f"there is no void '{void}'{nearest(void, voids)}"
            self.faults.append(Fault((*at, "void"), f"{what}; name a region that is empty, or surfaces with 'on'"))
            return []
        named = {
            member for face in entry.faces for stated in face.surfaces for member in self.document.members_of(stated)
        }
        own = [name for name, facets in self.mesh.surfaces.items() if facets.outer and _side_of_void(name, void)]
        # What stands in the void bounds it too.
        if not own:
            self.faults.append(Fault((*at, "void"), f"nothing is left about the void '{void}' that could radiate"))
            return []
        bounding = self.chambers.bounding(tuple(own), beyond.mirrors, beyond.repeats)
        return [name for name in bounding if name not in named]

    def _take(self, surface: str, name: str, at: DataPath) -> None:
        """Keep a surface to one enclosure, and to one place in it."""
        if surface in self._placed:
            self.faults.append(Fault(at, f"'{surface}' is named twice; leave one out"))
        self._placed.add(surface)
        owner = self._taken.setdefault(surface, name)
        if owner != name:
            what = f"'{surface}' is in the enclosure '{owner}' already; it can look into one only"
            self.faults.append(Fault(at, f"{what}: take it out of one of them"))

    def _emissivity(self, face: Face, surface: str, at: DataPath) -> Law | None:
        if face.emissivity is not None:
            return face.emissivity
        region = self.mesh.regions[self.mesh.surfaces[surface].regions[0]]
        material = self.document.body.fillings[region].material
        properties = self.document.materials.get(material) if material is not None else None
        if properties is not None and properties.emissivity is not None:
            return properties.emissivity
        also = f", or that of the material '{material}'" if material is not None else ""
        what = f"state the emissivity of '{surface}' here{also}"
        self.open_items.append(Fault((*at, "emissivity"), what))
        return None

    def _blind(self, surfaces: dict[str, Law], why: str) -> str:
        if len(surfaces) == 1:
            alone = next(iter(surfaces))
            return f"'{alone}' does not see itself; name the surfaces that it faces too"
        return f"{why}; look whether all of them are named, and nothing stands between them"

    def _look_at(self, chamber: Chamber, entry: Enclosure, path: DataPath) -> None:
        """Ask for what is behind an opening, and say how large a correction was."""
        if chamber.open_area > 0 and entry.opening is None:
            share = chamber.open_area / float(chamber.areas().sum())
            most = chamber.surfaces[int(chamber.openings().argmax())]
            seen = f"{chamber.open_area:.3g} m² of something else, {100 * share:.2g} % of all they see"
            what = (
                f"it is open: its surfaces see {seen}, '{most}' most of it; state the temperature behind the opening, "
                "name surfaces that are missing, or say that it is closed"
            )
            self.open_items.append(Fault((*path, "opening"), what))
        if chamber.open_area == 0 and entry.opening is not None:
            self.notes.append(Note((*path, "opening"), "it has no opening, so the temperature behind one is not used"))
        if max(chamber.corrected, chamber.left) > _NOTED:
            what = f"its views did not close by up to {max(chamber.corrected, chamber.left):.1%} of a facet"
            less = "" if entry.closed else "; smaller cells on them make that less"
            self.notes.append(Note(path, f"{what}, which was shared out among all that see each other{less}"))


def _side_of_void(surface: str, void: str) -> bool:
    """Whether a surface is a side of a void: ``plate.hole``, or ``plate.slot left``."""
    side = surface.rpartition(".")[2]
    return side == void or side.startswith(f"{void} ")
