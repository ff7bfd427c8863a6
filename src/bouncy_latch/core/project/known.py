"""What is known of the chosen process: the store's evidence, the open project's own prints, and what both teach."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from contextlib import suppress

from bouncy_latch.core.errors import ReadError
from bouncy_latch.core.learn.experience import Experience, experience, result_of
from bouncy_latch.core.process.evidence import Result, numbered
from bouncy_latch.core.process.evidence_store import Evidence
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.project.document import Project


class Known:
    """Evidence with what follows from it, worked out again only when prints, process or store changed."""

    def __init__(self, store: Evidence | None) -> None:
        self._store = store
        self._version = 0
        self._for: tuple[object, ...] = ()
        self._found: Experience | None = None

    def of(self, project: Project) -> Experience:
        """Return what is known of the project's chosen process."""
        process = project.process
        # A drag changes neither the prints nor the store. The prints themselves are held: an address may be given away.
        key = (process, tuple(m.prints for m in project.mechanisms), self._version)
        if self._found is None or key != self._for:
            self._found, self._for = experience(process, self._store, _logged(project)), key
        return self._found

    def identified(self, process: Process, others: Iterable[Process]) -> Process:
        """Return a changed process under the id its evidence is kept under; ``others`` come before those of the store."""
        kept: Iterable[Process] = ()
        with suppress(ReadError):
            kept = self._store.processes() if self._store is not None else ()
        return process.identified([*others, *kept])

    def change(self, change: Callable[[Evidence], object]) -> bool:
        """Change the store; whether there is one. Raises UserError."""
        if self._store is None:
            return False
        change(self._store)
        self._version += 1
        return True

    def share(self, project: Project) -> None:
        """Let the prints of a saved project teach other projects too; raises UserError where the store cannot be written."""
        logged = _logged(project)
        if self._store is not None and logged:
            used = {p.process.id: p.process for m in project.mechanisms for p in m.prints}
            self._store.add(logged, used.values())


def _logged(project: Project) -> list[Result]:
    """Return the prints recorded in a project as results."""
    return numbered(made for m in project.mechanisms for p in m.prints
                    if (made := result_of(m.kind, p.when, p.process.id, p.params, p.outcome, p.play, p.note)))
