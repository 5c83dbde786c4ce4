"""Lists the families of cases."""

from __future__ import annotations

import argparse

from blunt_ember.cli.command import AGREED, Command, add_json, print_json


def _run(options: argparse.Namespace) -> int:
    from blunt_ember.gallery.families import FAMILIES

    if options.json:
        rows = [
            {"name": family.name, "summary": family.summary, "parameters": dict(family.parameters)}
            for family in FAMILIES.values()
        ]
        print_json(rows)
        return AGREED
    for family in FAMILIES.values():
        print(f"{family.name}: {family.summary}")
        for name, value in family.parameters.items():
            print(f"    {name} = {value}")
    return AGREED


FAMILIES_COMMAND = Command("families", "list the families of cases and their parameters", _run, add_json)
