"""What is read along a line: the curve, the choice of line and quantity, and a cursor tied to the stage."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QMenu, QToolButton, QVBoxLayout, QWidget

from blunt_ember.arrays import Floats
from blunt_ember.case.document.places import Line
from blunt_ember.case.document.questions.question import Reading
from blunt_ember.case.values.display import in_shown_unit, number, shown
from blunt_ember.case.values.unit_sets import DEFAULT_UNITS, UnitSet
from blunt_ember.case.values.units import LENGTH
from blunt_ember.checks.questions.profile import (
    QUANTITIES,
    RADIATED,
    Profile,
    flux_profile,
    main_axis,
    profile_on,
    quantities_of,
    radiated_on,
    radiation_profile,
)
from blunt_ember.checks.questions.reading_line import ReadingLine, laid, through_middle
from blunt_ember.desk.widgets.drawn_view import DrawnView
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.picture.charts.charts import LINE_MARGINS, ProfileChart, chart_reach, profile_plot
from blunt_ember.picture.charts.plot import Plot
from blunt_ember.picture.palette import Theme

_THROUGH = ("through in x", "through in y", "through in z")
#: A place of the stage is on the line within this share of the size of the body.
_NEAR = 0.03


class ProfileView(DrawnView):
    """Paints the chart of a profile, with a cursor over it."""

    pointed = pyqtSignal(object)  # the distance along the line in m, or None

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMouseTracking(True)
        self._chart: ProfileChart | None = None
        self._units = DEFAULT_UNITS
        self.profile: Profile | None = None
        self.beside: tuple[Profile, ...] = ()
        #: Where the cursor stands, m along the line; None for nowhere.
        self.cursor_at: float | None = None

    def show_profile(
        self,
        profile: Profile | None,
        message: str,
        theme: Theme,
        units: UnitSet = DEFAULT_UNITS,
        beside: tuple[Profile, ...] = (),
    ) -> None:
        """Take other curves, with those of other lines ``beside`` them, or a message where there are none."""
        self.profile, self.beside, self._units = profile, beside, units
        if profile is None:
            self.show_plot(None, message, theme)
            return
        exact = " and exact" if profile.exact is not None else ""
        self.setAccessibleName(f"{profile.title}: {profile.kind.name} on the mesh{exact}")
        self.show_plot(profile_plot(profile, units, beside), "", theme)

    def drawn(self, plot: Plot, width: int, height: int, ratio: float) -> NDArray[np.uint8]:
        """Draw with the axes of the last time, as making them takes longer than drawing them."""
        assert self.profile is not None
        self._chart = self._chart or ProfileChart()
        return self._chart.draw(self.profile, width, height, self.theme, ratio, self._units, self.beside)

    @property
    def reach(self) -> float:
        """How far the chart reaches, m: to the end of the longest line."""
        return chart_reach(self.profile, self.beside) if self.profile is not None else 0.0

    def put_cursor(self, distance: float | None) -> None:
        """Put the cursor at a distance along the line, m."""
        if distance != self.cursor_at:
            self.cursor_at = distance
            self.update()

    def said_at(self, distance: float) -> str:
        """Return what is read at a distance along the line."""
        profile = self.profile
        if profile is None:
            return ""
        place, kind = int(np.abs(profile.distance - distance).argmin()), self._units.of(profile.kind)
        value = float(profile.mesh[place])
        if np.isnan(value):
            return "outside the body"
        said = f"{shown(float(profile.distance[place]), self._units.of(LENGTH), 4)}:  {shown(value, kind, 6)}"
        if profile.exact is not None and not np.isnan(profile.exact[place]):
            said += f"   exact {number(in_shown_unit(float(profile.exact[place]), kind), 6)}"
        return said

    def paint_over(self, painter: QPainter) -> None:
        """Paint the cursor, with what is read there."""
        if self.profile is None or self.cursor_at is None:
            return
        left, right, bottom, top = LINE_MARGINS
        x = left + (self.width() - left - right) * self.cursor_at / max(self.reach, 1e-300)
        painter.setPen(QPen(QColor(self.theme.teal), 1.2, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(x, top), QPointF(x, self.height() - bottom))
        text, metrics = self.said_at(self.cursor_at), QFontMetricsF(painter.font())
        wide = metrics.horizontalAdvance(text) + 10
        box = QRectF(min(x + 6, self.width() - right - wide), top + 2, wide, metrics.height() + 2)
        painter.fillRect(box, QColor(self.theme.paper))
        painter.setPen(QColor(self.theme.ink))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Read under the pointer."""
        if event is None or self.profile is None:
            return
        left, right, _, _ = LINE_MARGINS
        share = (event.position().x() - left) / max(self.width() - left - right, 1)
        self.pointed.emit(float(min(np.clip(share, 0, 1) * self.reach, self.profile.distance[-1])))

    def leaveEvent(self, event: object) -> None:
        """Nothing is read while the pointer is elsewhere."""
        self.pointed.emit(None)


class LineView(QWidget):
    """Chooses a line and what is read along it."""

    said = pyqtSignal(str)
    #: The place (d,) in m that is read, or None; to be marked on the stage.
    place_pointed = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._outcome: Outcome | None = None
        self._axis: int | None = None
        self._asked_line = ""
        self._just_opened = True
        #: The line that is read, with the mesh and what it was laid along.
        self._line: tuple[Mesh, object, ReadingLine] | None = None
        self.chart = ProfileView(self)
        self.chart.pointed.connect(self._pointed)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.chart)
        self.controls = QWidget(self)
        row = QHBoxLayout(self.controls)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self.lines = self._choice(
            row,
            "lines",
            "Line that is read along",
            "Draw a line on the picture with Ctrl and a drag, or ask about one in the sheet",
        )
        self.what = self._choice(
            row,
            "what along the line",
            "What is read along the line",
            "Temperature, how large the heat flux is, or what of it goes one way",
        )
        self.beside = QToolButton(self.controls)
        self.beside.setObjectName("lines beside")
        self.beside.setText("with …")
        self.beside.setAccessibleName("Other lines in the same chart")
        self.beside.setToolTip("Show other lines in the same chart")
        self.beside.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self._beside_menu = QMenu(self.beside)
        self.beside.setMenu(self._beside_menu)
        row.addWidget(self.beside)
        self.beside.hide()
        self._beside: tuple[str, ...] = ()
        self.lines.activated.connect(self._choose_line)
        self.what.activated.connect(lambda _: self.refresh())

    def _choice(self, row: QHBoxLayout, name: str, spoken: str, tip: str) -> QComboBox:
        box = QComboBox(self.controls)
        box.setObjectName(name)
        box.setAccessibleName(spoken)
        box.setToolTip(tip)
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        row.addWidget(box)
        return box

    @property
    def line(self) -> ReadingLine | None:
        """The line that is read."""
        return self._line[2] if self._line is not None else None

    def show_outcome(self, outcome: Outcome | None) -> None:
        """Take another outcome; what is seen follows at the next :meth:`refresh`."""
        self._outcome = outcome
        if outcome is None:
            self._axis, self._just_opened = None, True
            self._line, self._beside = None, ()

    def show_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.chart.theme = theme

    def refresh(self) -> None:
        """Read the line anew."""
        outcome = self._outcome
        self._offer(outcome)
        self.said.emit("")
        if outcome is None or outcome.solution is None or outcome.geometry is None or outcome.mesh is None:
            self.beside.hide()
            self.chart.show_profile(
                None, "The curve through the body appears here once the case is solved.", self.chart.theme
            )
            return
        try:
            line = self._laid(outcome, outcome.mesh)
        except BluntEmberError as error:
            self.chart.show_profile(None, str(error), self.chart.theme)
            return
        self._offer_quantities(outcome, line)
        self._offer_beside()
        what = self.what.currentText()
        profile, beside = _profile(outcome, line, what), []
        for name in self._beside if what not in RADIATED else ():
            with suppress(BluntEmberError):  # a line that leaves the body is not among them
                beside.append(_profile(outcome, self._line_named(outcome, outcome.mesh, name), what))
        self.said.emit(_compared_with(profile))
        self.chart.show_profile(profile, "", self.chart.theme, outcome.case.units, tuple(beside))

    def show_place(self, place: Floats | None) -> None:
        """Put the cursor where a place (d,) in m of the stage lies on the line; nowhere when it does not."""
        line, outcome = self.line, self._outcome
        if place is None or line is None or outcome is None or outcome.mesh is None:
            self.chart.put_cursor(None)
            return
        gaps = np.linalg.norm(line.places - place[: line.places.shape[1]], axis=1)
        near = int(gaps.argmin())
        on_line = gaps[near] <= _NEAR * float(np.ptp(outcome.mesh.points, axis=0).max())
        self.chart.put_cursor(float(line.distance[near]) if on_line else None)

    def _pointed(self, distance: float | None) -> None:
        self.chart.put_cursor(distance)
        line = self.line
        if distance is None or line is None:
            self.place_pointed.emit(None)
        else:
            self.place_pointed.emit(line.places[int(np.abs(line.distance - distance).argmin())])

    def _choose_line(self, place: int) -> None:
        text = self.lines.itemText(place)
        self._asked_line = "" if text in _THROUGH else text
        if text in _THROUGH:
            self._axis = _THROUGH.index(text)
        self.refresh()

    def _offer(self, outcome: Outcome | None) -> None:
        """Offer the lines through the middle and those that questions are asked of, and what can be read."""
        asked = outcome.case.document.questions if outcome is not None else ()
        names = [question.name for question in asked if isinstance(question.target, Line)]
        dimension = outcome.mesh.dimension if outcome is not None and outcome.mesh is not None else 0
        wanted = [*_THROUGH[:dimension], *names]
        shown_now = [self.lines.itemText(number) for number in range(self.lines.count())]
        if wanted != shown_now:
            before = [name for name in shown_now if name not in _THROUGH]
            self.lines.clear()
            self.lines.addItems(wanted)
            # A line that was just drawn is the one to be seen; those of a case that is opened are not.
            new = [name for name in names if name not in before]
            drawn = new[-1] if len(new) == 1 and not self._just_opened else ""
            self._asked_line = drawn or (self._asked_line if self._asked_line in names else "")
        self._just_opened = self._just_opened and outcome is None
        if outcome is None or outcome.mesh is None:
            self.what.clear()
        for box in (self.lines, self.what):  # an empty one says nothing
            box.setVisible(box.count() > 0)

    def _offer_beside(self) -> None:
        """Offer the other lines to stand in the same chart, as far as they are there."""
        own = self.lines.currentText()
        others = [self.lines.itemText(place) for place in range(self.lines.count())]
        self._beside = tuple(name for name in self._beside if name in others)
        wanted = [name for name in others if name != own]
        if [action.text() for action in self._beside_menu.actions()] != wanted:  # else it may be open
            self._beside_menu.clear()
            for name in wanted:
                action = self._beside_menu.addAction(name)
                assert action is not None
                action.setCheckable(True)
                action.triggered.connect(lambda on, name=name: self._show_beside(name, on))
        for action in self._beside_menu.actions():
            action.setChecked(action.text() in self._beside)
        shown_too = [name for name in self._beside if name != own]
        self.beside.setText(f"with {len(shown_too)} more" if shown_too else "with …")
        self.beside.setVisible(len(others) > 1)

    def _show_beside(self, name: str, on: bool) -> None:
        self._beside = tuple(each for each in (*self._beside, name) if on or each != name)
        self.refresh()

    def _line_named(self, outcome: Outcome, mesh: Mesh, name: str) -> ReadingLine:
        """Lay a line by the name it is chosen by; raises :class:`BluntEmberError` where it leaves the body."""
        assert outcome.geometry is not None
        if name in _THROUGH:
            return replace(through_middle(_THROUGH.index(name), outcome.geometry, mesh), title=name)
        question = next(each for each in outcome.case.document.questions if each.name == name)
        reading = next(each for each in question.readings if isinstance(each.target, Line))
        return _laid_by(reading, name, outcome, mesh)

    def _offer_quantities(self, outcome: Outcome, line: ReadingLine) -> None:
        """Offer what can be read along a line."""
        assert outcome.mesh is not None
        radiated = radiated_on(line, outcome.problem) if outcome.problem is not None else ()
        readable = [*quantities_of(outcome.mesh), *radiated]
        if readable != [self.what.itemText(number) for number in range(self.what.count())]:
            chosen = self.what.currentText()
            self.what.clear()
            self.what.addItems(readable)
            self.what.setCurrentIndex(max(self.what.findText(chosen), 0))
            self.what.show()

    def _laid(self, outcome: Outcome, mesh: Mesh) -> ReadingLine:
        assert outcome.solution is not None and outcome.geometry is not None
        axis = (
            self._axis
            if self._axis is not None and self._axis < mesh.dimension
            else main_axis(outcome.geometry, mesh, outcome.solution.temperature)
        )
        if outcome.run is not None:
            self._axis = axis  # from one instant to the next it stays
        asked = next((each for each in outcome.case.document.questions if each.name == self._asked_line), None)
        readings = asked.readings if asked is not None else ()
        reading = next((each for each in readings if isinstance(each.target, Line)), None)
        self.lines.setCurrentText(self._asked_line if reading is not None else _THROUGH[axis])
        wanted: object = axis
        if reading is not None:
            wanted = reading, outcome.case.document.members_asked(reading.target)
        if self._line is None or self._line[0] is not mesh or self._line[1] != wanted:
            if reading is not None:
                line = _laid_by(reading, f"Along {self._asked_line}", outcome, mesh)
            else:
                line = through_middle(axis, outcome.geometry, mesh)
            self._line = (mesh, wanted, line)
        return self._line[2]


def _laid_by(reading: Reading, name: str, outcome: Outcome, mesh: Mesh) -> ReadingLine:
    """Lay the line that a question reads along."""
    assert isinstance(reading.target, Line) and outcome.geometry is not None
    members = outcome.case.document.members_asked(reading.target)
    side = mesh.regions.index(reading.side) if reading.side is not None else None
    return laid(reading.target, name, members, outcome.geometry, mesh, ("line",), side)


def _profile(outcome: Outcome, line: ReadingLine, what: str) -> Profile:
    """What is read along a line."""
    assert outcome.solution is not None and outcome.geometry is not None
    temperature, problem = outcome.solution.temperature, outcome.problem
    if what in RADIATED and problem is not None:
        return radiation_profile(line, what, problem, temperature, outcome.t)
    if what in ("", QUANTITIES[0]) or problem is None:
        return profile_on(line, temperature, outcome.exact_now)
    return flux_profile(line, what, problem, temperature, outcome.geometry, outcome.exact_now, outcome.t)


def _compared_with(profile: Profile) -> str:
    """What the second curve is."""
    return "no exact curve is known of it" if profile.source is None else str(profile.source)
