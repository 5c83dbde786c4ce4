"""The opening of an enclosure on the picture: a dashed lip, with what is behind it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QLineF, QRectF, QSizeF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from blunt_ember.arrays import Floats
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.values.display import shown
from blunt_ember.case.values.units import TEMPERATURE
from blunt_ember.desk.stage.overlay import paint_tag
from blunt_ember.errors import OpenCaseError
from blunt_ember.fem.problem.enclosures import enclosed_surfaces
from blunt_ember.flow.outcome import Outcome
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.picture.body.view import View
from blunt_ember.picture.palette import Theme
from blunt_ember.radiation.lip import lip


@immutable
class OpeningLip:
    """The lip of an opening as lines (n, 2, d), m, and what is ``said`` of it."""

    lines: Floats
    said: str


class OpeningLips:
    """Finds the lips of a case once, and paints them."""

    def __init__(self) -> None:
        self._of: tuple[Mesh, CaseDocument] | None = None
        self._lips: tuple[OpeningLip, ...] = ()

    def paint(self, painter: QPainter, outcome: Outcome, view: View, taken: Sequence[QRectF], theme: Theme) -> None:
        """Draw the lips of an outcome, their words where nothing is ``taken``."""
        for each in self._found(outcome):
            ends = view.pixels(each.lines.reshape(-1, each.lines.shape[2])).reshape(-1, 2, 2)
            pen = QPen(QColor(theme.teal), 1.8, cap=Qt.PenCapStyle.FlatCap)
            pen.setDashPattern([4.0, 3.0])
            painter.setPen(pen)
            for start, end in ends.tolist():
                painter.drawLine(QLineF(*start, *end))
            metrics = QFontMetricsF(painter.font())
            size = QSizeF(metrics.horizontalAdvance(each.said) + 10, metrics.height() + 4)
            paint_tag(painter, _free_box(ends, size, taken), each.said, theme.teal, theme)

    def _found(self, outcome: Outcome) -> tuple[OpeningLip, ...]:
        mesh, document = outcome.mesh, outcome.case.document
        if mesh is None or outcome.geometry is None or not document.enclosures:
            return ()
        if self._of is None or self._of[0] is not mesh or self._of[1] is not document:
            self._of, self._lips = (mesh, document), _lips(outcome, mesh)
        return self._lips


def _free_box(ends: Floats, size: QSizeF, taken: Sequence[QRectF]) -> QRectF:
    """A box on one of the lines (n, 2, 2), the longest that leaves what is ``taken`` free."""
    longest = np.argsort(-np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1))
    boxes = []
    for line in ends[longest]:
        across, down = np.abs(line[1] - line[0]).tolist()
        # Beside a line that it would hide.
        aside = np.array([0.0, -1.0]) if across > down else np.array([1.0, 0.0])
        hidden = np.hypot(across, down) < 2 * size.width()
        shift = aside * (size.height() / 2 + 4 if across > down else size.width() / 2 + 6) * hidden
        for share in (0.5, 0.3, 0.7):
            x, y = (line[0] + share * (line[1] - line[0]) + shift).tolist()
            boxes.append(QRectF(x - size.width() / 2, y - size.height() / 2, size.width(), size.height()))
    return next((box for box in boxes if not any(box.intersects(other) for other in taken)), boxes[0])


def _lips(outcome: Outcome, mesh: Mesh) -> tuple[OpeningLip, ...]:
    assert outcome.geometry is not None
    found = []
    for name, said in _open(outcome).items():
        surfaces = enclosed_surfaces(outcome.case.document, mesh, name)
        lines = lip(mesh, surfaces, outcome.geometry.owner_at) if surfaces else np.zeros((0, 2, mesh.dimension))
        if len(lines):
            found.append(OpeningLip(lines, said))
    return tuple(found)


def _open(outcome: Outcome) -> dict[str, str]:
    """The enclosures that have an opening, with what is said to be behind it."""
    found = {}
    if isinstance(outcome.trouble, OpenCaseError):
        asked = [fault.at[1] for fault in outcome.trouble.faults if fault.at[::2] == ("enclosures", "opening")]
        found = {str(name): "opening: what is behind it?" for name in asked}
    for law in outcome.problem.enclosures if outcome.problem is not None else ():
        if law.opening is not None:
            kind = outcome.case.units.of(TEMPERATURE)
            behind = law.opening.constant
            found[law.name] = f"opening, {shown(behind, kind) if behind is not None else law.opening.text}"
    return found
