"""The open project and everything known at once of it: document, history, evidence, files, and the design that is selected.

Every change makes a new document and is solved before it enters it; a refused one raises and changes nothing. Slow work is
not done here: whoever shows the bench runs it beside and asks for :attr:`Bench.design`.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from bouncy_latch.core import fields
from bouncy_latch.core.checks import STOP, worst
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import ParamError, SolveError, UserError
from bouncy_latch.core.judge import rulers
from bouncy_latch.core.judge.search import nearest
from bouncy_latch.core.layers.setup import PrintSetup, Stop
from bouncy_latch.core.learn.experience import Experience
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Ruler, Solution
from bouncy_latch.core.parts.body import Body
from bouncy_latch.core.placing import Placement
from bouncy_latch.core.process import readings
from bouncy_latch.core.process.evidence import Reading, Result
from bouncy_latch.core.process.evidence_store import Evidence
from bouncy_latch.core.process.population import effective
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.process.readings import Measured
from bouncy_latch.core.project import document, joined, on_faces, part_files, prints, seating, splitting
from bouncy_latch.core.project.autosave import Autosave
from bouncy_latch.core.project.document import Mechanism, Project, Seated
from bouncy_latch.core.project.history import History
from bouncy_latch.core.project.keeping import Keeping
from bouncy_latch.core.project.known import Known
from bouncy_latch.core.project.part_files import Read
from bouncy_latch.core.project.store import Latch

MOST_MARKS = 200
"""Marks remembered of mechanisms that are not selected, as they stood."""


def designed(project: Project, mechanism: Mechanism, process: Process) -> Design:
    """Return the design of a mechanism of a project on a process as it is believed to be; raises ParamError or ReadError."""
    errors = tuple((name, Measured(values).error) for name, values in mechanism.measured.items())
    kind, judged = registry.kind(mechanism.kind), effective(process, project.policy)
    sits: tuple[Placement, ...] = tuple(guest for other in project.mechanisms for each in other.sits if each.on == mechanism.id
                                        for guest in joined.guests(other, each, judged))
    if any(each.seat is not None for each in mechanism.sits) and kind.joins_in_place(mechanism.parsed(), judged):
        sits = (*joined.placements(project, mechanism, judged), *sits)
    return Design(registry.kind(mechanism.kind), mechanism.parsed(), process, project.policy, mechanism.setup, errors,
                  sits)


class Bench:
    """An open project.

    Attributes:
        history: the document and those before and after it. files: what travels in the project besides, by name.
        design, solution: of the selected mechanism, None where there is none; trouble: why, in one sentence.
        keeping: its file and recovery file.
    """

    def __init__(self, latch: Latch, path: Path | None, autosave: Autosave, evidence: Evidence | None = None) -> None:
        self._known = Known(evidence)
        self.keeping = Keeping(autosave, latch, path)
        self._marks: dict[tuple[str, str], str] = {}
        self._ready: tuple[Design, Solution] | None = None
        self.put(latch)

    def put(self, latch: Latch) -> None:
        """Work on another project from now on."""
        self.history = History(latch.project)
        self.files = dict(latch.files)
        self.design: Design | None = None
        self.solution: Solution | None = None
        self.trouble = ""
        self.solve()

    # -- reading -----------------------------------------------------------------------------------------------------

    @property
    def project(self) -> Project:
        """The document."""
        return self.history.present

    @property
    def mechanism(self) -> Mechanism | None:
        """The selected mechanism."""
        return self.project.mechanism

    @property
    def experience(self) -> Experience:
        """What is known of the chosen process: evidence of the store and of this project, and what it teaches."""
        return self._known.of(self.project)

    @property
    def process(self) -> Process:
        """The chosen process as evidence has it; judgements and predictions go by this."""
        return self.experience.believed

    @property
    def dirty(self) -> bool:
        """Whether there is unsaved work."""
        return self.keeping.differs(self.project)

    def design_of(self, mechanism: Mechanism) -> Design:
        """Return the design of a mechanism of this project; raises UserError."""
        return designed(self.project, mechanism, self.process)

    def _mark_key(self, mechanism: Mechanism) -> tuple[str, str]:
        guests = [(other.name, other.kind, tuple(other.params.items()), each) for other in self.project.mechanisms
                  for each in other.sits if each.on == mechanism.id]
        return (mechanism.model_dump_json(include={"kind", "params", "setup"}) + repr(guests),
                self.process.model_dump_json() + self.project.policy)

    def known_mark(self, mechanism: Mechanism) -> str:
        """Return the verdict on a mechanism if it was asked for before; empty otherwise."""
        return self._marks.get(self._mark_key(mechanism), "")

    def mark_of(self, mechanism: Mechanism) -> str:
        """Return the verdict on a mechanism from its quick checks."""
        key = self._mark_key(mechanism)
        if key not in self._marks:
            if len(self._marks) > MOST_MARKS:
                self._marks.clear()
            try:
                self._marks[key] = worst(self.design_of(mechanism).solve().checks)
            except UserError:
                self._marks[key] = STOP
        return self._marks[key]

    def solve(self) -> None:
        """Work the selected mechanism out, or say why it cannot be."""
        self.design, self.solution, self.trouble = None, None, ""
        ready, self._ready = self._ready, None
        if self.mechanism is None:
            return
        try:
            self.design = self.design_of(self.mechanism)
            self.solution = ready[1] if ready is not None and ready[0] == self.design else self.design.solve()
        except UserError as error:
            self.trouble = error.sentence

    # -- edits -------------------------------------------------------------------------------------------------------

    def edit(self, project: Project, label: str, merge_key: str | None = None) -> bool:
        """Put a document in place of the present one; whether it differs."""
        history = self.history.edit(project, label, merge_key)
        changed = history is not self.history
        self.history = history
        if changed:
            self.solve()
        return changed

    def change_process(self, process: Process) -> bool:
        """Put a changed process in place of the chosen one; other settings make it another one, with evidence of its own."""
        if process.identity != self.project.process.identity:
            process = self._known.identified(process, self.project.processes)
        return self.edit(self.project.with_process(process), f"process {process.title}")

    def go(self, history: History) -> bool:
        """Go to another moment of the history; whether it is another one."""
        changed = history is not self.history
        self.history = history
        if changed:
            self.solve()
        return changed

    def set_params(self, label: str, values: dict[str, Any], merge_key: str | None = None,
                   measured: dict[str, tuple[float, ...]] | None = None) -> bool:
        """Change sizes of the selected mechanism; whether sacrificial shelves were taken away for it.

        ``measured``: what was measured, by parameter.

        Raises:
            UserError: when the sizes are refused; then nothing has changed.
        """
        mechanism = self._chosen()
        params = mechanism.parsed().changed(**values)
        # A shelf fits the shape it was put under and no other; what is typed anew is no longer what was measured.
        setup = mechanism.setup.model_copy(update={"shelves": ()})
        kept = {name: read for name, read in mechanism.measured.items() if name not in values}
        changed = mechanism.model_copy(update={"params": params.model_dump(), "setup": setup,
                                               "measured": {**kept, **(measured or {})}})
        # Solving first means that an impossible design never enters the document; it is not solved again for it.
        design = self.design_of(changed)
        try:
            self._ready = (design, design.solve())
        except SolveError as error:
            if merge_key is not None:
                raise  # a drag asks again with its next step
            sentence = nearest.sentence(design, error, frozenset(values), nearest.AT_ONCE)
            raise SolveError(sentence, field=error.field, value=error.value, limit=error.limit) from None
        self.edit(self.project.with_mechanism(changed), label, merge_key)
        return bool(mechanism.setup.shelves)

    def set_measured(self, name: str, text: str) -> str:
        """Take several caliper readings of a given size; return a sentence on one that lies far off, else nothing.

        Their mean is the size, their spread goes into the verdicts. Raises UserError.
        """
        read = readings.read(text)
        self.set_params(f"measured {name}", {name: round(read.mean, 3)}, None, {name: read.values})
        if read.outlier is None:
            return ""
        return f"{read.outlier:g} lies far from the other readings; measure again or leave it out"

    def brought_to(self, ruler: Ruler, value: float) -> float | None:
        """Return what brings the design to a place on a ruler's scale; None where it is there already."""
        if self.design is None:
            return None
        found = rulers.brought_to(self.design, ruler, value)
        return None if found == getattr(self.design.params, ruler.param) else found

    def set_setup(self, label: str, setup: PrintSetup) -> bool:
        """Change how the selected mechanism is set up to print."""
        return self.edit(self.project.with_mechanism(self._chosen().model_copy(update={"setup": setup})), label)

    def set_stops(self, label: str, stops: tuple[Stop, ...]) -> bool:
        """Change where the selected mechanism's print stops for the user."""
        return self.edit(self.project.with_mechanism(self._chosen().model_copy(update={"stops": stops})), label)

    def bodies_of(self, mechanism_id: str) -> dict[str, str]:
        """Return the bodies of a mechanism that others can sit on, name and words; none where it cannot be made."""
        mechanism = next((item for item in self.project.mechanisms if item.id == mechanism_id), None)
        try:
            return seating.bodies(mechanism, self.design_of(mechanism).judged) if mechanism is not None else {}
        except UserError:
            return {}

    def place(self, side: str, on: str | None, body: str = "", merge_key: str | None = None, **where: Any) -> bool:
        """Build a side of the selected mechanism into a body of another one, or (None) let it stand alone; whether it differs.

        ``where``: coordinates to change; the others stay as they are.

        Raises:
            UserError: for what cannot sit there; then nothing has changed.
        """
        mechanism = self._chosen()
        placed = seating.placed(self.project, mechanism, self.design_of(mechanism), side, on, body, where)
        words = f"{mechanism.name} built in" if on else f"{mechanism.name} alone"
        return self.edit(self.project.with_mechanism(placed), words, merge_key)

    def part_body(self, part_id: str) -> Body | None:
        """Return the body of a part as nothing sits on it; None for what is no part, or cannot be made."""
        part = next((item for item in self.project.mechanisms if item.id == part_id), None)
        if part is None or not registry.kind(part.kind).is_part:
            return None
        try:
            return on_faces.part_body(part, effective(self.process, self.project.policy))
        except UserError:
            return None

    def place_on(self, side: str, on: str, seat: Seated, merge_key: str | None = None) -> tuple[bool, str]:
        """Place a side of the selected mechanism on a seat of a part; whether the document differs, and which size was set by
        the part's thickness.

        Raises:
            UserError: for what cannot sit there; then nothing has changed.
        """
        mechanism = self._chosen()
        placed, said = seating.on_part(self.project, mechanism, self.design_of(mechanism), side, on, seat)
        return self.edit(self.project.with_mechanism(placed), f"{mechanism.name} on {seat.seat}", merge_key), said

    def add_on(self, kind_id: str, seat: Seated) -> bool:
        """Add a mechanism of a kind with its defaults on a seat of the selected part, which stays selected.

        Raises:
            UserError: for what cannot sit there; then nothing has changed.
        """
        part, kind = self._chosen(), registry.kind(kind_id)
        body = self.part_body(part.id)
        if body is None:
            raise ParamError(f"{part.name} is no part that can be made", field="seat")
        name = document.free_name(kind.title, {m.name for m in self.project.mechanisms})
        added = document.new_mechanism(kind_id, name, {m.id for m in self.project.mechanisms})
        whole = self.project.with_mechanism(added)
        side = on_faces.side_for(kind, on_faces.found(body, seat))
        placed, _ = seating.on_part(whole, added, designed(whole, added, self.process), side, part.id, seat)
        return self.edit(whole.with_mechanism(placed).model_copy(update={"selected": part.id}), f"add {name} on {seat.seat}")

    def add_parts(self, found: Read, name: str = "") -> bool:
        """Add the bodies of a file as parts and select the first."""
        parts = part_files.made(found, name, {m.name for m in self.project.mechanisms},
                                {m.id for m in self.project.mechanisms})
        project = self.project
        for part in parts:
            project = project.with_mechanism(part)
        return self.edit(project.model_copy(update={"selected": parts[0].id}), f"add {parts[0].name}")

    def split(self, plane: str, kind_id: str = "") -> tuple[bool, str]:
        """Split the selected part at a plane told as ``z=7``, joined by a mechanism of a kind; whether the document differs,
        and a sentence on the section.

        Raises:
            UserError: for a plane that misses the part, or a kind that cannot join the halves; then nothing has changed.
        """
        part = self._chosen()
        axis, at = splitting.plane(plane)
        made = splitting.split(self.project, part, effective(self.process, self.project.policy), axis, at, kind_id)
        said = " ".join((f"{part.name} is split through {made.area:.0f} mm².", *(f"{each}." for each in made.said)))
        return self.edit(made.project, f"split {part.name} at {axis}={at:g}"), said

    def replace_part(self, found: Read, name: str, moved: list[str]) -> bool:
        """Put the body of a file in place of the selected part's; ``moved`` takes a sentence on each mechanism that moved.

        Raises:
            UserError: for a file of several bodies; then nothing has changed.
        """
        project, told = seating.with_file(self.project, self._chosen(), found, name, self.process)
        moved += told
        return self.edit(project, f"file of {self._chosen().name}")

    def select(self, mechanism_id: str) -> None:
        """Select a mechanism; no undo step, and no unsaved work."""
        present = self.project.model_copy(update={"selected": mechanism_id})
        was_saved = not self.dirty
        self.history = History(present, self.history.past, self.history.labels, self.history.future)
        if was_saved:
            self.keeping.saved = present
        self.solve()

    def add(self, kind_id: str, **params: Any) -> bool:
        """Add a mechanism of a kind, with its defaults but for some parameters, and select it."""
        kind = registry.kind(kind_id)
        taken = {m.id for m in self.project.mechanisms}
        title = str(params.get(kind.variant, "")).capitalize() if kind.is_part else ""
        name = document.free_name(title or kind.title, {m.name for m in self.project.mechanisms})
        return self.edit(self.project.with_mechanism(document.new_mechanism(kind_id, name, taken, **params)), f"add {name}")

    def remove(self) -> bool:
        """Remove the selected mechanism."""
        gone = self._chosen()
        return self.edit(self.project.without_mechanism(gone.id), f"remove {gone.name}")

    def rename(self, name: str) -> bool:
        """Rename the selected mechanism; an empty or endless name changes nothing."""
        if not name.strip() or len(name) > 120:
            return False
        return self.edit(self.project.with_mechanism(self._chosen().model_copy(update={"name": name.strip()})), "rename")

    def record_print(self, outcome: str, note: str, photo: Path | None) -> str:
        """Log a print of the selected mechanism with its exact sizes; return what was done to its photo, if anything.

        Raises:
            ReadError: for a photo that cannot be taken.
        """
        made = prints.logged(self._chosen(), self.project.process, outcome, note, photo, self.files)
        self.files |= made.files
        self.edit(self.project.with_mechanism(made.mechanism), f"print: {outcome}")
        return made.told

    def names_file(self, values: dict[str, Any]) -> str | None:
        """Return the first of some sizes that would have to be read from a file."""
        return fields.named_file(type(self._chosen().parsed()), values)

    def _chosen(self) -> Mechanism:
        if self.mechanism is None:
            raise ParamError("choose a mechanism first")
        return self.mechanism

    # -- evidence and files ------------------------------------------------------------------------------------------

    def change_evidence(self, change: Callable[[Evidence], object]) -> bool:
        """Change the store; whether there is one. Raises UserError."""
        changed = self._known.change(change)
        if changed:
            self.solve()
        return changed

    def add_evidence(self, items: Sequence[Result | Reading], left_out: Sequence[Result | Reading] = ()) -> bool:
        """Put new results and readings of the chosen process into the store, some not to count yet; raises UserError."""
        return self.change_evidence(lambda store: store.add(items, [self.project.process], fresh=True, left_out=left_out))

    def save(self, target: Path, over: bool = False) -> None:
        """Save to a file; ``over``: even where somebody else changed it since. Raises ChangedError or SaveError."""
        self.keeping.save(Latch(self.project, self.files), target, over)

    def share(self) -> None:
        """Let the prints of a saved project teach other projects too; raises UserError."""
        self._known.share(self.project)

    def keep_unsaved(self) -> None:
        """Keep what is unsaved in the recovery file; raises SaveError."""
        self.keeping.keep(self.project, self.files)
