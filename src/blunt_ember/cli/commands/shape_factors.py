"""Lists the shape factors that formulas may call."""

from __future__ import annotations

import argparse

from blunt_ember.cli.command import AGREED, Command, add_json, print_json


def _run(options: argparse.Namespace) -> int:
    from blunt_ember.report.checks_table import aligned
    from blunt_ember.shape_factors import SHAPE_FACTORS

    entries = SHAPE_FACTORS.values()
    if options.json:
        fields = ("name", "words", "lengths", "must", "exactness", "source")
        print_json([{field: getattr(entry, field) for field in fields} for entry in entries])
        return AGREED
    heads = ("S, heat over k ΔT", "of", "for", "exact", "source")
    rows = [(_call(each.name, each.lengths), each.words, each.must, each.exactness, each.source) for each in entries]
    print("\n".join(aligned([heads, *rows])))
    return AGREED


def _call(name: str, lengths: tuple[str, ...]) -> str:
    return f"{name}({', '.join(lengths)})"


SHAPES = Command("shape-factors", "list the shape factors that formulas may call, with their ranges", _run, add_json)
