"""What is known of an outcome as tables: nodes, cells, surfaces, regions and readings; sorted, filtered, written."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType
from typing import Any

import numpy as np
from numpy.typing import NDArray

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.values.display import in_shown_unit, number
from blunt_ember.case.values.units import AREA, HEAT, HEAT_FLOW, HEAT_FLUX, LENGTH, TEMPERATURE, VOLUME, Kind
from blunt_ember.checks.questions.extreme_probe import ExtremeProbe
from blunt_ember.checks.questions.probes import surface_mean
from blunt_ember.checks.references.working_field import source_of
from blunt_ember.errors import BluntEmberError
from blunt_ember.fem.assembly import in_runs, weighted_gradients
from blunt_ember.fem.recovery import Recovered, recovered
from blunt_ember.flow.outcome import Outcome
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.cells.quality import quality_of
from blunt_ember.mesh.mesh import FacetSet
from blunt_ember.report.tables.checks import CHECK_HEADINGS, check_rows
from blunt_ember.report.tables.curves import history_rows, line_rows
from blunt_ember.report.tables.environments import coupling_rows, flat_wall_rows, wall_rows, weight_rows
from blunt_ember.report.tables.radiation import Values, Words, exchange_rows, radiation_rows

#: Significant digits that are shown; files have all of them.
_DIGITS = 7


@immutable
class Column:
    """A heading with its unit, and values (r,): numbers in that unit, NaN where there is none, or words."""

    heading: str
    unit: str
    values: NDArray[Any]

    @property
    def is_number(self) -> bool:
        """Whether it holds numbers."""
        return bool(self.values.dtype.kind == "f")

    @property
    def title(self) -> str:
        """Heading and unit."""
        return f"{self.heading}, {self.unit}" if self.unit else self.heading

    def text(self, row: int) -> str:
        """What is shown in a row."""
        value = self.values[row]
        if not self.is_number:
            return str(value)
        return "" if np.isnan(value) else number(float(value), _DIGITS)


@immutable
class NumberTable:
    """Columns of the same length, of which ``rows`` (r,) are shown in their order."""

    columns: tuple[Column, ...]
    rows: Ints

    def sorted_by(self, column: int, downward: bool = False) -> NumberTable:
        """Return the table in the order of a column; rows without a value come last, equal ones keep their order."""
        values = self.columns[column].values[self.rows]
        if self.columns[column].is_number:
            key = -values if downward else values
            order = np.argsort(key, kind="stable")  # NaN last either way
        else:
            _, rank = np.unique(np.char.lower(values.astype(str)), return_inverse=True)
            order = np.argsort(-rank if downward else rank, kind="stable")
        return replace(self, rows=self.rows[order])

    def filtered(self, wish: str) -> NumberTable:
        """Return the rows that a wish holds for: parts with ``and`` between them, each a comparison such as
        ``temperature > 400`` or a word that some cell contains.

        Raises :class:`BluntEmberError` for a comparison that cannot be understood.
        """
        kept = np.ones(len(self.columns[0].values), dtype=bool)
        for part in re.split(r"\s+and\s+|,", wish):
            if part.strip():
                kept &= self._holds(part.strip())
        return replace(self, rows=np.flatnonzero(kept).astype(np.int64))

    def _holds(self, part: str) -> NDArray[np.bool_]:
        compared = re.fullmatch(r"(.+?)\s*(<=|>=|<|>|=|≤|≥)\s*(.+)", part)
        if compared is None:
            found = np.zeros(len(self.columns[0].values), dtype=bool)
            for column in self.columns:
                if not column.is_number:
                    found |= np.char.find(np.char.lower(column.values.astype(str)), part.lower()) >= 0
            return found
        name, sign, wanted = compared.groups()
        matching = [each for each in self.columns if each.heading.lower() == name.lower()] or [
            each for each in self.columns if each.heading.lower().startswith(name.lower())
        ]
        if len(matching) != 1:
            headings = ", ".join(column.heading for column in self.columns)
            raise BluntEmberError(f"there is no column '{name}'; there are {headings}")
        (column,) = matching
        if not column.is_number:
            if sign != "=":
                raise BluntEmberError(f"'{column.heading}' holds words; compare them with =")
            return np.asarray(np.char.lower(column.values.astype(str)) == wanted.lower())
        try:
            bound = float(wanted.replace("−", "-").replace("\u2009", "").removesuffix(column.unit))
        except ValueError:
            example = f"{column.heading} {sign} 20"
            raise BluntEmberError(f"'{wanted}' is no number of {column.unit or 'these'}; write {example}") from None
        return np.asarray(_COMPARISONS[sign](column.values, bound))

    def cells(self, rows: Sequence[int] | None = None) -> list[list[str]]:
        """Return what is written of ``rows`` of those shown, of all when none are named: numbers with all digits, for
        other programs."""
        chosen = self.rows if rows is None else self.rows[np.array(rows, dtype=np.int64)]
        columns = [
            ["" if np.isnan(v) else repr(float(v)) for v in column.values[chosen]]
            if column.is_number
            else [str(v) for v in column.values[chosen]]
            for column in self.columns
        ]
        return [list(row) for row in zip(*columns, strict=True)]

    def tab_separated(self, rows: Sequence[int] | None = None) -> str:
        """Return headings and rows as text for a spreadsheet."""
        lines = [[column.title for column in self.columns], *self.cells(rows)]
        return "\n".join("\t".join(line) for line in lines) + "\n"

    def csv(self) -> str:
        """Return headings and the rows that are shown as CSV."""
        stream = io.StringIO()
        writer = csv.writer(stream)
        writer.writerow([column.title for column in self.columns])
        writer.writerows(self.cells())
        return stream.getvalue()


_COMPARISONS: dict[str, Callable[[Floats, float], NDArray[np.bool_]]] = {
    "<": np.less,
    ">": np.greater,
    "<=": np.less_equal,
    ">=": np.greater_equal,
    "≤": np.less_equal,
    "≥": np.greater_equal,
    "=": lambda values, bound: np.isclose(values, bound, rtol=1e-6, atol=0),
}


def number_table(outcome: Outcome, name: str) -> NumberTable | None:
    """Return one of :data:`TABLES` of an outcome; None while there is no answer, or where it has none of the kind."""
    if outcome.mesh is None or outcome.solution is None or outcome.problem is None:
        return None
    columns = TABLES[name].columns(outcome)
    return NumberTable(tuple(columns), np.arange(len(columns[0].values))) if columns else None


def _column(outcome: Outcome, heading: str, kind: Kind, si: Floats | Sequence[float]) -> Column:
    shown = outcome.case.units.of(kind)
    return Column(heading, shown.shown, np.asarray(si, dtype=float) * shown.factor - shown.zero)


def _words(heading: str, words: Sequence[str]) -> Column:
    return Column(heading, "", np.array(list(words), dtype=str))


def _of_rows(outcome: Outcome, words: Sequence[Words], values: Sequence[Values]) -> list[Column]:
    return [*(_words(*each) for each in words), *(_column(outcome, *each) for each in values)]


def _readings(outcome: Outcome) -> list[Column]:
    rows = check_rows(outcome.checks)
    columns = [_words(heading, [row[place] for row in rows]) for place, heading in enumerate(CHECK_HEADINGS)]
    values = [in_shown_unit(check.value, check.kind) for check in outcome.checks]
    units = [check.kind.shown for check in outcome.checks]
    return [columns[0], Column("value", "", np.array(values, dtype=float)), _words("unit", units), *columns[1:]]


def _surfaces(outcome: Outcome) -> list[Column]:
    """Every surface: its area, what passes it, and its lowest, mean and highest temperature on each side."""
    mesh, solution, geometry = outcome.mesh, outcome.solution, outcome.geometry
    assert mesh is not None and solution is not None and geometry is not None
    heat, own_name = outcome.heat_now, outcome.case.document.own_name
    rows: list[tuple[str, str, float, float, Floats]] = []
    for name, facets in mesh.surfaces.items():
        sides: list[tuple[str, FacetSet]] = [("", facets)]
        if facets.far:
            sides = [(mesh.regions[region], facets.side(region)) for region in facets.regions]
        for side, seen in sides:
            elements = [(block, block.nodes) for block in seen.blocks]
            low, high = (ExtremeProbe.of(elements, highest, mesh)(solution.temperature) for highest in (False, True))
            mean = float((surface_mean(seen, mesh) @ solution.temperature)[0])
            rows.append(
                (
                    own_name(name),
                    side,
                    geometry.surfaces[name].area,
                    heat.get(name, np.nan),
                    np.array([low, mean, high]),
                )
            )
    found = np.array([row[4] for row in rows]).reshape(-1, 3)
    areas, passed = np.array([row[2] for row in rows]), np.array([row[3] for row in rows])
    columns = [_words("surface", [row[0] for row in rows])]
    if any(row[1] for row in rows):
        columns.append(_words("side", [row[1] for row in rows]))
    return [
        *columns,
        _column(outcome, "area", AREA, areas),
        _column(outcome, "heat", HEAT_FLOW, passed),
        _column(outcome, "heat per area", HEAT_FLUX, passed / np.maximum(areas, 1e-300)),
        *(
            _column(outcome, heading, TEMPERATURE, found[:, place])
            for place, heading in enumerate(("lowest", "mean", "highest"))
        ),
    ]


def _regions(outcome: Outcome) -> list[Column]:
    mesh, solution, run = outcome.mesh, outcome.solution, outcome.run
    assert mesh is not None and solution is not None
    volume, total = np.zeros(len(mesh.regions)), np.zeros(len(mesh.regions))
    lowest, highest = np.full(len(mesh.regions), np.inf), np.full(len(mesh.regions), -np.inf)
    for block in mesh.blocks:
        family, temperature = CELL_FAMILIES[block.family], solution.temperature[block.nodes]
        for part in in_runs(block, len(family.points)):
            weights = weighted_gradients(block, mesh, part)[1]
            own = block.region[part]
            volume += np.bincount(own, weights.sum(axis=1), len(volume))
            total += np.bincount(own, (weights * (temperature[part] @ family.at_points.T)).sum(axis=1), len(volume))
        np.minimum.at(lowest, block.region, temperature.min(axis=1))
        np.maximum.at(highest, block.region, temperature.max(axis=1))
    present = np.flatnonzero(volume > 0)
    fillings = outcome.case.document.body.fillings
    names = [mesh.regions[region] for region in present]
    columns = [
        _words("region", names),
        _words("material", [(fillings[name].material or "") if name in fillings else "" for name in names]),
        _column(outcome, "volume", VOLUME, volume[present]),
        _column(outcome, "lowest", TEMPERATURE, lowest[present]),
        _column(outcome, "mean", TEMPERATURE, total[present] / volume[present]),
        _column(outcome, "highest", TEMPERATURE, highest[present]),
    ]
    instant = run.instant(outcome.t) if run is not None else None
    if run is not None and instant is not None:
        columns.append(_column(outcome, "heat stored", HEAT, run.stored[instant][present]))
    return columns


def _nodes(outcome: Outcome) -> list[Column]:
    mesh, solution = outcome.mesh, outcome.solution
    assert mesh is not None and solution is not None
    columns = [
        Column("node", "", np.arange(1.0, mesh.node_count + 1)),
        *_places(outcome, mesh.points),
        _column(outcome, "temperature", TEMPERATURE, solution.temperature),
    ]
    exact = outcome.exact_now
    if exact is not None:
        known = np.full(mesh.node_count, np.nan)
        for block in mesh.blocks:
            for region in block.present:
                nodes = np.unique(block.nodes[block.region == region])
                known[nodes] = exact.temperature(mesh.points[nodes], region)
        word = source_of(exact).provenance.value
        columns.append(_column(outcome, word, TEMPERATURE, known))
        columns.append(Column(f"mesh − {word}", "K", solution.temperature - known))
    return columns


def _places(outcome: Outcome, points: Floats) -> list[Column]:
    return [_column(outcome, "xyz"[axis], LENGTH, points[:, axis]) for axis in range(points.shape[1])]


def _cells(outcome: Outcome) -> list[Column]:
    mesh, solution, problem = outcome.mesh, outcome.solution, outcome.problem
    assert mesh is not None and solution is not None and problem is not None
    found: Recovered = recovered(problem, solution.temperature, outcome.t)
    middles, temperature, sizes, regions, kinds, volumes = [], [], [], [], [], []
    for block, flux in zip(mesh.blocks, found.at_nodes, strict=True):
        family = CELL_FAMILIES[block.family]
        middle = family.values(family.middle[None])[0]
        middles.append(np.einsum("k,mkd->md", middle, mesh.points[block.nodes]))
        temperature.append(solution.temperature[block.nodes] @ middle)
        sizes.append(np.linalg.norm(np.einsum("k,mkd->md", middle, flux), axis=1))
        regions += [mesh.regions[region] for region in block.region.tolist()]
        kinds += [block.family] * len(block.nodes)
        volumes += [weighted_gradients(block, mesh, part)[1].sum(axis=1) for part in in_runs(block, len(family.points))]
    quality = quality_of(mesh)
    return [
        Column("cell", "", np.arange(1.0, mesh.cell_count + 1)),
        _words("region", regions),
        _words("kind", kinds),
        *_places(outcome, np.concatenate(middles)),
        _column(outcome, "volume", VOLUME, np.concatenate(volumes)),
        Column("smallest angle", "°", quality.smallest_angle),
        _column(outcome, "temperature", TEMPERATURE, np.concatenate(temperature)),
        _column(outcome, "heat flux", HEAT_FLUX, np.concatenate(sizes)),
        _column(outcome, "error of flux", HEAT_FLUX, np.concatenate(found.missed)),
    ]


@immutable
class TableKind:
    """What makes the columns of a table, none where there is nothing to tell, and where that is so."""

    columns: Callable[[Outcome], list[Column]]
    lacking: str = "where nothing is stated that it would tell of"


def _rows(rows: Callable[[Outcome], tuple[list[Words], list[Values]]], lacking: str) -> TableKind:
    return TableKind(lambda outcome: _of_rows(outcome, *rows(outcome)), lacking)


_WITHOUT_ENCLOSURE = "where no surfaces see each other"
_WITHOUT_ENVIRONMENTS = "where films name no two environments"
#: Every table by its name.
TABLES: Mapping[str, TableKind] = MappingProxyType(
    {
        "readings": TableKind(_readings, "where nothing is asked"),
        "surfaces": TableKind(_surfaces),
        "radiation": _rows(radiation_rows, _WITHOUT_ENCLOSURE),
        "exchange": _rows(exchange_rows, _WITHOUT_ENCLOSURE),
        "coupling": _rows(coupling_rows, _WITHOUT_ENVIRONMENTS),
        "weights": _rows(weight_rows, _WITHOUT_ENVIRONMENTS),
        "walls": _rows(wall_rows, "where no linear transmittance is asked"),
        "flat walls": _rows(flat_wall_rows, "where no point transmittance is asked"),
        "regions": TableKind(_regions),
        "lines": _rows(line_rows, "where no line is read along"),
        "histories": TableKind(
            lambda outcome: _of_rows(outcome, *history_rows(outcome)) if outcome.run is not None else [],
            "where no clock runs",
        ),
        "nodes": TableKind(_nodes),
        "cells": TableKind(_cells),
    }
)
