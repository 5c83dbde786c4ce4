"""Does a study of a case: every answer over parameters that are varied, spread, aimed at or fitted."""

from __future__ import annotations

import argparse
import re
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING, TextIO

from blunt_ember.cli.command import AGREED, Command, add_json, print_json
from blunt_ember.errors import BluntEmberError

if TYPE_CHECKING:
    from blunt_ember.studies.result import StudyDone
    from blunt_ember.studies.running.rows import OnProgress
    from blunt_ember.studies.running.workplace import Workplace


def _run(options: argparse.Namespace) -> int:
    from blunt_ember.case.files.case_file import read_case
    from blunt_ember.report.tables.checks import aligned
    from blunt_ember.studies.result import StudyDone
    from blunt_ember.studies.running.store import ResultsStore
    from blunt_ember.studies.study import study
    from blunt_ember.studies.telling import findings_table, found_lines, result_object, result_table, write_study

    path = Path(options.file)
    case = read_case(path)
    if not case.document.studies:
        raise BluntEmberError(f'{path} has no studies; state one, such as "studies": {{"h": {_EXAMPLE}}}')
    names = [options.name] if options.name is not None else list(case.document.studies)
    if options.csv is not None and len(names) > 1:
        raise BluntEmberError(f"--csv is of one study; name it, one of {', '.join(names)}")
    store = ResultsStore(None if options.forget else path.with_suffix(".results"))

    on_progress = _progress_on(sys.stderr)

    def cluster() -> Workplace:
        from blunt_ember.studies.running.cluster import Cluster

        return Cluster(options.on)

    elsewhere = None if options.on is None else cluster
    objects = []
    try:
        for name in names:
            result = study(case, name, store, on_progress, options.jobs, elsewhere)
            objects.append(result_object(case, name, result))
            if options.csv is not None:
                write_study(StudyDone(case, name, result), Path(options.csv))
            if options.charts is not None:
                _write_charts(StudyDone(case, name, result), Path(options.charts), options.kind)
            if options.json:
                continue
            print(f"{name}: {case.document.studies[name].kind}")
            for table in (findings_table(case, result), result_table(case, result)):
                if table and (len(table) <= _MOST_SHOWN or table[0][0] == "question"):
                    print("\n".join(["", *aligned(table)]))
            print("\n".join(["", *found_lines(case, result)]))
    finally:
        store.close()
    if options.json:
        print_json(objects if options.name is None else objects[0])
    return AGREED


def _write_charts(done: StudyDone, folder: Path, kind: str) -> None:
    """Write every chart of a study into a folder, named by what it shows."""
    from blunt_ember.picture.charts.plot import write_plot
    from blunt_ember.picture.charts.studies.ways import charts_of
    from blunt_ember.picture.palette import LIGHT

    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BluntEmberError(f"{folder} cannot be made: {error.strerror or error}") from error
    for question in done.case.document.questions:
        for way, chart in charts_of(done, question.name).items():
            name = re.sub(r"[^\w ,.-]", "_", f"{done.name}, {question.name}, {way}.{kind}")
            write_plot(chart, folder / name, *_CHART_SIZE, LIGHT)


def _progress_on(stream: TextIO) -> OnProgress:
    """Tell how far a study is, on one line of a terminal, or a line a while."""
    from blunt_ember.studies.running.pace import Pace

    pace, live = Pace(), stream.isatty()
    last = 0.0

    def told(done: int, of: int) -> None:
        nonlocal last
        now = time.monotonic()
        if now - last > (_LIVE if live else _SELDOM) or (of and done == of):
            last = now
            ends = "\n" if not live or (of and done == of) else ""
            print(f"\r\x1b[K{pace.told(done, of)}" if live else pace.told(done, of), end=ends, file=stream, flush=True)

    return told


#: Seconds between what is told of progress, on a terminal and elsewhere.
_LIVE, _SELDOM = 0.1, 10.0
_CHART_SIZE = (900, 320)
#: Rows that are printed at most; a file has all of them.
_MOST_SHOWN = 60
_EXAMPLE = '{"kind": "sweep", "vary": {"h_out": {"start": "5 W/(m² K)", "end": "20 W/(m² K)", "count": 7}}}'


def _add_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", metavar="FILE", help="a case file (.ember) that states studies")
    command.add_argument("name", nargs="?", help="one of its studies; all when nothing is said")
    command.add_argument("--csv", metavar="FILE", help="write the points with their answers")
    command.add_argument("--charts", metavar="FOLDER", help="write the charts of what was found into a folder")
    command.add_argument("--as", dest="kind", choices=("svg", "pdf", "png"), default="svg", help="kind of the charts")
    command.add_argument("--jobs", type=int, metavar="N", help="processes; as many as there are cores")
    command.add_argument("--on", metavar="ADDRESS", help="solve on the workers of a Dask scheduler that runs there")
    command.add_argument("--forget", action="store_true", help="keep no results beside the case, and use none")
    add_json(command)


STUDY = Command("study", "vary, spread, aim at or fit parameters, and keep every answer", _run, _add_arguments)
