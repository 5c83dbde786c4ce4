"""Values that are possible but lie far outside what the trade sees, said with the range they are held against."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import PurePath

from blunt_ember.case.case import Case
from blunt_ember.case.values.display import shown
from blunt_ember.case.values.evaluation import evaluate
from blunt_ember.case.values.expressions import parse
from blunt_ember.case.values.formula_tree import Literal
from blunt_ember.case.values.laws import Law, stated_values
from blunt_ember.case.values.quantity import Quantity
from blunt_ember.case.values.units import (
    AREA_RESISTANCE,
    CONDUCTIVITY,
    DENSITY,
    FILM_COEFFICIENT,
    HEAT_CAPACITY,
    HEAT_FLUX,
    POWER_DENSITY,
    TEMPERATURE,
    TEMPERATURE_DIFFERENCE,
    single_unit,
)
from blunt_ember.errors import DataPath, ExpressionError, Note
from blunt_ember.immutable import immutable


@immutable
class _Range:
    """What is usual of a kind of quantity, in SI, and where that is from."""

    low: float
    high: float
    known_from: str


_USUAL: Mapping[str, _Range] = {
    FILM_COEFFICIENT.name: _Range(
        0.5,
        2e5,
        "gases 2 to 250, liquids 50 to 20 000, boiling up to 100 000 W/(m² K); Incropera et al. (2007), table 1.1",
    ),
    CONDUCTIVITY.name: _Range(
        0.005, 3000, "from 0.01 in light insulation to 2 300 W/(m K) in diamond; Incropera et al. (2007), fig. 2.4"
    ),
    DENSITY.name: _Range(0.05, 23_000, "from gases below 1 to osmium at 22 600 kg/m³"),
    HEAT_CAPACITY.name: _Range(80, 15_000, "from 130 in lead to 14 300 J/(kg K) in hydrogen"),
    HEAT_FLUX.name: _Range(0.0, 1e9, "up to 63 MW/m² leave the face of the sun"),
    POWER_DENSITY.name: _Range(0.0, 1e11, "fuel rods of reactors reach about 1 GW/m³"),
    AREA_RESISTANCE.name: _Range(1e-8, 20, "from 1e-6 between pressed metals to 10 m² K/W of a thick insulation"),
}
#: Readings in °C and K of what is meant to be one temperature differ by so much at most, K.
_SLIP = 3.0
#: A temperature typed in kelvin below this would be one in °C at any kiln, K.
_COLD = 150.0
_HOT = 6000.0


def plausibility(case: Case) -> tuple[Note, ...]:
    """Return what looks like a slip of the pen: wrong powers of ten, offsets between scales; and a file that is read
    from outside the folder of the case."""
    notes = [note for path, value in case.document.values for note in _of_value(case, path, value)]
    return tuple(dict.fromkeys([*notes, *_offsets(case), *_files_elsewhere(case)]))


def _files_elsewhere(case: Case) -> Iterator[Note]:
    """A file that a case asks for which does not lie with it: of a case from a stranger, look what it is."""
    for file in case.document.body.files:
        if PurePath(file).is_absolute() or ".." in PurePath(file).parts:
            yield Note(("body", "file"), f"it reads {file[:200]}, which lies outside the folder of the case")


def _of_value(case: Case, path: DataPath, value: Law | Quantity) -> Iterator[Note]:
    values = stated_values(value) if isinstance(value, Law) else (value.si,)
    kind = value.kind
    if kind.name == TEMPERATURE.name:
        for si in values:
            if not _COLD <= si <= _HOT and "questions" not in path:
                yield Note(path, _extreme(si, value.text, case))
        return
    usual = _USUAL.get(kind.name)
    for si in values if usual is not None else ():
        assert usual is not None
        size = abs(si)
        if size and not usual.low <= size <= usual.high:
            what = f"{shown(si, case.units.of(kind))} is far {'below' if size < usual.low else 'above'} what is usual"
            yield Note(path, f"{what}: {usual.known_from}{_squares(si, usual)}")
            return


def _squares(si: float, usual: _Range) -> str:
    """A value a million times off was meant for another unit of area."""
    for factor, meant in ((1e6, "per mm²"), (1e4, "per cm²")):
        if usual.low <= abs(si) / factor <= usual.high:
            return f". Was the value taken {meant} though it is per m²?"
        if usual.low <= abs(si) * factor <= usual.high:
            return f". Was it meant {meant}?"
    return ""


def _extreme(si: float, text: str, case: Case) -> str:
    said = shown(si, case.units.of(TEMPERATURE))
    if si < _COLD:
        return f"'{text}' is {said}, colder than any case of this trade; was another scale meant?"
    return f"'{text}' is {said}, hotter than any flame; was another unit meant?"


def _offsets(case: Case) -> Iterator[Note]:
    """Readings on two scales that are nearly, but not quite, the same temperature."""
    readings = list(_readings(case))
    for place, (path, text, si, scale) in enumerate(readings):
        for _, other_text, other, other_scale in readings[:place]:
            if scale != other_scale and 1e-9 < abs(si - other) <= _SLIP:
                gap = shown(abs(si - other), TEMPERATURE_DIFFERENCE)
                what = (
                    f"'{text}' and '{other_text}' are {gap} apart; where they are meant to be the same, mind that "
                    "0 °C is 273.15 K"
                )
                yield Note(path, what)
                break


def _readings(case: Case) -> Iterator[tuple[DataPath, str, float, str]]:
    """Temperatures that are written out with their scale: path, text, kelvin, and the scale."""
    texts: list[tuple[DataPath, str]] = [
        (("parameters", name), str(text)) for name, text in case.data.get("parameters", {}).items()
    ]
    texts += [
        (path, value.text)
        for path, value in case.document.values
        if isinstance(value, Law)
        and value.kind.name == TEMPERATURE.name
        and value.table is None
        and "range" not in path
    ]
    for path, text in texts:
        try:
            node = parse(text)
            if not isinstance(node, Literal) or len(node.units) != 1 or node.units[0][1] != 1:
                continue
            name = node.units[0][0]
            unit = single_unit(name)
            if unit is not None and unit.dimension == TEMPERATURE.dimension:
                yield path, text, float(evaluate(text, {}).magnitude), "absolute" if not unit.relative else name
        except ExpressionError:
            continue
