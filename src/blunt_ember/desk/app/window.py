"""The main window: four zones about one case."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QGuiApplication, QResizeEvent
from PyQt6.QtWidgets import QApplication, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import with_value
from blunt_ember.desk.app.current_case import CurrentCase
from blunt_ember.desk.app.file_on_disk import FileOnDisk
from blunt_ember.desk.app.filing_window import FilingWindow
from blunt_ember.desk.app.header import Header
from blunt_ember.desk.app.kept_work import WorkKeeper
from blunt_ember.desk.app.menus import Menus
from blunt_ember.desk.app.settings import Settings
from blunt_ember.desk.app.zones import FoldingZone
from blunt_ember.desk.beginning.start_page import StartPage
from blunt_ember.desk.checks.panel import ChecksPanel
from blunt_ember.desk.sheet.sheet import Sheet
from blunt_ember.desk.sheet.surface_card import SurfaceCard
from blunt_ember.desk.solver.child_process import ChildProcess
from blunt_ember.desk.solver.solver import SolverProcess
from blunt_ember.desk.stage.hints import Hints
from blunt_ember.desk.stage.stage import Stage
from blunt_ember.desk.strip.strip import Strip
from blunt_ember.desk.widgets.style import palette, style_sheet
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.outcome import Kept, Outcome, without_errors
from blunt_ember.library.shelves import keep
from blunt_ember.picture.palette import DARK, LIGHT
from blunt_ember.report.tables.checks import CHECK_HEADINGS, check_rows
from blunt_ember.sentences.parts import Asked, DoStudy, DrawOutline, KeepMaterial
from blunt_ember.studies.points import Point
from blunt_ember.studies.telling import stated_as

#: A solve shorter than this does not mark the picture as stale, so that quick edits do not flicker, ms.
START_PATIENCE_MS = 200
SHEET_WIDTH, CHECKS_WIDTH, STRIP_HEIGHT = 372, 328, 244
#: What the sheet takes of a narrow window, and the strip of a low one.
_SHEET_SHARE, _STRIP_SHARE = 0.29, 0.4


class Window(FilingWindow):
    """Shows one case; opens, saves, solves and undoes."""

    def __init__(self, solver: SolverProcess | None = None, settings: Settings | None = None) -> None:
        super().__init__()
        self.setObjectName("window")
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.settings = settings or Settings()
        self._wear(self.settings.dark)
        self.current = CurrentCase(self)
        self.current.changed.connect(self._case_changed)  # before the sheet hears of it: it is solved meanwhile
        self.solver = solver or SolverProcess(self)
        self.outcome: Outcome | None = None
        self._kept: Kept | None = None
        self.live = True
        self.keeper = WorkKeeper(self.current, self)
        self.on_disk = FileOnDisk(self)
        self._seen: Case | None = None
        self._late = QTimer(self)
        self._late.setSingleShot(True)
        self._late.setInterval(START_PATIENCE_MS)
        self._late.timeout.connect(self._mark_stale)

        self._lay_out()
        # In the order in which the Tab key goes through them.
        self.header = Header(self.current, self._desk)
        self.sheet = Sheet(self.current, self.zones["sheet"])
        self.stage = Stage(self.current, Hints(self.settings), self._upper)
        self.checks = ChecksPanel(self.zones["checks"])
        self.card = SurfaceCard(self.current, self.stage)
        self.strip = Strip(self.zones["strip"])
        self.start_page = StartPage(self.settings, self._pages)
        self._fill()
        self.menus = Menus(self)
        self._connect()
        self.set_dark(self.settings.dark)
        self._restore_layout()
        self._show_state()

    def _lay_out(self) -> None:
        """Make what zones stand in, from the outside inwards: a widget that is moved into another takes up its look
        anew, and so does all that it holds."""
        self._pages = QStackedWidget(self)
        self._desk = QWidget(self._pages)
        self._left_right = QSplitter(Qt.Orientation.Horizontal, self._desk)
        sheet = FoldingZone("sheet", "left", "Ctrl+1", SHEET_WIDTH, self._left_right)
        self._right = QSplitter(Qt.Orientation.Vertical, self._left_right)
        self._upper = QSplitter(Qt.Orientation.Horizontal, self._right)
        strip = FoldingZone("strip", "below", "Ctrl+3", STRIP_HEIGHT, self._right)
        self.zones = {"sheet": sheet, "checks": FoldingZone("checks", "right", "Ctrl+2", CHECKS_WIDTH), "strip": strip}
        for splitter in (self._left_right, self._upper, self._right):
            splitter.setHandleWidth(1)
            splitter.setChildrenCollapsible(False)
        self._placed_by_hand = False
        for splitter in (self._left_right, self._right):
            splitter.splitterMoved.connect(self._keep_placed)
        self.setCentralWidget(self._pages)

    def _fill(self) -> None:
        """Put every zone where it stands."""
        self._upper.addWidget(self.stage)
        self._upper.addWidget(self.zones["checks"])
        for name, zone, least in (("sheet", self.sheet, 300), ("checks", self.checks, 260)):
            self.zones[name].hold(zone)
            zone.setMinimumWidth(least)
        self.zones["strip"].hold(self.strip)
        self.strip.setMinimumHeight(120)
        self._upper.setStretchFactor(0, 1)
        self._right.setStretchFactor(0, 1)
        self._left_right.setStretchFactor(1, 1)
        self._left_right.setSizes([SHEET_WIDTH, 1280 - SHEET_WIDTH])
        self._upper.setSizes([1280 - SHEET_WIDTH - CHECKS_WIDTH, CHECKS_WIDTH])
        self._right.setSizes([800 - STRIP_HEIGHT - 70, STRIP_HEIGHT])
        layout = QVBoxLayout(self._desk)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.header)
        layout.addWidget(self._left_right, 1)
        self._pages.addWidget(self.start_page)
        self._pages.addWidget(self._desk)

    def _connect(self) -> None:
        self.current.refused.connect(self.tell)
        self.current.told.connect(self.tell)
        self.solver.solved.connect(self._solved)
        self.solver.passed.connect(self._passed)
        self.solver.stepped.connect(self.header.show_progress)
        self.strip.frame_chosen.connect(self.show_frame)
        self.strip.range_chosen.connect(self.stage.colour_over_whole_run)
        self.strip.place_pointed.connect(self.stage.mark_place)
        self.strip.study.point_taken.connect(self._take_point)
        self.stage.place_pointed.connect(self.strip.line.show_place)
        self.solver.busy_changed.connect(self._busy)
        self.solver.stopped.connect(self._stopped)
        self.solver.died.connect(self._solver_died)
        self.sheet.pointed.connect(self.stage.light)
        self.sheet.asked.connect(self._asked)
        self.card.pointed.connect(self.stage.light)
        self.card.closed.connect(self.stage.setFocus)
        self.stage.emptiness_clicked.connect(self.card.shut)
        self.stage.surface_pointed.connect(self.sheet.show_pointed)
        self.stage.surface_clicked.connect(self._surface_clicked)
        self.header.solve_clicked.connect(self.solve_or_stop)
        self.header.live_toggled.connect(self.set_live)
        self.start_page.family_chosen.connect(self.new_case)
        self.start_page.blank_chosen.connect(self.new_blank)
        self.start_page.case_made.connect(self.take_made)
        self.start_page.file_chosen.connect(self.open_path)
        self.start_page.open_clicked.connect(self.open_dialog)

    def _asked(self, what: Asked) -> None:
        match what:
            case DrawOutline():
                self.stage.draw_outline()
            case DoStudy(name):
                self.strip.choose_view("study")
                self.strip.study.do(name)
            case KeepMaterial(name) if self.current.case is not None:
                try:
                    path = keep(name, self.current.case.data["materials"][name])
                except BluntEmberError as error:
                    self.tell(str(error))
                else:
                    self.tell(f"'{name}' is kept in {path}.")

    def _take_point(self, point: Point) -> None:
        """Put the case that a point of a study stands for on the desk, as an edit."""

        def change(now: Case) -> Case:
            stated = {name: stated_as(now, name, value) for name, value in point.items()}
            return with_value(now, ("parameters",), {**now.data["parameters"], **stated})

        self.current.edit_or_tell(f"study: {', '.join(point)}", change)

    def show_case(self, case: Case, path: Path | None, saved: bool = True) -> None:
        """Put a case on the desk."""
        self.outcome = None
        self.card.shut()
        for zone in (self.stage, self.sheet, self.checks, self.strip):
            zone.show_outcome(None)
        self.strip.study.forget()
        self._pages.setCurrentIndex(1)
        self.stage.setFocus()
        self.on_disk.note(path)
        self.current.open(case, path, saved)

    # --- solving ---

    def solve_or_stop(self) -> None:
        """Solve the case as it stands, or stop the solve that runs."""
        if self.solver.busy:
            self.header.show_stale("stopping; what was computed is kept …")
            self.solver.stop()
        else:
            self.commit_typing()
            self._solve()

    def set_live(self, live: bool) -> None:
        """Choose whether every edit is solved at once."""
        self.live = live
        self.header.show_live(live)
        self.menus.show_live(live)
        if live and not self.is_current():
            self._solve()

    def _solve(self) -> None:
        if self.current.case is not None:
            self._late.start()
            self.solver.submit(self.current.case)

    def is_current(self) -> bool:
        """Tell whether what is seen is the answer of the case as it stands."""
        return self.outcome is not None and self.outcome.case is self.current.case

    def _case_changed(self) -> None:
        self._show_state()
        if self.current.case is None or self.current.case is self._seen:
            return  # only its file or its title bar changed; what was stopped stays stopped
        self._seen = self.current.case
        if self.live:
            self._solve()
        else:
            self._mark_stale("edited since it was solved; F5 solves")

    def _solved(self, outcome: Outcome) -> None:
        if outcome.case is not self.current.case:
            return
        if outcome.scales is not None and outcome.run is None and outcome.trouble is None:
            self._predicted(outcome)
            return
        self._late.stop()
        self._show(replace(outcome, kept=self._kept))

    def _passed(self, outcome: Outcome) -> None:
        """Show where edits that come faster than answers have got to, as what is not the case as it stands."""
        if self.outcome is None:
            return  # another case was opened meanwhile
        self.outcome = replace(outcome, kept=self._kept)
        for zone in (self.stage, self.checks):
            zone.show_outcome(self.outcome)
        self._mark_stale()

    def _show(self, outcome: Outcome) -> None:
        self.outcome = outcome
        for zone in (self.stage, self.checks, self.sheet, self.strip, self.card):
            zone.show_outcome(outcome)
        self.header.show_outcome(outcome)

    def keep_answer(self) -> None:
        """Keep the temperatures that are seen, so that later ones are seen beside them through the lens Difference."""
        outcome = self.outcome
        if outcome is None or outcome.mesh is None or outcome.solution is None or not self.is_current():
            self.tell("There is no answer yet that could be kept.")
            return
        self._kept = Kept(outcome.case.document.title, outcome.mesh, outcome.solution.temperature)
        self._show(replace(outcome, kept=self._kept))
        self.tell("Kept. Change something, and see what it does through the lens Difference, now − kept.")

    def _predicted(self, outcome: Outcome) -> None:
        """Show what is known before the clock has run; what was seen stays, as that of the case before."""
        self.sheet.show_outcome(outcome)
        if self.outcome is None or self.outcome.run is None:
            self.stage.show_outcome(outcome)
            self.strip.show_outcome(outcome)
        self._mark_stale("the clock runs …")

    def show_frame(self, frame: int) -> None:
        """Show another instant of the run: on the stage, in the curves and in the ledger."""
        outcome = self.outcome
        if outcome is None or outcome.run is None or not self.is_current():
            return
        try:
            seen = outcome.at_frame(frame)
        except (OSError, ValueError):  # the file of the fields is gone with the process that wrote it
            self.tell("The fields of this run are no longer there; F5 computes them again.")
            return
        self.stage.show_outcome(seen)
        self.checks.show_instant(seen)
        self.strip.show_frame(seen)

    def _busy(self, busy: bool) -> None:
        self.header.show_busy(busy)
        if not busy:
            self._late.stop()

    def _mark_stale(self, why: str = "solving …") -> None:
        if self.outcome is not None and not self.is_current():
            self.stage.mark_stale(f"This is the case before the last edit: {why}")
            self.checks.mark_stale()
        self.header.show_stale(why)

    def _stopped(self) -> None:
        """Keep an answer whose errors were still being estimated; what had none yet has none."""
        if self.outcome is not None and self.is_current() and self.outcome.checks and not self.outcome.final:
            self._show(without_errors(self.outcome))
        else:
            self._mark_stale("stopped; F5 solves again")

    def _solver_died(self) -> None:
        again = " again and again" if self.solver.keeps_dying else ""
        self._mark_stale(f"the solver ended unexpectedly{again}; F5 solves again")
        why = ", which may be for want of memory: larger cells or fewer of them need less" if again else ""
        self.tell(f"The solver ended unexpectedly{again}{why}. The case is as it was; F5 solves it again.")

    def _surface_clicked(self, surface: str, place: QPoint) -> None:
        """Open the card of an outer surface; go to the joints for one inside the body."""
        geometry = self.outcome.geometry if self.outcome is not None else None
        if geometry is None or self.outcome is None or surface not in geometry.surfaces:
            return
        self.sheet.jump_to_surface(surface)
        if geometry.surfaces[surface].outer:
            self.card.open_on(surface, self.stage.mapFromGlobal(place), self.outcome)

    # --- looks ---

    def set_dark(self, dark: bool) -> None:
        """Choose the dark or the light theme."""
        self._wear(dark)
        for zone in (self.stage, self.checks, self.strip, self.start_page):
            zone.set_theme(self.theme)
        for folding in self.zones.values():
            folding.set_theme(self.theme)
        self.menus.show_dark(dark)

    def _wear(self, dark: bool) -> None:
        """Let every widget take up the colours of a theme, which is quickest while there are none."""
        self.theme = DARK if dark else LIGHT
        self.settings.dark = dark
        application = QApplication.instance()
        if isinstance(application, QApplication) and application.styleSheet() != style_sheet(self.theme):
            application.setPalette(palette(self.theme))
            application.setStyleSheet(style_sheet(self.theme))

    def copy_checks(self) -> None:
        """Put checks and ledger on the clipboard as tab-separated text."""
        outcome, clipboard = self.outcome, QGuiApplication.clipboard()
        if outcome is None or clipboard is None:
            return
        lines = ["\t".join(row) for row in (CHECK_HEADINGS, *check_rows(outcome.checks))]
        if outcome.ledger:
            lines += ["", *(f"{row.name}\t{row.statement}\t{row.heat!r}\tW" for row in outcome.ledger.rows)]
            lines.append(f"imbalance\t\t{outcome.ledger.imbalance!r}\tW")
        clipboard.setText("\n".join(lines))
        self.tell("checks and ledger are on the clipboard")

    def tell(self, message: str) -> None:
        """Say something under the window for a while."""
        bar = self.statusBar()
        if bar is not None:
            bar.showMessage(message, 8000)

    def _show_state(self) -> None:
        case, path = self.current.case, self.current.path
        self.header.refresh()
        if case is not None:
            self.strip.study.show_case(case, path)
        self.menus.refresh()
        name = path.name if path else case.document.title if case else ""
        self.setWindowTitle(f"{name}[*] — Blunt Ember" if name else "Blunt Ember[*]")
        self.setWindowModified(self.current.edited and case is not None)

    def _restore_layout(self) -> None:
        geometry = self.settings.layout("window")
        if geometry is not None:
            self.restoreGeometry(geometry)
        for name, splitter in self._splitters():
            state = self.settings.layout(name)
            if state is not None:
                splitter.restoreState(state)
                self._placed_by_hand = True
        for name in self.settings.folded:
            if name in self.zones:
                self.zones[name].fold(True)

    def fold(self, name: str) -> None:
        """Fold a zone, or bring it back."""
        self.zones[name].fold(not self.zones[name].folded)
        if self.zones[name].folded:
            self.stage.setFocus()

    def stage_alone(self) -> None:
        """Fold everything but the stage, or bring all of it back."""
        alone = all(zone.folded for zone in self.zones.values())
        for zone in self.zones.values():
            zone.fold(not alone)
        self.stage.setFocus()

    def _keep_placed(self) -> None:
        self._placed_by_hand = True

    def _splitters(self) -> tuple[tuple[str, QSplitter], ...]:
        return ("sheet", self._left_right), ("upper", self._upper), ("right", self._right)

    # --- events ---

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Give sheet and strip less of a small window, until an edge is moved by hand."""
        super().resizeEvent(event)
        if not self._placed_by_hand and not self.zones["sheet"].folded:
            sheet = min(SHEET_WIDTH, max(self.sheet.minimumWidth(), round(_SHEET_SHARE * self.width())))
            self._left_right.setSizes([sheet, self.width() - sheet])
            if not self.zones["strip"].folded:
                strip = min(STRIP_HEIGHT, max(self.strip.minimumHeight(), round(_STRIP_SHARE * self.height())))
                self._right.setSizes([self.height() - strip, strip])

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Ask about unsaved work, remember the window, end the solver."""
        if event is None:
            return
        if not self.may_leave():
            event.ignore()
            return
        self.settings.keep_layout("window", self.saveGeometry())
        self.settings.folded = tuple(name for name, zone in self.zones.items() if zone.folded)
        for zone in self.zones.values():  # so that what is remembered is how large they are when they come back
            zone.fold(False)
        for name, splitter in self._splitters():
            self.settings.keep_layout(name, splitter.saveState())
        self.settings.flush()
        self.strip.refinement.end()
        self.strip.history.end()
        self.strip.study.leave()
        self.solver.close()
        for process in self.findChildren(ChildProcess):  # a report that is being written
            process.end()
        self.stage.close_renderer()
        self.start_page.close_renderer()
        self.keeper.forget()
        event.accept()
