"""Lists the formulas of textbooks that formulas of a case may call."""

from __future__ import annotations

import argparse

from blunt_ember.cli.command import AGREED, Command, add_json, print_json


def _run(options: argparse.Namespace) -> int:
    from blunt_ember.case.values.textbook.registry import BOOKS, TEXTBOOK
    from blunt_ember.report.tables.checks import aligned

    if options.json:
        fields = ("name", "words", "arguments", "must", "exactness", "source")
        print_json([{field: getattr(entry, field) for field in fields} for entry in TEXTBOOK.values()])
        return AGREED
    for words, book in BOOKS.items():
        print(f"{words}\n")
        heads = ("called", "of", "for", "exact", "source")
        rows = [(f"{each.name}({', '.join(each.arguments)})", each.words, each.must, each.exactness) for each in book]
        print("\n".join(aligned([heads, *((*row, each.source) for row, each in zip(rows, book, strict=True))])), "\n")
    return AGREED


TEXTBOOK_COMMAND = Command("textbook", "list the formulas of textbooks that formulas may call", _run, add_json)
