"""The menu bar: every action with its key."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TypeVar

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QMessageBox

from blunt_ember import __version__
from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.values.unit_sets import SET_NAMES, USUAL_UNITS
from blunt_ember.desk.app.desk_window import DeskWindow
from blunt_ember.desk.app.exports import export, export_animation, export_chart
from blunt_ember.desk.app.keys_overlay import KeysOverlay
from blunt_ember.desk.strip.strip import VIEWS
from blunt_ember.gallery.blank import BLANKS
from blunt_ember.gallery.families import FAMILIES, GROUPS
from blunt_ember.picture.lenses.registry import LENSES
from blunt_ember.picture.palette import DARK, LIGHT

Made = TypeVar("Made")
_STANDARD = QKeySequence.StandardKey


class Menus:
    """Builds the menus of a window and keeps their state."""

    def __init__(self, window: DeskWindow) -> None:
        self._window = window
        bar = window.menuBar()
        assert bar is not None
        bar.setNativeMenuBar(False)
        self._fill_file(_required(bar.addMenu("&File")))
        self._fill_edit(_required(bar.addMenu("&Edit")))
        self._fill_case(_required(bar.addMenu("&Case")))
        self._fill_view(_required(bar.addMenu("&View")))
        self._fill_help(_required(bar.addMenu("&Help")))

    def _add(self, menu: QMenu, text: str, do: Callable[[], object], *keys: QKeySequence | _STANDARD | str) -> QAction:
        action = QAction(text, self._window)
        sequences = [key if isinstance(key, QKeySequence) else QKeySequence(key) for key in keys]
        action.setShortcuts(sequences)
        action.triggered.connect(lambda _=False: do())
        menu.addAction(action)
        return action

    def _fill_file(self, menu: QMenu) -> None:
        window = self._window
        self._add(menu, "New in a &line …", window.new_in_a_line, "Ctrl+Shift+N")
        new = _required(menu.addMenu("&New"))
        blank = _required(new.addMenu("From nothing"))
        for name, each in BLANKS.items():
            self._add(blank, each.title, partial(window.new_blank, name))
        for group, families in GROUPS.items():
            submenu = _required(new.addMenu(group))
            for family in families:
                keys = [QKeySequence(_STANDARD.New)] if family.name == next(iter(FAMILIES)) else []
                summary = f"{family.data['title']}: {family.summary[0].lower()}{family.summary[1:]}"
                self._add(submenu, summary, partial(window.new_case, family.name), *keys)
        self._add(menu, "&Open …", window.open_dialog, _STANDARD.Open)
        self._recent = _required(menu.addMenu("Open &recent"))
        self._recent.aboutToShow.connect(self._fill_recent)
        menu.addSeparator()
        self._save = self._add(menu, "&Save", window.save, _STANDARD.Save)
        self._save_as = self._add(menu, "Save &as …", window.save_as, "Ctrl+Shift+S")
        self._export = self._add(menu, "&Export …", partial(export, window), "Ctrl+E")
        self._chart = self._add(menu, "Export &chart …", partial(export_chart, window), "Ctrl+Alt+E")
        self._animate = self._add(menu, "Export &animation …", partial(export_animation, window), "Ctrl+Shift+E")
        menu.addSeparator()
        self._add(menu, "&Quit", window.close, "Ctrl+Q")

    def _fill_recent(self) -> None:
        self._recent.clear()
        for path in self._window.settings.recent:
            action = self._add(self._recent, str(path), partial(self._window.open_path, path))
            action.setEnabled(path.exists())
        if not self._window.settings.recent:
            _required(self._recent.addAction("no file yet")).setEnabled(False)

    def _fill_edit(self, menu: QMenu) -> None:
        window = self._window
        self._undo = self._add(menu, "&Undo", window.current.undo, "Ctrl+Z")
        self._redo = self._add(menu, "&Redo", window.current.redo, "Ctrl+Shift+Z", "Ctrl+Y")
        menu.addSeparator()
        self._copy = self._add(menu, "&Copy checks and ledger as text", window.copy_checks, "Ctrl+Shift+C")

    def _fill_case(self, menu: QMenu) -> None:
        window = self._window
        self._add(menu, "&Solve, or stop", window.solve_or_stop, "F5")
        self._add(menu, "&Keep this answer to set others beside", window.keep_answer, "Ctrl+K")
        self._live = self._add(
            menu, "&Live: solve every edit at once", lambda: window.set_live(not window.live), "Ctrl+L"
        )
        self._live.setCheckable(True)
        self._live.setChecked(True)

    def _fill_view(self, menu: QMenu) -> None:
        window = self._window
        for number, lens in enumerate(LENSES, start=1):
            self._add(menu, f"Lens: {lens}", partial(window.stage.set_lens, lens), f"Alt+{number}")
        menu.addSeparator()
        self._add(menu, "Zoom in", lambda: window.stage.zoom(1.25), "Ctrl++", "Ctrl+=")
        self._add(menu, "Zoom out", lambda: window.stage.zoom(0.8), "Ctrl+-")
        self._add(menu, "Whole body", window.stage.fit, "Ctrl+0")
        menu.addSeparator()
        bar = window.strip.time_bar
        self._add(menu, "Play or pause", bar.toggle, "Ctrl+Space")
        self._add(menu, "One instant on", lambda: bar.go(bar.frame + 1), "Ctrl+Right")
        self._add(menu, "One instant back", lambda: bar.go(bar.frame - 1), "Ctrl+Left")
        self._add(menu, "First instant", lambda: bar.go(0), "Ctrl+Home")
        self._add(menu, "Last instant", lambda: bar.go(bar.slider.maximum()), "Ctrl+End")
        for number, view in enumerate(VIEWS, start=1):
            self._add(menu, f"Strip: {view}", partial(window.strip.choose_view, view), f"Alt+Shift+{number}")
        menu.addSeparator()
        for number, name in enumerate(("sheet", "checks", "strip"), start=1):
            self._add(menu, f"Fold the {name}, or unfold", partial(window.fold, name), f"Ctrl+{number}")
        self._add(menu, "Stage alone, or all zones", window.stage_alone, "F11")
        menu.addSeparator()
        self._add(menu, "Go to the sheet", lambda: window.sheet.focus_first(), "F2")
        self._add(menu, "Go to the stage", lambda: window.stage.setFocus(), "F3")
        menu.addSeparator()
        self._fill_units(_required(menu.addMenu("&Units")))
        self._dark = self._add(menu, "&Dark", lambda: window.set_dark(not window.settings.dark), "Ctrl+D")
        self._dark.setCheckable(True)

    def _fill_units(self, menu: QMenu) -> None:
        """Sets of units, and the unit of a single quantity; the case keeps the choice."""
        for name in SET_NAMES:
            self._add(menu, name, partial(self._choose_units, {"set": name}, True))
        menu.addSeparator()
        for quantity, units in USUAL_UNITS.items():
            submenu = _required(menu.addMenu(quantity))
            for unit in units:
                self._add(submenu, unit, partial(self._choose_units, {quantity: unit}, False))

    def _choose_units(self, chosen: dict[str, str], whole_set: bool) -> None:
        def change(case: Case) -> Case:
            stated = case.data.get("units", {})
            before = {} if whole_set else {"set": stated} if isinstance(stated, str) else dict(stated)
            after = {**before, **chosen}
            return with_value(case, ("units",), after["set"] if list(after) == ["set"] else after)

        self._window.current.edit_or_tell(f"units: {', '.join(chosen.values())}", change)

    def _fill_help(self, menu: QMenu) -> None:
        self._add(menu, "&Keys", self._show_keys, "F1")
        self._add(menu, "&About", self._show_about)

    def refresh(self) -> None:
        """Say what undo and redo would do, and offer only what can be done."""
        current = self._window.current
        for action, word, label in ((self._undo, "Undo", current.undo_label), (self._redo, "Redo", current.redo_label)):
            action.setEnabled(label is not None)
            action.setText(f"&{word} {label[:60]}" if label else f"&{word}")
        for action in (self._save, self._save_as, self._export, self._chart, self._animate, self._copy):
            action.setEnabled(current.case is not None)

    def show_live(self, live: bool) -> None:
        """Tick Live or not."""
        self._live.setChecked(live)

    def show_dark(self, dark: bool) -> None:
        """Tick Dark or not."""
        self._dark.setChecked(dark)

    def _show_keys(self) -> None:
        window = self._window
        bar = window.menuBar()
        groups = []
        for heading in bar.actions() if bar is not None else []:
            menu = heading.menu()
            if menu is not None:
                groups.append((heading.text().replace("&", ""), _every_action(menu)))
        KeysOverlay(window, groups, DARK if window.settings.dark else LIGHT)

    def _show_about(self) -> None:
        QMessageBox.about(
            self._window,
            "Blunt Ember",
            f"<b>Blunt Ember {__version__}</b><p>Thermal cases solved on a mesh and checked against theory.</p>"
            "<p>GPL-3.0-or-later</p>",
        )


def _required(value: Made | None) -> Made:
    assert value is not None
    return value


def _every_action(menu: QMenu) -> list[QAction]:
    """The actions of a menu and of those in it."""
    found = []
    for action in menu.actions():
        inner = action.menu()
        found += [action] if inner is None else _every_action(inner)
    return found
