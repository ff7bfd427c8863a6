"""The open project for widgets: they show the session and ask it for edits; nothing else.

One path for every change: edit → new document → solved at once → ``changed``; then, after a pause, the outlook and the
proof are worked out beside the interface (:mod:`working`) and announced when they arrive. What an edit does is the bench's.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from bouncy_latch.app.session.filing import Filing
from bouncy_latch.app.session.workers import Report
from bouncy_latch.app.session.working import PAUSE_MS
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.formats.foreign import UNIT
from bouncy_latch.core.layers.setup import PrintSetup, Stop
from bouncy_latch.core.learn.posterior.contradiction import questions
from bouncy_latch.core.mechanisms.contract import Ruler
from bouncy_latch.core.parts.surface import surface_of
from bouncy_latch.core.process.evidence import Reading, Result
from bouncy_latch.core.process.profile import Policy, Process
from bouncy_latch.core.project import on_faces, part_files
from bouncy_latch.core.project.document import Seated
from bouncy_latch.core.solids import contents


class Session(Filing):
    """The open project, to be edited."""

    def _edited(self, run: Callable[[], bool], merge_key: str | None = None) -> None:
        self.dragging = merge_key is not None
        if self._done(run):
            self._show()

    def set_params(self, label: str, merge_key: str | None = None, /, **values: Any) -> bool:
        """Change parameters of the selected mechanism; refused as a whole with one sentence, or done."""
        if self.mechanism is None:
            return False
        field = next(iter(values))
        if drawn := self.bench.names_file(values):
            self._read_file(label, drawn, values)
            return True
        before = self.history
        shelves = self._done(lambda: self.bench.set_params(label, values, merge_key), lambda error: self.refused.emit(
            error.field if error.field in values else field, error.sentence))
        if shelves is None:
            return False
        self.dragging = merge_key is not None
        self.refused.emit(field, "")
        if shelves:
            self.said.emit("The sacrificial shelves were taken away: the shape has changed.")
        if self.history is not before:
            self._show()
        return True

    def set_measured(self, name: str, text: str) -> bool:
        """Take several caliper readings of a given size; their mean is the size, their spread goes into the verdicts."""
        doubt = self._done(lambda: self.bench.set_measured(name, text), lambda error: self.refused.emit(name, error.sentence))
        if doubt is not None:
            self.refused.emit(name, doubt)
            self._show()
        return doubt is not None

    def _read_file(self, label: str, field: str, values: dict[str, Any]) -> None:
        """Take a value from a file, beside the interface: nobody knows how long a file takes."""
        mechanism = self.mechanism
        params = mechanism.parsed()

        def read(_report: object) -> Callable[[], object]:
            try:
                changed = {**values, field: getattr(params.changed(**{field: values[field]}), field)}
            except UserError as error:
                sentence = error.sentence
                return lambda: self.refused.emit(field, sentence)
            return lambda: mechanism.id == self.project.selected and self.set_params(label, None, **changed)

        self.refused.emit(field, "")
        self.said.emit(f"reading {Path(values[field]).name}")
        self.file_lane.start(read)

    def drag_ruler(self, ruler: Ruler, value: float) -> bool:
        """Bring the design to a place on a ruler's scale, as one step of a drag."""
        found = self.bench.brought_to(ruler, value)
        return found is not None and self.set_params(ruler.label, f"drag {ruler.id}", **{ruler.param: found})

    def end_drag(self) -> None:
        """Close the running drag, so that the next one is its own undo step."""
        self.bench.history = self.history.sealed()
        if self.dragging:
            self.dragging = False
            self.settled.emit()
            self._pause.start(PAUSE_MS)

    def select(self, mechanism_id: str) -> None:
        """Select a mechanism; no undo step."""
        if mechanism_id != self.project.selected:
            self.end_drag()
            self.bench.select(mechanism_id)
            self._show()

    def place(self, side: str, on: str | None, body: str = "", merge_key: str | None = None, **where: Any) -> str:
        """Build a side of the selected mechanism into a body of another one; return why not, if it is refused."""
        said: list[str] = []
        self._edited(lambda: bool(self._done(lambda: self.bench.place(side, on, body, merge_key, **where),
                                             lambda error: said.append(error.sentence))), merge_key)
        return said[0] if said else ""

    def place_on(self, side: str, on: str, seat: Seated, merge_key: str | None = None) -> str:
        """Place a side of the selected mechanism on a seat of a part; return why not, if it is refused."""
        said: list[str] = []

        def run() -> bool:
            found = self._done(lambda: self.bench.place_on(side, on, seat, merge_key),
                               lambda error: said.append(error.sentence))
            if found is not None and found[1] and merge_key is None:
                self.said.emit(found[1])
            return found is not None and found[0]

        self._edited(run, merge_key)
        return said[0] if said else ""

    def point_at(self, there: tuple[float, float, float]) -> None:
        """Take a place of the selected part, as it lies on the bed, for a seat, and announce it."""
        body = self.bench.part_body(self.project.selected or "")
        if body is not None:
            self.pointed.emit(on_faces.pointed(body, there))

    def add_on(self, kind_id: str, seat: Seated) -> str:
        """Add a mechanism of a kind on a seat of the selected part; return why not, if it is refused."""
        said: list[str] = []
        self._edited(lambda: bool(self._done(lambda: self.bench.add_on(kind_id, seat),
                                             lambda error: said.append(error.sentence))))
        return said[0] if said else ""

    def split(self, plane: str, kind_id: str = "") -> str:
        """Split the selected part at a plane; return why not, if it is refused."""
        said: list[str] = []

        def run() -> bool:
            found = self._done(lambda: self.bench.split(plane, kind_id), lambda error: said.append(error.sentence))
            if found is not None:
                self.said.emit(found[1])
            return found is not None and found[0]

        self._edited(run)
        return said[0] if said else ""

    def _read_part(self, path: Path, unit: str, done: Callable[[part_files.Read], None], asks: bool) -> None:
        """Read a file of parts beside the interface and do something with its bodies; why not is said, or (``asks``) which unit
        it has asked."""

        def read(report: Report) -> Callable[[], object]:
            try:
                found = part_files.read(path, unit, report)
                for name in found.bodies.values():
                    surface_of(contents.body(name))  # what a window would wait for
            except UserError as error:
                sentence, unclear = error.sentence, asks and error.field == UNIT
                return lambda: self.unit_wanted.emit(str(path), sentence) if unclear else self.said.emit(sentence)
            return lambda: done(found)

        self.said.emit(f"reading {path.name}")
        self.file_lane.start(read)

    def add_part_file(self, path: Path, unit: str = "mm") -> None:
        """Read a file beside the interface and add its bodies as parts; what was mended is said."""

        def done(found: part_files.Read) -> None:
            self._edited(lambda: self.bench.add_parts(found))
            self.said.emit(" ".join((f"{path.name} added.", *(f"{note}." for note in found.notes))))

        self._read_part(path, unit, done, asks=unit == "mm")

    def replace_part_file(self, path: Path) -> None:
        """Read a file beside the interface and put its body in place of the selected part's; what moved with it is said."""
        part_id = self.project.selected

        def done(found: part_files.Read) -> None:
            moved: list[str] = []
            if part_id == self.project.selected and self._done(
                    lambda: (self.bench.replace_part(found, path.name, moved),)) is not None:
                self._show()
                self.said.emit(" ".join((f"{path.name} put in its place.", *(f"{each}." for each in (*found.notes, *moved)))))

        self._read_part(path, "mm", done, asks=False)

    def set_setup(self, label: str, setup: PrintSetup) -> None:
        """Change how the selected mechanism is set up to print."""
        self._edited(lambda: self.bench.set_setup(label, setup))

    def set_stops(self, label: str, stops: tuple[Stop, ...]) -> None:
        """Change where the selected mechanism's print stops for the user."""
        self._edited(lambda: self.bench.set_stops(label, stops))

    def set_policy(self, policy: Policy) -> None:
        self._edited(lambda: self.bench.edit(self.project.model_copy(update={"policy": policy}), f"policy {policy}"))

    def set_process(self, process: Process) -> None:
        """Choose a process, changed or new."""
        self._edited(lambda: self.bench.edit(self.project.with_process(process), f"process {process.title}"))

    def change_process(self, process: Process) -> None:
        """Change the chosen process; other settings make it another one."""
        self._edited(lambda: self.bench.change_process(process))

    def add(self, kind_id: str, **params: Any) -> None:
        """Add a mechanism of a kind, with its defaults but for some parameters, and select it."""
        self._edited(lambda: self.bench.add(kind_id, **params))

    def remove(self) -> None:
        """Remove the selected mechanism (undo brings it back)."""
        self._edited(self.bench.remove)

    def rename(self, name: str) -> None:
        """Rename the selected mechanism."""
        self._edited(lambda: self.bench.rename(name))

    def record_print(self, outcome: str, note: str, photo: Path | None) -> bool:
        """Log a print of the selected mechanism with its exact parameters."""
        told = self._done(lambda: self.bench.record_print(outcome, note, photo),
                          lambda error: self.refused.emit("photo", error.sentence))
        if told:
            self.said.emit(told)
        if told is not None:
            self._show()
        return told is not None

    def restore_print(self, print_id: str) -> None:
        """Take the parameters of a logged print back into the design."""
        record = next((p for p in self.mechanism.prints if p.id == print_id), None) if self.mechanism else None
        if record:
            self.set_params(f"as in {print_id}", **record.params)

    def undo(self) -> None:
        self._edited(lambda: self.bench.go(self.history.undo()))

    def redo(self) -> None:
        self._edited(lambda: self.bench.go(self.history.redo()))

    def _taught(self, run: Callable[[], bool]) -> bool:
        done = bool(self._done(run))
        if done:
            self._show()
        return done

    def add_evidence(self, items: Sequence[Result | Reading]) -> bool:
        """Put new results and readings into the store; says why when it cannot, and which do not count until they are
        confirmed."""
        asked = questions(self.experience, items)
        done = self._taught(lambda: self.bench.add_evidence(items, [each.item for each in asked]))
        for each in asked if done else ():
            self.said.emit(each.sentence)
        return done

    def exclude_evidence(self, key: str, excluded: bool) -> bool:
        """Leave a result or reading out of what is learnt, or take it in again."""
        return self._taught(lambda: self.bench.change_evidence(lambda kept: kept.exclude(key, excluded)))

    def restore_evidence(self) -> bool:
        """Go back to the last good copy of the store."""
        return self._taught(lambda: self.bench.change_evidence(lambda kept: kept.restore()))
