"""A case and all that was found of it as one self-contained HTML file."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from jinja2 import Environment, PackageLoader, select_autoescape

from blunt_ember import __version__
from blunt_ember.case.values.display import number, shown, shown_difference, time_shown
from blunt_ember.case.values.units import HEAT_FLOW, Kind
from blunt_ember.checks.questions.profile import main_axis, profile_through
from blunt_ember.checks.references.series_path import series_path
from blunt_ember.errors import BluntEmberError, ReferenceRefusedError
from blunt_ember.fem.transient.recorded.run import Run
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.charts.chain_chart import chain_plot
from blunt_ember.picture.charts.charts import profile_plot
from blunt_ember.picture.charts.history_chart import history_plot
from blunt_ember.picture.charts.plot import image_of
from blunt_ember.picture.charts.run_curves import time_curves
from blunt_ember.picture.look import Look
from blunt_ember.picture.palette import LIGHT
from blunt_ember.refinement.trend import RefinementLevel
from blunt_ember.report.page.drawings import Drawing, Drawings, png_text
from blunt_ember.report.page.second_hand import SecondHand
from blunt_ember.report.page.statement import parameters, statement, working
from blunt_ember.report.page.studied import studied
from blunt_ember.report.tables.checks import MARKS, basis
from blunt_ember.report.tables.number_tables import number_table
from blunt_ember.report.tables.refined import trends
from blunt_ember.studies.result import StudyDone
from blunt_ember.written_file import write_text

_WIDTH, _HEIGHT, _CHART, _DRAWING = 1100, 620, 340, (760, 460)
#: What is pictured of every case, in this order.
_LOOKS = (Look("Mesh"), Look("Temperature", bands=True), Look("Heat flow"), Look("Error", log=True))


def write_report(
    outcome: Outcome,
    path: Path,
    levels: Sequence[RefinementLevel] = (),
    kinds: Sequence[Kind] = (),
    seen: Look | None = None,
    studies: Sequence[StudyDone] = (),
    second: SecondHand | None = None,
) -> None:
    """Write the report of a solved case; ``levels`` of a refinement and ``studies`` are told with it, ``seen`` is how
    the body is looked at now, if that is to be pictured too. A ``second`` hand draws along.

    Raises :class:`BluntEmberError` for a case that has no answer, :class:`NotWrittenError` where it cannot be written.
    """
    if outcome.solution is None:
        raise BluntEmberError("there is nothing to report before the case is solved")
    write_text(report_html(outcome, levels, kinds, seen, studies, second), path)


def report_html(
    outcome: Outcome,
    levels: Sequence[RefinementLevel] = (),
    kinds: Sequence[Kind] = (),
    seen: Look | None = None,
    studies: Sequence[StudyDone] = (),
    second: SecondHand | None = None,
) -> str:
    """Return the report as text."""
    looks = _looks(seen)
    stated = Drawing(Look("Material"), _DRAWING, "What is stated where", stated=True)
    drawings = Drawings(outcome, [stated, *(Drawing(look, (_WIDTH, _HEIGHT)) for _, look in looks)], second)
    charts = _charts(outcome)
    drawing, *pictures = drawings.finished()
    loader = Environment(
        loader=PackageLoader("blunt_ember.report.page", ""), autoescape=select_autoescape(default=True)
    )
    return loader.get_template("report.html.jinja").render(
        title=outcome.case.document.title or "A thermal case",
        summary=_summary(outcome),
        checks=_checks(outcome),
        ledger=_ledger(outcome),
        basis=basis(outcome),
        drawing=drawing,
        pictures=[
            *({"caption": caption, "data": data} for (caption, _), data in zip(looks, pictures, strict=True)),
            *charts,
        ],
        tables=_tables(outcome),
        refinement=_refinement(outcome, levels, kinds) if levels else None,
        studies=[studied(done, lambda plot: png_text(image_of(plot, _WIDTH, _CHART, LIGHT))) for done in studies],
        notes=_notes(outcome),
        statement=statement(outcome.case, outcome),
        parameters=parameters(outcome.case),
        working=working(outcome.case),
        methods=_methods(outcome),
        version=__version__,
    )


def _notes(outcome: Outcome) -> list[str]:
    lines = [f"insulated, as nothing is stated: {', '.join(outcome.unstated)}"] if outcome.unstated else []
    if outcome.errors is not None and outcome.errors.missing:
        lines.append(f"errors not estimated: {outcome.errors.missing}")
    return [*lines, *(str(note) for note in outcome.notes)]


def _summary(outcome: Outcome) -> str:
    mesh, verdicts = outcome.mesh, [check.verdict for check in outcome.checks]
    assert mesh is not None
    words = {"agrees": "agree", "off": "off", "open": "open"}
    said = [f"{verdicts.count(verdict)} {word}" for verdict, word in words.items() if verdict in verdicts]
    ran = f", ran to {time_shown(outcome.t)}" if outcome.run is not None else ""
    size = f"{number(mesh.node_count, 7)} nodes, {number(mesh.cell_count, 7)} cells"
    return f"{', '.join(said) or 'nothing asked'}; {size}{ran}"


def _checks(outcome: Outcome) -> list[dict[str, str]]:
    rows = []
    for check in outcome.checks:
        off = ""
        if check.deviation is not None:
            part = "" if check.relative is None else f" ({100 * check.relative:.2g} %)"
            off = shown_difference(check.deviation, check.kind) + part
        rows.append(
            {
                "name": check.name,
                "asked": check.asked_in(outcome.case.units),
                "value": shown(check.value, check.kind, 7),
                "error": "not estimated"
                if check.error is None
                else f"± {shown_difference(check.error, check.kind, 1)}",
                "expected": "" if check.expected is None else shown(check.expected, check.kind, 7),
                "deviation": off,
                "tolerance": "" if check.expected is None else f", within {check.tolerance}",
                "source": check.note if check.source is None else str(check.source),
                "verdict": check.verdict,
                "mark": MARKS[check.verdict],
            }
        )
    return rows


def _ledger(outcome: Outcome) -> list[tuple[str, str, str]]:
    ledger = outcome.ledger
    if ledger is None:
        return []
    heat = outcome.case.units.of(HEAT_FLOW)
    rows = [(row.name, row.statement, shown(row.heat, heat)) for row in ledger.rows]
    if ledger.stored is not None:
        rows.append(("goes into storage", "", shown(ledger.stored, heat)))
    imbalance = f"{ledger.imbalance:.1e} W ({ledger.relative:.1e} of what passes)"
    inside = [(row.name, row.statement, shown(row.heat, heat)) for row in ledger.aside]
    return [*rows, ("does not balance", "", imbalance), *inside]


def _tables(outcome: Outcome) -> list[tuple[str, list[list[str]]]]:
    """Every surface, and of those that see each other what they radiate and exchange: titles, and rows under their
    headings."""
    found = []
    titles = {"surfaces": "Surfaces", "radiation": "Radiation of surfaces", "exchange": "Who heats whom"}
    titles |= {"coupling": "Thermal coupling coefficients", "weights": "Weights of the environments"}
    titles |= {"walls": "Walls without their junction"}
    for name, title in titles.items():
        table = number_table(outcome, name)
        if table is not None and len(table.rows):
            rows = [[column.text(row) for column in table.columns] for row in table.rows.tolist()]
            found.append((title, [[column.title for column in table.columns], *rows]))
    return found


def _looks(seen: Look | None) -> list[tuple[str, Look]]:
    """What is pictured of the body, with captions."""
    own = [] if seen is None or seen in _LOOKS else [seen]
    return [*((f"{look.lens}, as it was looked at", look) for look in own), *((look.lens, look) for look in _LOOKS)]


def _charts(outcome: Outcome) -> list[dict[str, str | bool]]:
    """Charts, which are as wide as the page."""
    found = list[dict[str, str | bool]]()
    geometry, mesh, solution, units = outcome.geometry, outcome.mesh, outcome.solution, outcome.case.units
    assert geometry is not None and mesh is not None and solution is not None
    axis = main_axis(geometry, mesh, solution.temperature)
    profile = profile_through(axis, geometry, mesh, solution.temperature, outcome.exact_now)
    exact = f" beside the exact one ({profile.source})" if profile.exact is not None else ""
    found.append(
        {
            "caption": f"Temperature {profile.title[0].lower()}{profile.title[1:]}{exact}",
            "data": png_text(image_of(profile_plot(profile, units), _WIDTH, _CHART, LIGHT)),
            "wide": True,
        }
    )
    if outcome.run is None and outcome.problem is not None:
        with contextlib.suppress(ReferenceRefusedError):
            chain = series_path(outcome.exact, outcome.problem, solution.temperature, outcome.heat_now)
            found.append(
                {
                    "caption": f"Resistances in series: {chain.source}",
                    "data": png_text(image_of(chain_plot(chain, units), _WIDTH, _CHART - 60, LIGHT)),
                    "wide": True,
                }
            )
    if outcome.run is not None:
        for name, curves in time_curves(outcome).items():
            image = image_of(history_plot(curves, units), _WIDTH, _CHART, LIGHT)
            found.append({"caption": f"Over time: {name}", "data": png_text(image), "wide": True})
    return found


def _refinement(outcome: Outcome, levels: Sequence[RefinementLevel], kinds: Sequence[Kind]) -> dict[str, Any]:
    names = [question.name for question in outcome.case.document.questions]
    meshes = [
        (
            number(level.nodes, 7),
            number(level.cells, 7),
            *(shown(value, kind, 8) for value, kind in zip(level.values, kinds, strict=True)),
        )
        for level in levels
    ]
    said = [
        (
            name,
            "–" if found.order is None else f"{found.order:.2f}",
            shown(found.limit, kind, 8),
            f"± {shown_difference(found.band, kind)}",
            found.note,
        )
        for name, found, kind in zip(names, trends(levels), kinds, strict=True)
    ]
    return {"names": names, "meshes": meshes, "trends": said}


def _in_time(run: Run) -> str:
    if run.exact_in_time:
        return "Time: exactly, as what is stated is a polynomial of time between breaks (Krylov space, Lanczos)."
    exact = f", {run.work.exact} of them exact" if run.work.exact else ""
    return f"Time: TR-BDF2, second order and L-stable, {run.work.steps} steps{exact}, {run.work.refused} tried again."


def _methods(outcome: Outcome) -> list[str]:
    mesh, solution, run = outcome.mesh, outcome.solution, outcome.run
    assert mesh is not None and solution is not None
    kinds = sorted({block.family for block in mesh.blocks})
    order = "quadratic" if mesh.order == 2 else "linear"
    lines = [
        f"Finite elements: {order} cells ({', '.join(kinds)}), {number(mesh.node_count, 7)} nodes.",
        f"Linear systems: {solution.method}." if run is None else _in_time(run),
        "Heat flows are sums of nodal residuals, so that what goes in is what comes out on any mesh.",
        "Estimated error of the heat flux: patch recovery (Zienkiewicz and Zhu 1992).",
    ]
    if outcome.errors is not None and outcome.errors.told_by:
        lines.append(f"Estimated errors of answers: {outcome.errors.told_by}.")
    if solution.steps:
        lines.append(f"Newton's method: {len(solution.steps)} steps, {solution.steps[-1].residual:.1e} left over.")
    return lines
