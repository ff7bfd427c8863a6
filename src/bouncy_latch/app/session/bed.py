"""What lies on the print bed: the selected mechanism, or loose parts from files; one face to everything that shows a print."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from bouncy_latch.app.kit.parts import counted
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.session.workers import Lane
from bouncy_latch.core.checks import Check, ordered
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.freedom import Freedom
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.judge.prints import loose as loose_parts
from bouncy_latch.core.judge.prints.printing import Job, Printed, judge, poses
from bouncy_latch.core.judge.verdicts import job_of
from bouncy_latch.core.layers.findings import Finding
from bouncy_latch.core.layers.poses import AS_IS, Standing
from bouncy_latch.core.layers.setup import CARRIED, PrintSetup, shelf_under
from bouncy_latch.core.process.population import effective
from bouncy_latch.core.process.profile import Process


@frozen
class ShelfOffer:
    """The remedy for something that hangs: a sacrificial shelf under it."""

    finding: Finding

    @property
    def text(self) -> str:
        """One line for a button."""
        return "put a sacrificial shelf under it"


@frozen
class Loose:
    """Loose parts: their bodies and what was mended, how they should move (as typed), and how they are set up."""

    paths: tuple[Path, ...]
    unit: str
    bodies: dict[str, Any]
    notes: tuple[str, ...]
    kind: str = "apart"
    line: str = ""
    freedom: Freedom | None = None
    setup: PrintSetup = PrintSetup()

    @property
    def name(self) -> str:
        """What the shelf calls them."""
        return " + ".join(path.stem for path in self.paths)


class Bed(QObject):
    """The print bed.

    Signals:
        changed: what lies on it, or what is known of it. compared: the ways up were compared. refused: (field, sentence).
        said: a sentence for the notice line.
    """

    changed = Signal()
    compared = Signal()
    refused = Signal(str, str)
    said = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.loose: Loose | None = None
        self.shows_loose = False
        self._printed: Printed | None = None
        self._judged_on: Process | None = None
        self.standings: list[Standing] | None = None
        self.loose_lane, self.pose_lane = Lane(self), Lane(self)
        self.loose_lane.finished.connect(self._on_judged)
        self.loose_lane.failed.connect(self._on_failed)
        self.pose_lane.finished.connect(self._on_compared)
        self.pose_lane.failed.connect(self.said)
        session.changed.connect(self._on_session)
        session.proved.connect(self.changed)

    # -- reading -----------------------------------------------------------------------------------------------------

    @property
    def lane(self) -> Lane:
        """The lane whose work is being waited for."""
        return self.loose_lane if self.shows_loose or self.loose_lane.busy else self._session.proof_lane

    @property
    def process(self) -> Process:
        """The process everything is judged by."""
        return effective(self._session.process, self._session.project.policy)

    @property
    def printed(self) -> Printed | None:
        """The judgement, once it is there."""
        if self.shows_loose:
            return self._printed
        return self._session.proof.printed if self._session.proof else None

    @property
    def waiting(self) -> bool:
        """Whether a judgement is to be expected."""
        return self.printed is None and (self.shows_loose or self._session.solution is not None)

    @property
    def trouble(self) -> str:
        """Why there is nothing to print."""
        return "" if self.shows_loose else self._session.trouble

    @property
    def labels(self) -> dict[str, str]:
        """What the user calls each body."""
        if self.shows_loose and self.loose:
            return {name: name for name in self.loose.bodies}
        return self._session.solution.body_labels if self._session.solution else {}

    @property
    def setup(self) -> PrintSetup:
        """How the print is set up."""
        if self.shows_loose and self.loose:
            return self.loose.setup
        mechanism = self._session.mechanism
        return mechanism.setup if mechanism else PrintSetup()

    @property
    def checks(self) -> list[Check]:
        """All verdicts on what lies on the bed, worst first."""
        if self.shows_loose:
            return ordered(self._printed.checks) if self._printed else []
        return self._session.checks

    def remedies(self, check: Check) -> list[Any]:
        """Return what mends a check: solved changes of a size, or a shelf."""
        found = [] if self.shows_loose else self._session.remedies(check.id)
        if not found and isinstance(check, Finding) and check.id in CARRIED and check.box:
            found = [ShelfOffer(check)]
        return found

    def place_name(self, point: tuple[float, float, float]) -> str:
        """Return words for a point of the bed."""
        printed, solution = self.printed, self._session.solution
        if self.shows_loose or solution is None or printed is None:
            return f"x {point[0]:.1f}, y {point[1]:.1f}"
        return solution.motion.place_name(printed.drawn(point))

    def job(self) -> Job | None:
        """Return what is printed."""
        if self.shows_loose and self.loose:
            return loose_parts.job_of(self.loose.bodies, self.process, self.loose.freedom, self.loose.setup)
        request, solution = self._session.request, self._session.solution
        return job_of(request, solution) if request and solution else None

    # -- loose parts -------------------------------------------------------------------------------------------------

    def open(self, paths: Sequence[Path], unit: str = "mm") -> None:
        """Read loose parts and judge them; what was there stays until that has worked."""
        from bouncy_latch.core.formats import foreign

        process, chosen = self.process, tuple(paths)

        def work(report: Any) -> tuple[Loose, Process, Printed]:
            found = foreign.read_all(chosen, unit, lambda part: report(0.4 * part))
            made = Loose(chosen, unit, found.bodies, found.notes)
            return made, process, judge(loose_parts.job_of(made.bodies, process), lambda part: report(0.4 + 0.6 * part))

        self.loose_lane.start(work)
        self.said.emit(f"reading {', '.join(path.name for path in chosen)}")

    def show_loose(self, shown: bool) -> None:
        """Turn to the loose parts, or back to the mechanism."""
        if shown != self.shows_loose and (self.loose or not shown):
            self.shows_loose, self.standings = shown, None
            self.changed.emit()

    def close_loose(self) -> None:
        """Put the loose parts away."""
        self.loose_lane.cancel()
        self.loose, self._printed, self.shows_loose, self.standings = None, None, False, None
        self.changed.emit()

    def set_freedom(self, kind: str, line: str) -> bool:
        """Say how the loose parts should move; refused in a sentence or done."""
        if self.loose is None:
            return False
        try:
            freedom = None if kind == "apart" else loose_parts.freedom_from(kind, line or "z", self.loose.bodies)
        except UserError as error:
            self.refused.emit("line", error.sentence)
            return False
        self.refused.emit("line", "")
        self._change(replace(self.loose, kind=kind, line=line or ("z" if freedom else ""), freedom=freedom))
        return True

    def _change(self, made: Loose) -> None:
        self.loose, self._printed = made, None
        process = self.process
        self.loose_lane.start(lambda report: (made, process, judge(
            loose_parts.job_of(made.bodies, process, made.freedom, made.setup), report)))
        self.changed.emit()

    def _on_judged(self, result: tuple[Loose, Process, Printed]) -> None:
        first = self.loose is None or self.loose.paths != result[0].paths
        self.loose, self._judged_on, self._printed = result
        self.shows_loose = self.shows_loose or first
        if first:
            self.said.emit("; ".join(result[0].notes) or f"{counted(len(result[0].bodies), 'body', 'bodies')} read")
        self.changed.emit()

    def _on_failed(self, sentence: str) -> None:
        self.said.emit(sentence)
        self.changed.emit()

    def _on_session(self) -> None:
        self.standings = None
        if self.loose is not None and self._judged_on is not None and self.process != self._judged_on:
            self._judged_on = self.process
            self._change(self.loose)
        else:
            self.changed.emit()

    # -- setting up --------------------------------------------------------------------------------------------------

    def set_up(self, label: str, **changes: Any) -> None:
        """Change the print setup; another way up leaves its shelves behind."""
        if "turn" in changes:
            changes.setdefault("shelves", ())
        made = self.setup.model_copy(update=changes)
        if self.shows_loose and self.loose:
            self._change(replace(self.loose, setup=made))
        else:
            self._session.set_setup(label, made)

    def adopt(self, standing: Standing) -> None:
        """Print in this pose from now on."""
        turn = None if standing.pose.turn == AS_IS else standing.pose.turn
        self.set_up(f"print {standing.pose.name}", turn=turn)

    def put_shelf(self, finding: Finding) -> bool:
        """Put a sacrificial shelf under a finding; refused in a sentence or done."""
        printed = self.printed
        if printed is None:
            return False
        slices = dict(zip(printed.prediction.names, printed.prediction.drawn, strict=True))
        try:
            shelf = shelf_under(finding, slices, self.process)
        except UserError as error:
            self.said.emit(error.sentence)
            return False
        self.set_up("sacrificial shelf", shelves=(*self.setup.shelves, shelf))
        return True

    def compare_poses(self) -> None:
        """Compare the ways up, beside the interface."""
        job = self.job()
        if job is not None:
            self.pose_lane.start(lambda report: (job.process, poses(job, report)))

    def _on_compared(self, result: tuple[Process, list[Standing]]) -> None:
        if result[0] == self.process:
            self.standings = result[1]
            self.compared.emit()
