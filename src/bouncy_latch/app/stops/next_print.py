"""The card that says what to print next: a ladder with its steps, its time, and what it would settle."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QSize, Signal
from PySide6.QtGui import QColor, QPainter, QResizeEvent
from PySide6.QtWidgets import QCheckBox, QFileDialog, QFrame, QGridLayout, QLineEdit, QWidget

from bouncy_latch.app.kit.figures import Polygons, body_colour, paint_polygons
from bouncy_latch.app.kit.flow import Flow
from bouncy_latch.app.kit.parts import Elided, button, label
from bouncy_latch.app.kit.theme import figure_font
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.session.workers import Lane
from bouncy_latch.app.strips.workbar import WorkBar
from bouncy_latch.core import files
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.layers.estimate import Estimate, words
from bouncy_latch.core.learn.calibration import coupons, ladders, promise, telling
from bouncy_latch.core.learn.calibration import written as remembered
from bouncy_latch.core.learn.calibration.ladders import Coupon
from bouncy_latch.core.learn.experience import Experience
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Kind
from bouncy_latch.core.project.folders import data_folder
from bouncy_latch.core.virtual import printer as printers

WITH_PICTURE = 660
"""Width from which on there is room for the picture, px."""


class CouponPicture(QWidget):
    """A ladder seen from above."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(126, 56)
        self.setAccessibleName("picture of the ladder from above")
        self._bodies: list[tuple[str, Polygons]] = []

    def show_bodies(self, bodies: list[tuple[str, Polygons]]) -> None:
        """Show the outlines of bodies, each (n, 2) in mm, by name."""
        self._bodies = bodies
        self.update()

    def paintEvent(self, _event: object) -> None:
        if not self._bodies:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        points = np.vstack([ring for _, rings in self._bodies for ring in rings])
        low, high = points.min(axis=0), points.max(axis=0)
        scale = min((self.width() - 4) / (high[0] - low[0]), (self.height() - 4) / (high[1] - low[1]))
        middle = (low + high) / 2

        def to_screen(ring: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
            return np.c_[self.width() / 2 + (ring[:, 0] - middle[0]) * scale,
                         self.height() / 2 - (ring[:, 1] - middle[1]) * scale]

        for index, (_, rings) in enumerate(self._bodies):
            paint_polygons(painter, rings, QColor(body_colour(index % 2)), to_screen)


class NextPrint(QFrame):
    """Plans the ladder beside the interface, exports it, and on example printers prints and measures it virtually.

    Signals:
        said: a sentence for the notice line. written: a ladder was written and is remembered.
    """

    said, written = Signal(str), Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(objectName="panel")
        self._session = session
        self._planned_for: tuple[object, ...] = ()
        self.coupon: Coupon | None = None
        self._plan_lane, self.print_lane, self.named_lane = Lane(self), Lane(self), Lane(self)
        self.named_lane.finished.connect(lambda made: self.export(*made))
        self.named_lane.failed.connect(self.said)
        self._plan_lane.finished.connect(self._on_planned)
        self._plan_lane.failed.connect(self._on_not_planned)
        self.print_lane.finished.connect(self._on_printed)
        self.print_lane.failed.connect(self.said)
        self.picture = CouponPicture()
        self._title, self._about = label("Print this next", "head"), Elided("", "quiet", 9)
        self.steps = QLineEdit()
        self.steps.setFont(figure_font(9))
        self.steps.setFixedWidth(166)
        self.steps.setAccessibleName("steps of the ladder, mm")
        self.steps.setToolTip("Chosen where they tell most; type your own")
        self.steps.editingFinished.connect(self._on_steps)
        self.export_button = button("export…", self._export, "", "Export the ladder")
        self.virtual_button = button("print virtually", self._print, "", "An example printer with errors of its own")
        self.screws = QCheckBox("with bolt and nut pockets")
        self.screws.setToolTip("Beside it a short M8 bolt with its nut, and two pockets for an M5 nut: some 10 minutes more.\n"
                               "What becomes of them tells how threads and nuts come out here.")
        self.screws.toggled.connect(lambda _: self.show_plan())
        self._work = WorkBar("", self.print_lane, width=90)
        self._work.busy_changed.connect(self._on_busy)
        grid = QGridLayout(self)
        grid.setContentsMargins(12, 6, 10, 6)
        grid.setHorizontalSpacing(9)
        grid.addWidget(self._title, 0, 0)
        grid.addWidget(self._about, 0, 1)
        grid.addLayout(Flow(label("steps", "quiet"), self.steps, self.screws, self.export_button, self.virtual_button,
                            self._work, spacing=9), 1, 0, 1, 2)
        grid.addWidget(self.picture, 0, 2, 2, 1)
        grid.setColumnStretch(1, 1)

    def minimumSizeHint(self) -> QSize:
        """Where it is narrow the picture goes first."""
        hint = super().minimumSizeHint()
        return QSize(hint.width() - (0 if self.picture.isHidden() else self.picture.width()), hint.height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.picture.setVisible(event.size().width() >= WITH_PICTURE)

    def show_plan(self) -> None:
        """Plan the ladder for what is believed now."""
        known, mechanism = self._session.experience, self._session.mechanism
        kind = registry.with_ladder(mechanism.kind if mechanism else None)
        fresh = not any(item.process == known.process.id for item in known.items)
        # Only the made-up printers have a stand-in; nobody's own evidence may come from one.
        self.virtual_button.setVisible(known.process.printer in printers.EXAMPLES)
        self.screws.setVisible(fresh)
        design = self._session.request if mechanism and self._session.request and mechanism.kind == kind.id else None
        with_screws = fresh and self.screws.isChecked()
        key = (known.believed, kind.id, fresh, with_screws, design and design.params)
        if key == self._planned_for or kind.ladder is None:
            return
        self._planned_for = key
        # The ladder of another kind, or of another printer, is not offered under this one's name while this one is planned.
        self.coupon = None
        self.picture.show_bodies([])
        self.steps.clear()
        self._about.show_text(f"planning the ladder of a {kind.title.lower()}…")
        self.export_button.setEnabled(False)
        self._plan_lane.start(partial(planned, kind, known, fresh, with_screws, design))

    def _on_not_planned(self, sentence: str) -> None:
        self._about.show_text(sentence)

    def _on_planned(self, result: tuple[Coupon, Estimate, str, list[tuple[str, Polygons]]]) -> None:
        self.coupon, cost, gain, seen = result
        self.picture.show_bodies(seen)
        asked = [f"{step.value:g}" for step in self.coupon.stepped]
        self.steps.setText(" ".join(asked))
        self._about.show_text(f"about {words(cost.minutes)}, {cost.grams:.0f} g (estimate); {gain}: {self.coupon.title}")
        self.export_button.setEnabled(True)

    def _on_steps(self) -> None:
        if self.coupon is None or not self.coupon.kind:
            return
        typed = self.steps.text().replace(",", ".").split()
        if typed == [f"{step.value:g}" for step in self.coupon.stepped]:
            return
        try:
            kind = registry.kind(self.coupon.kind)
            values = [float(text) for text in typed]
            process = self._session.process
            made = (ladders.first if self.coupon.id == "first-ladder" else ladders.of_kind)(kind, process, values)
            self.coupon = coupons.joined(made, coupons.screws(process, kind.id)) if self.coupon.others else made
            cost = self.coupon.estimate(process)
            self.picture.show_bodies(_seen_from_above(self.coupon))
            self._about.show_text(f"{self.coupon.title}, your own steps: about {words(cost.minutes)} (estimate)")
        except UserError as error:
            self._about.show_text(error.sentence)
        except ValueError:
            self._about.show_text("steps are sizes in mm, like 0.18 0.25 0.32")

    def _export(self, folder: Path | None = None) -> None:
        if self.coupon is not None and (folder := folder or self._picked()) is not None:
            self.export(self.coupon, folder)

    def _picked(self) -> Path | None:
        chosen = QFileDialog.getExistingDirectory(self, "Folder for the ladder", str(Path.home()))
        return Path(chosen) if chosen else None

    def export_named(self, name: str, folder: Path | None = None) -> None:
        """Write one of the ladders that belong to no kind; what its steps are is worked out beside the interface."""
        if (chosen := folder or self._picked()) is not None:
            believed = self._session.experience.believed
            self.named_lane.start(lambda _: (coupons.plain_coupons()[name](believed), chosen))

    def export(self, coupon: Coupon, folder: Path) -> None:
        """Write a coupon as one 3MF to a folder."""
        from bouncy_latch.core.formats import meshes
        from bouncy_latch.core.solids import mesh

        bodies = {name: mesh.evaluate(solid) for name, solid in coupon.bodies.items()}
        path = folder / f"{coupon.id}.3mf"
        try:
            files.write(path, meshes.to_3mf(bodies, coupon.title))
            remembered.remember(data_folder(), remembered.of(coupon, _named(coupon), self._session.project.process.id))
        except UserError as error:
            self.said.emit(error.sentence)
            return
        self.said.emit(f"{path.name} in {folder}; once it is printed, click what became of each step: Fit, ladder")
        self.written.emit()

    def _print(self) -> None:
        coupon, process = self.coupon, self._session.project.process
        if coupon is None:
            return

        def work(report: Any) -> list[Any]:
            from bouncy_latch.core.learn.study.study import print_ladder

            return print_ladder(printers.example(process.printer), coupon, process, len(coupon.steps), report)

        self.print_lane.start(work)

    def _on_busy(self, busy: bool) -> None:
        self.picture.setVisible(not busy)
        self.virtual_button.setEnabled(not busy)

    def _on_printed(self, items: list[Any]) -> None:
        from dataclasses import replace
        from datetime import datetime

        when = datetime.now().isoformat(timespec="minutes")
        noted = [replace(item, when=when, note="printed virtually") for item in items]
        if self._session.add_evidence(noted):
            self.said.emit(f"printed and measured virtually: {len(noted)} results; they count from now on")



def planned(kind: Kind, known: Experience, fresh: bool, with_screws: bool, design: Design | None, _report: Any
            ) -> tuple[Coupon, Estimate, str, list[tuple[str, Polygons]]]:
    """Return the ladder to print next, its time, in words what it is worth, and its outlines.

    Args:
        fresh: whether nothing was printed yet. with_screws: whether bolt and pockets lie beside it. design: whose chance it
        is to raise; None where the mechanism that is looked at is of another kind.
    """
    belief, process = known.learnt.belief, known.believed
    family = promise.of_family(kind, process)
    steps = telling.telling_steps(kind, process, belief, 3 if family else 4 if fresh else 5)
    made = ladders.first(kind, process, steps) if fresh else ladders.of_kind(kind, process, steps)
    if with_screws:
        made = coupons.joined(made, coupons.screws(process, kind.id))
    gain = "little more to learn"
    if family and design is not None:
        counted = [item for item in known.items if item.key not in known.excluded]
        told = promise.promised(design, known.begin, counted, known.learnt, made)
        if told.worth:
            what = design.figures().aim.words
            gain = f"{100 * told.now:.0f} % {what} now, about {100 * told.then:.0f} % with this tried"
    elif not family:
        now, narrower = belief.spread("growth").sd, telling.expected_spread(kind, process, belief, steps, square=fresh)
        if narrower < 0.9 * now:
            gain = f"growth known to ± {narrower:.3f} instead of {now:.3f}"
    return made, made.estimate(process), gain, _seen_from_above(made)


def _named(coupon: Coupon) -> str:
    """Return what a coupon is called on the command line."""
    if coupon.id in coupons.plain_coupons():
        return coupon.id
    return "first" if coupon.id == "first-ladder" else coupon.kind


def _seen_from_above(coupon: Coupon) -> list[tuple[str, Polygons]]:
    """Return the outlines of a coupon's bodies a little below their tops, where labels are cut."""
    from bouncy_latch.core.solids import mesh

    found = []
    for name, solid in coupon.bodies.items():
        body = mesh.evaluate(solid)
        box = body.bounding_box()
        rings = [np.asarray(p) for p in (body.slice(box[2] + 0.6) + body.slice(box[5] - 0.3)).to_polygons()]
        if rings:
            found.append((name, rings))
    return found
