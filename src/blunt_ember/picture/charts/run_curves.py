"""What can be drawn of a run over time: every question, the extremes of the body, heat flows, and stored heat."""

from __future__ import annotations

import numpy as np

from blunt_ember.case.values.units import HEAT, HEAT_FLOW, TEMPERATURE
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.charts.history_chart import Curve, TimeCurves

#: Curves in one chart at most.
_MOST = 6


def time_curves(outcome: Outcome) -> dict[str, TimeCurves]:
    """Return the charts of a run by the name under which they are chosen, questions first."""
    run, case = outcome.run, outcome.case
    assert run is not None
    names = [stage.name for stage in case.document.running_clock.stages] if case.document.running_clock else []
    stages = tuple(zip(run.stage_ends, names, strict=False))
    charts = {
        each.name: TimeCurves(
            each.kind, run.times, (Curve("mesh", each.values),), each.exact_times, each.exact, each.source, stages
        )
        for each in outcome.histories
    }
    none = np.zeros(0)
    body = (Curve("highest", run.highest), Curve("mean", run.mean), Curve("lowest", run.lowest))
    charts["body: lowest, mean, highest"] = TimeCurves(case.units.of(TEMPERATURE), run.times, body, none, stages=stages)
    mesh = outcome.mesh
    acting = [
        name
        for name in run.names
        if run.power[:, run.column(name)].any()
        and (mesh is None or name not in mesh.surfaces or mesh.surfaces[name].outer)
    ]
    flows = tuple(Curve(case.document.own_name(name), run.power[:, run.column(name)]) for name in acting[:_MOST])
    if flows:
        heat = case.units.of(HEAT_FLOW)
        charts["heat flow through surfaces"] = TimeCurves(heat, run.times, flows, none, stages=stages)
    if mesh is not None:
        stored = tuple(Curve(name, run.stored[:, place]) for place, name in enumerate(mesh.regions[:_MOST]))
        charts["heat stored"] = TimeCurves(case.units.of(HEAT), run.times, stored, none, stages=stages)
    return charts
