"""What a phrase says of a layer, its material and the size of the whole body."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from blunt_ember.case.values.units import (
    AREA_RESISTANCE,
    CONDUCTIVITY,
    DENSITY,
    HEAT_CAPACITY,
    HEAT_FLOW_PER_LENGTH,
    LENGTH,
    POWER_DENSITY,
)
from blunt_ember.noted.bodies import LONG_AND_ROUND, ROUND
from blunt_ember.noted.line_so_far import IDLE, ReadLine, lacking
from blunt_ember.noted.noted_body import ROW, SPAN, NotedLayer
from blunt_ember.noted.phrases import DIFFUSIVITY, DIMENSION_WORDS, NotedValue, NotedWord, Token

#: Bodies whose thickness is a size of the whole, and those that have a length.
_THIN = ("fin", "ring fin", "lid", "wedge")
_LONG = ("fin", "lid", "wedge", "rod", "bar", "pin", "cylinder", "disc")


#: Where the heat that arises in a layer is kept among its properties.
_HEAT = "heat"
#: Words beside it that name no layer.
_HEATING = frozenset(("heat", "heating", "source", "sources", "generation", "generated", "generating", "generates"))


#: How thick a layer is drawn of which a resistance alone is known.
_ANY = "100 mm"
#: What layers of walls are made of, besides what the library knows.
_STUFF = frozenset(
    (
        *("plaster", "render", "brick", "concrete", "mortar", "screed", "gypsum", "plasterboard"),
        *("timber", "wood", "insulation", "felt"),
    )
)
_MATERIAL = {CONDUCTIVITY: "k", DENSITY: "density", HEAT_CAPACITY: "c", DIFFUSIVITY: "alpha"}
#: Density that is taken where a diffusivity is known, and how much heat the body holds only in all.
_ANY_DENSITY = "1000 kg/m³"


def read_layer(line: ReadLine, read: list[Token], head: str) -> None:
    """A layer of the body with its material, and what the phrase says of the whole body's size."""
    words: list[NotedWord] = []
    material: dict[str, str] = {}
    thick: dict[str, str] = {}
    resists: dict[str, str] = {}
    resisting: NotedValue | None = None
    row: list[NotedValue] = []
    for place, token in enumerate(read):
        if isinstance(token, NotedWord):
            if token.text.lower() not in IDLE | DIMENSION_WORDS:
                words.append(token)
            continue
        after = read[place + 1] if place + 1 < len(read) else None
        named = after.text.lower() if isinstance(after, NotedWord) else ""
        if token.kind is LENGTH:
            if token.joined or row:
                row.append(token)
                if not token.joined:
                    line.size(SPAN if any(each.joined == "to" for each in row) else ROW, *row)
                    row = []
            elif (called := _called(token.key or named, line.head)) in _SIZES:
                line.size(called, token)
            else:
                line.once(thick, "", token)
        elif token.kind in _MATERIAL:
            line.once(material, _MATERIAL[token.kind], token)
        elif token.kind is POWER_DENSITY or (token.kind is HEAT_FLOW_PER_LENGTH and line.head in LONG_AND_ROUND):
            line.once(material, _HEAT, token)
        elif token.kind is AREA_RESISTANCE:
            line.once(resists, "", token)
            resisting = token
        else:
            line.fault(token, f"'{token.text}' {lacking(token, 'mm', 'a layer')}")
    if _HEAT in material:
        words = [word for word in words if word.text.lower() not in _HEATING]
    name, stuff = _named(line, words, head)
    thickness = thick.get("", "")
    if resisting is not None:  # of what no thickness is said, any does
        if "k" in material:
            line.fault(
                resisting, f"'{resisting.text}' comes beside 'k {material['k']}', which tells it too; remove one"
            )
        thickness = thickness or _ANY
        material["k"] = f"{thickness}/({resists['']})"
    if not (head or thickness or material or stuff or name):
        return
    if not head and not thickness and line.layers and not name:
        name = line.layers[-1].name  # more is said of the last layer
    heat = material.pop(_HEAT, "")
    _add_layer(line, NotedLayer(name or head, thickness, None, heat), material, stuff)


def begins_with_layer(line: ReadLine, read: list[Token]) -> bool:
    """Whether a line begins with a layer, by its thickness and a material that is known, without saying what it is of;
    layers in a row are a wall."""
    sizes = [token for token in read if isinstance(token, NotedValue) and token.kind is LENGTH]
    if any(_called(token.key, "wall") in _SIZES for token in sizes):
        return False  # what is round is no wall
    thick = any(not token.joined for token in sizes)
    words = {token.text.lower() for token in read if isinstance(token, NotedWord)}
    known = _STUFF.union(*(name.lower().split() for name in line.shelf))
    return thick and bool(words & known)


#: Sizes of the whole body by the words for them; any other length is the thickness of a layer.
_SIZES = frozenset(("d", "dia", "diameter", "bore", "od", "r", "ri", "ro", *DIMENSION_WORDS))


def _called(word: str, head: str) -> str:
    """The size a word beside a length stands for, empty where it is the thickness of a layer."""
    if word in ("thick", "thickness", "t"):
        return "thick" if head in _THIN else "long" if head == "disc" else ""
    if word in ("l", "length"):
        return "long" if head in _LONG else ""
    return {"radius": "r", "id": "bore", "depth": "deep"}.get(word, word)


def _named(line: ReadLine, words: list[NotedWord], head: str) -> tuple[str, str]:
    """The name of a layer among the words of its phrase, and that of a material of the library."""
    for length in range(len(words), 0, -1):
        for place in range(len(words) - length + 1):
            name = " ".join(word.text for word in words[place : place + length])
            known = _shelved(line.shelf, name.lower())
            if known is not None:
                rest = [word.text for word in (*words[:place], *words[place + length :])]
                return " ".join(rest) or (head or known), known
    return " ".join(word.text for word in words) or head, ""


def _shelved(shelf: Mapping[str, Any], name: str) -> str | None:
    """The material of that name, or the one whose name has it among its words."""
    exactly = [entry for entry in shelf if entry.lower() == name]
    nearly = [entry for entry in shelf if f" {name} " in f" {entry.lower()} "]
    found = exactly or (nearly if len(nearly) == 1 else [])
    return found[0] if found else None


def with_diffusivity(material: Mapping[str, Any]) -> dict[str, Any]:
    """Return a material with what follows from its diffusivity in place of that: what it holds, or how it conducts.

    A temperature follows from the diffusivity alone; where no more than how it conducts is known, its density is any.
    """
    said = {key: value for key, value in material.items() if key != "alpha"}
    if "alpha" not in material:
        return said
    known = said.keys() & {"k", "density", "c"}
    alpha = f"({material['alpha']})"
    if known == {"density", "c"}:
        said["k"] = f"{alpha}*({said['density']})*({said['c']})"
    elif "k" in known and "c" in known:
        said["density"] = f"({said['k']})/({alpha}*({said['c']}))"
    elif "k" in known:
        said.setdefault("density", _ANY_DENSITY)
        said["c"] = f"({said['k']})/({alpha}*({said['density']}))"
    return said


def lacking_material(shelf: Mapping[str, Any], name: str) -> str:
    """What to say of a layer whose material is not told, with those of the library that its name may mean."""
    meant = [entry for entry in shelf if set(name.lower().split()) & set(entry.lower().split())]
    return f"k of '{name}', such as k 0.35" + (f", or which it is: {', '.join(meant[:4])}" if meant else "")


def _add_layer(line: ReadLine, noted: NotedLayer, material: Mapping[str, Any], stuff: str) -> None:
    """Take a layer, or what more is said of the last one; ``stuff`` is a material of the library."""
    last = line.layers[-1] if line.layers else None
    name, thickness, heat = noted.name, noted.thickness, noted.heat
    if last is not None and _says_more(line, last, name, thickness):
        line.layers.pop()
        thickness, heat = thickness or last.thickness, heat or last.heat
        known = line.materials.get(last.material or "", {})
        if not any(layer.material == last.material for layer in line.layers):
            line.materials.pop(last.material or "", None)
        material = {**known, **material}
        name = last.name if not name or not thickness or last.thickness else name
    name = name or f"layer {len(line.layers) + 1}"
    while any(layer.name == name for layer in line.layers):
        name = f"{name} {len(line.layers) + 1}"
    filling = {**(line.shelf[stuff] if stuff else {}), **material}
    called = stuff or name
    while called in line.materials and line.materials[called] != filling:
        called = f"{called} {len(line.layers) + 1}"
    if filling:
        line.materials[called] = filling
    line.layers.append(NotedLayer(name, thickness, called if filling else None, heat))


def _says_more(line: ReadLine, last: NotedLayer, name: str, thickness: str) -> bool:
    """Whether a phrase goes on with the layer before it: the head had the sizes of the whole body alone, or this has no
    thickness and is of the same name, or tells what that is made of."""
    if thickness and line.head in ROUND and name not in ("", last.name):
        return False
    if thickness:
        return not last.thickness and len(line.layers) == 1 and not _is_sized(line)
    return name in ("", last.name) or last.material is None


def _is_sized(line: ReadLine) -> bool:
    """Whether the sizes of the whole tell how thick its first layer is: `60.3 x 2.9 mm`, outside and inside, or that
    across of what is full."""
    if line.head in ROUND and line.sizes.keys() & {"d", "dia", "diameter", "od", "r"}:
        return True
    within, without = line.sizes.keys() & {"bore", "d", "r", "ri"}, line.sizes.keys() & {"od", "ro"}
    return ROW in line.sizes or bool(within and without)
