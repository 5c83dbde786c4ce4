"""Everything that can surround, fill and join a body, stated through the window."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QAction, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialogButtonBox, QMenu
from pytestqt.qtbot import QtBot

from blunt_ember.desk.app.window import Window
from blunt_ember.desk.sheet.fields import EntryField, WordButton
from blunt_ember.desk.sheet.table_dialog import TableDialog
from blunt_ember.desk.widgets.curve import CurveButton
from blunt_ember.gallery.blank import BLANKS
from blunt_ember.gallery.families import family
from blunt_ember.library.shelves import own_file
from tests.desk.conftest import PATIENCE, choose, field, settled, type_into


@pytest.fixture
def window(empty_window: Window) -> Window:
    """Every test here opens a case of its own."""
    return empty_window


def opened(window: Window, qtbot: QtBot, name: str) -> None:
    window.show_case(family(name).case(), None)
    settled(qtbot, window)


def chosen(window: Window, qtbot: QtBot, key: str, *words: str) -> None:
    """Pick from the menus of a word of the sheet and wait for the answer."""
    choose(window, key, *words)
    settled(qtbot, window)


def data_of(window: Window) -> Any:
    assert window.current.case is not None
    return window.current.case.data


def test_a_table_is_pasted_into_a_field_drawn_and_solved(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "plane-wall")
    k = field(window, "materials.plate.k")
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    clipboard.setText("T [°C]\tk\n20\t1,2\n500\t2,4\n")
    k.setFocus()
    QTest.keyClick(k, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    dialog = window.findChild(TableDialog)
    assert dialog is not None and dialog.isVisible()
    assert dialog.cells().rows == (("20", "1.2"), ("500", "2.4")) and dialog.units[0].text() == "°C"
    ok = dialog.buttons.button(QDialogButtonBox.StandardButton.Ok)
    assert ok is not None and not ok.isEnabled() and "'1.2' has no unit" in dialog.fault.text()
    QTest.keyClicks(dialog.units[1], "W/(m K)")
    assert ok.isEnabled() and dialog.fault.text() == ""
    QTest.mouseClick(ok, Qt.MouseButton.LeftButton)
    settled(qtbot, window)
    assert data_of(window)["materials"]["plate"]["k"] == {
        "table": [["20 °C", "1.2 W/(m K)"], ["500 °C", "2.4 W/(m K)"]]
    }
    assert window.outcome is not None and window.outcome.solution is not None and window.outcome.solution.steps
    curve = next(b for b in window.sheet.findChildren(CurveButton) if b.isVisibleTo(window))
    assert curve.text() == "2 rows over T"
    assert {card.verdict.text() for card in window.checks.cards.values()} == {"✓ agrees", "✕ off"}
    QTest.mouseClick(curve, Qt.MouseButton.LeftButton)
    again = next(d for d in window.findChildren(TableDialog) if d.isVisible())
    assert again.cells().rows[1] == ("500 °C", "2.4 W/(m K)")
    again.reject()
    window.current.undo()
    settled(qtbot, window)
    assert field(window, "materials.plate.k").text() == "1.4 W/(m K)"


def test_a_kiln_door_is_stated_with_all_that_acts_on_it(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "composite-wall")
    chosen(window, qtbot, "more 1", "and radiates to its surroundings")
    type_into(field(window, "surroundings[1].radiation.emissivity"), "1.2")
    assert "must lie between 0 and 1" in field(window, "surroundings[1].radiation.emissivity").toolTip()
    type_into(field(window, "surroundings[1].radiation.emissivity"), "0.8")
    chosen(window, qtbot, "add joint", "blanket|shell", "contact resistance")
    chosen(window, qtbot, "add heat inside", "in brick")
    settled(qtbot, window)
    data = data_of(window)
    assert data["joints"] == [{"on": "blanket|shell", "resistance": "2e-4 m² K/W"}]
    assert data["heat_inside"] == [{"region": "brick", "per_volume": "50 kW/m³"}]
    assert window.outcome is not None and window.outcome.exact is not None and window.outcome.ledger is not None
    assert window.outcome.ledger.relative < 1e-9
    shown = {cells[0].text(): cells[1].text() for cells in window.checks._ledger._cells if cells[0].isVisibleTo(window)}
    assert shown["heat in brick"] == "arises inside" and shown["blanket|shell"] == "joint"
    assert window.checks.cards["outer surface"].verdict.text() == "✓ agrees", "exact with all of it"
    chosen(window, qtbot, "side 3", "on the side of shell")
    warm = window.checks.cards["blanket to shell"].value.text()
    chosen(window, qtbot, "side 3", "on the side of blanket")
    assert window.checks.cards["blanket to shell"].value.text() != warm
    chosen(window, qtbot, "more joint 0", "open gap, no heat passes")
    assert window.outcome.trouble is None, "both parts are held by something"
    notes = [w.text() for w in window.sheet.findChildren(type(window.checks._summary)) if w.property("role") == "note"]
    assert any("2 parts that exchange no heat" in note for note in notes)


def test_formulas_are_drawn_on_their_surface_as_spikes(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "plane-wall")
    chosen(window, qtbot, "more 1", "and takes in a heat flux")

    def picture() -> Any:
        window.stage.light(("plate.right",))
        QTest.qWait(30)
        image = window.stage.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
        bits = image.constBits()
        assert bits is not None
        bits.setsize(image.sizeInBytes())
        return np.frombuffer(bits, dtype=np.uint8).reshape(image.height(), -1).copy()

    even = picture()
    type_into(field(window, "surroundings[1].flux"), "900 W/m²*exp(-(y/20 mm)^2)")
    settled(qtbot, window)
    spiked = picture()
    right = spiked.shape[1] // 2
    assert (even[:, right:] != spiked[:, right:]).sum() > 2000
    type_into(field(window, "surroundings[1].flux"), "900 W/m²*exp(-(z/20 mm)^2)")
    settled(qtbot, window)
    assert window.outcome is not None and "depends on z, which this body does not have" in str(window.outcome.trouble)


def test_the_analysts_units_show_everywhere_and_what_was_typed_stays(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "plane-wall")
    for words in ("US customary", "W", "SI with mm"):
        action = next(a for a in window.findChildren(QAction) if a.text() == words)
        action.trigger()
        settled(qtbot, window)
        card = window.checks.cards["outer face"].value.text()
        ledger = window.checks._ledger._cells[0][3].text()
        if words == "US customary":
            assert card.endswith("°F") and ledger == "BTU/h" and data_of(window)["units"] == "US customary"
            assert window.checks.cards["loss"].value.text().endswith("BTU/(h ft²)")
            assert field(window, "parameters.thickness").text() == "32 mm"
            notes = {label.text() for label in window.sheet.findChildren(type(window.checks._summary))}
            assert "= 1.2598 in" in notes and "= 860 °F = 733.15 K" in notes
            assert window.stage.shade is not None and window.stage.shade.title == "Temperature, °F"
        elif words == "W":
            assert ledger == "W" and data_of(window)["units"] == {"set": "US customary", "heat flow": "W"}
        else:
            assert card.endswith("°C") and data_of(window)["units"] == "SI with mm"


def test_materials_come_from_the_library_and_are_kept_in_it(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path))
    opened(window, qtbot, "plane-wall")
    chosen(window, qtbot, "add material", "from the library: ceramics, glass and stone", "fireclay brick")
    brick = data_of(window)["materials"]["fireclay brick"]
    assert len(brick["k"]["table"]) == 3 and brick["source"].startswith("Incropera")
    chosen(window, qtbot, "more of material plate", "keep it in my library")
    assert not own_file().exists(), "it follows a parameter, which a library does not have"
    chosen(window, qtbot, "more of material fireclay brick", "keep it in my library")
    assert json.loads(own_file().read_text(encoding="utf-8"))["fireclay brick"] == brick
    bar = window.statusBar()
    assert bar is not None and f"is kept in {own_file()}" in bar.currentMessage()
    library = "from the library", "from the library: metals"
    chosen(window, qtbot, "material of plate", *library, "nickel")  # at once, where a body is said to be of it
    assert data_of(window)["body"]["regions"]["plate"]["material"] == "nickel"
    chosen(window, qtbot, "material of plate", *library, "silver")
    chosen(window, qtbot, "material of plate", *library, "nickel")
    assert list(data_of(window)["materials"]) == ["plate", "fireclay brick", "nickel", "silver"], "taken once"
    chosen(window, qtbot, "material of plate", "fireclay brick")
    assert window.outcome is not None
    (note,) = window.outcome.notes
    assert note.path == 'materials["fireclay brick"]' and "but its values hold from 499.85 °C to" in note.message
    chosen(window, qtbot, "more of material fireclay brick", "k as one value")
    chosen(window, qtbot, "more of material fireclay brick", "k by directions")
    assert set(data_of(window)["materials"]["fireclay brick"]["k"]) == {"along", "across"}
    type_into(field(window, "body.regions.plate.direction"), "90 deg")
    settled(qtbot, window)
    assert data_of(window)["body"]["regions"]["plate"]["direction"] == "90 deg"
    assert window.outcome.trouble is None


def test_the_card_of_a_periodic_surface_and_two_temperatures_on_one(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "plane-wall")
    window.card.open_on("plate.top", QPoint(200, 200), window.outcome)
    button = next(b for b in window.card.findChildren(WordButton) if b.text() == "periodic with")
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    menu = next(m for m in button.findChildren(QMenu) if m.isVisible())
    next(a for a in menu.actions() if a.text() == "plate.bottom").trigger()
    menu.close()
    settled(qtbot, window)
    assert data_of(window)["surroundings"][-1] == {"on": ["plate.top", "plate.bottom"], "periodic": True}
    assert window.outcome is not None and window.outcome.exact is not None and window.outcome.unstated == ()
    assert {f.text() for f in window.card.findChildren(EntryField)} == set()
    held = {"on": "plate.left", "temperature": "40 °C"}
    window.current.edit_or_tell(
        "twice", lambda case: case.restated({**case.data, "surroundings": [*case.data["surroundings"], held]})
    )
    settled(qtbot, window)
    assert any("this later statement counts" in note.message for note in window.outcome.notes)
    face = window.outcome.mesh.surfaces["plate.left"].nodes
    assert window.outcome.solution is not None
    np.testing.assert_allclose(window.outcome.solution.temperature[face], 313.15)


def test_all_that_are_left_are_those_of_the_case_as_it_stands(window: Window, qtbot: QtBot) -> None:
    """What was stated since the last solve is not stated over."""
    window.show_case(BLANKS["stacked"].case(), None)
    qtbot.waitUntil(lambda: window.outcome is not None and len(window.outcome.unstated) == 6, timeout=PATIENCE)
    window.set_live(False)
    choose(window, "add surrounding", "part.bottom", "held at a temperature")
    choose(window, "add surrounding", "all that are left", "meets a fluid")
    first, then = data_of(window)["surroundings"]
    assert first["on"] == "part.bottom" and len(then["on"]) == 5 and "part.bottom" not in then["on"]


def test_heat_at_a_point_is_stated_by_keys_and_undone(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "plane-wall")
    before = data_of(window)
    chosen(window, qtbot, "add heat inside", "at a point")
    type_into(field(window, "heat_inside[0].at[0]"), "200 mm")
    settled(qtbot, window)
    assert window.outcome is not None and "it lies outside the body" in str(window.outcome.trouble)
    type_into(field(window, "heat_inside[0].at[0]"), "16 mm")
    type_into(field(window, "heat_inside[0].at[1]"), "40 mm")
    type_into(field(window, "heat_inside[0].total"), "90 W")
    settled(qtbot, window)
    assert window.outcome.trouble is None
    middle = window.checks.cards["middle"]
    # It is read where the heat arises: no ± is told of that.
    assert "takes up no room" in middle.note.text() and middle.verdict.text() == "○ open"
    assert middle.error.text() == "without bound"
    for _ in range(5):
        window.current.undo()
    settled(qtbot, window)
    assert data_of(window) == before and window.checks.cards["middle"].verdict.text() == "✓ agrees"


def test_steps_of_newtons_method_are_shown_as_they_come(window: Window, qtbot: QtBot) -> None:
    seen: list[str] = []
    window.solver.stepped.connect(lambda step: seen.append(window.header._state.text()))
    opened(window, qtbot, "wall-film-and-radiation")
    assert len(seen) >= 5 and all("of the heat left over" in text for text in seen)
    assert "Newton steps" in window.header._state.text()
    tip = window.header._state.toolTip()
    assert tip.startswith("solved: direct\nNewton's method:\n1: ") and "6: " in tip
    type_into(field(window, "parameters.emissivity_1"), "0.4")
    settled(qtbot, window)
    assert {card.verdict.text() for card in window.checks.cards.values()} == {"✓ agrees"}


def test_a_formula_on_a_solid_and_the_card_of_its_side(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "stacked-floor")
    assert window.outcome is not None and window.outcome.geometry is not None
    surface = next(name for name in window.outcome.unstated)
    window.card.open_on(surface, QPoint(120, 120), window.outcome)
    button = next(b for b in window.card.findChildren(WordButton) if b.text() == "takes in a heat flux")
    QTest.keyClick(button, Qt.Key.Key_Space)
    settled(qtbot, window)
    flux = next(f for f in window.card.findChildren(EntryField) if f.objectName().endswith(".flux"))
    type_into(flux, "400 W/m²*(1 + cos(theta))*exp(-r/500 mm)")
    settled(qtbot, window)
    assert window.outcome.trouble is None and window.outcome.ledger is not None
    row = next(row for row in window.outcome.ledger.rows if row.name == surface)
    assert row.heat > 0 and window.outcome.ledger.relative < 1e-9
    window.stage.light((surface,))
    QTest.qWait(50)
    window.current.edit_or_tell(
        "gone",
        lambda case: case.restated(
            {
                **case.data,
                "body": family("plane-wall").data["body"],
                "parameters": family("plane-wall").data["parameters"],
                "materials": family("plane-wall").data["materials"],
                "surroundings": family("plane-wall").data["surroundings"],
                "questions": [],
                "working": {},
            }
        ),
    )
    settled(qtbot, window)
    assert not window.card.isVisible(), "its surface is no more"


def test_the_strokes_of_unstated_surfaces_go_when_they_are_said_to_be_insulated(window: Window, qtbot: QtBot) -> None:
    """Nothing else changes then, not even the solution."""
    opened(window, qtbot, "stacked-floor")
    window.stage.set_lens("Shape")
    assert window.outcome is not None

    def picture() -> QImage:
        QTest.qWait(50)
        return window.stage.grab().toImage()

    stroked = picture()
    assert picture() == stroked
    said = {"on": list(window.outcome.unstated), "insulated": True}
    window.current.edit_or_tell(
        "said", lambda case: case.restated({**case.data, "surroundings": [*case.data["surroundings"], said]})
    )
    settled(qtbot, window)
    assert window.outcome.unstated == () and picture() != stroked
