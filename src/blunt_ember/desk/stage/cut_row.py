"""Planes through a solid: one across each axis, moved by a field or by the pointer on the picture."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QWidget

from blunt_ember.arrays import Floats
from blunt_ember.case.values.display import in_shown_unit, number
from blunt_ember.case.values.units import LENGTH, Kind
from blunt_ember.desk.widgets.typed_value import typed_si
from blunt_ember.errors import ExpressionError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.body.drawn import drawn_box
from blunt_ember.picture.look import CutPlane

#: Steps in which a plane goes through the body by keys.
_STEPS = 50


class CutRow(QWidget):
    """Chooses the planes; a plane that is chosen for the first time goes through the middle."""

    changed = pyqtSignal(object, object)  # tuple[Plane, ...], and the axis of the one that is drawn alone, or None

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._planes: tuple[CutPlane, ...] = ()
        self._flat: int | None = None
        self._box: list[tuple[float, float]] = []
        self._kind: Kind = LENGTH
        #: Where the eye is, (3,): a plane opens the side towards it.
        self.towards: Floats = np.ones(3)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(3)
        self.buttons, self.fields = [], []
        for axis, letter in enumerate("xyz"):
            button = QPushButton(f"cut {letter}", self)
            button.setObjectName(f"cut {letter}")
            button.setCheckable(True)
            button.setProperty("role", "lens")
            key = f"({letter.upper()})"
            button.setToolTip(
                f"Lay a plane across {letter} through the body; drag it on the picture by its handle  {key}"
            )
            button.clicked.connect(lambda on, axis=axis: self._choose(axis, on))
            field = QLineEdit(self)
            field.setObjectName(f"cut at {letter}")
            field.setAccessibleName(f"Place of the plane across {letter}")
            field.setFixedWidth(58)
            field.editingFinished.connect(lambda axis=axis, field=field: self._typed(axis, field))
            self.buttons.append(button)
            self.fields.append(field)
            row.addWidget(button)
            row.addWidget(field)
        self.flip = QPushButton("other side", self)
        self.flip.setObjectName("cut other side")
        self.flip.setProperty("role", "lens")
        self.flip.setToolTip("Show what lies on the other side of the plane")
        self.flip.clicked.connect(self._flip)
        row.addWidget(self.flip)
        self.face_on = QPushButton("face on", self)
        self.face_on.setObjectName("cut face on")
        self.face_on.setCheckable(True)
        self.face_on.setProperty("role", "lens")
        self.face_on.setToolTip("Draw one plane alone, as a flat picture; of several each in turn  (T)")
        self.face_on.clicked.connect(self._next_face)
        row.addWidget(self.face_on)
        row.addStretch(1)

    def offer(self, outcome: Outcome | None, planes: tuple[CutPlane, ...], flat: int | None = None) -> None:
        """Show the planes as they stand, the one across ``flat`` drawn alone; nothing where the body is no solid."""
        self._planes, self._flat = planes, flat if flat in [plane.axis for plane in planes] else None
        solid = outcome is not None and outcome.mesh is not None and outcome.mesh.dimension == 3
        self.setVisible(solid)
        if not solid or outcome is None or outcome.geometry is None:
            return
        low, high = drawn_box(outcome.geometry)
        self._box = list(zip(low.tolist(), high.tolist(), strict=True))
        self._kind = outcome.case.units.of(LENGTH)
        for axis, (button, field) in enumerate(zip(self.buttons, self.fields, strict=True)):
            plane = next((each for each in planes if each.axis == axis), None)
            button.setChecked(plane is not None)
            field.setVisible(plane is not None)
            if plane is not None and not (field.hasFocus() and field.isModified()):
                field.setText(number(in_shown_unit(plane.at, self._kind), 4))
                field.setModified(False)
        self.flip.setVisible(len(planes) == 1 and self._flat is None)
        self.face_on.setVisible(bool(planes))
        self.face_on.setChecked(self._flat is not None)
        self.face_on.setText("face on" if self._flat is None or len(planes) < 2 else f"face on {'xyz'[self._flat]}")

    def move_plane(self, axis: int, at: float) -> None:
        """Move the plane across an axis to a place in m, within the body."""
        low, high = self._box[axis]
        at = min(max(at, low), high)
        self._take(tuple(CutPlane(axis, at, each.flipped) if each.axis == axis else each for each in self._planes))

    def _take(self, planes: tuple[CutPlane, ...]) -> None:
        self._planes = planes
        if self._flat not in [plane.axis for plane in planes]:
            self._flat = None
        self.changed.emit(planes, self._flat)

    def step(self, steps: int) -> bool:
        """Move the plane that is drawn alone, or else the last one, by steps of its way; tell whether there is one."""
        plane = next(
            (each for each in self._planes if each.axis == self._flat), self._planes[-1] if self._planes else None
        )
        if plane is None:
            return False
        low, high = self._box[plane.axis]
        self.move_plane(plane.axis, plane.at + steps * (high - low) / _STEPS)
        return True

    def _next_face(self) -> None:
        """Draw the next plane alone; after the last one the body again."""
        order = [None, *sorted(plane.axis for plane in self._planes)]
        place = order.index(self._flat) if self._flat in order else 0
        self._flat = order[(place + 1) % len(order)]
        self._take(self._planes)

    def _choose(self, axis: int, on: bool) -> None:
        others = tuple(each for each in self._planes if each.axis != axis)
        low, high = self._box[axis]
        self._take((*others, CutPlane(axis, (low + high) / 2, bool(self.towards[axis] > 0))) if on else others)

    def _flip(self) -> None:
        self._take(tuple(CutPlane(each.axis, each.at, not each.flipped) for each in self._planes))

    def _typed(self, axis: int, field: QLineEdit) -> None:
        if not field.isModified():
            return
        try:
            at = typed_si(field.text(), self._kind)
        except ExpressionError as error:
            field.setProperty("wrong", True)
            field.setToolTip(str(error))
            style = field.style()
            if style is not None:
                style.polish(field)
            return
        field.setProperty("wrong", False)
        field.setModified(False)
        if at is not None:
            self.move_plane(axis, at)
