"""The command line: a thin user of the flow."""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from blunt_ember import __version__
from blunt_ember.errors import BluntEmberError, CaseError, SolverError

if TYPE_CHECKING:
    from blunt_ember.flow.outcome import Outcome

AGREED, OFF, WRONG_CASE, SOLVER_FAILED = 0, 1, 2, 3

_EPILOG = """\
a first case, from nothing to a verdict:
  blunt-ember families                          see which cases there are, and their parameters
  blunt-ember new composite-wall -o wall.ember  write one, with values you can change in any text editor
  blunt-ember solve wall.ember                  solve it and set every answer beside what is expected
  blunt-ember wall.ember                        the same in the window

exit status: 0 nothing is off, 1 a check is off, 2 the case or the command is wrong, 3 the solver failed
"""


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command line; return the exit status."""
    given = list(sys.argv[1:] if arguments is None else arguments)
    parser = _parser()
    if not given or (not given[0].startswith("-") and given[0] not in _COMMANDS):
        given = ["window", *given]
    options = parser.parse_args(given)
    try:
        return int(options.run(options))
    except CaseError as error:
        return _fail(
            options,
            "the case is wrong",
            [{"path": f.path, "message": f.message} for f in error.faults],
            [str(fault) for fault in error.faults],
            WRONG_CASE,
        )
    except SolverError as error:
        return _fail(options, "the solver failed", [{"path": "", "message": str(error)}], [str(error)], SOLVER_FAILED)
    except BluntEmberError as error:
        return _fail(options, "this cannot be done", [{"path": "", "message": str(error)}], [str(error)], WRONG_CASE)
    except BrokenPipeError:  # the reader of a pipe, such as head, has seen enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return AGREED


def _fail(options: argparse.Namespace, what: str, faults: list[dict[str, str]], lines: list[str], status: int) -> int:
    if getattr(options, "json", False):
        print(json.dumps({"error": what, "faults": faults}, ensure_ascii=False, indent=2))
    name = f"{options.file}: " if getattr(options, "file", None) else ""
    print(f"{name}{what}", file=sys.stderr)
    for line in lines:
        print(f"  {line}", file=sys.stderr)
    return status


def _read(options: argparse.Namespace) -> int:
    from blunt_ember.case.files.case_file import write_case
    from blunt_ember.report.foreign_files import UnitMissingError, case_from_foreign

    path = Path(options.output)
    _require_new(path, options.force)
    try:
        case = case_from_foreign(Path(options.file), options.unit)
    except UnitMissingError as error:
        raise BluntEmberError(f"{error} (--unit mm)") from error
    write_case(case, path)
    names = ", ".join(case.document.body.fillings)
    print(f"{path} written: {names}. State their materials and what surrounds them.")
    return AGREED


def _export(options: argparse.Namespace) -> int:
    from blunt_ember.case.files.case_file import read_case
    from blunt_ember.flow.flow import Flow
    from blunt_ember.picture.look import Look
    from blunt_ember.picture.palette import LIGHT
    from blunt_ember.report.exporting import ExportOptions, write_outcome
    from blunt_ember.report.picture_file import USUAL, picture_size

    path = Path(options.output)
    _require_new(path, options.force)
    size = USUAL if options.size is None else picture_size(options.size)
    *_, outcome = Flow().outcomes(read_case(Path(options.file)))
    look = Look(options.lens, options.part or "")
    write_outcome(outcome, path, ExportOptions(look, LIGHT, size=size, table=options.table or ""))
    known = " with its temperatures" if outcome.solution is not None and path.suffix == ".vtu" else ""
    print(f"{path} written{known}")
    return AGREED


def _require_new(path: Path, force: bool) -> None:
    if path.exists() and not force:
        raise BluntEmberError(f"{path} exists already; choose another name or add --force")


def _window(options: argparse.Namespace) -> int:
    path = Path(options.file) if options.file else None
    if path is not None and not path.exists() and path.suffix != ".ember":
        raise BluntEmberError(f"there is no file and no command '{options.file}'; see blunt-ember --help")
    from blunt_ember.desk.app.application import run_window

    return run_window(path, demo=False)


def _demo(options: argparse.Namespace) -> int:
    if has_display():
        from blunt_ember.desk.app.application import run_window

        return run_window(None, demo=True)
    from blunt_ember.report.folder import write_demo

    outcome, written = write_demo(Path(options.output))
    from blunt_ember.report.checks_table import outcome_text

    print(outcome_text(outcome))
    print("\nThere is no display, so no window was opened. Pictures and tables are in", Path(options.output).resolve())
    for path in written:
        print(f"  {path.name}")
    return _status(outcome.checks)


def has_display() -> bool:
    """Tell whether a window could be seen."""
    if os.environ.get("QT_QPA_PLATFORM", "").split(":")[0] in ("offscreen", "minimal"):
        return False
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def _families(options: argparse.Namespace) -> int:
    from blunt_ember.gallery.families import FAMILIES

    if options.json:
        rows = [
            {"name": family.name, "summary": family.summary, "parameters": dict(family.parameters)}
            for family in FAMILIES.values()
        ]
        _print_json(rows)
        return AGREED
    for family in FAMILIES.values():
        print(f"{family.name}: {family.summary}")
        for name, value in family.parameters.items():
            print(f"    {name} = {value}")
    return AGREED


def _new(options: argparse.Namespace) -> int:
    from blunt_ember.case.files.case_file import write_case
    from blunt_ember.gallery.families import family
    from blunt_ember.gallery.family import FamilyError

    settings: dict[str, str] = {}
    for setting in options.set:
        name, equals, value = setting.partition("=")
        if not equals or not name.strip() or not value.strip():
            raise FamilyError(f"'{setting}' is not NAME=QUANTITY; write for example --set \"t_brick=120 mm\"")
        settings[name.strip()] = value.strip()
    path = Path(options.output)
    case = family(options.family).case(settings)
    if path.exists() and not options.force:
        raise FamilyError(f"{path} exists already; choose another name or add --force")
    write_case(case, path)
    print(f"wrote {path}")
    return AGREED


def _solve(options: argparse.Namespace) -> int:
    from blunt_ember.case.editing.edits import with_value
    from blunt_ember.case.files.case_file import read_case
    from blunt_ember.flow.flow import Flow
    from blunt_ember.report.checks_table import outcome_object, outcome_text

    case = read_case(Path(options.file))
    if options.units is not None:
        case = with_value(case, ("units",), options.units)
    outcome = Flow().run(case)
    written = _written_in_time(options, outcome)
    if options.json:
        _print_json(outcome_object(outcome))
    else:
        print(outcome_text(outcome))
        for path in written:
            print(f"{path} written")
    return _status(outcome.checks)


def _refine(options: argparse.Namespace) -> int:
    from blunt_ember.case.files.case_file import read_case
    from blunt_ember.flow.flow import Flow
    from blunt_ember.refinement.adaptive import adaptive_refinement
    from blunt_ember.refinement.uniform import LEVELS, uniform_refinement
    from blunt_ember.report.refined import refined_object, refined_text

    case, flow = read_case(Path(options.file)), Flow()
    if not case.document.questions:
        raise BluntEmberError("nothing is asked of this case; add a question, so that there is an answer to follow")
    levels = []
    for level in (
        adaptive_refinement(flow, case)
        if options.follow_error
        else uniform_refinement(flow, case, options.levels or LEVELS)
    ):
        levels.append(level)
        if not options.json:
            print(f"{level.nodes} nodes, {level.seconds:.2f} s", file=sys.stderr)
    kinds = flow.kinds(case, flow.solved(case))
    if options.json:
        _print_json(refined_object(case, kinds, levels, options.follow_error))
    else:
        print(refined_text(case, kinds, levels, options.follow_error))
    return AGREED


def _report(options: argparse.Namespace) -> int:
    from blunt_ember.case.files.case_file import read_case
    from blunt_ember.flow.flow import Flow
    from blunt_ember.refinement.uniform import uniform_refinement
    from blunt_ember.report.html import write_report

    path = Path(options.output)
    _require_new(path, options.force)
    case, flow = read_case(Path(options.file)), Flow()
    outcome = flow.run(case)
    levels = tuple(uniform_refinement(flow, case, options.refine)) if options.refine and case.document.questions else ()
    kinds = flow.kinds(case, flow.solved(case))
    write_report(outcome, path, levels, kinds)
    print(f"{path} written")
    return _status(outcome.checks)


def _written_in_time(options: argparse.Namespace, outcome: Outcome) -> list[Path]:
    """Write the histories and the fields of a run where they were asked for."""
    written = [Path(name) for name in (options.history, options.series) if name is not None]
    for path in written:
        _require_new(path, options.force)
    if not written:
        return []
    from blunt_ember.report.series import write_histories, write_series

    if outcome.run is None:
        raise BluntEmberError("the clock of this case is steady, so it has no histories; let it run first")
    if options.history is not None:
        write_histories(outcome, Path(options.history))
    if options.series is not None:
        write_series(outcome, Path(options.series))
    return written


def _verify(options: argparse.Namespace) -> int:
    from blunt_ember.checks.source import Provenance
    from blunt_ember.checks.verdict import Check
    from blunt_ember.flow.flow import Flow
    from blunt_ember.gallery.reference_cases import reference_cases
    from blunt_ember.report.checks_table import CHECK_HEADINGS, aligned, answer_object, check_rows

    flow, checks, objects = Flow(), list[Check](), list[dict[str, Any]]()
    rows: list[tuple[str, ...]] = [("case", *CHECK_HEADINGS)]
    by_case: list[tuple[str, ...]] = [("case", "checks", "agree", "largest deviation", "ledger")]
    for name, case in reference_cases():
        if options.name is not None and options.name not in name:
            continue
        outcome = flow.run(case)
        checks += outcome.checks
        known = [check for check in outcome.checks if check.relative is not None]
        largest = max((check.relative or 0.0 for check in known), default=0.0)
        agreed = sum(check.verdict == "agrees" for check in outcome.checks)
        open_by = outcome.ledger.relative if outcome.ledger is not None else 0.0
        by_case.append((name, str(len(outcome.checks)), str(agreed), f"{largest:.1e}", f"{open_by:.0e}"))
        objects += [{"case": name, **answer_object(check)} for check in outcome.checks]
        rows += [(name, *row) for row in check_rows(outcome.checks)]
    if not checks:
        raise BluntEmberError(f"there is no reference case with '{options.name}' in its name")
    agree = sum(check.verdict == "agrees" for check in checks)
    exact = [
        check.relative or 0.0
        for check in checks
        if check.source is not None and check.source.provenance is Provenance.EXACT
    ]
    if options.json:
        summary = {"agree": agree, "count": len(checks), "largest_deviation_from_exact": max(exact, default=0.0)}
        _print_json({**summary, "checks": objects})
    else:
        print("\n".join(aligned(rows)))
        print("\n".join(["", *aligned(by_case)]))
        largest = max(exact, default=0.0)
        print(f"\n{agree} of {len(checks)} checks agree; largest deviation from an exact solution {largest:.1e}")
    return AGREED if agree == len(checks) else OFF


def _materials(options: argparse.Namespace) -> int:
    from blunt_ember.library.shelves import own_file, shelves
    from blunt_ember.report.checks_table import aligned

    found = shelves()
    if options.json:
        _print_json(found)
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


def _schema(_: argparse.Namespace) -> int:
    from blunt_ember.case.files.schema import case_schema

    _print_json(case_schema())
    return AGREED


def _status(checks: Sequence[Any]) -> int:
    return OFF if any(check.verdict == "off" for check in checks) else AGREED


def _print_json(value: Any) -> None:
    print(json.dumps(value, ensure_ascii=False, indent=2))


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="blunt-ember",
        description="State a thermal case, solve it on a mesh, and set every answer beside theory.",
        epilog=_EPILOG,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("--version", action="version", version=f"blunt-ember {__version__}")
    commands = parser.add_subparsers(metavar="COMMAND", required=True)
    for name, (run, summary) in _COMMANDS.items():
        command = commands.add_parser(name, help=summary, description=summary)
        command.set_defaults(run=run)
        _ARGUMENTS.get(name, lambda _: None)(command)
    return parser


def _window_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", nargs="?", help="a case file (.ember)")


def _demo_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument(
        "-o", "--output", default="blunt-ember-demo", help="folder for pictures and tables without a display"
    )


def _json_argument(command: argparse.ArgumentParser) -> None:
    command.add_argument("--json", action="store_true", help="print JSON, for other programs")


def _new_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("family", metavar="FAMILY", help="a family, as 'blunt-ember families' lists them")
    command.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="NAME=QUANTITY",
        help='set a parameter, with its unit: --set "t_brick=120 mm"; may be repeated',
    )
    _output_arguments(command, "case file to write")


def _read_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", metavar="FILE", help="a drawing (.dxf, .svg) or a mesh (.vtu and others)")
    command.add_argument("--unit", help="what 1 is in the file, such as mm, where it does not say")
    _output_arguments(command, "case file to write")


def _export_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", metavar="FILE", help="a case file (.ember)")
    lenses = ("Shape", "Mesh", "Temperature", "Heat flow", "Error", "Difference", "Material")
    command.add_argument("--lens", choices=lenses, default="Temperature", help="what a picture shows")
    command.add_argument("--part", help="what of a lens, such as 'along x' of the heat flow")
    command.add_argument("--size", metavar="WxH", help="size of a picture in pixels, such as 1600x1000")
    tables = ("readings", "surfaces", "regions", "nodes", "cells")
    command.add_argument("--table", choices=tables, help="write this table instead of the checks (.csv)")
    _output_arguments(
        command,
        ".vtu or another mesh format, .png of a picture, .csv of a table, .html of a report, "
        ".stl for a solid's skin, .svg for a section's outlines",
    )


def _output_arguments(command: argparse.ArgumentParser, what: str) -> None:
    command.add_argument("-o", "--output", required=True, metavar="FILE", help=what)
    command.add_argument("--force", action="store_true", help="write over a file that exists")


def _verify_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("name", nargs="?", help="only cases with this in their name")
    _json_argument(command)


def _solve_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", metavar="FILE", help="a case file (.ember)")
    command.add_argument("--units", metavar="SET", help="show values in SI, 'SI with mm' or 'US customary'")
    command.add_argument("--history", metavar="FILE", help="write what was asked at every instant of a run (.csv)")
    command.add_argument("--series", metavar="FILE", help="write the fields of a run, for viewers (.xdmf)")
    command.add_argument("--force", action="store_true", help="write over files that exist")
    _json_argument(command)


def _refine_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", metavar="FILE", help="a case file (.ember)")
    command.add_argument("--levels", type=_count, metavar="N", help="meshes at most; four when nothing is said")
    finer = "finer cells where the answers need them, until every one is within its tolerance"
    command.add_argument("--follow-error", action="store_true", help=finer)
    _json_argument(command)


def _report_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", metavar="FILE", help="a case file (.ember)")
    command.add_argument("--refine", type=_count, metavar="N", help="with what N finer and finer meshes say")
    _output_arguments(command, "page to write (.html)")


def _count(text: str) -> int:
    if not text.isdigit() or not 2 <= int(text) <= 10:
        raise argparse.ArgumentTypeError(f"'{text}' is not a number of meshes from 2 to 10")
    return int(text)


_COMMANDS = {
    "window": (_window, "open the window, on a case file if one is given (also: blunt-ember FILE)"),
    "demo": (_demo, "open the demo case; with no display, solve it and write its pictures and tables"),
    "families": (_families, "list the families of cases and their parameters"),
    "new": (_new, "write a case of a family to a file"),
    "solve": (_solve, "solve a case file and print its checks and heat ledger"),
    "refine": (_refine, "solve on finer and finer meshes: order seen, what each answer tends to, and how far off"),
    "report": (_report, "write pictures, statement, checks, ledger and methods as one HTML page"),
    "read": (_read, "make a case of a drawing (DXF, SVG) or of a mesh file"),
    "export": (_export, "write the mesh with its temperatures (VTU), a picture, a table, or the body as STL or SVG"),
    "materials": (_materials, "list the library of materials, yours among them"),
    "verify": (_verify, "solve every shipped reference case, one row a check"),
    "schema": (_schema, "print the JSON Schema of the case file"),
}
_ARGUMENTS = {
    "window": _window_arguments,
    "demo": _demo_arguments,
    "families": _json_argument,
    "new": _new_arguments,
    "solve": _solve_arguments,
    "refine": _refine_arguments,
    "report": _report_arguments,
    "read": _read_arguments,
    "export": _export_arguments,
    "verify": _verify_arguments,
    "materials": _json_argument,
}
