"""What menus and exports may ask of the window, whatever it is made of."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QMainWindow

from blunt_ember.desk.app.current_case import CurrentCase
from blunt_ember.desk.app.settings import Settings
from blunt_ember.desk.sheet.sheet import Sheet
from blunt_ember.desk.stage.stage import Stage
from blunt_ember.desk.strip.strip import Strip
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.palette import LIGHT, Theme


class DeskWindow(QMainWindow):
    """A window with the zones of the desk about one case."""

    current: CurrentCase
    settings: Settings
    sheet: Sheet
    stage: Stage
    strip: Strip
    outcome: Outcome | None
    live: bool
    theme: Theme = LIGHT

    def new_case(self, name: str) -> None:
        """Begin with a family."""
        raise NotImplementedError

    def new_blank(self, name: str) -> None:
        """Begin with a body and nothing else."""
        raise NotImplementedError

    def new_in_a_line(self) -> None:
        """Begin with a problem noted in a line."""
        raise NotImplementedError

    def open_dialog(self) -> None:
        """Ask for a file and open it."""
        raise NotImplementedError

    def open_path(self, path: Path) -> bool:
        """Open a file; tell whether it could be."""
        raise NotImplementedError

    def save(self) -> bool:
        """Save the case; tell whether it was."""
        raise NotImplementedError

    def save_as(self) -> bool:
        """Save the case under another name; tell whether it was."""
        raise NotImplementedError

    def copy_checks(self) -> None:
        """Put checks and ledger on the clipboard."""
        raise NotImplementedError

    def solve_or_stop(self) -> None:
        """Solve the case as it stands, or stop what is running."""
        raise NotImplementedError

    def fold(self, name: str) -> None:
        """Fold a zone, or bring it back."""
        raise NotImplementedError

    def stage_alone(self) -> None:
        """Fold everything but the stage, or bring all of it back."""
        raise NotImplementedError

    def keep_answer(self) -> None:
        """Keep the answer, to set later ones beside."""
        raise NotImplementedError

    def set_live(self, live: bool) -> None:
        """Solve every edit at once, or only when asked."""
        raise NotImplementedError

    def set_dark(self, dark: bool) -> None:
        """Use the dark theme, or the light one."""
        raise NotImplementedError

    def tell(self, message: str) -> None:
        """Say something under the window for a while."""
        raise NotImplementedError
