"""The library of materials: shelves that come with the program, and the analyst's own in a file of their own.

A material is copied into a case, which then no longer depends on the library.
"""

from __future__ import annotations

import json
import os
from collections.abc import Mapping
from importlib.resources import files
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from blunt_ember.case.document.materials import Material
from blunt_ember.case.faults.structure_faults import structure_faults
from blunt_ember.case.files import json_text
from blunt_ember.errors import CaseError, Fault
from blunt_ember.written_file import write_text

OWN_SHELF = "my own"
#: Materials by name, as a case states them, by shelf.
Shelves = Mapping[str, Mapping[str, dict[str, Any]]]


def own_file() -> Path:
    """Where the analyst's own materials are kept."""
    base = os.environ.get("XDG_CONFIG_HOME") or str(Path.home() / ".config")
    return Path(base) / "blunt-ember" / "materials.json"


def shelves(own: Path | None = None) -> Shelves:
    """Return all shelves; raise :class:`CaseError` where the analyst's own file cannot be read."""
    shipped = json.loads(files("blunt_ember.library").joinpath("materials.json").read_text(encoding="utf-8"))
    kept = own_materials(own or own_file())
    return {**shipped, OWN_SHELF: kept} if kept else dict(shipped)


def own_materials(path: Path) -> dict[str, dict[str, Any]]:
    """Return the materials of the analyst's own file, none where there is no file.

    Raises :class:`CaseError` with every fault found in it.
    """
    if not path.exists():
        return {}
    try:
        data = json_text.loads(path.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError) as error:
        raise CaseError((Fault((), f"{path}: the library cannot be read ({error})"),)) from error
    if not isinstance(data, dict):
        raise CaseError((Fault((), f'{path}: a library is an object of materials by name: {{ "brick": {{ … }} }}'),))
    faults: list[Fault] = []
    for name, entry in data.items():
        try:
            Material.model_validate(entry, context={"names": {}})
        except ValidationError as error:
            faults += [
                Fault((name, *fault.at), f"{fault.message} ({path})")
                for fault in structure_faults(error, entry, Material)
            ]
    if faults:
        raise CaseError(tuple(faults))
    return data


def keep(name: str, material: Mapping[str, Any], path: Path | None = None) -> Path:
    """Put a material into the analyst's own file, in place of one of the same name, and return the file.

    Raises :class:`CaseError` where it refers to parameters of its case, which the library does not have.
    """
    path = path or own_file()
    try:
        Material.model_validate(material, context={"names": {}})
    except ValidationError as error:
        found = structure_faults(error, material, Material)
        what = f"only values that stand by themselves can be kept: {found[0].message}"
        raise CaseError((Fault(("materials", name, *found[0].at), what),)) from error
    kept = {**own_materials(path), name: dict(material)}
    path.parent.mkdir(parents=True, exist_ok=True)
    write_text(json_text.dumps(kept), path)
    return path
