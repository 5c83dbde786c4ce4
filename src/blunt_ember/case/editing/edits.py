"""Edits of a case: each returns a new one and leaves the old as it was."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.document.parts import check_name
from blunt_ember.case.document.regions import CONCENTRIC, SIDES_BESIDE
from blunt_ember.case.faults.structure_faults import path_text
from blunt_ember.case.values.expressions import renamed
from blunt_ember.errors import CaseError, ExpressionError, Fault

PathLike = Sequence[str | int]


def value_at(data: Any, path: PathLike, default: Any = None) -> Any:
    """Return the entry at ``path`` in JSON data, or ``default`` where there is none."""
    for part in path:
        if isinstance(data, Mapping) and part in data:
            data = data[str(part)]
        elif isinstance(data, list) and isinstance(part, int) and part < len(data):
            data = data[part]
        else:
            return default
    return data


def with_value(case: Case, path: PathLike, value: Any) -> Case:
    """Return the case with the entry at ``path`` set; missing objects on the way are made."""
    return case.restated(_replaced(case.data, path, lambda _: value))


def without(case: Case, path: PathLike) -> Case:
    """Return the case with the entry at ``path`` removed."""
    *owner, last = path

    def removed(here: Any) -> Any:
        if isinstance(here, list):
            return [entry for place, entry in enumerate(here) if place != last]
        return {key: entry for key, entry in here.items() if key != last}

    return case.restated(_replaced(case.data, owner, removed))


def appended(case: Case, path: PathLike, entry: Any) -> Case:
    """Return the case with ``entry`` at the end of the list at ``path``."""
    return case.restated(_replaced(case.data, path, lambda here: [*(here or []), entry]))


def with_typed_value(case: Case, path: PathLike, text: str) -> Case:
    """Return the case after ``text`` was typed into the field at ``path``.

    Where the field holds just the name of a parameter, a value typed over it goes to that parameter, so that
    everything stated with it follows; another parameter's name replaces the name.
    """
    parameter = parameter_at(case, path)
    if parameter is None or text.strip() in case.data.get("parameters", {}):
        return with_value(case, path, text)
    return with_value(case, ("parameters", parameter), text)


def parameter_at(case: Case, path: PathLike) -> str | None:
    """Return the parameter whose bare name stands at ``path``, or None."""
    text = value_at(case.data, path)
    if path and path[0] != "parameters" and isinstance(text, str) and text.strip() in case.data.get("parameters", {}):
        return text.strip()
    return None


def free_name(stem: str, taken: Sequence[str] | Mapping[str, Any]) -> str:
    """Return ``stem`` or ``stem 2``, ``stem 3``, … whichever is not taken yet."""
    names = [stem, *(f"{stem} {number}" for number in range(2, len(taken) + 3))]
    return next(name for name in names if name not in taken)


def renamed_part(case: Case, path: PathLike, new: str) -> Case:
    """Return the case with a part of the body renamed, and every statement that refers to it or its surfaces following.

    ``path`` leads to a region, a level of a region, a piece of a rod or a group of a mesh file.
    """
    *owner, old = path
    taken = value_at(case.data, owner, {})
    _require_free(new, taken, path, "part")
    before, after = _full_name(path), _full_name([*owner, new])

    def surface(name: str) -> str:
        return "|".join(
            after + side[len(before) :] if side == before or side.startswith(f"{before}.") else side
            for side in name.split("|")
        )

    def renamed_in(parts: Any) -> Any:
        made = {new if name == old else name: dict(part) for name, part in parts.items()}
        for part in made.values():
            for relation in (*SIDES_BESIDE, *CONCENTRIC):
                if part.get(relation) == old:
                    part[relation] = new
        return made

    return case.restated(with_surfaces_mapped(_replaced(case.data, owner, renamed_in), surface))


def _full_name(path: PathLike) -> str:
    """The name surfaces know a part of the body by: a level goes by its region's name and its own."""
    return f"{path[2]}.{path[4]}" if len(path) == 5 else str(path[-1])


def renamed_material(case: Case, old: str, new: str) -> Case:
    """Return the case with a material renamed, what is made of it following."""
    _require_free(new, case.document.materials, ("materials", old), "material")

    def followed(entry: Any) -> Any:
        if not isinstance(entry, dict):
            return entry
        return {key: new if key == "material" and value == old else followed(value) for key, value in entry.items()}

    data = dict(case.data)
    data["materials"] = {new if name == old else name: entry for name, entry in data["materials"].items()}
    data["body"] = followed(data["body"])
    return case.restated(data)


def renamed_formula(case: Case, block: str, old: str, new: str) -> Case:
    """Return the case with a parameter or a line of the working renamed, in every formula that uses it."""
    taken = {**case.data.get("parameters", {}), **case.data.get("working", {})}
    if new != old and new in taken:
        raise CaseError((Fault(path_text((block, old)), f"'{new}' is taken already; choose another name"),))

    def rewritten(entry: Any, key: str) -> Any:
        if isinstance(entry, dict):
            return {k: rewritten(v, k) for k, v in entry.items()}
        if isinstance(entry, list):
            return [rewritten(e, key) for e in entry]
        is_formula = isinstance(entry, str) and key not in _NOT_FORMULAS and (key, entry) not in _WAYS
        return _name_replaced(entry, old, new) if is_formula else entry

    data = {
        key: entry
        if key in ("format", "title", "surfaces") or (key, entry) == ("clock", "steady")
        else rewritten(entry, key)
        for key, entry in case.data.items()
    }
    data[block] = {new if name == old else name: formula for name, formula in data[block].items()}
    return case.restated(data)


def without_part(case: Case, path: PathLike) -> tuple[Case, list[str]]:
    """Return the case without a part of the body, and in words what else went because it referred to it.

    ``path`` leads to a region, a level of a region or a piece of a rod. Raises :class:`CaseError` while another region
    is placed by it.
    """
    *owner, last = path
    name = _full_name(path)
    for other, region in case.document.body.regions.items():
        if len(path) == 3 and region.beside and region.beside[1] == last:
            what = f"'{other}' is placed by it; place '{other}' otherwise first"
            raise CaseError((Fault(path_text(path), what),))

    def gone(surface: str) -> bool:
        return any(side == name or side.startswith(f"{name}.") for side in surface.split("|"))

    also: list[str] = []
    own, emptied = _own_names_left(case, gone)
    also += [f"the name '{name}'" for name in emptied]

    def gone_too(surface: str) -> bool:
        return gone(surface) or surface in emptied

    stated: dict[str, list[Any]] = {}
    for block, words in (("surroundings", "the statement on"), ("joints", "the joint"), ("local", "the cells on")):
        stated[block], lost = _without_surfaces(_stated_entries(case.data, block), gone_too)
        also += [f"{words} {surface}" for surface in lost]
    heat = []
    for source in case.data.get("heat_inside", []):
        inside = [source["region"]] if isinstance(source.get("region"), str) else source.get("region")
        left = [region for region in inside or () if not _within(region, name)]
        if inside and len(left) < len(inside):
            also.append(f"the heat in {', '.join(region for region in inside if region not in left)}")
        if inside is None or left:
            heat.append(source if inside is None else {**source, "region": left[0] if len(left) == 1 else left})
    questions = []
    for question in case.data.get("questions", []):
        targets = _asked_of(question)
        if any(gone_too(target) for target in targets):
            also.append(f"the question '{question['name']}'")
        else:
            questions.append(question)
    data = _replaced(case.data, owner, lambda parts: {key: part for key, part in parts.items() if key != last})
    if isinstance(data.get("clock"), dict):
        data["clock"], lost = _clock_without(data["clock"], gone_too)
        also += lost
    entries: Any
    for key, entries in (
        ("surfaces", own),
        ("surroundings", stated["surroundings"]),
        ("joints", stated["joints"]),
        ("heat_inside", heat),
        ("questions", questions),
    ):
        if key in data:
            data[key] = entries
    if stated["local"] != _stated_entries(case.data, "local"):
        data["mesh"] = {**data["mesh"], "local": stated["local"]}
    return case.restated(data), also


def _asked_of(asking: Mapping[str, Any]) -> list[str]:
    """The surfaces and regions that a question, or what has a condition, asks about."""
    own = [asking[key] for key in _SURFACE_KEYS if isinstance(asking.get(key), str)]
    for line in (asking[key] for key in _SURFACE_KEYS if isinstance(asking.get(key), dict)):
        laid = [line[key] for key in _LAID_BY if key in line]
        own += [name for names in laid for name in ([names] if isinstance(names, str) else names)]
    inner = [asking[key] for key in ("when", "until") if isinstance(asking.get(key), dict)]
    return [*own, *(target for each in inner for target in _asked_of(each))]


def _clock_without(clock: Mapping[str, Any], gone: Callable[[str], bool]) -> tuple[dict[str, Any], list[str]]:
    """The clock without what is stated on surfaces or regions that are gone, and in words what went."""
    clock, also = dict(clock), list[str]()
    for place, owner in enumerate([clock, *clock.get("stages", [])]):
        if any(gone(target) for target in _asked_of(owner)):
            path = ("clock", "until") if place == 0 else ("clock", "stages", place - 1, "until")
            raise CaseError((Fault(path_text(path), "it waits for something there; change that first"),))
    if "start_in" in clock:
        also += [f"the start of {name}" for name in clock["start_in"] if gone(name)]
        clock["start_in"] = {name: start for name, start in clock["start_in"].items() if not gone(name)}
    if "stages" in clock:
        stages = []
        for stage in clock["stages"]:
            kept, lost = _without_surfaces(stage.get("surroundings", []), gone)
            also += [f"the statement on {surface} in {stage['name']}" for surface in lost]
            stages.append({**stage, "surroundings": kept} if "surroundings" in stage else stage)
        clock["stages"] = stages
    return clock, also


def _stated_entries(data: Mapping[str, Any], block: str) -> list[Any]:
    """Entries that are stated on surfaces: surroundings, joints, or local sizes of the mesh."""
    return (data.get("mesh", {}) if block == "local" else data).get(block, [])


def _without_surfaces(entries: list[Any], gone: Callable[[str], bool]) -> tuple[list[Any], list[str]]:
    """Entries without the surfaces that are gone, those left on none taken out, and the surfaces that were lost."""
    kept_entries, lost = [], []
    for entry in entries:
        if "on" not in entry:
            kept_entries.append(entry)
            continue
        on = [entry["on"]] if isinstance(entry["on"], str) else list(entry["on"])
        kept = [surface for surface in on if not gone(surface)]
        lost += [surface for surface in on if gone(surface)]
        if entry.get("periodic") and len(kept) < 2:
            continue
        if kept:
            kept_entries.append({**entry, "on": kept[0] if isinstance(entry["on"], str) else kept})
    return kept_entries, lost


def _within(region: str, part: str) -> bool:
    """Whether a region is a part of the body, or a level of it."""
    return region == part or region.startswith(f"{part}.")


def _own_names_left(case: Case, gone: Callable[[str], bool]) -> tuple[dict[str, Any], list[str]]:
    """Return the analyst's names of surfaces without those that go, and the names that then stand for nothing."""
    own: dict[str, Any] = {}
    emptied = []
    for name, members in case.data.get("surfaces", {}).items():
        if isinstance(members, dict):
            if gone(members["on"]):
                emptied.append(name)
            else:
                own[name] = members
            continue
        kept = [member for member in case.document.members_of(name) if not gone(member)]
        if not kept:
            emptied.append(name)
        else:
            own[name] = members if isinstance(members, str) else kept
    return own, emptied


def renamed_surface(case: Case, old: str, new: str) -> Case:
    """Return the case with an analyst's own name of surfaces changed, everything stated on it following."""
    _require_free(new, case.document.surfaces, ("surfaces", old), "surface")
    data = with_surfaces_mapped(dict(case.data), lambda surface: new if surface == old else surface)
    data["surfaces"] = {new if name == old else name: members for name, members in data["surfaces"].items()}
    return case.restated(data)


def without_surface_name(case: Case, name: str) -> Case:
    """Return the case without an analyst's own name; raises :class:`CaseError` while something is stated on it."""
    for block in ("surroundings", "joints", "local"):
        for place, entry in enumerate(_stated_entries(case.data, block)):
            if name == entry.get("on") or (isinstance(entry.get("on"), list) and name in entry["on"]):
                path = path_text((*(("mesh",) if block == "local" else ()), block, place, "on"))
                raise CaseError((Fault(path, f"it is stated on '{name}'; change that first"),))
    for question in case.data.get("questions", []):
        if name in _asked_of(question):
            what = f"the question '{question['name']}' asks about '{name}'; change that first"
            raise CaseError((Fault(path_text(("surfaces", name)), what),))
    return without(case, ("surfaces", name))


_SURFACE_KEYS = ("heat_flow", "heat_passed", "heat_stored", "highest", "lowest", "mean")
#: The keys of a line that name surfaces.
_LAID_BY = ("edge", "between")
_NOT_FORMULAS = {
    "on",
    "region",
    "side",
    "over",
    "between",
    "going",
    "capacity",
    "material",
    "name",
    "kind",
    "shape",
    "source",
    "exact",
    "basis",
    "surfaces",
    "edge",
    "across",
    *_SURFACE_KEYS,
    *SIDES_BESIDE,
    *CONCENTRIC,
}


#: Of a question, the direction of heat; that of a region is an angle and may be a formula.
_WAYS = (("direction", "in"), ("direction", "out"))


def with_surfaces_mapped(data: dict[str, Any], change: Callable[[str], str]) -> dict[str, Any]:
    """Return the data of a case with every surface that something is stated on or asked of changed."""
    data = dict(data)
    if "surfaces" in data:
        data["surfaces"] = {name: _named_of(members, change) for name, members in data["surfaces"].items()}
    for block in ("surroundings", "joints"):
        if block in data:
            data[block] = [_on_changed(entry, change) for entry in data[block]]
    if "heat_inside" in data:
        data["heat_inside"] = [_on_changed(entry, change, "region") for entry in data["heat_inside"]]
    if data.get("mesh", {}).get("local"):
        data["mesh"] = {**data["mesh"], "local": [_on_changed(entry, change) for entry in data["mesh"]["local"]]}
    if "questions" in data:
        data["questions"] = [_asked_changed(question, change) for question in data["questions"]]
    clock = data.get("clock")
    if isinstance(clock, dict):
        clock = _asked_changed(clock, change)
        if "start_in" in clock:
            clock["start_in"] = {change(name): start for name, start in clock["start_in"].items()}
        if "stages" in clock:
            clock["stages"] = [_stage_changed(stage, change) for stage in clock["stages"]]
        data["clock"] = clock
    return data


def _asked_changed(asking: dict[str, Any], change: Callable[[str], str]) -> dict[str, Any]:
    """A question, or what has a condition, with the surfaces and regions it asks about changed."""
    changed = dict(asking)
    for key, entry in asking.items():
        if key in ("when", "until"):
            changed[key] = _asked_changed(entry, change)
        elif key in (*_SURFACE_KEYS, "side") and isinstance(entry, str):
            changed[key] = change(entry)
        elif key in _SURFACE_KEYS and isinstance(entry, dict):
            for laid in _LAID_BY:
                entry = _on_changed(entry, change, laid)
            changed[key] = entry
    return changed


def _stage_changed(stage: dict[str, Any], change: Callable[[str], str]) -> dict[str, Any]:
    stage = _asked_changed(stage, change)
    if "surroundings" in stage:
        stage["surroundings"] = [_on_changed(entry, change) for entry in stage["surroundings"]]
    return stage


def _on_changed(entry: dict[str, Any], change: Callable[[str], str], key: str = "on") -> dict[str, Any]:
    if key not in entry:
        return entry
    on = entry[key]
    return {**entry, key: change(on) if isinstance(on, str) else [change(name) for name in on]}


def _named_of(members: Any, change: Callable[[str], str]) -> Any:
    if isinstance(members, dict):
        return {**members, "on": change(members["on"])}
    return change(members) if isinstance(members, str) else [change(member) for member in members]


def _require_free(new: str, taken: Mapping[str, Any], path: PathLike, what: str) -> None:
    try:
        check_name(new)
    except Exception as error:
        raise CaseError((Fault(path_text(path), str(error)),)) from error
    if new in taken and new != path[-1]:
        raise CaseError((Fault(path_text(path), f"there is a {what} '{new}' already; choose another name"),))


def _name_replaced(text: str, old: str, new: str) -> str:
    try:
        return renamed(text, old, new)
    except ExpressionError:
        return text


def _replaced(data: Any, path: PathLike, change: Callable[[Any], Any]) -> Any:
    if not path:
        return change(data)
    first, *rest = path
    if isinstance(first, int):
        entries = list(data)
        entries[first] = _replaced(entries[first], rest, change)
        return entries
    here = dict(data or {})
    here[first] = _replaced(here.get(first), rest, change)
    return here
