"""Files of the window: cases are opened, saved and dropped, and nothing that is not saved is lost."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QEvent, QTimer
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QMessageBox

from blunt_ember.case.case import Case
from blunt_ember.case.files.case_file import SUFFIX, read_case, write_case
from blunt_ember.desk.app.desk_window import DeskWindow
from blunt_ember.desk.app.faults_dialog import FaultsDialog
from blunt_ember.desk.app.file_on_disk import FileOnDisk, KeptVersion
from blunt_ember.desk.app.kept_work import LeftWork, WorkKeeper, left_work
from blunt_ember.desk.app.left_work_dialog import LeftWorkDialog
from blunt_ember.desk.app.reading import read_elsewhere
from blunt_ember.desk.beginning.noted_line import NotedLineDialog
from blunt_ember.errors import BluntEmberError
from blunt_ember.gallery.blank import BLANKS
from blunt_ember.gallery.families import family
from blunt_ember.mesh.imported import MESH_SUFFIXES
from blunt_ember.report.files.foreign_files import DRAWINGS, ForeignCase, UnitMissingError, is_foreign
from blunt_ember.written_file import NotWrittenError

_OPENED = (
    f"Cases, drawings, meshes (*{SUFFIX} {' '.join('*' + suffix for suffix in (*DRAWINGS, *MESH_SUFFIXES))});;"
    f"Cases (*{SUFFIX});;All files (*)"
)


class FilingWindow(DeskWindow):
    """A window that opens and saves its case, keeps what is not saved, and watches the file."""

    keeper: WorkKeeper
    _told_of_others = False
    on_disk: FileOnDisk

    def show_case(self, case: Case, path: Path | None, saved: bool = True) -> None:
        """Put a case on the desk."""
        raise NotImplementedError

    def new_case(self, name: str) -> None:
        """Put a fresh case of a family on the desk; as long as it is untouched there is nothing to save."""
        if self.may_leave():
            self.show_case(family(name).case(), None)

    def new_blank(self, name: str) -> None:
        """Put a blank case on the desk."""
        self.take_made(BLANKS[name].case(), touched=False)

    def new_in_a_line(self) -> None:
        """Let a problem be noted in a line, and put the case it makes on the desk."""
        NotedLineDialog(self.theme, self.take_made, self).open()

    def take_made(self, case: Case, touched: bool = True) -> bool:
        """Put a case on the desk that has no file yet, one that was ``touched`` as not saved; tell whether it was put
        there."""
        if not self.may_leave():
            return False
        self.show_case(case, None, saved=not touched)
        return True

    def offer_left_work(self) -> None:
        """Offer what other windows had not saved when they died."""
        found = left_work()
        if found:
            LeftWorkDialog(found, self._take_left, self).open()

    def _take_left(self, work: LeftWork) -> bool:
        """Put work that was left on the desk; it is not saved yet."""
        if not self.may_leave():
            return False
        self.show_case(work.case, work.path, saved=False)
        self.keeper.keep()
        work.forget()
        return True

    def open_dialog(self) -> None:
        """Ask for a file and open it."""
        folder = str(self.current.path.parent) if self.current.path else ""
        name, _ = QFileDialog.getOpenFileName(self, "Open a case", folder, _OPENED)
        if name:
            self.open_path(Path(name))

    def open_path(self, path: Path) -> bool:
        """Open a case file, or make a case of a drawing or mesh; a broken one is reported and changes nothing."""
        try:
            read = self._read_foreign(path) if is_foreign(path) else read_case(path)
        except BluntEmberError as error:
            FaultsDialog(path, error, self).exec()
            return False
        if read is None or not self.may_leave():
            return False
        if isinstance(read, ForeignCase):
            self.show_case(read.case, None, saved=False)
            if read.left_out:
                self.tell(f"{path.name}: {read.left_out}")
        else:
            self.show_case(read, path)
            self.settings.remember(path)
            self._tell_of_others()
        return True

    def _tell_of_others(self) -> None:
        """Say that another window has edits of the same file, once until it has none."""
        there = self.keeper.edited_elsewhere(self.current.path)
        if there and not self._told_of_others:
            self.tell("Another window has edits of this file that are not saved: what is saved last stays.")
        self._told_of_others = there

    def _read_foreign(self, path: Path) -> ForeignCase | None:
        """Make a case of a drawing or mesh, asking for its unit of length where it says none; None when not told, or
        when it was stopped."""
        try:
            return read_elsewhere(path, None, self)
        except UnitMissingError as missing:
            units = ["mm", "cm", "m", "in"]
            unit, told = QInputDialog.getItem(self, "Unit of length", f"{missing}.\nOne unit in the file is 1", units)
            return read_elsewhere(path, unit, self) if told else None

    def save(self) -> bool:
        """Save under the name the case has, or ask for one."""
        return self._write(self.current.path) if self.current.path else self.save_as()

    def save_as(self) -> bool:
        """Ask for a name and save."""
        if self.current.case is None:
            return False
        suggestion = str(self.current.path or Path(f"{self.current.case.document.title}{SUFFIX}"))
        name, _ = QFileDialog.getSaveFileName(self, "Save the case as", suggestion, f"Cases (*{SUFFIX});;All files (*)")
        if not name:
            return False
        path = Path(name)
        return self._write(path if path.suffix else path.with_suffix(SUFFIX))

    def _write(self, path: Path) -> bool:
        self.commit_typing()
        if self.current.case is None:
            return False
        if path == self.current.path:
            match self.on_disk.ask_if_changed(path, self.current.case):
                case KeptVersion.THEIRS:
                    self._take_theirs()
                    return False
                case KeptVersion.ELSEWHERE:
                    return self.save_as()
                case KeptVersion.LATER:
                    return False
        try:
            write_case(self.current.case, path)
        except NotWrittenError as error:
            QMessageBox.warning(
                self, "The case was not saved", f"{error}\nThe case is still on the desk; save it elsewhere."
            )
            return False
        self.on_disk.note(path)
        self.current.saved(path)
        self.settings.remember(path)
        self.tell(f"saved {path}")
        return True

    def _look_at_disk(self) -> None:
        """See whether the file was changed while another window had the focus, or is edited there."""
        self._tell_of_others()
        match self.on_disk.ask_if_changed(self.current.path, self.current.case, looking=True):
            case KeptVersion.THEIRS:
                self._take_theirs()
            case KeptVersion.ELSEWHERE:
                self.save_as()
            case KeptVersion.MINE:
                self.current.not_saved()

    def _take_theirs(self) -> None:
        """Put what the file holds now on the desk, from which undo leads back to what was there."""
        path = self.current.path
        assert path is not None
        try:
            theirs = read_case(path)
        except BluntEmberError as error:
            FaultsDialog(path, error, self).exec()
            return
        self.current.edit_or_tell("what the file holds now", lambda mine: theirs)
        self.current.saved(path)

    def may_leave(self) -> bool:
        """Ask about unsaved work; True when the case on the desk may go."""
        self.commit_typing()
        if not self.current.edited or self.current.case is None:
            return True
        buttons = QMessageBox.StandardButton
        title = self.current.case.document.title
        answer = QMessageBox.question(
            self,
            "Save the case?",
            f"'{title}' has edits that are not saved.",
            buttons.Save | buttons.Discard | buttons.Cancel,
            buttons.Save,
        )
        if answer == buttons.Save:
            return self.save()
        return answer == buttons.Discard

    def commit_typing(self) -> None:
        """Take what is being typed into the case, as leaving the field would."""
        focused = QApplication.focusWidget()
        if focused is not None and focused is not self and self.isAncestorOf(focused):
            focused.clearFocus()

    def changeEvent(self, event: QEvent | None) -> None:
        """Look at the file when the window is turned to again."""
        super().changeEvent(event)
        if event is not None and event.type() == QEvent.Type.ActivationChange and self.isActiveWindow():
            QTimer.singleShot(0, self._look_at_disk)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Take a file."""
        mime = event.mimeData() if event else None
        if event is not None and mime is not None and any(url.isLocalFile() for url in mime.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Open the file that was dropped."""
        mime = event.mimeData() if event else None
        if event is not None and mime is not None:
            event.acceptProposedAction()
            path = next(Path(url.toLocalFile()) for url in mime.urls() if url.isLocalFile())
            QTimer.singleShot(0, lambda: self.open_path(path))
