"""Which way up: the compared print poses, best first, each with its reasons and a button to adopt it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from bouncy_latch.app.kit.parts import Elided, button, clear, label, scrolled
from bouncy_latch.app.kit.theme import figure_font
from bouncy_latch.app.session.bed import Bed
from bouncy_latch.app.strips.workbar import WorkBar
from bouncy_latch.core.layers.estimate import words
from bouncy_latch.core.layers.poses import AS_IS, Standing
from bouncy_latch.core.layers.setup import DIRECTIONS

WIDEST = 160
"""Width of the name of a way up beyond which it takes two lines, px."""


class PosesPanel(QWidget):
    """Shows the comparison; starts it when it is first looked at."""

    def __init__(self, bed: Bed) -> None:
        super().__init__()
        self._bed = bed
        self.rows = QVBoxLayout()
        self.rows.setSpacing(5)
        self.sides = {side: button(side, lambda s=side: self._on_side(s), "plain", f"The {side} face shows")
                      for side in DIRECTIONS}
        head = QHBoxLayout()
        head.setContentsMargins(14, 2, 12, 0)
        head.setSpacing(4)
        head.addWidget(label("sides that show", "quiet"))
        for made in self.sides.values():
            made.setCheckable(True)
            head.addWidget(made)
        head.addStretch()
        self._working = WorkBar("laying it every way up", bed.pose_lane)
        self._working.layout().setContentsMargins(14, 0, 12, 0)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 4)
        layout.addLayout(head)
        layout.addWidget(self._working)
        layout.addWidget(scrolled(self.rows, (12, 2, 12, 2)), 1)
        bed.compared.connect(self._show)
        bed.changed.connect(self._on_changed)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._on_changed()

    def _on_changed(self) -> None:
        for side, made in self.sides.items():
            made.setChecked(side in self._bed.setup.seen)
        if self.isVisible():
            if self._bed.standings is None and self._bed.printed is not None and not self._bed.pose_lane.busy:
                self._bed.compare_poses()
            self._show()

    def _on_side(self, side: str) -> None:
        seen = self._bed.setup.seen
        self._bed.set_up("sides that show", seen=tuple(s for s in DIRECTIONS if (s in seen) != (s == side)))

    def _show(self) -> None:
        clear(self.rows)
        standings = self._bed.standings
        if standings is None:
            text = "Every way up is laid and predicted; this takes a moment." if self._bed.job() else "Nothing to lay yet."
            self.rows.addWidget(label(text, "quiet"))
            return
        best = standings[0]
        for rank, standing in enumerate(standings, 1):
            self.rows.addWidget(self._row(rank, standing, best))

    def _row(self, rank: int, standing: Standing, best: Standing) -> QWidget:
        row = QFrame(objectName="panel")
        grid = QGridLayout(row)
        grid.setContentsMargins(10, 5, 8, 5)
        grid.setHorizontalSpacing(12)
        number = label(str(rank), "head", 12)
        number.setAlignment(Qt.AlignmentFlag.AlignCenter)
        number.setFixedWidth(22)
        behind = label("best", "ok", 9) if rank == 1 else Elided(_against(standing, best), "quiet", 9)
        figures = label(f"{standing.height:.0f} mm  {words(standing.minutes)}  {standing.grams:.0f} g")
        figures.setFont(figure_font(9))
        figures.setToolTip("height; time and material are an estimate")
        current = standing.pose.turn == (self._bed.setup.turn or AS_IS)
        adopt = button("in use" if current else "print it so", lambda: self._bed.adopt(standing), "" if current else "mend")
        adopt.setEnabled(not current)
        adopt.setAccessibleName(f"print {standing.pose.name}")
        grid.addWidget(number, 0, 0, 2, 1)
        name = label(standing.pose.name, "title")
        if name.sizeHint().width() > WIDEST:
            name.setFixedWidth(WIDEST)
            name.setWordWrap(True)
        grid.addWidget(name, 0, 1)
        grid.addWidget(behind, 0, 2)
        grid.addWidget(figures, 0, 3)
        grid.addWidget(Elided(", ".join(standing.reasons[:-1]) or "nothing against it", "quiet", 9), 1, 1, 1, 3)
        grid.addWidget(adopt, 0, 4, 2, 1)
        grid.setColumnStretch(2, 1)
        return row


def _against(standing: Standing, best: Standing) -> str:
    """Return what a pose costs more than the best one, in figures."""
    longer, more = standing.minutes - best.minutes, standing.grams - best.grams
    hangs, risk = standing.unsupported - best.unsupported, best.by_hand - standing.by_hand
    found = [f"{words(abs(longer))} {'longer' if longer > 0 else 'shorter'}" if abs(longer) >= 1 else "",
             f"{more:+.0f} g" if abs(more) >= 0.5 else "", f"{hangs:+.0f} mm² unsupported" if abs(hangs) >= 1 else "",
             f"{100 * risk:.0f} % more likely welded" if risk >= 0.005 else "",
             f"bends {standing.across:.0f}° across its layers" if standing.across > best.across + 1 else ""]
    return ", ".join(part for part in found if part) or "as good"
