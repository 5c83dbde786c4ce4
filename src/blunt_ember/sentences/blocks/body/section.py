"""What the sheet says of the body: its kind, and its regions or pieces."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.document.bodies import BODIES, Body, BodyPart, Imported, Rod
from blunt_ember.case.editing.arranging import moved_in_order, placed
from blunt_ember.case.editing.body_conversion import SHAPED, with_body_kind
from blunt_ember.case.editing.edits import free_name, value_at, with_value
from blunt_ember.case.editing.references import ON_THE_BODY, with_names_changed
from blunt_ember.case.editing.removal import without_part
from blunt_ember.case.editing.renaming import renamed_part
from blunt_ember.errors import DataPath
from blunt_ember.library.shelves import shelves
from blunt_ember.noted.region import region_example, with_noted_region
from blunt_ember.sentences.blocks.body.arranging import around_all, more_of_region, own_size, own_values
from blunt_ember.sentences.blocks.body.shapes import shape_words
from blunt_ember.sentences.blocks.materials import direction_words, library_options
from blunt_ember.sentences.parts import (
    Choice,
    DrawOutline,
    Edit,
    Entry,
    Grip,
    Option,
    Remove,
    SentencePart,
    SheetRow,
    SheetSection,
    TypedEdit,
    Word,
    entry,
    setting,
    typing,
)

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


def body_section(case: Case) -> SheetSection:
    """Return the section of the body."""
    body = case.document.body
    return _SECTIONS.get(type(body), _of_regions)(case, body)


def _of_pieces(case: Case, rod: Rod) -> SheetSection:
    count = len(rod.pieces)
    return SheetSection("Body", f"rod of {count} piece{'s' if count > 1 else ''}", tuple(_pieces(case, rod)))


def _of_groups(case: Case, body: Imported) -> SheetSection:
    return SheetSection("Body", f"from {body.file}", tuple(_groups(case, body)))


def _of_regions(case: Case, body: Body) -> SheetSection:
    rows: list[SheetRow] = [_kind(case)]
    for place, (name, region) in enumerate(body.regions.items()):
        path: DataPath = ("body", "regions", name)
        levels = list(region.levels or {})
        rows.append(
            (
                *((Grip(name, place, _moving(name)),) if len(body.regions) > 1 else ()),
                Entry(f"region {name}", name, "Name of the region", _renaming(path), "name"),
                *shape_words(case, path, region),
                *_place_words(case, path, name),
                *(_height_words(case, path) if region.z is not None else ()),
                *_filling_words(case, path, bool(region.void), region.material, not levels),
                more_of_region(case, path),
                Remove(
                    f"remove {name}", f"Remove the region {name} and what is stated on it", *_removing(path), at=path
                ),
            )
        )
        rows += [_level(case, (*path, "levels", level)) for level in levels]
    example = region_example(body.piled)
    hint = f"A rectangle noted in a line, such as {example}; 'void' in place of a material makes it a hole"
    noted = Entry("note region", "", hint, _noting_region, "formula", example=example)
    rows.append((Choice("add region", "add a region …", _new_regions(case), "link"), noted))
    count = len(body.regions)
    return SheetSection("Body", f"{count} region{'s' if count > 1 else ''} · {body.words}", tuple(rows))


#: The section of a body that is not made of drawn regions, by its kind.
_SECTIONS: Mapping[type[BodyPart], Callable[[Case, Any], SheetSection]] = MappingProxyType(
    {Rod: _of_pieces, Imported: _of_groups}
)


def _noting_region(case: Case, typed: str) -> Case:
    shelf = {name: entry for each in shelves().values() for name, entry in each.items()}
    return with_noted_region(case, typed, shelf)


def _moving(name: str) -> Callable[[int], Edit]:
    return lambda places: lambda now: moved_in_order(now, name, places)


def _kind(case: Case) -> SheetRow:
    """The kind of body, what it may be made into, and its depth or angle."""
    body = case.document.body
    options = tuple(Option(BODIES[kind].title, _made_into(kind)) for kind in SHAPED if kind != body.kind)
    parts: list[SentencePart] = [Choice("body kind", body.title, options, "plain choice")]
    if body.measured_by is not None:
        key, word, hint = body.measured_by
        path = ("body", key)
        known = key in case.data["body"]
        default = Entry(f"body.{key}", getattr(body, key).text, hint, typing(path), at=path)
        parts += [Word(word), *(entry(case, path, hint) if known else [default])]
    return tuple(parts)


def _made_into(kind: str) -> Edit:
    return lambda now: with_body_kind(now, kind)


def _height_words(case: Case, path: DataPath) -> list[SentencePart]:
    return [
        Word("from z"),
        *entry(case, (*path, "z", 0), "Where it begins in z, such as 0 mm"),
        Word("to"),
        *entry(case, (*path, "z", 1), "Where it ends in z, such as 200 mm"),
    ]


def _filling_words(case: Case, path: DataPath, void: bool, material: str | None, fills: bool) -> list[SentencePart]:
    if not fills:
        return [Word("in levels:")]
    if void:
        return [Word("void")]
    return [Word("of"), _material_choice(case, path, material), *direction_words(case, path, material)]


def _level(case: Case, path: DataPath) -> SheetRow:
    region, name = str(path[2]), str(path[4])
    levels = case.document.body.regions[region].levels or {}
    remove = Remove(f"remove {region}.{name}", f"Remove the level {name}", *_removing(path), at=path)
    return (
        Word("    "),
        Entry(f"level {region}.{name}", name, "Name of the level", _renaming(path), "name"),
        *_height_words(case, path),
        *_filling_words(case, path, bool(levels[name].void), levels[name].material, True),
        *((remove,) if len(levels) > 1 else ()),
    )


def _pieces(case: Case, rod: Rod) -> list[SheetRow]:
    rows: list[SheetRow] = []
    for name, piece in rod.pieces.items():
        path: DataPath = ("body", "pieces", name)
        section: list[SentencePart] = [Word(", diameter"), *entry(case, (*path, "diameter"), "Diameter, such as 8 mm")]
        if piece.diameter is None:
            section = [Word(", area"), *entry(case, (*path, "area"), "Area of the cross-section, such as 50 mm²")]
            if piece.perimeter is not None:
                section += [Word(", perimeter"), *entry(case, (*path, "perimeter"), "Perimeter, such as 30 mm")]
        rows.append(
            (
                Entry(f"piece {name}", name, "Name of the piece", _renaming(path), "name", at=path),
                Word("length"),
                *entry(case, (*path, "length"), "Length, such as 120 mm"),
                *section,
                _other_section(path, piece.diameter is not None, piece.perimeter is not None),
                Word("of"),
                _material_choice(case, path, piece.material),
                *(
                    (Remove(f"remove {name}", f"Remove the piece {name}", *_removing(path), at=path),)
                    if len(rod.pieces) > 1
                    else ()
                ),
            )
        )

    def add(now: Case) -> Case:
        pieces = now.data["body"]["pieces"]
        old, new = list(pieces)[-1], free_name("piece", pieces)
        # The end of the rod is now that of the new piece, with what was stated on it.
        data = with_names_changed(now.data, ON_THE_BODY, lambda name: f"{new}.end" if name == f"{old}.end" else name)
        return now.restated({**data, "body": {**data["body"], "pieces": {**pieces, new: own_values(now, pieces[old])}}})

    rows.append((Choice("add piece", "add a piece …", (Option("at the end, like the last", add),), "link"),))
    return rows


def _other_section(path: DataPath, is_round: bool, has_side: bool) -> Choice:
    def change(**entries: str) -> Edit:
        def made(now: Case) -> Case:
            piece = value_at(now.data, path)
            kept = {key: entry for key, entry in piece.items() if key not in ("diameter", "area", "perimeter")}
            return with_value(now, path, {**kept, **entries})

        return made

    options = [] if is_round else [Option("round", change(diameter="10 mm"))]
    if is_round or not has_side:
        options.append(Option("by area and perimeter", change(area="100 mm²", perimeter="40 mm")))
    if is_round or has_side:
        options.append(Option("by area alone, without a side", change(area="100 mm²")))
    return Choice(f"section of {path[2]}", "…", tuple(options), "link")


def _groups(case: Case, body: Imported) -> list[SheetRow]:
    rows: list[SheetRow] = [
        (
            Word("file"),
            Entry("body.file", body.file, "Path of the mesh file", typing(("body", "file")), at=("body", "file")),
            Word("in which 1 is"),
            *entry(case, ("body", "unit"), "Length that 1 stands for in the file, such as 1 mm"),
        )
    ]
    for name, group in body.groups.items():
        rows.append(
            (
                Word(name, "strong"),
                Word("of"),
                _material_choice(case, ("body", "groups", name), group.material),
                *direction_words(case, ("body", "groups", name), group.material),
            )
        )
    return rows


def _place_words(case: Case, path: tuple[str | int, ...], name: str) -> list[SentencePart]:
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
        return [
            Word("at"),
            *entry(case, (*path, "at", 0), "x, such as 20 mm"),
            Word(","),
            *entry(case, (*path, "at", 1), "y, such as 20 mm"),
        ]
    return []


def _renaming(path: DataPath) -> TypedEdit:
    return lambda now, typed: renamed_part(now, path, typed.strip())


def _removing(path: DataPath) -> tuple[Edit, Callable[[Case], list[str]]]:
    return (lambda now: without_part(now, path)[0]), (lambda now: without_part(now, path)[1])


def _new_regions(case: Case) -> tuple[Option, ...]:
    regions = list(case.document.body.regions)
    others = regions[-1:] if len(regions) > 3 else regions[::-1]
    drawn = Option("an outline drawn on the stage", asks=DrawOutline())
    made = tuple(
        Option(
            words,
            options=(
                *(
                    Option(f"{place} {other}", _adding_region(shape, relation, other))
                    for other in others
                    for relation, place in places.items()
                ),
                *((around_all(case),) if shape["shape"] == "rectangle" else ()),
            ),
        )
        for words, (shape, places) in _NEW_SHAPES.items()
    )
    return (*made, drawn)


def _replaced_place(name: str, relation: str, other: str) -> Edit:
    def change(now: Case) -> Case:
        return placed(now, name, {relation: other})

    return change


def _adding_region(shape: dict[str, Any], relation: str, other: str) -> Edit:
    def change(now: Case) -> Case:
        name = free_name("hole" if shape.get("void") else "part", now.document.body.regions)
        made = dict(shape)
        size = own_size(now, other)
        if "size" in made and size is not None:  # a layer beside another is as high, or as wide, as that
            made["size"] = ["20 mm", size[1]] if relation in ("right_of", "left_of") else [size[0], "20 mm"]
        stands = now.data["body"]["regions"][other]
        if now.data["body"]["kind"] == "stacked":
            made["z"] = stands.get("z") or [span["z"] for span in stands["levels"].values()][-1]
        return with_value(now, ("body", "regions", name), {**made, relation: other})

    return change


def _material_choice(case: Case, part: DataPath, material: str | None) -> Choice:
    path = (*part, "material")
    idle = case.document.running_clock is None and _called(part) in case.document.even_regions
    is_open = material is None and not idle
    options = [Option(name, setting(path, name)) for name in case.document.materials]

    def new(now: Case) -> Case:
        name = free_name("material", now.document.materials)
        return with_value(with_value(now, ("materials", name), {}), path, name)

    def made_of(name: str, properties: dict[str, Any]) -> Edit:
        def take(now: Case) -> Case:
            known = now.data.get("materials", {})
            called = name if known.get(name) == properties else free_name(name, known)
            return with_value(with_value(now, ("materials", called), properties), path, called)

        return take

    library = Option("from the library", later=lambda: library_options(made_of))
    options += [Option("a new material", new), library]
    return Choice(
        f"material of {_called(part)}",
        material or ("○ material …" if is_open else "no material"),
        tuple(options),
        is_open=is_open,
        at=path,
    )


def _called(part: DataPath) -> str:
    """The name of a region, or of a level of one, by its place in the case."""
    return ".".join(str(name) for name in part[2::2])
