"""Prints the JSON Schema of the case file."""

from __future__ import annotations

import argparse

from blunt_ember.cli.command import AGREED, Command, print_json


def _run(_: argparse.Namespace) -> int:
    from blunt_ember.case.files.schema import case_schema

    print_json(case_schema())
    return AGREED


SCHEMA = Command("schema", "print the JSON Schema of the case file", _run)
