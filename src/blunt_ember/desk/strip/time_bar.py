"""The time slider: play, pause, one instant on or back, speed, and over what range the picture is coloured."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QSlider, QWidget

from blunt_ember.arrays import Floats
from blunt_ember.case.values.display import number, time_kind
from blunt_ember.case.values.unit_sets import DEFAULT_UNITS, UnitSet

#: Seconds that a run takes to play at speed 1, and milliseconds from one picture to the next.
_WHOLE = 10.0
_BEAT = 50
_SPEEDS = (0.25, 0.5, 1.0, 2.0, 4.0)


class TimeBar(QWidget):
    """Chooses one of the instants whose fields were kept."""

    frame_chosen = pyqtSignal(int)
    range_chosen = pyqtSignal(bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._times: Floats = np.zeros(0)
        self._units = DEFAULT_UNITS
        self._clock = 0.0
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self.back = self._button("‹", "One instant back  (Ctrl+Left)", lambda: self.go(self.frame - 1))
        self.play = self._button("Play", "Play or pause  (Ctrl+Space)", self.toggle)
        self.play.setObjectName("play")
        self.on = self._button("›", "One instant on  (Ctrl+Right)", lambda: self.go(self.frame + 1))
        self.slider = QSlider(Qt.Orientation.Horizontal, self)
        self.slider.setObjectName("time")
        self.slider.setAccessibleName("Time")
        self.slider.valueChanged.connect(self._moved)
        self.label = QLabel(self)
        self.label.setObjectName("time shown")
        self.label.setMinimumWidth(self.label.fontMetrics().horizontalAdvance("0000.00 min of 0000.00 min") + 4)
        self.speed = QComboBox(self)
        self.speed.setAccessibleName("Speed")
        self.speed.setToolTip("How fast it plays")
        for speed in _SPEEDS:
            self.speed.addItem(f"× {speed:g}", speed)
        self.speed.setCurrentIndex(_SPEEDS.index(1.0))
        self.whole = self._button(
            "range of the run", "Colour over the range of the whole run, or of each instant", self._choose_range
        )
        self.whole.setObjectName("range")
        self._is_whole = True
        for button in (self.back, self.play, self.on):
            row.addWidget(button)
        row.addWidget(self.slider, 1)
        row.addWidget(self.label)
        row.addWidget(self.speed)
        row.addWidget(self.whole)
        self._timer = QTimer(self)
        self._timer.setInterval(_BEAT)
        self._timer.timeout.connect(self._tick)

    def _button(self, text: str, hint: str, do: Callable[[], object]) -> QPushButton:
        button = QPushButton(text, self)
        button.setToolTip(hint)
        button.clicked.connect(lambda: do())
        return button

    @property
    def frame(self) -> int:
        """The number of the instant chosen."""
        return self.slider.value()

    @property
    def playing(self) -> bool:
        """Whether it plays."""
        return self._timer.isActive()

    @property
    def over_whole_run(self) -> bool:
        """Whether the picture is coloured over the range of the whole run."""
        return self._is_whole

    def show_times(self, times: Floats, units: UnitSet) -> None:
        """Take the instants of another run; its last one is chosen."""
        self.pause()
        self._times, self._units = times, units
        self.slider.blockSignals(True)
        self.slider.setRange(0, max(len(times) - 1, 0))
        self.slider.setPageStep(max(len(times) // 10, 1))
        self.slider.setValue(max(len(times) - 1, 0))
        self.slider.blockSignals(False)
        self._say()

    def go(self, frame: int) -> None:
        """Choose an instant by its number."""
        self.slider.setValue(int(np.clip(frame, 0, max(len(self._times) - 1, 0))))

    def go_to(self, t: float) -> None:
        """Choose the instant nearest to a time in s."""
        if len(self._times):
            self.go(int(np.argmin(np.abs(self._times - t))))

    def toggle(self) -> None:
        """Play, from the start again when the end is reached; or pause."""
        if self.playing:
            self.pause()
        elif len(self._times) > 1:
            if self.frame >= len(self._times) - 1:
                self.go(0)
            self._clock = float(self._times[self.frame])
            self.play.setText("Pause")
            self._timer.start()

    def pause(self) -> None:
        """Stop playing."""
        self._timer.stop()
        self.play.setText("Play")

    def _tick(self) -> None:
        end = float(self._times[-1])
        self._clock += end / _WHOLE * _BEAT / 1000 * float(self.speed.currentData())
        self.go(int(np.searchsorted(self._times, min(self._clock, end) * (1 + 1e-12), side="right")) - 1)
        if self._clock >= end:
            self.go(len(self._times) - 1)
            self.pause()

    def _moved(self, frame: int) -> None:
        if self.playing and abs(float(self._times[frame]) - self._clock) > float(self._times[-1]) / _WHOLE:
            self._clock = float(self._times[frame])  # it was dragged while it plays
        self._say()
        self.frame_chosen.emit(frame)

    def _choose_range(self) -> None:
        self._is_whole = not self._is_whole
        self.whole.setText("range of the run" if self._is_whole else "range of the instant")
        self.range_chosen.emit(self._is_whole)

    def _say(self) -> None:
        if not len(self._times):
            self.label.setText("")
            return
        kind = time_kind(float(self._times[-1]), self._units)
        now, end = (number(float(t) * kind.factor, 5) for t in (self._times[self.frame], self._times[-1]))
        self.label.setText(f"{now} of {end} {kind.shown}")
