"""What is stated on a surface as a formula or table over places, drawn on the surface: spikes as long as its values."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from blunt_ember.arrays import Floats
from blunt_ember.case.document.surroundings import ACTING, stated_at
from blunt_ember.case.values.display import shown
from blunt_ember.case.values.laws import Law
from blunt_ember.errors import ExpressionError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.section import outlines_of
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.picture.body.view import View
from blunt_ember.picture.palette import Theme

SHORTEST, LONGEST = 5.0, 40.0
#: Spikes drawn on one surface at most.
_MOST = 120
#: Row of pixels under the lenses of the stage.
_UNDER_LENSES = 76.0


def paint_spikes(painter: QPainter, outcome: Outcome, surfaces: set[str], view: View, theme: Theme) -> None:
    """Draw the first law over places of each of some surfaces, with its least and its greatest value."""
    for name in sorted(surfaces):
        law, word = next(_laws_over_places(outcome, name), (None, ""))
        if law is not None and outcome.mesh is not None:
            _paint_one(painter, outcome, outcome.mesh, name, law, word, view, theme)


def _laws_over_places(outcome: Outcome, surface: str) -> Iterator[tuple[Law, str]]:
    """Laws that follow the place, and what they are called."""
    document = outcome.case.document
    for entry in document.surroundings:
        if surface not in {member for name in entry.surfaces for member in document.members_of(name)}:
            continue
        stated = [(entry.temperature, "held at")]
        for key, acting in ACTING.items():
            for value in acting.values:
                stated.append((stated_at(entry, (key, *value.path)), value.name))
        for law, word in stated:
            if isinstance(law, Law) and law.variables - {"t", "T"} and not law.follows_temperature:
                yield law, word


def _paint_one(
    painter: QPainter, outcome: Outcome, mesh: Mesh, name: str, law: Law, word: str, view: View, theme: Theme
) -> None:
    places, outward = _seen(outcome, mesh, name)
    if not len(places):
        return
    try:
        values = np.asarray(law.at({**mesh.space.variables(places), "t": np.full(len(places), outcome.t)}))
    except ExpressionError:
        return
    sound = np.isfinite(values)
    if not sound.any():
        return
    low, high = float(values[sound].min()), float(values[sound].max())
    share = np.clip((values - low) / (high - low), 0, 1) if high > low else np.full(len(values), 0.5)
    share[~sound] = 1.0
    length = (SHORTEST + share * (LONGEST - SHORTEST)) * view.scale
    feet, tips = view.pixels(places), view.pixels(places + outward * length[:, None])
    painter.setPen(QPen(QColor(theme.ember), 1.3))
    for foot, tip in zip(feet.tolist(), tips.tolist(), strict=True):
        painter.drawLine(QPointF(*foot), QPointF(*tip))
    kind = outcome.case.units.of(law.kind)
    text = f"{word} {shown(low, kind, 4)} … {shown(high, kind, 4)}"
    place = tips[int(np.argmax(share))]
    box = QFontMetricsF(painter.font()).boundingRect(text).adjusted(-5, -2, 5, 2)
    box.moveCenter(QPointF(float(place[0]), float(place[1]) - 12))
    box.moveLeft(min(max(box.left(), 6.0), max(view.width - box.width() - 6, 6.0)))
    box.moveTop(max(box.top(), _UNDER_LENSES))
    painter.fillRect(QRectF(box), QColor(theme.paper))
    painter.setPen(QColor(theme.ink))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def _seen(outcome: Outcome, mesh: Mesh, name: str) -> tuple[Floats, Floats]:
    """Places on a surface and the unit vectors out of the body there, both (p, d)."""
    geometry = outlines_of(outcome.geometry)
    if geometry is not None:
        segments = geometry.surfaces[name].segments
        pieces = max(1, int(np.ceil(_MOST / len(segments))))
        share = (np.arange(pieces) + 0.5) / pieces
        places = (segments[:, :1] + share[:, None] * (segments[:, 1:] - segments[:, :1])).reshape(-1, 2)
        along = np.repeat(segments[:, 1] - segments[:, 0], pieces, axis=0)
        outward = np.column_stack([along[:, 1], -along[:, 0]])
        outward /= np.maximum(np.linalg.norm(outward, axis=1, keepdims=True), 1e-300)
        inside = geometry.owner_at(places + 1e-6 * geometry.extent * outward) != VOID
        outward[inside] *= -1
    elif mesh.dimension == 3:
        places, outward = _on_facets(mesh, name)
    else:
        return np.zeros((0, mesh.dimension)), np.zeros((0, mesh.dimension))
    step = max(1, len(places) // _MOST)
    return places[::step], outward[::step]


def _on_facets(mesh: Mesh, name: str) -> tuple[Floats, Floats]:
    """Middles of the facets of a surface of a solid and their unit normals out of it."""
    facets = mesh.surfaces[name]
    own = np.zeros(mesh.node_count, dtype=bool)
    own[facets.nodes] = True
    touching = [block.nodes[own[block.nodes].any(axis=1)].ravel() for block in mesh.blocks]
    inside = mesh.points[np.unique(np.concatenate(touching))].mean(axis=0)
    places, outward = [], []
    for block in facets.blocks:
        corners = mesh.points[block.nodes[:, : CELL_FAMILIES[block.family].corners]]
        normal = np.cross(corners[:, 2] - corners[:, 0], corners[:, -1] - corners[:, 1])
        normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
        middle = corners.mean(axis=1)
        normal[np.einsum("fd,fd->f", normal, middle - inside) < 0] *= -1
        places.append(middle)
        outward.append(normal)
    return np.concatenate(places), np.concatenate(outward)
