"""Single widgets, without a case or a solver: rulers, legends, rows that wrap, planes, what is remembered."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QByteArray, QPoint, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QWidget
from pytestqt.qtbot import QtBot

from blunt_ember.case.values.units import HEAT_FLUX, LENGTH, NUMBER, TEMPERATURE
from blunt_ember.checks.verdict import Check
from blunt_ember.desk.app.keys_overlay import _shared
from blunt_ember.desk.app.settings import RECENT, Settings
from blunt_ember.desk.checks.deviation_ruler import DeviationRuler
from blunt_ember.desk.stage.cut_row import CutRow
from blunt_ember.desk.stage.legend import Legend
from blunt_ember.desk.widgets.drawn_view import DrawnView
from blunt_ember.desk.widgets.elided_label import ElidedLabel
from blunt_ember.desk.widgets.flow_layout import FlowLayout
from blunt_ember.desk.widgets.typed_value import typed_si
from blunt_ember.errors import ExpressionError
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family
from blunt_ember.picture.lenses.field import Shade
from blunt_ember.picture.look import CutPlane
from blunt_ember.picture.palette import DARK, LIGHT, rgb
from tests.desk.conftest import type_into


def shown(widget: QWidget, qtbot: QtBot, width: int, height: int) -> QImage:
    widget.resize(width, height)
    widget.show()
    qtbot.waitExposed(widget)
    return widget.grab().toImage()


def near(image: QImage, colour: str, tolerance: float = 0.06) -> np.ndarray:
    """The places (p, 2), x and y, of pixels that have a colour."""
    image = image.convertToFormat(QImage.Format.Format_RGBA8888)
    bits = image.constBits()
    assert bits is not None
    data = np.frombuffer(bits.asarray(image.sizeInBytes()), dtype=np.uint8).reshape(image.height(), -1, 4)
    rows, columns = np.nonzero((np.abs(data[..., :3] / 255 - np.array(rgb(colour))) < tolerance).all(axis=-1))
    return np.column_stack([columns, rows])


@pytest.mark.parametrize(
    ("text", "kind", "si"),
    [
        ("100", TEMPERATURE, 373.15),
        ("32 °F", TEMPERATURE, 273.15),
        ("−40", TEMPERATURE, 233.15),
        ("300 K", TEMPERATURE, 300),
        ("12", LENGTH, 0.012),
        ("2*57 mm", LENGTH, 0.114),
        ("1 in", LENGTH, 0.0254),
        ("", LENGTH, None),
        ("  ", NUMBER, None),
        ("1\u2009500", HEAT_FLUX, 1500.0),
        ("1.5 kW/m²", HEAT_FLUX, 1500.0),
    ],
)
def test_what_is_typed_over_the_picture_is_read_with_its_unit(text: str, kind: object, si: float | None) -> None:
    found = typed_si(text, kind)
    assert found == (None if si is None else pytest.approx(si))


@pytest.mark.parametrize(("text", "kind"), [("3 W", LENGTH), ("warm", TEMPERATURE), ("1 +", LENGTH), ("__", NUMBER)])
def test_what_is_no_such_value_is_named(text: str, kind: object) -> None:
    with pytest.raises(ExpressionError):
        typed_si(text, kind)


def checked(relative: float, allowed: float = 0.005, off: bool = False) -> Check:
    return Check(
        "q",
        "asked",
        NUMBER,
        1 + relative,
        1e-9,
        1.0,
        "made up",
        relative,
        relative,
        "0.5 %",
        allowed,
        "off" if off else "agrees",
    )


def test_a_ruler_shows_a_deviation_further_right_the_larger_it_is(qapp: object, qtbot: QtBot) -> None:
    ruler = DeviationRuler()
    qtbot.addWidget(ruler)
    places = []

    def disc(found: np.ndarray) -> np.ndarray:
        """Where, in x, something stands out from the line of the ruler."""
        return found[np.abs(found[:, 1] - 7) > 2][:, 0]

    for relative in (1e-13, 1e-9, 1e-6, 1e-3):
        ruler.show_check(checked(relative), LIGHT)
        places.append(disc(near(shown(ruler, qtbot, 240, 24), LIGHT.agree)).mean())
        assert f"{relative:.1e} of the reference, tolerance 5.0e-03" in ruler.toolTip()
    assert places == sorted(places) and places[0] >= 8 and places[-1] < 232
    assert np.diff(places).min() > 20  # three decades each
    ruler.show_check(checked(0.2, off=True), LIGHT)
    image = shown(ruler, qtbot, 240, 24)
    assert len(disc(near(image, LIGHT.off))) and not len(disc(near(image, LIGHT.agree)))
    ruler.show_check(Check("q", "a", NUMBER, 1.0, None, None, None, None, None, "1 %", None, "open"), LIGHT)
    assert not len(near(shown(ruler, qtbot, 240, 24), LIGHT.agree))


def test_a_row_that_wraps_is_as_high_as_its_lines(qapp: object, qtbot: QtBot) -> None:
    board = QWidget()
    qtbot.addWidget(board)
    row = FlowLayout(board, spacing=4, indent=10)
    words = [QLabel("word " * number) for number in range(1, 7)]
    for word in words:
        row.addWidget(word)
    heights = [row.heightForWidth(width) for width in (2000, 400, 200, 120)]
    assert heights == sorted(heights) and heights[-1] > 2 * heights[0]
    shown(board, qtbot, 220, row.heightForWidth(220))
    for word in words:
        assert word.geometry().right() <= 220 or word.width() > 200
    tops = [word.geometry().top() for word in words]
    assert tops == sorted(tops) and len(set(tops)) > 1
    following = [word.geometry().left() for word, top in zip(words, tops, strict=True) if top != tops[0]]
    assert min(following) == 10  # lines after the first are indented
    words[0].setText("another, much longer word " * 3)
    row.invalidate()
    assert row.heightForWidth(220) >= heights[2]
    assert row.count() == 6 and row.itemAt(9) is None and row.takeAt(0) is not None and row.count() == 5


def test_a_text_that_is_too_long_is_cut_and_whole_in_its_tip(qapp: object, qtbot: QtBot) -> None:
    label = ElidedLabel()
    qtbot.addWidget(label)
    label.say("a source with a very long name, sections 3.1 to 3.5, and what else there is to say of it")
    narrow = shown(label, qtbot, 90, 20)
    label.say("short")
    assert shown(label, qtbot, 90, 20) != narrow and label.toolTip() == "short"


def test_the_legend_says_which_range_is_wanted(qapp: object, qtbot: QtBot) -> None:
    board = QWidget()
    qtbot.addWidget(board)
    legend = Legend(board)
    wanted: list[tuple[object, object]] = []
    legend.range_wanted.connect(lambda low, high: wanted.append((low, high)))
    shade = Shade(TEMPERATURE, (), 273.15, 373.15, outer=(273.15, 373.15))
    shown(board, qtbot, 200, 420)
    legend.place(190, 10, 380)
    legend.show_shade(shade, (None, None), LIGHT)
    assert legend.isVisible() and (legend.low.text(), legend.high.text()) == ("0", "100")
    bar = legend.bar
    for value, share in ((273.15, 0.0), (323.15, 0.5), (373.15, 1.0)):
        assert legend.y_of(value) == pytest.approx(bar.bottom() - share * bar.height(), abs=1)
    middle = QPoint(round(bar.center().x()), round(bar.center().y()))
    QTest.mousePress(legend, Qt.MouseButton.LeftButton, pos=QPoint(middle.x(), round(bar.bottom())))
    QTest.mouseMove(legend, middle)
    low, high = wanted[-1]
    assert low == pytest.approx(323.15, abs=1) and high is None
    QTest.mouseMove(legend, QPoint(middle.x(), round(bar.top()) - 60))  # past the other end it stops before it
    assert 370 < wanted[-1][0] < 373.15
    QTest.mouseMove(legend, QPoint(middle.x(), round(bar.bottom()) + 40))
    assert wanted[-1] == (None, None)  # dragged out, it is free again
    QTest.mouseRelease(legend, Qt.MouseButton.LeftButton, pos=middle)
    type_into(legend.high, "80")
    assert wanted[-1][1] == pytest.approx(353.15)
    count = len(wanted)
    type_into(legend.low, "120")
    assert len(wanted) == count and legend.low.property("wrong")  # it would lie above the upper end
    QTest.mouseDClick(legend, Qt.MouseButton.LeftButton, pos=middle)
    assert wanted[-1] == (None, None)
    legend.show_shade(None, (None, None), LIGHT)
    assert not legend.isVisible()


@pytest.fixture(scope="module")
def room() -> Outcome:
    return Flow().answered(family("room-corner").case())


def test_planes_are_chosen_moved_turned_over_and_seen_face_on(qapp: object, qtbot: QtBot, room: Outcome) -> None:
    board = QWidget()
    qtbot.addWidget(board)
    row = CutRow(board)
    said: list[tuple[tuple[CutPlane, ...], int | None]] = []

    def take(planes: tuple[CutPlane, ...], flat: int | None) -> None:
        said.append((planes, flat))
        row.offer(room, planes, flat)

    row.changed.connect(take)
    shown(board, qtbot, 700, 60)
    row.offer(room, ())
    row.show()
    assert not row.flip.isVisible() and not row.face_on.isVisible() and not row.step(1)
    row.buttons[1].click()
    ((plane,), flat) = said[-1]
    assert plane.axis == 1 and plane.at == pytest.approx(0.42) and flat is None and row.flip.isVisible()
    row.flip.click()
    assert said[-1][0][0].flipped != plane.flipped
    type_into(row.fields[1], "0.6 m")
    assert said[-1][0][0].at == pytest.approx(0.6)
    type_into(row.fields[1], "9 m")
    assert said[-1][0][0].at == pytest.approx(0.84)  # it stays within the body
    count = len(said)
    type_into(row.fields[1], "3 W")
    assert len(said) == count and row.fields[1].property("wrong")
    row.buttons[0].click()
    assert {each.axis for each in said[-1][0]} == {0, 1}
    for expected in (0, 1, None, 0):
        row.face_on.click()
        assert said[-1][1] == expected
    row.step(2)
    assert next(each.at for each in said[-1][0] if each.axis == 0) == pytest.approx(0.42 + 2 * 0.84 / 50)
    row.buttons[0].click()  # without its plane nothing is face on
    assert said[-1][1] is None and [each.axis for each in said[-1][0]] == [1]
    row.offer(None, ())
    assert not row.isVisible()


def test_what_is_remembered_comes_back_in_another_session(tmp_path: Path) -> None:
    settings = Settings()
    assert not settings.dark and settings.recent == [] and settings.hints_used == () and settings.layout("x") is None
    for number in range(RECENT + 3):
        settings.remember(tmp_path / f"case {number}.ember")
    settings.remember(tmp_path / f"case {RECENT}.ember")
    settings.dark, settings.hints_used = True, ("lens",)
    settings.keep_layout("x", QByteArray(b"somewhere"))
    settings.flush()
    again = Settings()
    assert again.dark and again.hints_used == ("lens",) and again.layout("x") == QByteArray(b"somewhere")
    assert len(again.recent) == RECENT and again.recent[0].name == f"case {RECENT}.ember"
    assert len({path.name for path in again.recent}) == RECENT


def test_a_view_says_why_there_is_no_chart_and_draws_one_for_its_size(qapp: object, qtbot: QtBot) -> None:
    view = DrawnView()
    qtbot.addWidget(view)
    view.show_plot(None, "The curve appears here once the case is solved.", DARK)
    image = shown(view, qtbot, 400, 160)
    assert len(near(image, DARK.paper, 0.02)) > 0.9 * 400 * 160 and len(near(image, DARK.quiet, 0.1))
    sizes: list[tuple[int, int]] = []

    def plot(figure: object, width: int, height: int, theme: object) -> None:
        sizes.append((width, height))
        figure.add_axes((0, 0, 1, 1)).axhspan(0, 1, color=LIGHT.ember)

    view.show_plot(plot, "", LIGHT)
    assert len(near(view.grab().toImage(), LIGHT.ember)) > 0.8 * 400 * 160
    view.grab()
    assert sizes == [(400, 160)]  # drawn once for a size
    view.resize(500, 160)
    view.grab()
    assert sizes == [(400, 160), (500, 160)]


def test_keys_are_shared_out_evenly_in_their_order() -> None:
    groups: list[tuple[str, Sequence[tuple[str, str]]]] = [
        (name, [("key", "what")] * count) for name, count in (("a", 8), ("b", 3), ("c", 20), ("d", 2), ("e", 12))
    ]
    columns = _shared(groups)
    assert [title for column in columns for title, _ in column] == ["a", "b", "c", "d", "e"]
    sizes = [sum(len(keys) + 2 for _, keys in column) for column in columns]
    assert len(columns) == 3 and max(sizes) < 0.6 * sum(sizes) and min(sizes) > 0
