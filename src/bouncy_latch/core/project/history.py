"""Undo and redo: a list of whole documents. Edits that continue a drag replace the last entry instead of adding one."""

from __future__ import annotations

from dataclasses import replace

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.project.document import Project

LIMIT = 200


@frozen
class History:
    """Past, present and future documents; every operation returns a new history.

    Attributes:
        labels: what each step did, parallel to ``past``.
        merge_key: the drag the present belongs to, if it may still be extended.
    """

    present: Project
    past: tuple[Project, ...] = ()
    labels: tuple[str, ...] = ()
    future: tuple[tuple[Project, str], ...] = ()
    merge_key: str | None = None

    def edit(self, project: Project, label: str, merge_key: str | None = None) -> History:
        """Return the history after an edit; the same ``merge_key`` twice running is one step."""
        if project == self.present:
            return self
        if merge_key is not None and merge_key == self.merge_key and self.past:
            return replace(self, present=project, future=())
        return History(project, (*self.past, self.present)[-LIMIT:], (*self.labels, label)[-LIMIT:], (), merge_key)

    def sealed(self) -> History:
        """Return the history with the running drag ended."""
        return replace(self, merge_key=None)

    def undo(self) -> History:
        """Return the history one step back (itself when there is none)."""
        if not self.past:
            return self
        return History(self.past[-1], self.past[:-1], self.labels[:-1],
                       ((self.present, self.labels[-1]), *self.future))

    def redo(self) -> History:
        """Return the history one step forward (itself when there is none)."""
        if not self.future:
            return self
        (project, label), *rest = self.future
        return History(project, (*self.past, self.present), (*self.labels, label), tuple(rest))
