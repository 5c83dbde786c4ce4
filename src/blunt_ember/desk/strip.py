"""The strip under the stage: curves along a line."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QSize, Qt, QTimer
from PyQt6.QtGui import QColor, QImage, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from blunt_ember.case.unit_sets import DEFAULT_UNITS, UnitSet
from blunt_ember.checks.profile import Profile, main_axis, profile_through
from blunt_ember.flow import Outcome
from blunt_ember.picture.palette import LIGHT, Theme

if TYPE_CHECKING:
    from blunt_ember.picture.charts import ProfileChart


class ChartView(QWidget):
    """Paints the chart of a profile, drawn when it is first seen."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._chart: ProfileChart | None = None
        self._profile: Profile | None = None
        self._image: QImage | None = None
        self._theme = LIGHT
        self._units = DEFAULT_UNITS
        self._message = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    @property
    def profile(self) -> Profile | None:
        """The curves shown."""
        return self._profile

    def show_profile(self, profile: Profile | None, message: str, theme: Theme, units: UnitSet = DEFAULT_UNITS) -> None:
        """Take other curves, or a message where there are none."""
        self._profile, self._message, self._theme, self._units = profile, message, theme, units
        self._image = None
        if profile is not None and profile.exact is None:
            self.setAccessibleName(f"{profile.title}: temperature on the mesh")
        elif profile is not None:
            self.setAccessibleName(f"{profile.title}: temperature on the mesh and exact")
        self.update()

    def sizeHint(self) -> QSize:
        """Wish for the size of the design."""
        return QSize(880, 170)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Draw anew in another size."""
        super().resizeEvent(event)
        self._image = None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the chart, or say why there is none."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self._theme.paper))
        if self._profile is None:
            painter.setPen(QColor(self._theme.quiet))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._message)
        else:
            if self._image is None:
                ratio = self.devicePixelRatioF()
                self._chart = self._chart or _new_chart()
                pixels = self._chart.draw(self._profile, self.width(), self.height(), self._theme, ratio, self._units)
                height, width = pixels.shape[:2]
                image = QImage(pixels.tobytes(), width, height, width * 4, QImage.Format.Format_RGBA8888).copy()
                image.setDevicePixelRatio(ratio)
                self._image = image
            painter.drawImage(QPointF(0, 0), self._image)
        painter.end()


def _new_chart() -> ProfileChart:
    """Import matplotlib only when the first curve is there to be drawn, when the window is already in use."""
    from blunt_ember.picture import charts

    return charts.ProfileChart()


def _compared_with(profile: Profile) -> str:
    """What the second curve is."""
    if not profile.source:
        return "no exact solution is known for this case"
    return profile.source if profile.source.startswith("working") else f"exact: {profile.source}"


class Strip(QWidget):
    """Chooses the line and shows the curves along it."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._outcome: Outcome | None = None
        self._theme = LIGHT
        self._axis: int | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 6)
        layout.setSpacing(4)
        top = QHBoxLayout()
        title = QLabel("ALONG A LINE", self)
        title.setProperty("role", "heading")
        top.addWidget(title)
        top.addSpacing(12)
        self._buttons = QButtonGroup(self)
        for axis, words in enumerate(("through in x", "through in y", "through in z")):
            button = QPushButton(words, self)
            button.setCheckable(True)
            button.setToolTip(f"Temperature along {'xyz'[axis]}, through the middle of the body")
            button.clicked.connect(lambda _, axis=axis: self._choose(axis))
            self._buttons.addButton(button, axis)
            top.addWidget(button)
        top.addStretch(1)
        self._source = QLabel(self)
        self._source.setProperty("role", "quiet")
        top.addWidget(self._source)
        layout.addLayout(top)
        self.chart = ChartView(self)
        layout.addWidget(self.chart, 1)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._refresh)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self._refresh()

    def show_outcome(self, outcome: Outcome | None) -> None:
        """Take another outcome; the curves follow right after the picture."""
        known = self._outcome
        self._outcome = outcome
        self.chart.setEnabled(True)
        if outcome is None:
            self._axis = None
        if (
            known is None or outcome is None or outcome.solution is not known.solution or outcome.trouble
            or outcome.case.units != known.case.units
        ):  # fmt: skip
            self._soon.start(0)

    def _choose(self, axis: int) -> None:
        self._axis = axis
        self._refresh()

    def _refresh(self) -> None:
        self._soon.stop()
        outcome = self._outcome
        if outcome is None or outcome.solution is None or outcome.geometry is None or outcome.mesh is None:
            self.chart.show_profile(
                None, "The curve through the body appears here once the case is solved.", self._theme
            )
            self._source.setText("")
            return
        temperature = outcome.solution.temperature
        for number, each in enumerate(self._buttons.buttons()):
            each.setVisible(number < outcome.mesh.dimension)
        axis = (
            self._axis
            if self._axis is not None and self._axis < outcome.mesh.dimension
            else main_axis(outcome.geometry, outcome.mesh, temperature)
        )
        button = self._buttons.button(axis)
        if button is not None:
            button.setChecked(True)
        profile = profile_through(axis, outcome.geometry, outcome.mesh, temperature, outcome.exact_now)
        self._source.setText(_compared_with(profile))
        self.chart.show_profile(profile, "", self._theme, outcome.case.units)
