"""What stands in the sheet, heading by heading, in the order an analyst works."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.display import number
from blunt_ember.case.document import TurnedSection
from blunt_ember.case.editing import (
    free_name,
    renamed_material,
    renamed_region,
    renamed_surface,
    with_value,
    without_region,
    without_surface_name,
)
from blunt_ember.case.regions import CONCENTRIC, SIDES_BESIDE
from blunt_ember.desk.sheet_parts import (
    Choice,
    Edit,
    Entry,
    Option,
    Part,
    Remove,
    Row,
    Section,
    TypedEdit,
    Word,
    adding,
    entry,
    removing,
    setting,
    typing,
)
from blunt_ember.desk.sheet_questions import formulas, questions
from blunt_ember.desk.sheet_shapes import shape_words
from blunt_ember.flow import Outcome
from blunt_ember.mesh.quality import SHARP, quality_of

_BESIDE = {"right_of": "right of", "left_of": "left of", "above": "above", "below": "below"}
_CONCENTRIC = {"around": "around", "inside": "inside"}
_PLACES = {**_BESIDE, **_CONCENTRIC}
#: What can be added, and where it may stand in relation to another region.
_NEW_SHAPES: dict[str, tuple[dict[str, Any], dict[str, str]]] = {
    "a rectangle": ({"shape": "rectangle", "size": ["20 mm", "20 mm"]}, _BESIDE),
    "a disc": ({"shape": "disc", "radius": "20 mm"}, _PLACES),
    "a ring": ({"shape": "ring", "inner": "20 mm", "outer": "30 mm"}, _PLACES),
    "a round hole": ({"shape": "disc", "radius": "10 mm", "void": True}, {"inside": "inside"}),
}


def sections(case: Case, outcome: Outcome | None) -> list[Section]:
    """Return the whole sheet; ``outcome`` gives the names of surfaces, when the geometry is known."""
    return [
        _body(case), _materials(case), _surfaces(case, outcome), _surroundings(case, outcome),
        Section("Heat inside", "none", ()),
        _joints(outcome), Section("Clock", "steady", ()), _mesh(case, outcome), questions(case, outcome),
        formulas(case, "parameters"), formulas(case, "working"),
    ]  # fmt: skip


def _body(case: Case) -> Section:
    body = case.document.body
    rows: list[Row] = []
    for name, region in body.regions.items():
        path = ("body", "regions", name)
        rows.append((
            Entry(f"region {name}", name, "Name of the region", _renaming(renamed_region, name), "name"),
            *shape_words(case, path, region),
            *_place_words(case, path, name),
            *((Word("void"),) if region.void else (Word("of"), _material_choice(case, name, region.material))),
            Remove(f"remove {name}", f"Remove the region {name} and what is stated on it", _removing_region(name)),
        ))  # fmt: skip
    last = next(reversed(body.regions))
    others = [last] if len(body.regions) > 3 else list(body.regions)[::-1]
    offers = tuple(
        Option(words, options=tuple(
            Option(f"{place} {other}", _adding_region(shape, relation, other))
            for other in others for relation, place in places.items()
        ))
        for words, (shape, places) in _NEW_SHAPES.items()
    )  # fmt: skip
    rows.append((Choice("add region", "add a region …", offers, "link"), *_depth(case)))
    count = len(body.regions)
    regions = f"{count} region{'s' if count > 1 else ''}"
    if isinstance(body, TurnedSection):
        return Section("Body", f"{regions} · turned about y, full turn", tuple(rows))
    return Section("Body", f"{regions} · section, {body.depth.text} deep", tuple(rows))


def _place_words(case: Case, path: tuple[str | int, ...], name: str) -> list[Part]:
    regions = case.document.body.regions
    region = regions[name]
    if region.beside:
        relation, other = region.beside
        options = tuple(
            Option(f"{words} {o}", _replaced_place(name, r, o))
            for o in regions
            if o != name
            for r, words in _PLACES.items()
        )
        return [Choice(f"{name} place", f"{_PLACES[relation]} {other}", options, "plain choice")]
    if region.at is not None and (region.at[0].si, region.at[1].si) != (0.0, 0.0):
        return [Word("at"), *entry(case, (*path, "at", 0), "x, such as 20 mm"), Word(","),
                *entry(case, (*path, "at", 1), "y, such as 20 mm")]  # fmt: skip
    return []


def _depth(case: Case) -> list[Part]:
    body = case.document.body
    if isinstance(body, TurnedSection):
        return []
    hint = "Depth of the section, for which heat flows are given"
    if "depth" in case.data["body"]:
        return [Word("  depth"), *entry(case, ("body", "depth"), hint)]
    return [Word("  depth"), Entry("body.depth", body.depth.text, hint, typing(("body", "depth")))]


def _renaming(rename: Callable[[Case, str, str], Case], old: str) -> TypedEdit:
    return lambda now, typed: rename(now, old, typed.strip())


def _replaced_place(name: str, relation: str, other: str) -> Edit:
    def change(now: Case) -> Case:
        places = ("at", *SIDES_BESIDE, *CONCENTRIC)
        region = {k: v for k, v in now.data["body"]["regions"][name].items() if k not in places}
        return with_value(now, ("body", "regions", name), {**region, relation: other})

    return change


def _removing_region(name: str) -> Edit:
    return lambda now: without_region(now, name)[0]


def _adding_region(shape: dict[str, Any], relation: str, other: str) -> Edit:
    def change(now: Case) -> Case:
        name = free_name("hole" if shape.get("void") else "part", now.document.body.regions)
        made = dict(shape)
        size = now.data["body"]["regions"][other].get("size")
        if "size" in made and size is not None:  # a layer beside another is as high, or as wide, as that
            made["size"] = ["20 mm", size[1]] if relation in ("right_of", "left_of") else [size[0], "20 mm"]
        return with_value(now, ("body", "regions", name), {**made, relation: other})

    return change


def _material_choice(case: Case, region: str, material: str | None) -> Choice:
    path = ("body", "regions", region, "material")
    options = [Option(name, setting(path, name)) for name in case.document.materials]

    def new(now: Case) -> Case:
        name = free_name("material", now.document.materials)
        return with_value(with_value(now, ("materials", name), {}), path, name)

    options.append(Option("a new material", new))
    return Choice(f"material of {region}", material or "○ material …", tuple(options), is_open=material is None)


def _materials(case: Case) -> Section:
    rows: list[Row] = []
    used = {region.material for region in case.document.body.regions.values()}
    for name, material in case.document.materials.items():
        path = ("materials", name)
        rows.append((
            Entry(f"material {name}", name, "Name of the material", _renaming(renamed_material, name), "name"),
            Word("k"),
            *entry(case, (*path, "k"), "Conductivity, such as 0.35 W/(m K)"),
            *((Word("○ open", "state"),) if material.k is None else ()),
            *((Word("not used", "quiet"),) if name not in used else ()),
            Remove(f"remove material {name}", f"Remove the material {name}", removing(path)),
        ))  # fmt: skip

    def add(now: Case) -> Case:
        return with_value(now, ("materials", free_name("material", now.document.materials)), {})

    rows.append((Choice("add material", "add a material …", (Option("with a conductivity to state", add),), "link"),))
    return Section("Materials", "steady: only k is needed", tuple(rows))


_KINDS_OF_SURROUNDING: dict[str, dict[str, Any]] = {
    "held at a temperature": {"temperature": "20 °C"},
    "meets a fluid": {"film": {"h": "10 W/(m² K)", "temperature": "20 °C"}},
    "takes in a heat flux": {"flux": "100 W/m²"},
    "insulated, said out loud": {"insulated": True},
}


def _surfaces(case: Case, outcome: Outcome | None) -> Section:
    found = list(outcome.geometry.surfaces) if outcome and outcome.geometry else []
    rows: list[Row] = []
    for name in case.document.surfaces:
        path = ("surfaces", name)
        members = case.document.members_of(name)
        more = tuple(
            Option(f"and {other}", setting(path, [*members, other])) for other in found if other not in members
        )
        instead = tuple(Option(f"{other} instead", setting(path, other)) for other in found if other not in members)
        fewer = tuple(
            Option(f"without {member}", setting(path, [m for m in members if m != member])) for member in members
        )
        rows.append((
            Entry(f"surface name {name}", name, "Your name for these surfaces",
                  _renaming(renamed_surface, name), "name"),
            Word("is"),
            Choice(f"members {name}", ", ".join(members), more + instead + (fewer if len(members) > 1 else ()),
                   points=members),
            Remove(f"remove surface name {name}", f"Forget the name {name}", _forgetting(name)),
        ))  # fmt: skip
    if found:
        offers = tuple(Option(surface, _naming(surface)) for surface in found)
        rows.append((Choice("add surface name", "give a surface your own name …", offers, "link"),))
    named = f" · {len(case.document.surfaces)} named" if case.document.surfaces else ""
    return Section("Surfaces", f"{len(found)} found{named}" if outcome else "", tuple(rows))


def _naming(surface: str) -> Edit:
    return lambda now: with_value(now, ("surfaces", free_name("surface", now.document.surfaces)), surface)


def _forgetting(name: str) -> Edit:
    return lambda now: without_surface_name(now, name)


def surrounding_options(surface: str) -> tuple[Option, ...]:
    """Return what can be said of a surface on which nothing is stated yet."""
    return tuple(
        Option(words, adding(("surroundings",), {"on": surface, **said}))
        for words, said in _KINDS_OF_SURROUNDING.items()
    )


def _surroundings(case: Case, outcome: Outcome | None) -> Section:
    rows: list[Row] = []
    unstated = outcome.unstated if outcome else ()
    for place, surrounding in enumerate(case.document.surroundings):
        path = ("surroundings", place)
        rows.append((
            Choice(f"surface {place}", ", ".join(surrounding.surfaces),
                   _other_surfaces(path, surrounding.surfaces, unstated),
                   points=_every_member(case, surrounding.surfaces)),
            *_stated_words(case, path),
            Remove(f"remove surrounding {place}", "Remove this statement", removing(path)),
        ))  # fmt: skip
    if outcome and outcome.geometry:
        own = [name for name in case.document.surfaces if set(case.document.members_of(name)) <= set(unstated)]
        offers = tuple(Option(name, options=surrounding_options(name)) for name in (*own, *unstated))
        if offers:
            rows.append((Choice("add surrounding", "say what surrounds a surface …", offers, "link"),))
        if unstated:
            rows.append((Word(f"○  {_listed(unstated)}: insulated, as nothing is stated", "note", unstated),))
    stated = sum(len(surrounding.surfaces) for surrounding in case.document.surroundings)
    return Section("Surroundings", f"{stated} stated · {len(unstated)} insulated" if outcome else "", tuple(rows))


def _every_member(case: Case, names: tuple[str, ...]) -> tuple[str, ...]:
    """The names and what they stand for, so that pointing works both ways."""
    members = (member for name in names for member in case.document.members_of(name))
    return tuple(dict.fromkeys([*names, *members]))


def _listed(names: tuple[str, ...]) -> str:
    shown = ", ".join(names[:6]) + (" …" if len(names) > 6 else "")
    return shown if len(names) == 1 else f"{shown} ({len(names)} surfaces)"


def _other_surfaces(path: tuple[str | int, ...], on: tuple[str, ...], unstated: tuple[str, ...]) -> tuple[Option, ...]:
    instead = tuple(Option(f"on {name} instead", setting((*path, "on"), name)) for name in unstated)
    also = tuple(Option(f"also on {name}", setting((*path, "on"), [*on, name])) for name in unstated)
    fewer = tuple(
        Option(f"no longer on {name}", setting((*path, "on"), [other for other in on if other != name])) for name in on
    )
    return instead + also + (fewer if len(on) > 1 else ())


def _stated_words(case: Case, path: tuple[str | int, ...]) -> list[Part]:
    surrounding = case.document.surroundings[int(path[1])]
    verb = "is" if len(surrounding.surfaces) == 1 else "are"
    parts: list[Part] = []
    if surrounding.temperature:
        return [Word(f"{verb} held at"), *entry(case, (*path, "temperature"), "Temperature, such as 980 °C or 1253 K")]
    if surrounding.insulated:
        return [Word(f"{verb} insulated")]
    if surrounding.film:
        parts += [
            Word("meets a fluid at"),
            *entry(case, (*path, "film", "temperature"), "Temperature of the fluid, such as 25 °C"),
            Word(", h"), *entry(case, (*path, "film", "h"), "Film coefficient, such as 12 W/(m² K)"),
        ]  # fmt: skip
    if surrounding.flux:
        words = "and takes in" if surrounding.film else "takes in"
        parts += [
            Word(words),
            *entry(case, (*path, "flux"), "Heat flux into the body, such as 500 W/m²; − takes heat out"),
        ]
    more = []
    if not surrounding.film:
        more.append(Option("and meets a fluid", setting((*path, "film"), {"h": "10 W/(m² K)", "temperature": "20 °C"})))
    if not surrounding.flux:
        more.append(Option("and takes in a heat flux", setting((*path, "flux"), "100 W/m²")))
    if more:
        parts.append(Choice(f"more {path[1]}", "and …", tuple(more), "link"))
    return parts


def _joints(outcome: Outcome | None) -> Section:
    if outcome is None or outcome.geometry is None:
        return Section("Joints", "", ())
    joints = outcome.geometry.interfaces
    return Section("Joints", f"{len(joints)} perfect" if joints else "none", ())


def _mesh(case: Case, outcome: Outcome | None) -> Section:
    wish = case.document.mesh
    data = case.data.get("mesh", {})
    orders = tuple(
        Option(words, setting(("mesh", "order"), order)) for words, order in (("linear", 1), ("quadratic", 2))
    )

    def set_size(now: Case, typed: str) -> Case:
        return with_value(now, ("mesh", "size"), typed.strip() or "auto")

    def set_across(now: Case, typed: str) -> Case:
        text = typed.strip()
        return with_value(now, ("mesh", "across"), int(text) if text.isdigit() and len(text) < 6 else typed)

    row: Row = (
        Word("cells of"),
        Entry("mesh.size", str(data.get("size", "auto")), "Largest cell, such as 5 mm, or auto", set_size),
        Word("at least"), Entry("mesh.across", str(wish.across), "Cells across every region at least", set_across),
        Word("across,"), Choice("mesh order", "quadratic" if wish.order == 2 else "linear", orders, "plain choice"),
    )  # fmt: skip
    rows: list[Row] = [row, *_finer_places(case, outcome)]
    mesh = outcome.mesh if outcome else None
    if mesh is None:
        return Section("Mesh", "", tuple(rows))
    quality = quality_of(mesh)
    sharp = len(quality.sharp)
    said = f"smallest angle {quality.smallest_angle.min():.0f}°, sides up to {quality.aspect.max():.3g} : 1"
    marked = f"; {sharp} cells below {SHARP:.0f}°, marked in the lens Mesh" if sharp else ""
    state = f"{number(mesh.cell_count)} cells · {number(mesh.node_count)} nodes"
    return Section("Mesh", state, (*rows, (Word(said + marked, "quiet"),)))


def _finer_places(case: Case, outcome: Outcome | None) -> list[Row]:
    rows: list[Row] = []
    for place, local in enumerate(case.document.mesh.local):
        path = ("mesh", "local", place)
        where: list[Part] = [Word("finer on"), Word(", ".join(local.surfaces), "strong", local.surfaces)]
        if local.at is not None:
            where = [Word("finer at"), *entry(case, (*path, "at", 0), "x of the point"), Word(","),
                     *entry(case, (*path, "at", 1), "y of the point")]  # fmt: skip
        rows.append((
            *where, Word(": cells of"), *entry(case, (*path, "size"), "Largest cell there, such as 1 mm"),
            Remove(f"remove finer place {place}", "Remove this finer place", removing(path)),
        ))  # fmt: skip
    found = tuple(outcome.geometry.surfaces) if outcome and outcome.geometry else ()
    extent = outcome.geometry.extent if outcome and outcome.geometry else 0.1
    size = f"{extent * 1000 / 100:.2g} mm"
    offers = tuple(
        Option(name, adding(("mesh", "local"), {"on": name, "size": size}))
        for name in (*case.document.surfaces, *found)
    )
    point = Option("at a point", adding(("mesh", "local"), {"at": ["0 mm", "0 mm"], "size": size}))
    return [*rows, (Choice("add finer place", "finer on a surface …", (point, *offers), "link"),)]
