"""A run written to files: histories as CSV, and the fields as XDMF with HDF5 data beside it."""

from __future__ import annotations

import csv
import io
from pathlib import Path
from typing import Any

import numpy as np

from blunt_ember.case.values.display import in_shown_unit
from blunt_ember.case.values.units import HEAT, HEAT_FLOW, TEMPERATURE
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.mesh.imported import TYPES
from blunt_ember.written_file import write_text, written


def histories(outcome: Outcome) -> tuple[list[str], list[list[float]]]:
    """Return headings with their units, and a row an instant: time, questions, extremes, heat through every surface."""
    run, case = outcome.run, outcome.case
    assert run is not None
    temperature, power, heat = (case.units.of(kind) for kind in (TEMPERATURE, HEAT_FLOW, HEAT))
    columns: list[tuple[str, Any]] = [("time [s]", run.times)]
    columns += [
        (f"{each.name} [{each.kind.shown}]", each.values * each.kind.factor - each.kind.zero)
        for each in outcome.histories
    ]
    for name, values in (("lowest", run.lowest), ("mean", run.mean), ("highest", run.highest)):
        columns.append((f"{name} [{temperature.shown}]", values * temperature.factor - temperature.zero))
    for place, name in enumerate(run.names):
        shown = case.document.own_name(name)
        columns.append((f"heat flow {shown} [{power.shown}]", run.power[:, place] * power.factor))
        columns.append((f"heat passed {shown} [{heat.shown}]", run.passed[:, place] * heat.factor))
    columns.append((f"heat stored [{heat.shown}]", run.stored.sum(axis=1) * heat.factor))
    columns.append((f"ledger gap [{heat.shown}]", run.missing * heat.factor))
    return [name for name, _ in columns], np.stack([np.asarray(values) for _, values in columns], axis=1).tolist()


def write_histories(outcome: Outcome, path: Path) -> None:
    """Write :func:`histories` as CSV."""
    headings, rows = histories(outcome)
    stream = io.StringIO()
    writer = csv.writer(stream)
    writer.writerow(headings)
    writer.writerows(rows)
    write_text(stream.getvalue(), path)


def history_objects(outcome: Outcome) -> list[dict[str, Any]]:
    """Return what was asked, at every instant of a run, as JSON objects."""
    return [
        {
            "name": each.name,
            "unit": each.kind.shown,
            "values": [in_shown_unit(v, each.kind) for v in each.values.tolist()],
        }
        for each in outcome.histories
    ]


def write_series(outcome: Outcome, path: Path) -> None:
    """Write the kept fields as a series in time: ``.xdmf``, and the data beside it in one file ending in ``.h5``.

    XDMF 3, https://www.xdmf.org. Temperatures are single precision, in the unit the case shows; lengths in m, times in
    s. Raises :class:`BluntEmberError` for another suffix or a full disk.
    """
    from blunt_ember.mesh.files.xdmf_file import XdmfWriter  # here, as HDF5 takes a while and few cases are written

    run, mesh = outcome.run, outcome.mesh
    assert run is not None and mesh is not None
    if path.suffix.lower() != ".xdmf":
        raise BluntEmberError(f"'{path.suffix}' is no series of fields; write one that ends in .xdmf")
    kind = outcome.case.units.of(TEMPERATURE)
    names = {family: name for name, family in TYPES.items()}
    points = np.pad(mesh.points, ((0, 0), (0, 3 - mesh.dimension)))
    fields = (
        (t, {f"temperature {kind.shown}": (run.fields.field(number) * kind.factor - kind.zero).astype(np.float32)})
        for number, t in enumerate(run.fields.times.tolist())
    )
    cells = [(names[block.family], block.nodes) for block in mesh.blocks]
    with written(path) as scratch:
        XdmfWriter(points, cells, {}).write_series(scratch, fields)
