"""Writes what pint says of the names that cases usually hold, so that reading one does not wait for pint."""

from __future__ import annotations

import json
from itertools import product
from pathlib import Path

from blunt_ember.case.values import unit_names
from blunt_ember.case.values.evaluation import FUNCTIONS

_PREFIXED = product(("", "n", "µ", "u", "m", "c", "k", "M", "G"), ("m", "s", "W", "J", "g", "K", "Pa", "N", "l", "L"))
_OTHERS = (
    "A V mol eV h hr hour hours min minute minutes second seconds day days d year week deg degree degrees rad radian "
    "percent degC degF degR celsius meter metre meters metres millimeter millimeters kelvin watt watts kilowatt joule "
    "liter litre bar mbar psi atm torr ft foot feet in inch inches yd yard mil lb lbs lbm oz BTU Btu Btu_it BTUs cal "
    "kcal Wh kWh MWh hp TR ton tonne t x y z r T a b c e f k q u v w C F R pi g0 sigma Hz rpm ppm"
)


def usual_names() -> list[str]:
    """Return the names, in order."""
    return sorted({*("".join(pair) for pair in _PREFIXED), *_OTHERS.split(), *FUNCTIONS})


def main() -> None:
    """Write the table beside the module that reads it."""
    answers = {name: unit_names.as_stated(unit_names.asked_of_pint(name)) for name in usual_names()}
    lines = ",\n".join(f"{json.dumps(name, ensure_ascii=False)}: {json.dumps(each)}" for name, each in answers.items())
    Path(unit_names.__file__).with_name("usual_units.json").write_text(f"{{\n{lines}\n}}\n", "utf-8")


if __name__ == "__main__":
    main()
