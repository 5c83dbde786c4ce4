"""Tables of numbers: what they hold agrees with the answers, and they are sorted, filtered and written as asked."""

from __future__ import annotations

import csv
import io

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.case.editing.edits import with_value
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family
from blunt_ember.report.tables.number_tables import TABLES, NumberTable, number_table

FLOW = Flow()


@pytest.fixture(scope="module")
def wall() -> Outcome:
    return FLOW.answered(family("composite-wall").case())


@pytest.fixture(scope="module")
def door() -> Outcome:
    return FLOW.answered(family("door-gap").case())


def table_of(outcome: Outcome, name: str) -> NumberTable:
    found = number_table(outcome, name)
    assert found is not None
    return found


def column(table: NumberTable, heading: str) -> np.ndarray:
    (found,) = (each for each in table.columns if each.heading == heading)
    return found.values[table.rows]


def cell(table: NumberTable, first: str, heading: str) -> float:
    row = column(table, table.columns[0].heading).tolist().index(first)
    return float(column(table, heading)[row])


def test_surfaces_have_their_area_heat_and_temperatures(wall: Outcome) -> None:
    table = table_of(wall, "surfaces")
    heat = 955 / (0.114 / 0.35 + 0.05 / 0.12 + 0.003 / 45 + 1 / 12)
    assert cell(table, "brick.left", "area") == pytest.approx(0.1)
    assert cell(table, "brick.left", "heat per area") == pytest.approx(heat)
    assert cell(table, "shell.right", "heat") == pytest.approx(-0.1 * heat)
    assert cell(table, "brick|blanket", "heat") == pytest.approx(0.1 * heat)
    face = 980 - heat * 0.114 / 0.35
    assert cell(table, "brick|blanket", "mean") == pytest.approx(face)
    assert [cell(table, "brick.top", each) for each in ("lowest", "mean", "highest")] == pytest.approx(
        [face, (980 + face) / 2, 980]
    )
    assert wall.ledger is not None
    entering = sum(cell(table, row.name, "heat") for row in wall.ledger.rows)
    assert entering == pytest.approx(0, abs=1e-9)
    units = {each.heading: each.unit for each in table.columns}
    assert units["area"] == "m²" and units["mean"] == "°C" and units["heat"] == "W"


def test_a_joint_has_a_row_for_each_side() -> None:
    table = table_of(FLOW.answered(family("wall-contact").case()), "surfaces")
    on_joint = table.filtered("plate|casting")
    assert column(on_joint, "side").tolist() == ["plate", "casting"]
    near, far = column(on_joint, "mean")
    heat = column(on_joint, "heat per area")
    assert near - far == pytest.approx(4.5e-4 * heat[0]) and heat[0] == heat[1]


def test_regions_share_out_the_body(wall: Outcome) -> None:
    table = table_of(wall, "regions")
    assert column(table, "region").tolist() == ["brick", "blanket", "shell"]
    np.testing.assert_allclose(column(table, "volume"), np.array([0.114, 0.05, 0.003]) * 0.1)
    middle = (column(table, "lowest") + column(table, "highest")) / 2
    np.testing.assert_allclose(column(table, "mean"), middle)
    assert column(table, "material").tolist() == ["brick", "blanket", "steel"]


@pytest.mark.parametrize("name", ["hollow-sphere", "room-corner", "rod-film-tip", "bowl"])
def test_nodes_and_cells_of_every_kind_of_body(name: str) -> None:
    case = family(name).case()
    outcome = FLOW.answered(with_value(case, ("mesh",), {"size": "20 mm"}) if name == "bowl" else case)
    assert outcome.mesh is not None and outcome.solution is not None and outcome.geometry is not None
    nodes, cells = table_of(outcome, "nodes"), table_of(outcome, "cells")
    assert len(nodes.rows) == outcome.mesh.node_count and len(cells.rows) == outcome.mesh.cell_count
    np.testing.assert_allclose(column(nodes, "temperature"), outcome.solution.temperature - 273.15)
    np.testing.assert_allclose(column(nodes, "x"), outcome.mesh.points[:, 0] * 1000, atol=1e-12)
    regions = table_of(outcome, "regions")
    for region, volume in zip(column(regions, "region"), column(regions, "volume"), strict=True):
        own = cells.filtered(f"region = {region}")
        assert column(own, "volume").sum() == pytest.approx(volume)
    if outcome.exact_now is not None:
        gap = column(nodes, "mesh − exact")
        assert np.nanmax(np.abs(gap)) < 2e-3 * np.ptp(outcome.solution.temperature)
        np.testing.assert_allclose(column(nodes, "temperature") - column(nodes, "exact"), gap, atol=1e-9)
    assert (column(cells, "smallest angle") > 0).all() and (column(cells, "error of flux") >= 0).all()


def test_rows_are_sorted_either_way_and_stay_in_order_where_they_are_alike(wall: Outcome) -> None:
    table = table_of(wall, "surfaces")
    headings = [each.heading for each in table.columns]
    rising = table.sorted_by(headings.index("mean"))
    assert (np.diff(column(rising, "mean")) >= 0).all() and len(rising.rows) == len(table.rows)
    falling = table.sorted_by(headings.index("mean"), downward=True)
    assert (np.diff(column(falling, "mean")) <= 0).all()
    names = column(table.sorted_by(0), "surface").tolist()
    assert names == sorted(names, key=str.lower)
    areas = table.sorted_by(headings.index("area"))
    alike = np.flatnonzero(column(areas, "area") == 0.05)
    assert (np.diff(areas.rows[alike]) > 0).all()
    # Where there is no number the row comes last, whichever way.
    readings = table_of(wall, "nodes")
    holed = NumberTable((type(readings.columns[0])("a", "", np.array([2.0, np.nan, 1.0])),), np.arange(3))
    assert holed.sorted_by(0).rows.tolist() == [2, 0, 1] and holed.sorted_by(0, True).rows.tolist() == [0, 2, 1]


@pytest.mark.parametrize(
    ("wish", "kept"),
    [
        ("brick", {"brick.left", "brick.top", "brick.bottom", "brick|blanket"}),
        ("mean > 600", {"brick.left", "brick.top", "brick.bottom", "brick|blanket"}),
        ("mean > 600 and area = 0.1", {"brick.left", "brick|blanket"}),
        ("mean>600 °C, heat per area ≥ 1000", {"brick.left", "brick|blanket"}),
        ("surface = Shell.RIGHT", {"shell.right"}),
        ("heat < -1", {"shell.right"}),
        ("nothing like it", set()),
    ],
)
def test_rows_are_filtered_by_words_and_comparisons(wall: Outcome, wish: str, kept: set[str]) -> None:
    assert set(column(table_of(wall, "surfaces").filtered(wish), "surface")) == kept
    everything = table_of(wall, "surfaces").filtered("  ")
    assert len(everything.rows) == 10


@pytest.mark.parametrize(
    ("wish", "said"),
    [
        ("warmth > 3", "there is no column 'warmth'"),
        ("surface > 3", "holds words"),
        ("mean > hot", "'hot' is no number"),
    ],
)
def test_a_wish_that_cannot_be_understood_says_what_to_write(wall: Outcome, wish: str, said: str) -> None:
    with pytest.raises(BluntEmberError, match=said):
        table_of(wall, "surfaces").filtered(wish)


@pytest.mark.parametrize("name", TABLES)
def test_what_is_written_is_read_again_to_the_last_digit(wall: Outcome, door: Outcome, name: str) -> None:
    walls = {"walls": "corner-of-two-walls", "flat walls": "bolt-through-wool"}
    others = {"histories": "cooling-bar", "coupling": "floor-through-wall", **walls}
    shown = FLOW.answered(family(others[name]).case()) if name in others else wall
    if name == "weights":
        data = {**family("coupled-wall").case().data, "questions": [{"name": "middle", "mean": "brick|wool"}]}
        shown = FLOW.answered(case_from_data(data))
    table = table_of(door if name in ("radiation", "exchange") else shown, name).sorted_by(1, downward=True)
    rows = list(csv.reader(io.StringIO(table.csv())))
    assert rows[0] == [each.title for each in table.columns] and len(rows) == len(table.rows) + 1
    tabbed = [line.split("\t") for line in table.tab_separated().splitlines()]
    assert tabbed == rows
    for place, each in enumerate(table.columns):
        if each.is_number:
            again = np.array([float(row[place]) if row[place] else np.nan for row in rows[1:]])
            np.testing.assert_array_equal(again, each.values[table.rows])
    first = table.tab_separated([0]).splitlines()
    assert len(first) == 2 and first[1].split("\t") == rows[1]


def test_who_heats_whom_is_told_both_ways(wall: Outcome, door: Outcome) -> None:
    assert len(table_of(wall, "radiation").rows) == len(table_of(wall, "exchange").rows) == 0
    surfaces, pairs = table_of(door, "radiation"), table_of(door, "exchange")
    net = {heading: cell(surfaces, heading, "net") for heading in ("tile.right", "sheet.left")}
    assert net["tile.right"] == pytest.approx(-net["sheet.left"])
    assert cell(surfaces, "tile.right", "leaving") == pytest.approx(cell(surfaces, "sheet.left", "incident"))
    assert cell(pairs, "tile.right", "net heat") == pytest.approx(net["sheet.left"])
    assert cell(pairs, "sheet.left", "net heat") == pytest.approx(net["tile.right"])
    assert cell(pairs, "tile.right", "view factor") == pytest.approx(1.0)


def test_units_of_the_case_are_those_of_the_table(wall: Outcome) -> None:
    imperial = FLOW.answered(
        with_value(family("composite-wall").case(), ("units",), {"set": "SI", "temperature": "°F"})
    )
    table = table_of(imperial, "surfaces")
    assert cell(table, "brick.left", "mean") == pytest.approx(980 * 1.8 + 32)
    assert "mean, °F" in table.csv().splitlines()[0]


def test_a_run_is_told_at_the_instant_that_is_seen() -> None:
    outcome = FLOW.answered(family("cooling-wall").case())
    assert outcome.run is not None
    early = outcome.at_frame(len(outcome.run.fields.times) // 3)
    for seen in (early, outcome):
        regions = table_of(seen, "regions")
        instant = outcome.run.instant(seen.t)
        assert instant is not None
        assert column(regions, "heat stored").sum() * 1000 == pytest.approx(outcome.run.stored[instant].sum())
        surfaces = table_of(seen, "surfaces")
        for name in outcome.run.names:
            if name in column(surfaces, "surface"):
                expected = outcome.run.power[instant, outcome.run.column(name)]
                assert cell(surfaces, name, "heat") == pytest.approx(expected, abs=1e-9)
    assert number_table(Outcome(outcome.case), "nodes") is None


def test_lines_are_told_point_by_point_beside_what_is_exact() -> None:
    data = dict(family("composite-wall").case().data)
    line = {"name": "across", "mean": {"start": ["0 mm", "20 mm"], "end": ["114 mm", "20 mm"]}}
    outcome = FLOW.answered(case_from_data({**data, "questions": [line]}))
    table = table_of(outcome, "lines")
    own = column(table, "line") == "across"
    assert set(column(table, "line").tolist()) == {"across", "through the middle"}
    places, read = column(table, "distance")[own], column(table, "temperature")[own]
    assert places[0] == 0 and places[-1] == pytest.approx(114)
    assert np.allclose(read, 980 + (read[-1] - 980) * places / 114)
    assert np.allclose(column(table, "exact"), column(table, "temperature"), atol=1e-9)


def test_histories_are_told_instant_by_instant() -> None:
    outcome = FLOW.run(family("cooling-wall").case())
    table, run = table_of(outcome, "histories"), outcome.run
    assert run is not None and np.array_equal(column(table, "time"), run.times)
    middle, exact = column(table, "middle"), column(table, "middle exact")
    assert middle[0] == pytest.approx(640) and np.abs(middle - exact)[~np.isnan(exact)].max() < 0.5
    assert (~np.isnan(exact)).sum() > 5 and (np.diff(column(table, "mean")) < 0).all()
    assert number_table(FLOW.run(family("composite-wall").case()), "histories") is None
