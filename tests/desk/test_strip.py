"""The strip: its views, the cursor that is tied to the stage, tables that are sorted, filtered, copied and written."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QFileDialog, QPushButton
from pytestqt.qtbot import QtBot

from blunt_ember.desk.app.window import Window
from blunt_ember.desk.strip.strip import VIEWS
from blunt_ember.gallery.families import family
from tests.desk.conftest import choose, field, settled, type_into


def opened(window: Window, qtbot: QtBot, name: str) -> None:
    window.show_case(family(name).case(), None)
    settled(qtbot, window)
    qtbot.wait(60)


def press(window: Window, name: str) -> None:
    button = next(each for each in window.strip.findChildren(QPushButton, name) if each.isVisible())
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def pick(box: QComboBox, text: str) -> None:
    """Choose by the arrow keys."""
    assert box.isVisible()
    box.setFocus()
    QTest.keyClick(box, Qt.Key.Key_Home)
    for _ in range(box.findText(text)):
        QTest.keyClick(box, Qt.Key.Key_Down)
    assert box.currentText() == text
    box.activated.emit(box.currentIndex())


def clipboard_rows() -> list[list[str]]:
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    return [line.split("\t") for line in clipboard.text().splitlines()]


def test_every_view_has_a_key_and_only_runs_have_those_of_time(window: Window, qtbot: QtBot) -> None:
    keys = Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.ShiftModifier
    for number, view in enumerate(VIEWS, start=1):
        QTest.keyClick(window, Qt.Key(Qt.Key.Key_0 + number), keys)
        if view not in ("over time", "time line"):
            assert window.strip.view == view
            assert f"(Alt+Shift+{number})" in window.strip.findChild(QPushButton, f"view {view}").toolTip()
    shown = [each.text() for each in window.strip._views.buttons() if each.isVisible()]
    assert shown == ["along a line", "refinement", "resistances", "table", "study"]
    opened(window, qtbot, "cooling-wall")
    assert all(each.isVisible() for each in window.strip._views.buttons())


def test_resistances_follow_the_case_and_say_where_there_are_none(window: Window, qtbot: QtBot) -> None:
    press(window, "view resistances")
    path = window.strip.path
    assert path is not None and [link.name for link in path.links] == ["brick", "blanket", "shell", "film"]
    before = path.links[1].resistance
    type_into(field(window, "body.regions.blanket.size[0]"), "100 mm")
    settled(qtbot, window)
    qtbot.waitUntil(lambda: window.strip.path is not path)
    assert window.strip.path is not None and window.strip.path.links[1].resistance == pytest.approx(2 * before)
    opened(window, qtbot, "wall-corner")
    assert window.strip.path is None and window.strip.chain.plot is None
    assert "one layer after the other" in window.strip.chain._message
    opened(window, qtbot, "cooling-wall")
    assert "the clock runs" in window.strip.chain._message


def test_the_heat_flux_is_read_along_lines_too(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "hollow-cylinder")
    line = window.strip.line
    assert [line.what.itemText(each) for each in range(line.what.count())] == [
        "temperature",
        "heat flux",
        "flux along the line",
        "flux along x",
        "flux along y",
    ]
    pick(line.what, "flux along x")
    profile = window.strip.chart.profile
    assert profile is not None and profile.exact is not None and profile.kind.shown == "W/m²"
    inside = ~np.isnan(profile.mesh)
    left = profile.distance[inside] < 0.1
    assert (profile.mesh[inside][left] < 0).all() and (profile.mesh[inside][~left] > 0).all()
    pick(line.lines, "through in y")
    assert np.nanmax(np.abs(window.strip.chart.profile.mesh)) < 5
    opened(window, qtbot, "rod-film-tip")
    assert [line.what.itemText(each) for each in range(line.what.count())] == ["temperature", "flux along x"]
    assert [line.lines.itemText(each) for each in range(line.lines.count())] == ["through in x"]


def test_the_cursor_of_the_curve_and_the_place_on_the_stage_are_one(window: Window, qtbot: QtBot) -> None:
    chart, stage = window.strip.chart, window.stage
    QTest.mouseMove(chart, QPoint(chart.width() // 2, 40))
    assert chart.cursor_at is not None and stage.readings.cursor is not None
    assert stage.readings.cursor == pytest.approx([chart.cursor_at, 0.05], abs=1e-3)
    said = chart.said_at(chart.cursor_at)
    assert window.outcome is not None and window.outcome.exact_now is not None
    exact = window.outcome.exact_now.temperature(stage.readings.cursor[None])[0] - 273.15
    assert f"exact {exact:.2f}"[:10] in said and "°C" in said
    marked = stage.grab().toImage()
    chart.leaveEvent(None)
    assert stage.readings.cursor is None and chart.cursor_at is None
    assert stage.grab().toImage() != marked
    view = stage._view
    assert view is not None
    at = QPointF(*view.pixels(np.array([[0.08, 0.05]]))[0]).toPoint()
    QTest.mouseMove(stage, at)
    assert chart.cursor_at == pytest.approx(0.08, abs=2e-3)
    QTest.mouseMove(stage, QPointF(*view.pixels(np.array([[0.08, 0.09]]))[0]).toPoint())
    assert chart.cursor_at is None  # too far from the line


def test_several_lines_stand_in_one_chart(window: Window, qtbot: QtBot) -> None:
    case = window.current.case
    assert case is not None
    heights = {"low": "20 mm", "high": "80 mm"}
    along = {name: {"start": ["0 mm", y], "end": ["40 mm", y]} for name, y in heights.items()}
    asked = [*case.data["questions"], *({"name": name, "mean": line} for name, line in along.items())]
    window.show_case(case.restated({**case.data, "questions": asked}), None)
    settled(qtbot, window)
    line, chart = window.strip.line, window.strip.chart
    one = chart.grab().toImage()
    assert [action.text() for action in line._beside_menu.actions()] == ["through in y", "low", "high"]
    for name in along:
        next(action for action in line._beside_menu.actions() if action.text() == name).trigger()
    assert line.beside.text() == "with 2 more" and [each.title for each in chart.beside] == list(along)
    whole, part = chart.profile, chart.beside[0]
    assert whole is not None and chart.reach == whole.distance[-1] and part.distance[-1] == pytest.approx(0.04)
    # Heat flows one way, so on every line across the wall stands the same.
    np.testing.assert_allclose(part.mesh, np.interp(part.distance, whole.distance, whole.mesh), rtol=1e-6)
    assert chart.grab().toImage() != one
    pick(line.lines, "low")
    assert line.beside.text() == "with 1 more" and chart.profile is not None and chart.profile.distance[-1] < 0.05
    opened(window, qtbot, "rod-film-tip")
    assert not chart.beside and not line.beside.isVisibleTo(window)


def test_a_line_along_an_edge_is_asked_in_the_sheet_and_read_in_the_strip(window: Window, qtbot: QtBot) -> None:
    choose(window, "add question", "mean temperature along", "brick.top")
    settled(qtbot, window)
    line = window.strip.line
    qtbot.waitUntil(lambda: line.lines.currentText() == "edge")  # what was just asked is what is seen
    found = line.line
    assert found is not None and found.distance[-1] == pytest.approx(0.114)
    np.testing.assert_allclose(found.places[:, 1], 0.1)
    case = window.current.case
    assert case is not None
    number = len(case.document.questions) - 1
    choose(window, f"edge {number} 0", "brick|blanket")
    settled(qtbot, window)
    check = window.outcome.checks[-1]
    assert check.asked == "Mean temperature along brick|blanket"
    assert check.value - 273.15 == pytest.approx(603.3176, abs=1e-3)
    choose(window, "add question", "mean temperature from one surface to another")
    settled(qtbot, window)
    choose(window, f"between {number + 1} 1", "shell.right")
    settled(qtbot, window)
    choose(window, f"between {number + 1} 0", "brick.left")
    settled(qtbot, window)
    qtbot.waitUntil(lambda: line.line is not None and line.line.distance[-1] == pytest.approx(0.167))
    choose(window, "add question", "mean temperature round a circle")
    settled(qtbot, window)
    type_into(field(window, f"questions[{number + 2}].mean.centre[0]"), "t_brick/2")
    type_into(field(window, f"questions[{number + 2}].mean.centre[1]"), "50 mm")
    type_into(field(window, f"questions[{number + 2}].mean.radius"), "20 mm")
    settled(qtbot, window)
    # The mean of a straight field round a circle is that of its centre.
    middle = (980 + 603.3176) / 2
    assert window.outcome.checks[-1].value - 273.15 == pytest.approx(middle, abs=1e-3)
    for _ in range(9):
        window.current.undo()
    assert len(window.current.case.document.questions) == number


def test_a_table_is_sorted_filtered_copied_and_written(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    press(window, "view table")
    tables = window.strip.tables
    assert tables.which.currentText() == "readings" and tables.table is not None
    assert [tables.table.columns[0].text(row) for row in tables.table.rows] == [
        check.name for check in window.outcome.checks
    ]
    pick(tables.which, "surfaces")
    header = tables.grid.horizontalHeader()
    assert header is not None and tables.table is not None
    headings = [each.heading for each in tables.table.columns]

    def click(heading: str) -> None:
        place = header.sectionViewportPosition(headings.index(heading)) + 12
        viewport = header.viewport()
        QTest.mouseClick(viewport, Qt.MouseButton.LeftButton, pos=QPoint(place, 8))

    def shown(heading: str) -> list[str]:
        model = tables.grid.model()
        assert model is not None
        column = headings.index(heading)
        return [str(model.data(model.index(row, column))) for row in range(model.rowCount())]

    click("mean")
    rising = [float(each) for each in shown("mean")]
    assert rising == sorted(rising) and len(rising) == 10
    click("mean")
    assert [float(each) for each in shown("mean")] == rising[::-1]
    assert header.sortIndicatorOrder() == Qt.SortOrder.DescendingOrder
    type_into(tables.filter, "mean > 600 and brick")
    assert set(shown("surface")) == {"brick.left", "brick.top", "brick.bottom", "brick|blanket"}
    assert shown("mean") == sorted(shown("mean"), key=float, reverse=True)  # the order stays
    press(window, "copy table")
    rows = clipboard_rows()
    assert len(rows) == 5 and rows[0][0] == "surface" and rows[1][0] == "brick.left"
    tables.grid.selectRow(1)
    tables.grid.setFocus()
    QTest.keyClick(tables.grid, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    assert clipboard_rows()[1:] == [rows[2]]
    type_into(tables.filter, "warmth > 3")
    assert tables.filter.property("wrong") and "there is no column 'warmth'" in window.strip._source.text()
    assert len(shown("surface")) == 10  # nothing is lost by a slip
    type_into(tables.filter, "shell")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "surfaces"), ""))
    press(window, "export table")
    with (tmp_path / "surfaces.csv").open(newline="", encoding="utf-8") as file:
        written = list(csv.reader(file))
    assert [row[0] for row in written[1:]] == shown("surface") and written[0][1] == "area, m²"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "no" / "x.csv"), ""))
    press(window, "export table")
    assert "cannot be written" in window.strip._source.text()
    type_into(field(window, "surroundings[0].temperature"), "500 °C")
    settled(qtbot, window)
    type_into(tables.filter, "brick.left")
    qtbot.waitUntil(lambda: shown("mean") == ["500"])  # the table follows the case, and stays what it was


def test_tables_of_nodes_and_cells_hold_the_whole_mesh(window: Window, qtbot: QtBot) -> None:
    press(window, "view table")
    tables, outcome = window.strip.tables, window.outcome
    assert outcome is not None and outcome.mesh is not None
    for which, count in (("nodes", outcome.mesh.node_count), ("cells", outcome.mesh.cell_count), ("regions", 3)):
        pick(tables.which, which)
        model = tables.grid.model()
        assert model is not None and model.rowCount() == count
        assert tables.filter.text() == ""
    window.show_case(family("plane-wall").case(), None)
    assert tables.table is None and not tables.grid.isVisible()  # nothing of the case before is shown
    settled(qtbot, window)
    qtbot.waitUntil(lambda: tables.table is not None and len(tables.table.rows) == 1)


def test_the_chart_that_is_seen_is_exported(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    control = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier
    for view, name in (("along a line", "line.svg"), ("resistances", "chain.pdf"), ("resistances", "chain")):
        window.strip.choose_view(view)
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, name=name: (str(tmp_path / name), ""))
        QTest.keyClick(window, Qt.Key.Key_E, control)
    assert {each.name for each in tmp_path.iterdir()} >= {"line.svg", "chain.pdf", "chain.svg"}
    assert "brick" in (tmp_path / "chain.svg").read_text("utf-8")
    window.strip.choose_view("table")
    QTest.keyClick(window, Qt.Key.Key_E, control)
    bar = window.statusBar()
    assert bar is not None and "shows no chart" in bar.currentMessage()
