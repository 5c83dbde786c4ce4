"""The ways in which a study may be seen, by its kind."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType

from blunt_ember.case.document.studies import Aim, AnyStudy, Fitting, Sensitivity, Sweep, Uncertainty
from blunt_ember.picture.charts.studies.bars import shares_of, slopes_of
from blunt_ember.picture.charts.studies.curves import curves_of
from blunt_ember.picture.charts.studies.histogram import histogram_of
from blunt_ember.picture.charts.studies.measured import measured_of
from blunt_ember.picture.charts.studies.parameter_map import map_of
from blunt_ember.picture.charts.studies.pointed import StudyPlot
from blunt_ember.studies.result import StudyDone

#: Makes a chart of the answers to a question; None where there is nothing to see in this way.
ChartOf = Callable[[StudyDone, str], StudyPlot | None]

#: By kind of study, the charts of it by what they are called, the one that is seen first at the head.
WAYS: Mapping[type[AnyStudy], Mapping[str, ChartOf]] = MappingProxyType(
    {
        Sweep: {"curves": curves_of, "map": map_of},
        Sensitivity: {"ranked": slopes_of},
        Uncertainty: {"histogram": histogram_of, "shares": shares_of},
        Aim: {"curve": curves_of},
        Fitting: {"over time": measured_of},
    }
)


def charts_of(done: StudyDone, question: str) -> dict[str, StudyPlot]:
    """Return the charts there are of the answers to a question, by what they are called."""
    stated = done.case.document.studies[done.name]
    made = {name: chart(done, question) for name, chart in WAYS[type(stated)].items()}
    return {name: chart for name, chart in made.items() if chart is not None}
