"""What a unit is by its name, as pint knows it.

pint takes as long to import as all else that reads a case, so that it is asked only for names whose answer is neither
among the usual ones that are shipped with the program nor among those that were kept of earlier answers.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import sys
from contextlib import suppress
from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path
from typing import Any

from blunt_ember.case.values.dimension import Dimension
from blunt_ember.immutable import immutable

#: Offsets of the relative scales: kelvin = (reading + offset) * factor.
_RELATIVE_SCALES = {"degree_Celsius": (273.15, 1.0), "degree_Fahrenheit": (459.67, 5.0 / 9.0)}
_USUAL = Path(__file__).with_name("usual_units.json")
#: Bytes up to which answers are kept.
_MOST_KEPT = 65_536
_LONGEST = 40


@immutable
class Unit:
    """A unit reduced to SI: ``value_SI = (reading + offset) * factor``; ``relative`` marks °C and °F."""

    factor: float
    dimension: Dimension
    offset: float = 0.0
    relative: bool = False


def unit_of_name(name: str) -> Unit | None:
    """Return the unit of a name as pint spells it, or None when there is no such unit."""
    if not name or len(name) > _LONGEST:
        return None
    usual = _usual()
    if name in usual:
        return usual[name]
    kept = _kept()
    if name not in kept:
        kept[name] = asked_of_pint(name)
        _keep(name, kept[name])
    return kept[name]


def base_units_text(dimension: Dimension) -> str:
    """Return a dimension in base units, such as ``kg m²/s³``."""
    names = {
        "[length]": "meter",
        "[mass]": "kilogram",
        "[time]": "second",
        "[temperature]": "kelvin",
        "[current]": "ampere",
        "[substance]": "mole",
        "[luminosity]": "candela",
    }
    units = {names[base]: float(str(power)) for base, power in dimension.items()}
    return f"{_registry().get_base_units(_registry().UnitsContainer(units))[1]:~P}".replace("·", " ")


def asked_of_pint(name: str) -> Unit | None:
    """Return what pint says of a name."""
    import pint

    ureg = _registry()
    try:
        canonical = ureg.get_name(name)
        if not canonical:
            return None
        if canonical in _RELATIVE_SCALES:
            offset, factor = _RELATIVE_SCALES[canonical]
            return Unit(factor, Dimension({"[temperature]": 1}), offset, relative=True)
        one, two = (ureg.Quantity(number, canonical).to_base_units() for number in (1.0, 2.0))
        if abs(two.magnitude - 2 * one.magnitude) > 1e-9 * abs(one.magnitude):  # other offsets, and logarithms
            return None
        dimension = Dimension(dict(ureg.Unit(canonical).dimensionality.items()))
    except (pint.errors.PintError, AttributeError, ValueError, TypeError, ArithmeticError):
        return None
    return Unit(float(one.magnitude), dimension)


def as_stated(unit: Unit | None) -> Any:
    """Return an answer as it is kept in a file."""
    return None if unit is None else [unit.factor, dict(unit.dimension.items()), unit.offset, unit.relative]


def _from_stated(stated: Any) -> Unit | None:
    if stated is None:
        return None
    factor, powers, offset, relative = stated
    return Unit(float(factor), Dimension(powers), float(offset), bool(relative))


@lru_cache(maxsize=1)
def _usual() -> dict[str, Unit | None]:
    return {name: _from_stated(stated) for name, stated in json.loads(_USUAL.read_text("utf-8")).items()}


@lru_cache(maxsize=1)
def _kept() -> dict[str, Unit | None]:
    """Answers by name, of lines that are whole."""
    found: dict[str, Unit | None] = {}
    folder = _folder()
    if folder is None:
        return found
    with suppress(OSError):
        for line in (folder / "names").read_text("utf-8", errors="replace").splitlines():
            with suppress(ValueError, TypeError, AttributeError):
                name, stated = json.loads(line)
                found[str(name)] = _from_stated(stated)
    return found


def _keep(name: str, unit: Unit | None) -> None:
    """Add a line; where that can't be done pint is asked again another time."""
    folder = _folder()
    if folder is None:
        return
    with suppress(OSError):
        folder.mkdir(parents=True, exist_ok=True)
        with (folder / "names").open("ab") as kept:
            if kept.tell() < _MOST_KEPT:
                kept.write(json.dumps([name, as_stated(unit)]).encode() + b"\n")


@lru_cache(maxsize=1)
def _registry() -> Any:
    """The registry of pint; reading its definitions takes a quarter of a second, so they are kept in a folder.

    Whatever is wrong with that folder (cut short, not to be written, no home to hold it), the definitions are read.
    """
    import pint

    folder = _folder()
    try:
        made: Any = pint.UnitRegistry(cache_folder=folder)
        made.Unit("W/m**2")
    except Exception:  # what was kept is a pickle, which fails as it likes
        if folder is not None:
            shutil.rmtree(folder, ignore_errors=True)
        return pint.UnitRegistry()
    return made


def _folder() -> Path | None:
    """A folder for what this Python's pint says: its definitions name the files they came from. None where there is no
    home to hold it."""
    spec = find_spec("pint")
    origin = Path(spec.origin) if spec is not None and spec.origin is not None else Path()
    read_by = f"{origin} {origin.stat().st_mtime_ns} {sys.version}"
    try:
        caches = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
    except RuntimeError:
        return None
    return caches / "blunt-ember" / f"units-{hashlib.sha256(read_by.encode()).hexdigest()[:16]}"
