"""Verdicts: worst first, each with its figure against the limit, why, and the change that mends it."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QBoxLayout, QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from bouncy_latch.app.kit import axis
from bouncy_latch.app.kit.copying import copyable
from bouncy_latch.app.kit.marks import Mark
from bouncy_latch.app.kit.parts import GROWS_MS, Elided, button, label, set_tone
from bouncy_latch.app.kit.rowarea import RowArea
from bouncy_latch.app.kit.theme import figure_font
from bouncy_latch.app.session.bed import Bed, ShelfOffer
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.strips.workbar import WorkBar
from bouncy_latch.core.checks import LOOK, OK, STOP, Check
from bouncy_latch.core.judge.search.remedies import Remedy

NARROW = (800, 680)
"""Widths of a row below which its reason takes a line of its own, and its remedy, px."""
MARGINS, HEAD = (12, 3, 8, 5), 128
"""Round the verdicts, and the width of the column that counts them, px."""
SPACING, STACKED, WIDEST, BORDERS = 10, 720, 16777215, 3
"""Between the columns, the width below which they stand under each other, no limit to a width, and what the panel's lines
take of its height, px."""
SURE = 0.995
"""Above this nothing is said of the readings."""


def figure(check: Check) -> str:
    """Return the figure against its limit."""
    return check.words


def _after(remedy: Remedy | ShelfOffer) -> str:
    """Say what is still to be looked at once a remedy is applied."""
    if isinstance(remedy, ShelfOffer):
        return ""
    return f"Then still to look at: {', '.join(remedy.left)}." if remedy.left else "Then all of these verdicts are fine."


class Row(QWidget):
    """One verdict; made once and refilled, so that a drag costs no widgets. What fails is told in its whole sentence.

    Signals:
        mended: the remedy the user chose. place_wanted: show the place of this verdict.
    """

    mended = Signal(object)
    place_wanted = Signal(object)

    def __init__(self, whole: bool) -> None:
        super().__init__()
        self.mark = Mark("none", 11)
        self.title = Elided("", "title")
        self.why: QLabel = label("", "quiet", 9) if whole else Elided("", "quiet", 9)
        self.why.setWordWrap(whole)
        self.figure = label("")
        self.figure.setProperty("figure", "true")
        self.figure.setFont(figure_font(9))
        self.figure.setWordWrap(True)
        self.remedy = QPushButton()
        self.remedy.setProperty("tone", "mend")
        self.remedy.clicked.connect(lambda: self.mended.emit(self._remedy))
        self._remedy: Remedy | ShelfOffer | None = None
        self._check: Check | None = None
        self._shown: tuple[Check, list[Remedy | ShelfOffer], float | None] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        copyable(self, self.said)
        self._narrow = -1
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(9)
        self._grid.setVerticalSpacing(0)
        for column, widget in enumerate((self.mark, self.title, self.figure)):
            self._grid.addWidget(widget, 0, column)
        self._lay(0)

    def _lay(self, narrow: int) -> None:
        """Put the reason beside the figure; where that has no room on a line of its own, at last the remedy too."""
        if narrow == self._narrow:
            return
        self._narrow = narrow
        self._grid.addWidget(self.why, *((1, 1, 1, 4) if narrow else (0, 3, 1, 1)))
        self._grid.addWidget(self.remedy, *((2, 1, 1, 4) if narrow > 1 else (0, 4, 1, 1)))
        self._grid.setColumnStretch(3, 1)
        for column, least in ((1, (172, 172, 130)), (2, (196, 190, 96))):
            self._grid.setColumnMinimumWidth(column, least[narrow])

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._lay(sum(event.size().width() < width for width in NARROW))

    def show_check(self, check: Check, remedies: list[Remedy | ShelfOffer], surety: float | None = None) -> None:
        """Show a verdict; ``surety`` is the chance that it holds, where the sizes it rests on were measured."""
        if (check, remedies, surety) == self._shown:
            return  # most verdicts stay the same from step to step of a drag
        self._shown = (check, remedies, surety)
        self._check = check
        self.mark.set_verdict(check.verdict)
        self.title.show_text(check.label)
        self.figure.setText(figure(check))
        self.figure.setToolTip(f"The limit: {check.basis}" if check.basis else "")
        sure = "" if surety is None or surety > SURE else f"{100 * surety:.0f} % sure by your readings; "
        if isinstance(self.why, Elided):
            self.why.show_text(sure + check.why)
        else:
            told = check.why if remedies or check.verdict == OK or not check.advice else f"{check.why}. {check.advice}"
            self.why.setText(sure + told)
        self._remedy = remedies[0] if remedies else None
        self.remedy.setVisible(self._remedy is not None)
        if self._remedy:
            text = self._remedy.text
            self.remedy.setText(text if len(text) < 52 else text.split(";")[0])
            self.remedy.setToolTip("\n".join([f"Apply: {text}", *(f"or {r.text}" for r in remedies[1:]), _after(self._remedy)]))
            self.remedy.setAccessibleName(f"apply {text}")
        self.setAccessibleName(f"{check.verdict}: {check.label}, {figure(check)}, {check.why}")

    def said(self) -> str:
        """Return the verdict in one line: label, figure, limit, reason."""
        return f"{self._check.label}: {figure(self._check)} ({self._check.why})" if self._check else ""

    @property
    def check_id(self) -> str:
        """Id of the check shown."""
        return self._check.id if self._check else ""

    def show_chosen(self, chosen: bool) -> None:
        """Mark the row whose place was asked about."""
        set_tone(self.title, "head" if chosen else "title")

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self.hasFocus():
            axis.paint_focus(QPainter(self), QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            self._show_place()
        else:
            super().keyPressEvent(event)

    def mouseDoubleClickEvent(self, _event: object) -> None:
        self._show_place()

    def _show_place(self) -> None:
        if self._check and self._check.place:
            self.place_wanted.emit(self._check)


class Verdicts(QFrame):
    """The list of verdicts with the progress of the slow ones.

    Signals:
        place_wanted: a verdict whose place should be shown. ladder_wanted: the user asks what to print first.
        search_wanted: other sizes are to be looked for, all at once.
    """

    place_wanted, ladder_wanted, search_wanted = Signal(object), Signal(), Signal()

    def __init__(self, session: Session, bed: Bed) -> None:
        super().__init__(objectName="panel")
        self._session, self._bed = session, bed
        self._explaining = ""
        self._failing: list[Row] = []
        self._fine: list[Row] = []
        self._unfolded = False
        self._count = label("", "quiet")
        self._work = WorkBar("moving and slicing", session.proof_lane, bed.loose_lane, waited_for=lambda: bed.lane)
        self._work.busy_changed.connect(self._on_busy)
        self._fold = button("", self._on_fold, "plain", "What is fine, and by how much")
        head, beside = QVBoxLayout(), QVBoxLayout()
        for column in (head, beside):
            column.setSpacing(0)
        first = QHBoxLayout()
        first.setSpacing(4)
        first.addWidget(label("Verdicts", "head"))
        first.addWidget(self._fold)
        first.addStretch()
        head.addLayout(first)
        head.addWidget(self._count)
        head.addStretch()
        self.hint = button("untested printer: print first ▸", self.ladder_wanted.emit, "plain",
                           "Nothing was printed on it yet, so these chances are those of a typical printer")
        beside.addWidget(self.hint)
        self.search = button("find other sizes ▸", self.search_wanted.emit, "plain",
                             "No change of one or two sizes mends this. Search for sizes that meet the brief (Ctrl+T)")
        beside.addWidget(self.search)
        beside.addWidget(self._work, 0, Qt.AlignmentFlag.AlignRight)
        self._again = button("move and slice", session.work_again, "plain", "Run the stopped work again")
        self._again.hide()
        beside.addWidget(self._again)
        beside.addStretch()
        self._said = label("", "quiet", 9)
        self._said.setWordWrap(True)
        self._list, self._bad, self._good = QVBoxLayout(), QVBoxLayout(), QVBoxLayout()
        for column in (self._list, self._bad, self._good):
            column.setSpacing(3)
        self._shelf = QWidget()
        self._shelf.setLayout(self._good)
        self._good.setContentsMargins(0, 0, 0, 0)
        self._layout = layout = QBoxLayout(QBoxLayout.Direction.LeftToRight, self)
        layout.setContentsMargins(*MARGINS)
        layout.setSpacing(SPACING)
        self._head = QWidget()
        self._head.setLayout(head)
        head.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._head)
        self._trouble = label("", "stop")
        self._trouble.setWordWrap(True)
        self._list.addWidget(self._trouble)
        self._list.addLayout(self._bad)
        self._list.addWidget(self._said)
        self._list.addWidget(self._shelf)
        self._area = RowArea(self._list, lambda: [self._trouble, *self._failing, self._said, *self._fine])
        layout.addWidget(self._area, 1)
        layout.addLayout(beside)
        self._beside = beside
        self._most = 0
        self._area.fitted.connect(self._take_height)
        for signal in (session.viewed, bed.changed):
            signal.connect(self._on_changed)
        # What is fine is folded: its rows are made once the window is there.
        self._grown = False
        QTimer.singleShot(GROWS_MS, self, self._on_grown)
        self._on_changed()

    def limit_height(self, most: int) -> None:
        """Take the height that the rows need, but no more than ``most`` px: beyond it they scroll."""
        if most != self._most:
            self._most = most
            self._take_height()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where it is narrow what counts the verdicts stands above them."""
        super().resizeEvent(event)
        stacked = event.size().width() < STACKED
        self._layout.setDirection(QBoxLayout.Direction.TopToBottom if stacked else QBoxLayout.Direction.LeftToRight)
        self._head.setMinimumWidth(0 if stacked else HEAD)
        self._head.setMaximumWidth(WIDEST if stacked else HEAD)
        self._take_height()

    def _take_height(self) -> None:
        spans = self._area.spans()
        each = [self._head.minimumSizeHint().height(), spans[-1][1] if spans else 0, self._beside.minimumSize().height()]
        stacked = self._layout.direction() == QBoxLayout.Direction.TopToBottom
        needed = (sum(each) + 2 * SPACING if stacked else max(each)) + MARGINS[1] + MARGINS[3] + BORDERS
        if self._most and (high := min(needed, self._most)) != self.height():
            self.setFixedHeight(high)

    def _on_grown(self) -> None:
        self._grown = True
        self._on_changed()

    def _on_busy(self, busy: bool) -> None:
        self._work.words.setText("slicing" if self._bed.shows_loose else "moving and slicing")
        self._again.setVisible(not busy and not self._bed.shows_loose and self._session.solution is not None
                               and self._session.proof is None)

    def _on_changed(self) -> None:
        checks = self._bed.checks
        self._trouble.setText(self._bed.trouble)
        self._trouble.setVisible(bool(self._bed.trouble))
        bad = [check for check in checks if check.verdict != OK]
        fine = [check for check in checks if check.verdict == OK]
        for rows, shown, holder, whole in ((self._failing, bad, self._bad, True), (self._fine, fine, self._good, False)):
            while len(rows) < len(shown) and (whole or self._grown):
                row = Row(whole)
                row.mended.connect(self._apply)
                row.place_wanted.connect(self.place_wanted)
                rows.append(row)
                holder.addWidget(row)
            for i, row in enumerate(rows):
                row.setVisible(i < len(shown))
                if i < len(shown):
                    row.show_check(shown[i], self._bed.remedies(shown[i]), self._session.surety(shown[i].id))
                    row.show_chosen(shown[i].id == self._explaining)
        solution = self._session.solution
        calm = bool(checks) and not bad and solution is not None and not self._bed.shows_loose
        self._said.setText(solution.summary if calm and solution is not None else "")
        self._said.setVisible(calm)
        self._show_fold(len(fine))
        self.hint.setVisible(self._session.mechanism is not None and not self._session.experience.items)
        self.search.setVisible(self._helpless(bad))
        by = {v: sum(c.verdict == v for c in checks) for v in (STOP, LOOK, OK)}
        words = [f"{by[STOP]} to stop for" if by[STOP] else "", f"{by[LOOK]} to look at" if by[LOOK] else ""]
        judged = f"{by[STOP]} stop, {by[LOOK]} look" if all(words) else words[0] or words[1] or "all is well"
        self._count.setText(judged if checks else "" if self._bed.trouble else "nothing to judge yet")

    def _helpless(self, bad: list[Check]) -> bool:
        """Whether all was tried and nothing mends what it is for, though sizes can be found for it."""
        view, request, solution = self._session.view, self._session.request, self._session.solution
        if view is None or not view.whole or request is None or solution is None or self._bed.shows_loose:
            return False
        if not view.outlook.thorough and self._session.proof is None:
            return False
        return bool(request.kind.tuning.sizes) and any(c.id == solution.aim.check and not self._bed.remedies(c) for c in bad)

    @property
    def rows(self) -> list[Row]:
        """All rows, what fails first."""
        return [*self._failing, *self._fine]

    def _show_fold(self, count: int) -> None:
        self._fold.setText(f"{count} fine {'▾' if self._unfolded else '▸'}")
        self._fold.setVisible(count > 0)
        self._shelf.setVisible(self._unfolded)

    def _on_fold(self) -> None:
        """Show what is fine, or fold it into its line."""
        if not self._grown:
            self._on_grown()
        self._unfolded = not self._unfolded
        self._show_fold(sum(not row.isHidden() for row in self._fine))

    def explain(self, check_id: str) -> None:
        """Bring the verdict with an id into view and mark it."""
        self._explaining = check_id
        if any(row.check_id == check_id and not row.isHidden() for row in self._fine) and not self._unfolded:
            self._on_fold()
        for row in self.rows:
            chosen = row.check_id == check_id and row.isVisibleTo(self)
            row.show_chosen(chosen)
            if chosen:
                self._area.ensureWidgetVisible(row)

    def _apply(self, remedy: Remedy | ShelfOffer) -> None:
        if isinstance(remedy, ShelfOffer):
            self._bed.put_shelf(remedy.finding)
            return
        whole = {name: round(value) if isinstance(value, float) and value.is_integer() else value
                 for name, value in remedy.values.items()}
        self._session.set_params(f"mend: {remedy.label}", **whole)
