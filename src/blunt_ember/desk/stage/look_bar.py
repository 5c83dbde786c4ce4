"""How the body is looked at: the row of lenses, and what the chosen lens shows and how it is coloured."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import QPoint, QRect, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QComboBox, QMenu, QPushButton, QVBoxLayout, QWidget

from blunt_ember.desk.stage.cut_row import CutRow
from blunt_ember.desk.widgets.flow_layout import FlowLayout
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.flow.outcome import Outcome
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.picture.body.whole import can_be_deep, mirrors_of
from blunt_ember.picture.lenses.field import Field
from blunt_ember.picture.lenses.registry import LENSES, lens_parts
from blunt_ember.picture.look import Look, MirrorPlane, Whole, widened


class LookBar(QWidget):
    """Keeps one look for each lens, and says when the one that is looked through has changed."""

    changed = pyqtSignal(object)  # Look
    lens_changed = pyqtSignal(str)
    #: More, or less, is drawn beyond what is solved.
    whole_changed = pyqtSignal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._looks: dict[str, Look] = {lens: Look(lens) for lens in LENSES}
        self._lens: str = "Temperature"
        self._whole = Whole()
        self._mirrors: tuple[Mesh | None, Problem | None, tuple[MirrorPlane, ...]] = (None, None, ())
        self._offered: tuple[object, ...] = ()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(self._lens_row())
        column.addLayout(self._how_row())
        column.addStretch(1)  # takes what height is left until the bar is laid out anew
        self.offer(None, None)

    @property
    def look(self) -> Look:
        """The look of the chosen lens."""
        return replace(self._looks[self._lens], whole=self._whole)

    def choose(self, lens: str) -> None:
        """Look through another lens, as it was last looked through."""
        self._lens = lens
        button = self._lenses.button(list(LENSES).index(lens))
        if button is not None:
            button.setChecked(True)
        self.changed.emit(self.look)
        self.lens_changed.emit(lens)

    def take(self, look: Look) -> None:
        """Look otherwise through the chosen lens."""
        if look != self.look:
            self._looks[self._lens] = look
            self.changed.emit(look)

    def draw_whole(self, whole: Whole) -> None:
        """Draw more of the body than is solved, through every lens."""
        if whole != self._whole:
            self._whole = whole
            self.whole_changed.emit()
            self.changed.emit(self.look)

    def colour_over_whole_run(self, whole: bool) -> None:
        """Choose the range that temperatures of a run are coloured over: of the whole run, or of each instant."""
        self._looks["Temperature"] = replace(self._looks["Temperature"], whole_run=whole)
        self.changed.emit(self.look)

    def fix_range(self, low: float | None, high: float | None) -> None:
        """Fix the ends of the coloured range, SI; None frees one."""
        self.take(replace(self.look, low=low, high=high))

    def free_ranges(self) -> None:
        """Free every range, as another case comes, whose values are others."""
        self._looks = {lens: replace(widened(look), cuts=(), flat=None) for lens, look in self._looks.items()}
        self.draw_whole(Whole())

    def bottom_beyond(self, x: float) -> int:
        """Return how far down of the parent what can be chosen reaches to the right of ``x``, in pixels."""
        shown = [each for each in self.findChildren(QPushButton) if each.isVisible()]
        boxes = [QRect(each.mapTo(self.parentWidget(), QPoint(0, 0)), each.size()) for each in shown]
        return max((box.bottom() for box in boxes if box.right() > x), default=0)

    def key(self, text: str) -> bool:
        """Press the choice of a key; tell whether there is one that can be pressed."""
        letters = {
            "b": self.bands,
            "l": self.tens,
            "m": self.marks,
            "h": self.vanish,
            "r": self.free,
            "a": self.arrows,
            "f": self.flow_lines,
        }
        letters |= dict(zip("xyz", self.cuts.buttons, strict=True))
        if self.cuts.isVisible() and text in (",", "."):
            return self.cuts.step(1 if text == "." else -1)
        if text.lower() == "d" and self.whole.isVisible():
            self.draw_whole(replace(self._whole, deep=not self._whole.deep))
            return True
        letters["t"] = self.cuts.face_on
        button = letters.get(text.lower()) if text else None
        if button is None or not button.isVisible():
            return False
        button.click()
        return True

    def offer(self, outcome: Outcome | None, field: Field | None, seen: Outcome | None = None) -> None:
        """Offer what can be chosen of an outcome; ``seen`` is it as it is drawn."""
        look, before = self.look, self._offered
        parts = lens_parts(outcome, look.lens) if outcome is not None else ()
        if [self.part.itemText(number) for number in range(self.part.count())] != list(parts):
            self.part.clear()
            self.part.addItems(parts)
        self.part.setCurrentIndex(max(self.part.findText(look.part), 0))
        self.part.setVisible(len(parts) > 1)
        for lens, button in zip(LENSES.values(), self._lenses.buttons(), strict=True):
            button.setVisible(
                not lens.seldom
                or lens.name == look.lens
                or (outcome is not None and bool(lens_parts(outcome, lens.name)))
            )
        shown = LENSES[look.lens].field is not None and field is not None
        for button, on in (
            (self.bands, look.bands),
            (self.tens, look.log),
            (self.vanish, look.vanish),
            (self.marks, look.marks),
        ):
            button.setVisible(shown)
            button.setChecked(on)
        followed = shown and field is not None and field.follow is not None
        for button in (self.arrows, self.flow_lines):
            button.setVisible(followed)
            button.setChecked(look.over == button.text())
        self.tens.setVisible(shown and field is not None and field.positive)
        self.free.setVisible(shown and (look.low is not None or look.high is not None))
        self.vanish.setVisible(self.free.isVisibleTo(self))
        self.cuts.offer((seen or outcome) if shown else None, look.cuts, look.flat)
        offered = self._offer_whole(outcome)
        self._offered = (parts, offered, followed, self.tens.isVisibleTo(self), self.free.isVisibleTo(self), shown)
        layout = self.layout()
        if self._offered != before and layout is not None:
            layout.invalidate()  # what wraps may need another line, or one less

    def _lens_row(self) -> FlowLayout:
        self._lenses = QButtonGroup(self)
        row = FlowLayout(spacing=4, indent=0)
        for number, lens in enumerate(LENSES):
            button = QPushButton(lens, self)
            button.setCheckable(True)
            button.setChecked(lens == self._lens)
            button.setObjectName(f"lens {lens}")
            button.setProperty("role", "lens")
            button.setToolTip(f"Show the body through the lens {lens}  (Alt+{number + 1})")
            button.clicked.connect(lambda _, lens=lens: self.choose(lens))
            self._lenses.addButton(button, number)
            row.addWidget(button)
        return row

    def _how_row(self) -> FlowLayout:
        row = FlowLayout(spacing=4, indent=0)
        self.part = QComboBox(self)
        self.part.setObjectName("part of the lens")
        self.part.setAccessibleName("What is shown through the lens")
        self.part.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.part.activated.connect(
            lambda number: self.take(replace(widened(self.look), part=self.part.itemText(number)))
        )
        row.addWidget(self.part)
        self.bands = self._choice(
            "bands", "Bands with lines of one value between them  (B)", lambda on: replace(self.look, bands=on)
        )
        self.tens = self._choice(
            "by tens",
            "A scale divided by tens, for values that differ much  (L)",
            lambda on: replace(self.look, log=on),
        )
        self.marks = self._choice(
            "lowest, highest",
            "Mark where the lowest and the highest value are  (M)",
            lambda on: replace(self.look, marks=on),
        )
        self.vanish = self._choice(
            "hide the rest",
            "What lies outside the range is not drawn, instead of faded  (H)",
            lambda on: replace(self.look, vanish=on),
        )
        self.arrows = self._choice(
            "arrows",
            "Arrows, as long as the heat flux is large  (A)",
            lambda on: replace(self.look, over="arrows" if on else ""),
        )
        self.flow_lines = self._choice(
            "flow lines",
            "Lines that follow the heat, each for the same heat flow  (F)",
            lambda on: replace(self.look, over="flow lines" if on else ""),
        )
        self.cuts = CutRow(self)
        self.cuts.changed.connect(lambda cuts, flat: self.take(replace(self.look, cuts=cuts, flat=flat)))
        self.free = QPushButton("whole range", self)
        self.free.setObjectName("look whole range")
        self.free.setToolTip("Colour over the range of all values again  (R)")
        self.free.setProperty("role", "lens")
        self.free.clicked.connect(lambda: self.take(widened(self.look)))
        self.whole = QPushButton("drawn flat", self)
        self.whole.setObjectName("drawn as")
        self.whole.setProperty("role", "lens")
        self.whole.setToolTip(
            "Draw more than is solved: the depth or the turn of a section (D), mirror images of a half"
        )
        self._whole_menu = QMenu(self.whole)
        self.whole.setMenu(self._whole_menu)
        for button in (
            self.bands,
            self.tens,
            self.marks,
            self.arrows,
            self.flow_lines,
            self.vanish,
            self.free,
            self.whole,
            self.cuts,
        ):
            row.addWidget(button)
        return row

    def _offer_whole(self, outcome: Outcome | None) -> tuple[object, ...]:
        """Offer what can be drawn beyond what is solved, and say what is."""
        mesh = outcome.mesh if outcome is not None else None
        deep = mesh is not None and can_be_deep(mesh)
        problem = outcome.problem if outcome is not None else None
        if self._mirrors[0] is not mesh or self._mirrors[1] is not problem:
            self._mirrors = mesh, problem, mirrors_of(outcome) if outcome is not None else ()
        mirrors = self._mirrors[2]
        self.whole.setVisible(deep or bool(mirrors))
        self._whole_menu.clear()
        chosen = Whole(tuple(each for each in self._whole.mirrors if each in mirrors), self._whole.deep and deep)
        if deep and mesh is not None:
            words = "turned about its axis" if mesh.space.axisymmetric else "with its depth"
            self._offer_one(words, chosen.deep, replace(chosen, deep=not chosen.deep))
        for mirror in mirrors:
            on = mirror in chosen.mirrors
            others = tuple(each for each in chosen.mirrors if each != mirror)
            self._offer_one(mirror.name, on, replace(chosen, mirrors=others if on else (*others, mirror)))
        said = [
            *(["turned" if mesh is not None and mesh.space.axisymmetric else "deep"] if chosen.deep else []),
            *(["mirrored"] if chosen.mirrors else []),
        ]
        plain = "drawn flat" if deep else "drawn as it is"
        self.whole.setText(f"drawn {' and '.join(said)}" if said else plain)
        return (deep, mirrors, self.whole.text())

    def _offer_one(self, words: str, on: bool, wanted: Whole) -> None:
        action = self._whole_menu.addAction(words)
        if action is not None:
            action.setCheckable(True)
            action.setChecked(on)
            action.triggered.connect(lambda _: self.draw_whole(wanted))

    def _choice(self, text: str, tip: str, made: Callable[[bool], Look]) -> QPushButton:
        button = QPushButton(text, self)
        button.setObjectName(f"look {text}")
        button.setCheckable(True)
        button.setToolTip(tip)
        button.setProperty("role", "lens")
        button.clicked.connect(lambda on: self.take(made(on)))
        return button
