"""Readings on the picture: points that are pinned and lines that are drawn, which become questions of the case."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QPolygonF

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.document.places import Line
from blunt_ember.case.document.questions.temperatures import PointQuestion
from blunt_ember.case.editing.edits import appended, free_name
from blunt_ember.case.values.display import in_shown_unit, shown
from blunt_ember.case.values.units import LENGTH
from blunt_ember.checks.questions.reading_line import laid
from blunt_ember.desk.app.current_case import CurrentCase
from blunt_ember.desk.stage.overlay import HINT_HEIGHT, paint_tag
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.nearest import parted_near
from blunt_ember.picture.body.drawn import drawing_of
from blunt_ember.picture.body.view import View
from blunt_ember.picture.palette import Theme

#: Pixels within which a reading snaps to a node or an edge, and that a line has at least.
_SNAP, _SHORTEST = 7.0, 10.0
#: Digits a place is written with.
_DIGITS = 5
#: A place is on a joint within this share of the body.
_ON = 1e-6


class Readings:
    """Draws what is asked of points and along lines, and adds to it."""

    def __init__(self, current: CurrentCase) -> None:
        self._current = current
        self._from: tuple[QPointF, Floats] | None = None
        self._to: tuple[QPointF, Floats] | None = None
        #: The place (d,) in m that is read in the strip now.
        self.cursor: Floats | None = None
        self._mesh: Mesh | None = None
        self._lines: dict[str, Floats | None] = {}

    def begin(self, pixel: QPointF, point: Floats) -> None:
        """Put the first end of a line, or a point, on a place (d,) in m."""
        self._from, self._to = (pixel, point), None

    def drag(self, pixel: QPointF, point: Floats | None) -> bool:
        """Move the other end; tell whether something is being drawn."""
        if self._from is not None and point is not None:
            self._to = (pixel, point)
        return self._from is not None

    def end(self, outcome: Outcome | None = None) -> bool:
        """Ask for what was drawn, a line or a point; tell whether something was being drawn."""
        begun, last, self._from, self._to = self._from, self._to, None, None
        if begun is None:
            return False
        far = last is not None and (last[0] - begun[0]).manhattanLength() >= _SHORTEST
        if far and last is not None:
            ends = begun[1], last[1]
            self._current.edit_or_tell(
                "reading: a line",
                lambda case: _with_question(
                    case, "line", {"mean": {"start": _place(ends[0], case), "end": _place(ends[1], case)}}
                ),
            )
        else:
            self.pin(begun[1], outcome)
        return True

    def pin(self, point: Floats, outcome: Outcome | None = None) -> None:
        """Ask for the temperature at a place (d,) in m; on both sides of a joint where it jumps."""
        sides = sides_at(point, outcome) if outcome is not None else ()

        def change(case: Case) -> Case:
            for side in sides or ("",):
                asked: dict[str, object] = {"temperature": _place(point, case), **({"side": side} if side else {})}
                case = _with_question(case, f"point in {side.replace('.', ' ')}" if side else "point", asked)
            return case

        self._current.edit_or_tell("reading: a point", change)

    def paint(
        self,
        painter: QPainter,
        outcome: Outcome,
        view: View,
        right: float,
        theme: Theme,
        unfold: Callable[[Floats], Floats],
        written: Sequence[QRectF] = (),
    ) -> None:
        """Paint every point and line that is asked about, with its name and answer, and the one being drawn.

        Names stay left of ``right``, where the legend begins, and off what is ``written`` already; ``unfold`` takes
        places of the body to those drawn.
        """
        values = values_seen(outcome)
        extremes = {check.name: check.where for check in outcome.checks if outcome.instant is None}
        taken = list(written)
        for question in outcome.case.document.questions:
            target = question.target
            if isinstance(target, Line):
                places = self._laid(target, outcome)
                if places is None:
                    continue
                places = _drawn(unfold(places))
                self._paint_line(painter, places, view, theme)
                at = view.pixels(places[-1:])[0]
            elif isinstance(question, PointQuestion):
                at = view.pixels(_drawn(unfold(np.array([[each.si for each in question.temperature]]))))[0]
                _paint_point(painter, QPointF(*at), theme)
            elif (where := extremes.get(question.name)) is not None:
                at = view.pixels(_drawn(unfold(np.array([where]))))[0]
                _paint_cross(painter, QPointF(*at), theme)
            else:
                continue
            text = f"{question.name}  {values.get(question.name, '')}".strip()
            room = QRectF(2, 2, right - 2, view.height - HINT_HEIGHT - 2)
            taken.append(_written_beside(painter, QPointF(*at), text, taken, room, theme))
        if self._from is not None and self._to is not None:
            self._paint_line(painter, _drawn(unfold(np.array([self._from[1], self._to[1]]))), view, theme)
        if self.cursor is not None:
            _paint_point(painter, QPointF(*view.pixels(_drawn(unfold(self.cursor[None])))[0]), theme, theme.ember)

    def _laid(self, line: Line, outcome: Outcome) -> Floats | None:
        """The places (p, d) a line of the case runs through; None where it cannot be laid yet."""
        if outcome.mesh is None or outcome.geometry is None:
            return None
        if self._mesh is not outcome.mesh:
            self._mesh, self._lines = outcome.mesh, {}
        members = outcome.case.document.members_asked(line)
        key = f"{line.model_dump_json()} {members}"
        if key not in self._lines:
            try:
                self._lines[key] = laid(line, "", members, outcome.geometry, outcome.mesh, ()).places
            except BluntEmberError:
                self._lines[key] = None
        return self._lines[key]

    def _paint_line(self, painter: QPainter, places: Floats, view: View, theme: Theme) -> None:
        pixels = [QPointF(x, y) for x, y in view.pixels(places).tolist()]
        for colour, width in ((theme.paper, 4.0), (theme.teal, 1.8)):
            painter.setPen(QPen(QColor(colour), width, cap=Qt.PenCapStyle.FlatCap))
            painter.drawPolyline(QPolygonF(pixels))
        for end in (pixels[0], pixels[-1]):
            _paint_point(painter, end, theme)


def values_seen(outcome: Outcome) -> dict[str, str]:
    """Return what is answered, by question; of a run at the instant that is seen, unless one is asked for."""
    values = {check.name: shown(check.value, check.kind) for check in outcome.checks}
    if outcome.instant is None or outcome.run is None:
        return values
    timed = {question.name for question in outcome.case.document.questions if question.asked_time is not None}
    for history in outcome.histories:
        still_runs = len(history.values) != len(outcome.run.times)
        if not still_runs and history.name not in timed:
            now = float(np.interp(outcome.instant, outcome.run.times, history.values))
            values[history.name] = shown(now, history.kind)
    return values


def _with_question(case: Case, stem: str, asked: dict[str, object]) -> Case:
    name = free_name(stem, [question.name for question in case.document.questions])
    return appended(case, ("questions",), {"name": name, **asked})


def sides_at(point: Floats, outcome: Outcome) -> tuple[str, ...]:
    """Return the regions that meet at a place (d,) in m with a jump of temperature between them."""
    mesh = outcome.mesh
    found = parted_near(mesh, point, _ON * float(np.ptp(mesh.points, axis=0).max())) if mesh is not None else None
    return tuple(mesh.regions[region] for region in found[0].regions) if mesh is not None and found is not None else ()


def snapped_to_surface(point: Floats, outcome: Outcome, view: View) -> Floats:
    """Return the node of the mesh near a place (d,) in m, else the joint or edge drawn flat near it, else itself.

    A joint over which temperature jumps comes before what is beside it.
    """
    mesh, geometry = outcome.mesh, outcome.geometry
    if mesh is None or geometry is None:
        return point
    reach = _SNAP * view.scale
    # On a turned body the pointer has already found the joint that is seen there; what is beneath it is not meant.
    joint = parted_near(mesh, point, reach if view.pose is None else _ON * float(np.ptp(mesh.points, axis=0).max()))
    nodes = mesh.points
    if joint is not None:
        nodes = nodes[np.unique(np.concatenate([block.nodes.ravel() for block in joint[0].blocks]))]
    gaps = np.linalg.norm(nodes - point, axis=1)
    if gaps.min() <= reach:
        return nodes[gaps.argmin()]
    if joint is not None:
        return joint[1]
    if mesh.dimension == 1 or view.pose is not None:
        return point
    best, nearest = reach, point
    for segments in drawing_of(geometry).segments.values():
        start, along = segments[:, 0], segments[:, 1] - segments[:, 0]
        share = np.clip(((point - start) * along).sum(axis=1) / np.maximum((along**2).sum(axis=1), 1e-300), 0, 1)
        feet = start + share[:, None] * along
        gap = np.linalg.norm(feet - point, axis=1)
        if gap.min() < best:
            best, nearest = float(gap.min()), feet[gap.argmin()]
    return nearest


def _place(point: Floats, case: Case) -> list[str]:
    kind = case.units.of(LENGTH)
    return [f"{float(f'{in_shown_unit(value, kind):.{_DIGITS}g}') + 0.0:g} {kind.shown}" for value in point.tolist()]


def _drawn(points: Floats) -> Floats:
    """Places (p, d) as the picture has them, (p, 2 or 3): a rod lies on its axis."""
    return np.column_stack([points, np.zeros(len(points))]) if points.shape[1] == 1 else points


def _paint_cross(painter: QPainter, at: QPointF, theme: Theme) -> None:
    """Mark where what is asked for was found, which nobody placed there."""
    for colour, width in ((theme.paper, 4.5), (theme.teal, 1.8)):
        painter.setPen(QPen(QColor(colour), width))
        painter.drawLine(at + QPointF(-5, -5), at + QPointF(5, 5))
        painter.drawLine(at + QPointF(-5, 5), at + QPointF(5, -5))


def _paint_point(painter: QPainter, at: QPointF, theme: Theme, colour: str = "") -> None:
    painter.setPen(QPen(QColor(theme.paper), 1.5))
    painter.setBrush(QColor(colour or theme.teal))
    painter.drawEllipse(at, 4.0, 4.0)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def _written_beside(
    painter: QPainter, at: QPointF, text: str, taken: list[QRectF], room: QRectF, theme: Theme
) -> QRectF:
    """Write beside a place where nothing is written yet, else below what is, or above where the room ends."""
    metrics = QFontMetricsF(painter.font())
    width, height = metrics.horizontalAdvance(text) + 10, metrics.height() + 2
    corners = [(x, y) for y in (at.y() + 6, at.y() - 6 - height) for x in (at.x() + 8, at.x() - 8 - width)]
    beside = [QRectF(x, y, width, height) for x, y in corners if x >= room.left() and x + width <= room.right()]
    within = max(min(at.x() + 8, room.right() - width), room.left())
    beside = beside or [QRectF(within, at.y() + 6, width, height)]
    box = next((each for each in beside if not any(each.intersects(other) for other in taken)), beside[0])
    above = QRectF(box)
    while any(box.intersects(other) for other in taken):
        box.translate(0, box.height() + 1)
    while any(above.intersects(other) for other in taken) or above.bottom() > room.bottom():
        above.translate(0, -above.height() - 1)
    if box.bottom() > room.bottom() and above.top() >= room.top():
        box = above
    paint_tag(painter, box, text, theme.teal, theme)
    return box
