"""Bodies of other shapes in the window: dimensions, surfaces pointed at and clicked, triangles, mistakes of shape."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QEnterEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QApplication, QToolButton
from pytestqt.qtbot import QtBot

from blunt_ember.case.case import case_from_data
from blunt_ember.case.files.case_file import write_case
from blunt_ember.desk.app.window import Window
from blunt_ember.desk.beginning.start_page import FamilyCard, StartPage
from blunt_ember.desk.sheet.fields import EntryField, PointedLabel, WordButton
from blunt_ember.desk.solver.child_process import ChildProcess
from blunt_ember.desk.stage.tools.dimensions import dimensions
from blunt_ember.desk.stage.tools.picture_editor import DimensionEditor
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import FAMILIES, VARIANTS, WARMING_FAMILIES, family
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.picture.body.view import view_of_box
from blunt_ember.picture.palette import DARK
from tests.desk.conftest import PATIENCE, field, settled, type_into


@pytest.fixture
def window(empty_window: Window) -> Window:
    """Every test here opens a case of its own."""
    return empty_window


def opened(window: Window, qtbot: QtBot, name: str) -> None:
    window.show_case(family(name).case(), None)
    settled(qtbot, window)


def edge_of(window: Window, surface: str, share: float = 0.5) -> QPointF:
    """A place of the stage on a surface."""
    assert window.outcome is not None and window.outcome.geometry is not None and window.stage._view is not None
    segments = window.outcome.geometry.surfaces[surface].segments
    middle = segments[int(share * (len(segments) - 1))].mean(axis=0)
    return QPointF(*window.stage._view.pixels(middle[None])[0])


def kind_of(name: str) -> tuple[object, ...]:
    """What sets a family apart from others in the window: its body, whether it is known, and what is stated."""
    document = family(name).case().document
    known = any(question.expect is not None and question.expect.exact for question in document.questions)
    return document.body.kind, known, bool(document.enclosures), bool(document.joints)


#: One of each kind. Of a run the exact curve is held against the span of the
#: whole run, in test_clock; every family is solved and held against what is known of it in the tests of checks.
OPENED = list(
    {kind_of(name): name for name, made in reversed(FAMILIES.items()) if made not in WARMING_FAMILIES}.values()
)


#: How far, as a share of the span, the curve of a family may lie from the exact one where that is more than usual: the
#: corners of the plate jump, and the ball is meshed coarsely.
LARGEST_GAP = {"part-on-layers": 0.02, "hot-edge-plate": 0.02, "ball-in-shell": 4e-3, "cooling-shelves": 1e-2}
#: Families of which a heat flow or a view factor is known, and no field.
HEAT_KNOWN = (
    "buried-pipe",
    "wall-corner",
    "room-corner",
    "gaussian-spot",
    "ware-chamber",
    "muffle",
    "setting-chamber",
    "drum-kiln",
    "glory-hole",
    "glaze-bowl",
    "blind-hole",
    "element-row",
    "floor-through-wall",
    "corner-of-two-walls",
    "bolt-through-wool",
)

#: Families of whose answers not all are known beforehand.
NOTHING_KNOWN = ("floor-through-wall", "corner-of-two-walls", "element-row", "bolt-through-wool")


@pytest.mark.parametrize("names", [OPENED[0::2], OPENED[1::2]], ids=lambda names: names[0])
def test_a_family_of_every_kind_opens_solved_with_all_checks_agreeing(
    window: Window, qtbot: QtBot, names: list[str]
) -> None:
    def answered() -> bool:
        found, case = window.outcome, window.current.case
        return found is not None and found.case is case and bool(found.checks) and window.strip._outcome is found

    for name in names:
        window.show_case(family(name).case(), None)
        qtbot.waitUntil(answered, timeout=PATIENCE)  # the next one need not wait for the errors of this one
        qtbot.waitUntil(lambda: not window.strip._soon.isActive(), timeout=PATIENCE)
        verdicts = {card.verdict.text() for card in window.checks.cards.values()}
        assert verdicts == {"✓ agrees"} | ({"○ open"} if name in NOTHING_KNOWN else set()), name
        profile = window.strip.chart.profile
        assert window.outcome is not None and profile is not None
        if name in HEAT_KNOWN:
            assert window.outcome.exact is None and profile.exact is None, name
        else:
            assert window.outcome.exact is not None and profile.exact is not None, name
            gap = np.nanmax(np.abs(profile.mesh - profile.exact)) / (np.nanmax(profile.mesh) - np.nanmin(profile.mesh))
            assert gap < LARGEST_GAP.get(name, 1e-3), name
        window.stage.grab()  # which paints it as it is now
        labels = window.stage.dimension_labels
        assert any(what in label for label in labels for what in ("radius", "width", "length")) or name == "bowl"


def test_a_radius_is_changed_on_the_picture(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "hollow-cylinder")
    dimension = window.stage.dimension_labels["inner radius of pipe"]
    x, y, width, height = dimension.box
    QTest.mouseClick(window.stage, Qt.MouseButton.LeftButton, pos=QPoint(round(x + width / 2), round(y + height / 2)))
    editor = window.stage.findChild(DimensionEditor, "dimension editor")
    assert editor is not None and editor.text() == "75 mm"
    QTest.keyClicks(editor, "110 mm")
    QTest.keyClick(editor, Qt.Key.Key_Return)
    settled(qtbot, window)
    assert window.current.case is not None and window.outcome is not None
    assert window.current.case.data["parameters"]["r_bore"] == "110 mm"
    r0, r1, r2 = 0.11, 0.114, 0.159
    resistance = 1 / (38 * r0) + math.log(r1 / r0) / 24 + math.log(r2 / r1) / 0.065 + 1 / (9 * r2)
    heat = next(check.value for check in window.outcome.checks if check.name == "loss per metre")
    assert heat == pytest.approx(2 * math.pi * (310 - 18) / resistance, rel=1e-5)


def test_a_refused_dimension_stays_open_with_its_reason(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "hollow-cylinder")
    case = window.current.case
    window.stage.edit_dimension(window.stage.dimension_labels["outer radius of lagging"])
    editor = window.stage.findChild(DimensionEditor, "dimension editor")
    assert editor is not None
    editor.selectAll()
    QTest.keyClicks(editor, "10 mm")
    QTest.keyClick(editor, Qt.Key.Key_Return)
    assert editor.isVisible() and editor.property("wrong")
    assert "inner radius must be less" in editor.toolTip()
    assert window.current.case is case
    QTest.keyClick(editor, Qt.Key.Key_Escape)
    qtbot.wait(20)
    assert window.stage.findChild(DimensionEditor, "dimension editor") is None


def test_pointing_at_a_surface_in_the_sheet_lights_it_on_the_picture(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "composite-wall")
    button = window.sheet.findChild(WordButton, "surface 1")
    assert button is not None and button.text() == "shell.right"
    before = window.stage.grab().toImage()
    enter = QEnterEvent(QPointF(2, 2), QPointF(2, 2), QPointF(2, 2))
    QApplication.sendEvent(button, enter)
    qtbot.wait(20)
    assert window.stage._lit == ("shell.right",)
    place = edge_of(window, "shell.right").toPoint()
    lit = window.stage.grab().toImage().pixelColor(place)
    assert lit.red() > 170 and lit.blue() < 90
    assert before.pixelColor(place) != lit
    QApplication.sendEvent(button, QEvent(QEvent.Type.Leave))
    assert not window.stage._lit
    note = next(label for label in window.sheet.findChildren(PointedLabel) if "insulated" in label.text())
    QApplication.sendEvent(note, enter)
    assert len(window.stage._lit) == 6


def test_pointing_at_a_surface_on_the_picture_marks_it_in_the_sheet(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "hollow-cylinder")
    place = edge_of(window, "lagging.rim", 0.2)
    QTest.mouseMove(window.stage, QPoint(5, 5))
    QTest.mouseMove(window.stage, place.toPoint())
    qtbot.waitUntil(lambda: window.stage._under == "lagging.rim", timeout=PATIENCE)
    marked = {b.text() for b in window.sheet.findChildren(WordButton) if b.property("pointed")}
    assert marked == {"lagging.rim"}
    assert window.stage._hover is not None and window.stage._hover[1].startswith("lagging.rim")
    QTest.mouseMove(window.stage, QPoint(5, 5))
    qtbot.waitUntil(lambda: window.stage._under == "", timeout=PATIENCE)


def test_a_click_on_a_surface_states_what_surrounds_it(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "composite-wall")
    QTest.mouseClick(window.stage, Qt.MouseButton.LeftButton, pos=edge_of(window, "brick.top").toPoint())
    assert window.card.surface == "brick.top" and window.card.isVisible()
    offer = next(b for b in window.card.findChildren(WordButton) if b.text() == "meets a fluid")
    QTest.mouseClick(offer, Qt.MouseButton.LeftButton)
    settled(qtbot, window)
    h = next(f for f in window.card.findChildren(EntryField) if f.objectName() == "surroundings[2].film.h")
    assert h.isVisible() and h.text() == "10 W/(m² K)", "the card goes on with the sentence"
    assert window.outcome is not None and window.current.case is not None
    assert "brick.top" not in window.outcome.unstated
    assert window.current.case.data["surroundings"][-1]["on"] == "brick.top"
    assert {card.verdict.text() for card in window.checks.cards.values()} >= {"○ open"}, "no wall any more"
    note = window.checks.cards["hot face"].note.text()
    assert "heat passes through brick.top" in note
    QTest.mouseClick(window.stage, Qt.MouseButton.LeftButton, pos=edge_of(window, "brick.top").toPoint())
    focused = window.focusWidget()
    assert isinstance(focused, QToolButton) and focused.text() == "brick.top" and window.card.isAncestorOf(focused)
    QTest.keyClick(focused, Qt.Key.Key_Escape)
    assert not window.card.isVisible() and window.stage.hasFocus()


def test_triangles_are_asked_for_by_a_shape_and_sharp_cells_are_counted(
    window: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    wedge: dict[str, Any] = {
        "format": "blunt-ember/1",
        "title": "Lid edge",
        "materials": {"clay": {"k": "1.1 W/(m K)"}},
        "body": {
            "kind": "section",
            "regions": {
                "lid": {
                    "shape": "polygon",
                    "material": "clay",
                    "points": [["0 mm", "0 mm"], ["200 mm", "0 mm"], ["200 mm", "24 mm"]],
                }
            },
        },
        "surroundings": [
            {"on": "lid.side 1", "temperature": "900 °C"},
            {"on": "lid.side 3", "film": {"h": "11 W/(m² K)", "temperature": "25 °C"}},
        ],
        "questions": [{"name": "in", "heat_flow": "lid.side 1"}],
    }
    write_case(case_from_data(wedge), tmp_path / "lid.ember")
    assert window.open_path(tmp_path / "lid.ember")
    settled(qtbot, window)
    assert window.outcome is not None and window.outcome.mesh is not None
    assert window.outcome.mesh.blocks[0].family == "tri6"
    words = " ".join(label.text() for label in window.sheet.findChildren(type(window.checks.cards["in"].name)))
    assert "cells below 20°, marked in the lens Mesh" in words
    window.stage.set_lens("Mesh")
    type_into(field(window, "body.regions.lid.points[2][1]"), "120 mm")
    settled(qtbot, window)
    assert window.outcome.ledger is not None and window.outcome.ledger.relative < 1e-9
    type_into(field(window, "body.regions.lid.points[2][1]"), "0 mm")
    qtbot.waitUntil(lambda: window.outcome is not None and window.outcome.trouble is not None, timeout=PATIENCE)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settled(qtbot, window)
    assert window.outcome.trouble is None


def test_dimension_labels_of_a_wall_never_cover_each_other() -> None:
    case = family("composite-wall").case({"t_shell": "1 mm", "t_blanket": "2 mm"})
    geometry = geometry_of(case.document.body)
    view = view_of_box(np.array(geometry.low), np.array(geometry.high), 579, 501, (92, 62, 112, 92))
    boxes = [d.box for d in dimensions(case, geometry, view, {})]
    for place, (x, y, w, h) in enumerate(boxes):
        for u, v, r, s in boxes[:place]:
            assert x + w <= u or u + r <= x or y + h <= v or v + s <= y


def test_the_start_page_shows_every_family(window: Window, qtbot: QtBot) -> None:
    def drawn(page: StartPage) -> bool:
        return all(not card.picture.pixmap().isNull() for card in page.findChildren(FamilyCard))

    page = window.start_page
    window._pages.setCurrentIndex(0)
    qtbot.waitUntil(lambda: page.findChildren(FamilyCard) != [] and drawn(page), timeout=PATIENCE)
    for name in FAMILIES:
        card = page.findChild(QAbstractButton, f"family {name}")
        assert card is not None and card.isVisible()
        assert card.height() > 200 or name in VARIANTS[card.parent().objectName().removeprefix("family ")]
    qtbot.waitUntil(lambda: not page.findChildren(ChildProcess), timeout=PATIENCE)
    # What was drawn is kept for the next start, which shows it at once and needs nobody to draw.
    later = StartPage(window.settings)
    qtbot.addWidget(later)
    later.show()
    qtbot.waitUntil(lambda: drawn(later), timeout=PATIENCE)
    assert not later.findChildren(ChildProcess)
    first, again = (each.findChildren(FamilyCard)[-1].picture.pixmap().toImage() for each in (page, later))
    assert first == again
    # In other colours all are drawn anew, unless the page is left.
    later.set_theme(DARK)
    assert later.findChildren(ChildProcess)
    later.hide()
    qtbot.waitUntil(lambda: not later.findChildren(ChildProcess), timeout=PATIENCE)
    later.close_renderer()


def test_a_solver_seen_through_the_window_gives_what_the_flow_gives(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "annular-fin")
    assert window.outcome is not None
    alone = Flow().run(family("annular-fin").case())
    assert [check.value for check in window.outcome.checks] == [check.value for check in alone.checks]
