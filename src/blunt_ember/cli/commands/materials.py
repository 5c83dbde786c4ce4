"""Lists the library of materials."""

from __future__ import annotations

import argparse

from blunt_ember.cli.command import AGREED, Command, add_json, print_json


def _run(options: argparse.Namespace) -> int:
    from blunt_ember.library.shelves import own_file, shelves
    from blunt_ember.report.tables.checks import aligned

    found = shelves()
    if options.json:
        print_json(found)
        return AGREED
    rows = [("shelf", "material", "k", "between", "source")]
    for shelf, materials in found.items():
        for name, entry in materials.items():
            k = entry.get("k", "open")
            said = k if isinstance(k, str) else f"table of {len(k['table'])}" if "table" in k else "by directions"
            between = " to ".join(entry["range"]) if "range" in entry else ""
            rows.append((shelf, name, said, between, entry.get("source", "")))
    print("\n".join(aligned(rows)))
    print(f"\nYour own materials are kept in {own_file()}")
    return AGREED


MATERIALS = Command("materials", "list the library of materials, yours among them", _run, add_json)
