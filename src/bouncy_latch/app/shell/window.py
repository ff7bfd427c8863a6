"""The bench: one window with shelf, job line, stage, sheet, ruler and verdicts, and every command."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property, partial
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QKeySequence, QShortcut, QShowEvent
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QMainWindow,
    QMenu,
    QPlainTextEdit,
    QStackedLayout,
    QVBoxLayout,
    QWidget,
)

from bouncy_latch.app.kit.editors import NumberField
from bouncy_latch.app.kit.notice import NoticeLine
from bouncy_latch.app.kit.pages import Pages
from bouncy_latch.app.kit.parts import Later, around, label
from bouncy_latch.app.kit.theme import THEME, style_sheet
from bouncy_latch.app.pages.chooser import Chooser
from bouncy_latch.app.session import workers
from bouncy_latch.app.session.bed import Bed
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.shell.asides import Asides
from bouncy_latch.app.shell.commands import PROJECT_MENU, Command, commands_of
from bouncy_latch.app.shell.dropping import Dropping
from bouncy_latch.app.shell.exporting import Exporting
from bouncy_latch.app.shell.folding import LEAST_WORK, Folding
from bouncy_latch.app.shell.palette import Palette
from bouncy_latch.app.shell.reading import Reading
from bouncy_latch.app.shell.recent import Recent
from bouncy_latch.app.stops.brief import BriefStop
from bouncy_latch.app.stops.print_stop import PrintStop
from bouncy_latch.app.stops.shape import ShapeStop
from bouncy_latch.app.strips.jobline import STOPS, JobLine
from bouncy_latch.app.strips.loosesheet import LooseSheet
from bouncy_latch.app.strips.rulerpanel import RulerPanel
from bouncy_latch.app.strips.sheet import Sheet
from bouncy_latch.app.strips.shelf import Shelf
from bouncy_latch.app.strips.topbar import TopBar
from bouncy_latch.app.strips.verdicts import Verdicts
from bouncy_latch.core.checks import Check
from bouncy_latch.core.judge.prints.printing import LAYERS_ID
from bouncy_latch.core.judge.verdicts import SWEEP_ID
from bouncy_latch.core.layers.findings import Finding
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.project import document, store
from bouncy_latch.core.project.demo import demo_project
from bouncy_latch.core.project.store import Latch

if TYPE_CHECKING:
    from bouncy_latch.app.shell.pausing import Pausing
    from bouncy_latch.app.stops.fit import FitStop
    from bouncy_latch.app.stops.prove import ProveStop

LEAST = QSize(500, 340)
"""What the window needs: a screen of 1024 × 700 with letters twice as large has 512 × 350 of these."""
RULER = 89
"""Height of the ruler with its words, px."""
STOP_MS = 600
"""What slow work gets to stop when the window closes; the window is gone already."""
BRIEF, FIT, SHAPE, PRINT = (STOPS.index(name) for name in ("Brief", "Fit", "Shape", "Print"))
_MESHES = "Meshes (*.stl *.3mf *.obj *.ply)"
_DATA = "Bouncy Latch projects (*.latch)"


class BenchWindow(QMainWindow):
    """The whole interface over one session."""

    def __init__(self, session: Session, recent: Recent | None = None) -> None:
        super().__init__()
        self.session, self.recent = session, recent
        self._leaving, self._was_empty = False, False
        self.exporting, self.reading = Exporting(self), Reading(self)
        self.dropping = Dropping(self, self.open_file, self.predict_loose, self.say)
        self.setWindowTitle("Bouncy Latch")
        self.resize(QSize(1280, 800).boundedTo(self.screen().availableSize()))
        self.setMinimumSize(LEAST.boundedTo(self.screen().availableSize()))
        self.bed = Bed(session)
        self.topbar, self.shelf, self.sheet = TopBar(session), Shelf(session, self.bed), Sheet(session)
        self.jobline, self.ruler, self.verdicts = JobLine(session, self.bed), RulerPanel(session), Verdicts(session, self.bed)
        self.brief, self.shape, self.print_stop = BriefStop(session), ShapeStop(session, self.bed), PrintStop(session, self.bed)
        self._fit, self._prove = Later(self._made_fit), Later(self._made_prove)
        self.loose_sheet = LooseSheet(self.bed)
        self._elsewhere = label("These parts come from files: Shape and Print tell about them.\n"
                                "Pick a mechanism on the shelf to go on designing.", "quiet", 10.5)
        self._elsewhere.setAlignment(Qt.AlignmentFlag.AlignCenter)
        # Pages begin inside what holds them: a page without a parent would open as a window of its own.
        self._pages = QFrame(objectName="panel")
        self._stack = Pages(self._pages)
        for stop in (self.brief, self._fit, self.shape, self.print_stop, self._prove):
            self._stack.addWidget(stop)
        self._stack.addWidget(self._elsewhere)
        self.chooser = Chooser(session)
        self._stack.addWidget(self.chooser)
        self.asides = Asides(self, self._stack, self._go_back)
        self._notice = NoticeLine()
        self.notice, self._notice_actions = self._notice.words, self._notice.answers
        self._lay_out()
        self.commands = commands_of(self)
        self.palette_panel = Palette(self.centralWidget() or self, self.commands)
        self._connect()
        self.jobline.go(SHAPE)
        self.apply_theme()

    def _made_fit(self) -> QWidget:
        from bouncy_latch.app.stops.fit import FitStop

        made = FitStop(self.session)
        made.next.said.connect(self.say)
        return made

    def _made_prove(self) -> QWidget:
        from bouncy_latch.app.stops.prove import ProveStop

        return ProveStop(self.session)

    @property
    def fit(self) -> FitStop:
        """What gaps do on this printer."""
        return cast("FitStop", self._fit.make())

    @property
    def prove(self) -> ProveStop:
        """What became of prints."""
        return cast("ProveStop", self._prove.make())

    def _lay_out(self) -> None:
        middle = QVBoxLayout()
        middle.setSpacing(2)
        middle.addWidget(self.jobline)
        middle.addWidget(around(self._pages), 1)
        self._beside = QWidget()
        self._sheets = QStackedLayout(self._beside)
        self._sheets.addWidget(self.sheet)
        self._sheets.addWidget(self.loose_sheet)
        upper = QHBoxLayout()
        upper.setSpacing(2)
        upper.addLayout(middle, 1)
        upper.addWidget(self._beside)
        self.ruler.setFixedHeight(RULER)
        working = QWidget()
        working.setMinimumHeight(LEAST_WORK)
        work = QVBoxLayout(working)
        work.setContentsMargins(6, 4, 6, 6)
        work.setSpacing(5)
        work.addLayout(upper, 1)
        work.addWidget(self.ruler)
        work.addWidget(self.verdicts)
        lower = QHBoxLayout()
        lower.setSpacing(0)
        lower.addWidget(self.shelf)
        lower.addWidget(around(working), 1)
        bench = QWidget(objectName="bench")
        whole = QVBoxLayout(bench)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.topbar)
        whole.addWidget(self._notice)
        whole.addLayout(lower, 1)
        self.setCentralWidget(bench)
        self.folding = Folding(bench, self.shelf, self._beside, upper, self.verdicts)

    def _connect(self) -> None:
        self.session.said.connect(self.say)
        self.session.clashed.connect(self._on_clash)
        self.session.saved_changed.connect(self._on_saved)
        self.topbar.project_menu.connect(self._open_project_menu)
        self.topbar.palette_wanted.connect(self.palette_panel.open)
        self.jobline.went.connect(self._on_went)
        self.session.changed.connect(self._on_session)
        self.shelf.add_wanted.connect(self.choose_kind)
        for asked, name in ((self.topbar.printers_wanted, "printers"), (self.chooser.printers_wanted, "printers"),
                            (self.sheet.hardware_wanted, "hardware")):
            asked.connect(partial(self.asides.show, name))
        self.chooser.chosen.connect(lambda: self.jobline.go(SHAPE))
        self.chooser.left.connect(self._go_back)
        self.chooser.file_wanted.connect(self.reading.part)
        self.verdicts.place_wanted.connect(self._show_place)
        self.verdicts.search_wanted.connect(self.find_sizes)
        self.verdicts.ladder_wanted.connect(lambda: (self.jobline.go(FIT), self.fit.go(0)))
        self.bed.said.connect(self.say)
        self.bed.changed.connect(self._on_bed)
        self._stack.currentChanged.connect(lambda _: self._on_bed())
        self.print_stop.place_wanted.connect(self._show_bed_place)
        self.print_stop.explained.connect(self.verdicts.explain)
        self.print_stop.gcode_wanted.connect(lambda: self.pausing.begin())
        self.shape.plot_wanted.connect(self.exporting.plot)
        self.shape.back_wanted.connect(lambda: self.jobline.go(PRINT))
        for command in self.commands:
            if command.shortcut:
                plain = len(command.shortcut) == 1
                shortcut = QShortcut(QKeySequence(command.shortcut), self)
                shortcut.activated.connect(lambda c=command, p=plain: self._on_shortcut(c, p))

    def _on_went(self, stop: int) -> None:
        if not self.session.project.mechanisms and not self.bed.shows_loose:
            self._stack.setCurrentWidget(self.chooser)
            return
        self._stack.setCurrentIndex(len(STOPS) if self.bed.shows_loose and stop not in (SHAPE, PRINT) else stop)

    def _on_session(self) -> None:
        """An empty project is where one chooses; the first mechanism ends that."""
        empty = not self.session.project.mechanisms and not self.bed.shows_loose
        shown = self.view_shown()
        besides = shown is self.chooser or shown in self.asides
        if (empty and not besides) or (not empty and shown is self.chooser and self._was_empty):
            self._on_went(self.jobline.current)
        self._was_empty = empty

    def choose_kind(self) -> None:
        """Show the kinds to choose from."""
        self._stack.setCurrentWidget(self.chooser)

    def _on_saved(self) -> None:
        """A project with a file is one that was open lately."""
        if self.recent and self.session.path and self.session.path not in self.recent.paths()[:1]:
            self.recent.note(self.session.path)

    @cached_property
    def pausing(self) -> Pausing:
        """What puts pauses into sliced files, loaded when it is first asked for."""
        from bouncy_latch.app.shell.pausing import Pausing

        return Pausing(self)

    def _go_back(self) -> None:
        self._on_went(self.jobline.current)

    def view_shown(self) -> QWidget:
        """Return what the middle of the window shows."""
        return self._stack.currentWidget() or self

    def _on_bed(self) -> None:
        """Loose parts bring their own sheet and have no ruler."""
        loose = self.bed.shows_loose
        if loose != (self._sheets.currentIndex() == 1):
            self._sheets.setCurrentIndex(int(loose))
            if loose and self.jobline.current not in (SHAPE, PRINT):
                self.jobline.go(PRINT)
            self._on_went(self.jobline.current)
        # A page that is about no mechanism has the room of what is.
        shown = self.view_shown()
        designing = shown is not self.chooser and shown not in self.asides
        solution = self.session.solution
        self.ruler.setVisible(designing and not loose and solution is not None and bool(solution.rulers))
        for widget in (self.jobline, self.verdicts):
            widget.setVisible(designing)
        # The brief asks for the same sizes as the sheet.
        self.folding.show_beside(designing and shown is not self.brief)

    def _on_shortcut(self, command: Command, plain: bool) -> None:
        """A bare letter must not fire while the user types."""
        if not (plain and isinstance(QApplication.focusWidget(), (QLineEdit, QPlainTextEdit))):
            command.run()

    # -- commands ----------------------------------------------------------------------------------------------------

    def say(self, sentence: str) -> None:
        """Show a sentence on the notice line for a while."""
        self._notice.say(sentence)

    def ask(self, sentence: str, answers: Sequence[tuple[str, Callable[[], object]]]) -> None:
        """Ask on the notice line; it stays until answered."""
        self._notice.ask(sentence, answers)

    def _open_project_menu(self) -> None:
        menu = QMenu(self)
        for command in self.commands:
            if command.title in PROJECT_MENU:
                menu.addAction(f"{command.title}\t{command.shortcut}", command.run)
        lately = [path for path in self.recent.paths() if path != self.session.path] if self.recent else []
        if lately:
            menu.addSection("open lately")
        for path in lately:
            menu.addAction(path.name, lambda p=path: self.open_file(p)).setToolTip(str(path))
        menu.exec(self.topbar.project_button.mapToGlobal(self.topbar.project_button.rect().bottomLeft()))

    def save(self) -> None:
        if self.session.path is None:
            self.save_as()
        else:
            self.session.save()

    def save_as(self) -> None:
        from bouncy_latch.core.project.delivery import file_stem

        start = str(self.session.path or Path.home() / f"{file_stem(self.session.project.name)}.latch")
        path, _ = QFileDialog.getSaveFileName(self, "Save the project", start, _DATA)
        if path:
            self.save_to(Path(path))

    def save_to(self, named: Path) -> None:
        """Save where the user said; a file that only the added suffix leads to is not replaced unasked."""
        target = store.with_suffix(named)
        if target != named and target != self.session.path and target.exists():
            self.ask(f"{target.name} is there already.", [
                ("replace it", lambda: self.session.save(target)), ("another name", self.save_as), ("stay", lambda: None)])
        else:
            self.session.save(target)

    def _on_clash(self, sentence: str) -> None:
        session = self.session
        path = session.path
        self.ask(f"{sentence}.", [
            ("keep both", session.save_beside),
            ("take theirs", lambda: session.open(path) if path else None),
            ("overwrite", lambda: session.save(over=True)),
            ("later", lambda: None)])

    def open(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Open a project", str(Path.home()), _DATA)
        if path:
            self.open_file(Path(path))

    def open_file(self, path: Path) -> None:
        """Open a project, asking first when work would be lost."""
        self._replace(lambda: self.session.open(path) or (self.recent and self.recent.forget(path)))

    def new(self) -> None:
        self._replace(lambda: self.session.adopt(Latch(document.empty_project()), None, unsaved=False))

    def open_demo(self) -> None:
        self._replace(lambda: self.session.adopt(Latch(demo_project()), None, unsaved=False))

    def _replace(self, run: Callable[[], object]) -> None:
        """Put another project in place of this one, asking first when work would be lost."""
        if self.session.dirty:
            self.ask(f"{self.session.project.name} has unsaved changes.", [
                ("save first", lambda: (self.save(), run() if not self.session.dirty else None)),
                ("go on without saving", run), ("stay", lambda: None)])
        else:
            run()  # type: ignore[operator]

    def predict_loose(self, paths: list[Path] | None = None) -> None:
        """Predict the print of parts from mesh files the user picks."""
        if paths is None:
            names, _ = QFileDialog.getOpenFileNames(self, "Parts as they stand on the bed", str(Path.home()), _MESHES)
            paths = [Path(name) for name in names]
        if paths:
            self.bed.open(paths)
            self.bed.show_loose(True)

    def compare_poses(self) -> None:
        """Show the ways up, compared."""
        self.jobline.go(PRINT)
        self.print_stop.poses_button.setChecked(True)
        self.print_stop.show_poses()

    def export_coupon(self, name: str, folder: Path | None = None) -> None:
        """Write one of the ladders that belong to no kind."""
        self.fit.next.export_named(name, folder)

    def set_recommended(self) -> None:
        """Set the ruler's value to the recommended one."""
        view, request = self.session.view, self.session.request
        if view and request and view.outlook.recommended is not None:
            self.session.set_params("recommended", **{request.kind.recommend: round(view.outlook.recommended, 4)})
        elif view is None or not view.whole:
            self.say("It is still being worked out.")
        else:
            self.say("No value of it alone reaches the aim on this process; the verdicts say what else would.")

    def find_sizes(self) -> None:
        """Look for sizes that meet what the brief asks, where the kind allows it."""
        self.jobline.go(BRIEF)
        if self.brief.target.isVisible():
            self.brief.target.search()
        else:
            mechanism = self.session.mechanism
            name = registry.kind(mechanism.kind).title if mechanism is not None else "what is not there"
            self.say(f"No sizes are looked for with {name.lower()}: choose a snap fit or a spring on the shelf.")

    def apply_first_remedy(self) -> None:
        """Press the first remedy shown among the verdicts."""
        for row in self.verdicts.rows:
            if row.isVisible() and row.remedy.isVisible():
                row.remedy.click()
                return
        self.say("No verdict needs mending.")

    def caliper_reading(self) -> None:
        """Type a reading into the number field in focus, as a caliper with a data cable does."""
        from bouncy_latch.core.virtual.caliper import typed

        field = QApplication.focusWidget()
        if isinstance(field, NumberField) and field.value is not None:
            field.insert(("" if field.selectedText() or not field.text() else " ") + typed(field.value))
            field.setModified(True)
        else:
            self.say("Put the cursor into a number first; the caliper types where you are.")

    def toggle_theme(self) -> None:
        THEME.toggle()
        self.apply_theme()

    def apply_theme(self) -> None:
        """Take the tokens in force everywhere."""
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.setStyleSheet(style_sheet(THEME.tokens))
        self.shape.apply_theme()
        for widget in self.findChildren(QWidget):
            widget.update()

    def _show_place(self, check: Check) -> None:
        """Show where a verdict comes from: flaws of the print in their layer, everything else in the solid."""
        if isinstance(check, Finding):
            self.jobline.go(PRINT)
            self.print_stop.choose(check)
        elif check.id == LAYERS_ID and check.place:
            self._show_bed_place(check.place)
        elif check.place:
            self.jobline.go(SHAPE)
            proof = self.session.proof
            value = proof.sweep.worst_value if proof and proof.sweep and check.id == SWEEP_ID else None
            self.shape.show_place(check.place, value)

    def _show_bed_place(self, place: tuple[float, float, float]) -> None:
        """Show a point of the bed in the solid, the mechanism as it is printed."""
        printed, solution = self.bed.printed, self.session.solution
        self.jobline.go(SHAPE)
        if self.bed.shows_loose:
            self.shape.show_place(place, None, from_layer=True)
        elif printed is not None and solution is not None:
            self.shape.show_place(printed.drawn(place), solution.motion.rest, from_layer=True)

    # -- life --------------------------------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        # The 3-D libraries load after the window is there and usable.
        QTimer.singleShot(30, self._load_stage)

    def _load_stage(self) -> None:
        self.shape.load_stage()
        self.session.release()

    def closeEvent(self, event: QCloseEvent) -> None:
        if self._leaving:
            self.session.close(keep=False)
        elif not self.session.close(keep=True):
            said = self.notice.text()
            self.ask(f"{said[:1].upper()}{said[1:]}. Unsaved work would be lost.", [
                ("save elsewhere", self._save_and_leave), ("close all the same", self.leave), ("stay", lambda: None)])
            event.ignore()
            return
        self.hide()
        workers.close_all(STOP_MS)
        self.shape.close_stage()
        super().closeEvent(event)

    def _save_and_leave(self) -> None:
        self.save_as()
        if not self.session.dirty:
            self.close()

    def leave(self) -> None:
        """Close whatever is lost by it."""
        self._leaving = True
        self.close()
