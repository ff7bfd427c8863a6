"""The Shape stop: the solid in motion, cut, pulled apart and dimensioned, with the scrubber under it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QEvent, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QPushButton, QSlider, QVBoxLayout, QWidget

from bouncy_latch.app.kit.editors import Combo
from bouncy_latch.app.kit.head import Head
from bouncy_latch.app.kit.parts import button, counted, label
from bouncy_latch.app.kit.theme import text_font
from bouncy_latch.app.session.bed import Bed
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.strips.trace import HEIGHT, Trace
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import CLEAR, Motion, Solution

if TYPE_CHECKING:
    from bouncy_latch.app.stage.view import Stage3D

SKETCH_MS = 0
"""In a drag the figures follow every step; the solid is drawn once no more steps wait, so that the handle never lags."""
ROOMY = 700
"""Height of the view from which on the plot along the way is shown unasked, px."""
TITLES = 270
"""Width that the words of the head need beside its buttons, px."""
OPENING_VIEW = 0.72
"""Part of the travel at which a mechanism is first shown, so that its inside and its motion are both seen."""


class ShapeStop(QWidget):
    """The solid view and its controls.

    Signals:
        back_wanted: back to the layer the shown place is in. plot_wanted: the plot under the view as files.
    """

    back_wanted = Signal()
    plot_wanted = Signal()

    def __init__(self, session: Session, bed: Bed) -> None:
        super().__init__()
        self._session, self._bed = session, bed
        self.stage: Stage3D | None = None
        self._shown_mechanism: str | None = None
        self._bare = False
        self._headline, self._about = label("", "title", 10.5), label("", "quiet")
        self.section_button = self._toggle("section", "X", self._on_section)
        self.apart_button = self._toggle("apart", "A", self._on_apart)
        self.sizes_button = self._toggle("sizes", "D", self._on_sizes)
        self.sizes_button.setChecked(True)
        self.back_button = button("back to the layer", self._on_back, "mend")
        self.back_button.hide()
        self.play_button = button("play", self._on_play, "plain", "Play the motion (space)")
        self.plot_button = button("save plot", self.plot_wanted.emit, "plain", "Save the force along the way as CSV and SVG")
        self.plot_button.hide()
        self.way_button = self._toggle("plot", "G", self._on_way)
        self.way_button.setToolTip("The gap or the force along the way as a plot (G)")
        self.motion_box = Combo()
        self.motion_box.setAccessibleName("motion")
        self.motion_box.setFont(text_font(9.5))
        self.motion_box.setMinimumWidth(96)
        self.motion_box.hide()
        self.motion_box.currentIndexChanged.connect(self._on_motion)
        self.printed_button = self._toggle("as printed", "P", self._on_printed)
        self.section_slider = QSlider(Qt.Orientation.Horizontal, minimum=0, maximum=1000, value=500)
        self.section_slider.setFixedWidth(150)
        self.section_slider.setAccessibleName("section plane along the axis")
        self.section_slider.valueChanged.connect(lambda _: self._on_section())
        self.section_slider.hide()
        self.frame_button = button("frame", self._on_frame, "plain", "Show everything (F)")
        self._head = Head((self._headline, self._about), (
            self.back_button, self.section_slider, self.motion_box, self.printed_button, self.play_button, self.section_button,
            self.apart_button, self.sizes_button, self.way_button, self.plot_button, self.frame_button), TITLES)
        self._waiting = label("Building the 3-D view…", "quiet")
        self._waiting.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.trace = Trace()
        self.trace.moved.connect(self._on_moved)
        self._layout = QVBoxLayout(self)
        self._layout.setSpacing(0)
        self._layout.addWidget(self._waiting, 1)
        self._layout.setContentsMargins(0, 0, 0, 0)
        # Words, buttons and the scrubber lie on the picture, which has all the room there is.
        for laid in (self._head, self.trace):
            laid.setParent(self)
        self._next_frame = QTimer(self, singleShot=True, interval=SKETCH_MS)
        self._next_frame.timeout.connect(self._sketch)
        bed.changed.connect(self._on_changed)
        session.settled.connect(self._on_settled)
        self._on_changed()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._share_height()

    def event(self, event: QEvent) -> bool:
        if event.type() is QEvent.Type.LayoutRequest:
            self._share_height()
        return super().event(event)

    def _share_height(self) -> None:
        wanted = self.way_button.isChecked() or self.height() >= ROOMY
        self.trace.make_slim(self._bare or not wanted or self.height() < 2 * HEIGHT)
        self.way_button.setVisible(not self._bare and self.height() < ROOMY and self.trace.isVisibleTo(self))
        self._head.setGeometry(0, 0, self.width(), self._head.heightForWidth(self.width())
                               if self._head.hasHeightForWidth() else self._head.sizeHint().height())
        self.trace.setGeometry(0, self.height() - self.trace.height(), self.width(), self.trace.height())
        for laid in (self._head, self.trace):
            laid.raise_()
        if self.stage is not None:
            self.stage.cover(self._head.height(), self.trace.height() * (not self.trace.isHidden()))

    def _on_way(self) -> None:
        self._share_height()

    @property
    def picture(self) -> QWidget:
        """What shows the solid."""
        return self.stage or self._waiting

    def minimumSizeHint(self) -> QSize:
        """In less room the words on the picture would cover it."""
        return QSize(self._layout.minimumSize().width(), 170)

    def _toggle(self, text: str, key: str, slot: Any) -> QPushButton:
        made = button(text, slot, "plain", f"{text} ({key})")
        made.setCheckable(True)
        return made

    def load_stage(self) -> None:
        """Load the 3-D libraries and put the view in place; called once, after the first paint."""
        if self.stage is not None:
            return
        from bouncy_latch.app.stage.view import Stage3D

        self.stage = Stage3D(self)
        self.stage.pointed.connect(self._on_pointed)
        self._layout.replaceWidget(self._waiting, self.stage)
        self._waiting.hide()
        self._on_changed()
        # The first frame of a GL widget needs its final size.
        QTimer.singleShot(0, lambda: self.stage and (self.stage.frame(), self.stage.draw()))

    def _on_pointed(self, _body: str, point: tuple[float, float, float]) -> None:
        mechanism = self._session.mechanism
        if mechanism is not None and registry.kind(mechanism.kind).is_part and not self._bed.shows_loose and self.stage:
            self.stage.mark(point)
            self._session.point_at(point)

    def _show_loose(self) -> None:
        """Show loose parts as they stand on the bed; they have no motion to play."""
        loose, printed = self._bed.loose, self._bed.printed
        if self._shown_mechanism is not None:
            self._shown_mechanism = None
            self.back_button.hide()
        (self.stage or self._waiting).show()
        self.trace.hide()
        self.motion_box.hide()
        self.play_button.hide()
        self.plot_button.hide()
        self.printed_button.hide()
        self._headline.setText("Parts from files")
        bodies = printed.laid if printed else loose.bodies if loose else {}
        self._about.setText(", ".join(bodies))
        if self.stage is not None and self.isVisible() and loose:
            self.stage.show_bodies(("loose", loose.paths, loose.setup.turn), bodies)

    def _on_changed(self) -> None:
        if self._bed.shows_loose:
            self._show_loose()
            return
        solution, mechanism = self._session.solution, self._session.mechanism
        present = solution is not None and bool(solution.rulers)  # a part has nothing to move
        (self.stage or self._waiting).setVisible(mechanism is not None)
        self.trace.setVisible(present)
        self.play_button.setVisible(present)
        self.printed_button.setVisible(present and solution is not None and self.motion_of(solution).rest is None)
        self.motion_box.setVisible(solution is not None and len(solution.motions) > 1)
        if solution is None:
            self._headline.setText(mechanism.name if mechanism else "")
            self._about.setText(self._session.trouble)
            return
        if mechanism and mechanism.id != self._shown_mechanism:
            self.motion_box.setCurrentIndex(0)
        self._name_motions(solution)
        motion = self.motion_of(solution)
        self.trace.configure(motion.low, motion.high, motion.unit, motion.label)
        self.trace.show_course(motion.course)
        # What neither has a course nor must stay clear has nothing to plot.
        self._bare = (motion.course is None and motion.trial != CLEAR) or not present
        self._share_height()
        self.plot_button.setVisible(motion.course is not None)
        self.play_button.setText("stop" if self.trace.playing else motion.label.split()[0].lower())
        if mechanism and mechanism.id != self._shown_mechanism:
            self._shown_mechanism = mechanism.id
            self.back_button.hide()
            if self.stage is not None:
                self.stage.forget_place()
            opening = motion.low + OPENING_VIEW * (motion.high - motion.low)
            self.trace.value = opening if motion.show is None else motion.show
            self._show_inside(solution.shape.hidden)
            self.printed_button.setChecked(False)
            self._on_printed()
        self._on_proved()
        if self.stage is not None and self.isVisible():
            if self._session.dragging:
                if not self._next_frame.isActive():
                    self._next_frame.start()
            else:
                self.stage.show_solution(solution, motion, self.trace.value)
        self._tell()

    def _show_inside(self, hidden: bool) -> None:
        """Show a mechanism cut at first where what matters lies inside, and whole where not."""
        if self.section_button.isChecked() != hidden:
            self.section_button.setChecked(hidden)
            self.section_slider.setValue(500)
            self._on_section()

    def motion_of(self, solution: Solution) -> Motion:
        """Return the motion that is shown."""
        return solution.motions[min(max(self.motion_box.currentIndex(), 0), len(solution.motions) - 1)]

    def _name_motions(self, solution: Solution) -> None:
        labels = [motion.label for motion in solution.motions]
        if labels != [self.motion_box.itemText(i) for i in range(self.motion_box.count())]:
            self.motion_box.blockSignals(True)
            self.motion_box.clear()
            self.motion_box.addItems(labels)
            self.motion_box.blockSignals(False)

    def _on_motion(self, _index: int) -> None:
        """Turn to another freedom, which begins where the print leaves it."""
        solution = self._session.solution
        if solution is not None:
            motion = self.motion_of(solution)
            self.trace.value = motion.low if motion.rest is None else motion.rest
            self._on_changed()

    def _sketch(self) -> None:
        if self.stage is not None and self._session.solution is not None:
            solution = self._session.solution
            self.stage.show_solution(solution, self.motion_of(solution), self.trace.value, sketch=True)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._on_changed()

    def _on_settled(self) -> None:
        self._next_frame.stop()
        solution = self._session.solution
        if not self._bed.shows_loose and self.stage is not None and solution is not None:
            self.stage.show_solution(solution, self.motion_of(solution), self.trace.value)

    def _on_proved(self) -> None:
        solution, proof = self._session.solution, self._session.proof
        if solution is not None:
            number = max(self.motion_box.currentIndex(), 0)
            self.trace.show_sweep(proof.traces.get(number) if proof else None, 2 * solution.process.growth.mean)

    def _on_moved(self, value: float) -> None:
        if self.printed_button.isChecked():
            self.printed_button.setChecked(False)
            self._on_printed()
        if self.stage is not None:
            self.stage.show_value(value)
        self._tell()

    def _tell(self) -> None:
        solution = self._session.solution
        if solution is None:
            return
        if not solution.rulers:
            mechanism = self._session.mechanism
            self._headline.setText(mechanism.name if mechanism else "")
            self._about.setText(" × ".join(f"{size.value:.1f}" for size in solution.derived if size.unit == "mm") + " mm")
            return
        motion = self.motion_of(solution)
        near = 0.5 if motion.unit == "°" else 0.02
        if motion.unit == "°":
            self._headline.setText(f"{motion.label} {self.trace.value:.0f}° of {motion.high:.0f}°")
        else:
            self._headline.setText(f"{motion.label}, {self.trace.value:.1f} of {motion.high:.1f} {motion.unit}")
        shut = "shut" if abs(self.trace.value - motion.closed) < near else \
            "flat, as printed" if motion.rest is not None and abs(self.trace.value - motion.rest) < near else ""
        if self.printed_button.isChecked() and motion.rest is None:
            shut = "as it lies on the bed"
        elif not shut and motion.course is not None:
            shut = motion.course.at(self.trace.value)
        labels = solution.body_labels
        self._about.setText(shut or f"{counted(len(labels), 'part')}: {', '.join(labels.values())}")

    def _on_section(self) -> None:
        on = self.section_button.isChecked()
        self.section_slider.setVisible(on)
        if self.stage is not None:
            self.stage.show_section(self.section_slider.value() / 1000 if on else None)

    def _on_apart(self) -> None:
        if self.stage is not None:
            self.stage.show_apart(self.apart_button.isChecked())

    def _on_sizes(self) -> None:
        if self.stage is not None:
            self.stage.show_sizes(self.sizes_button.isChecked())

    def _on_play(self) -> None:
        self.printed_button.setChecked(False)
        self._on_printed()
        self.trace.toggle_play()
        solution = self._session.solution
        word = self.motion_of(solution).label.split()[0].lower() if solution else "play"
        self.play_button.setText("stop" if self.trace.playing else word)

    def _on_printed(self) -> None:
        if self.stage is not None:
            self.stage.show_printed(self.printed_button.isChecked() and not self.printed_button.isHidden())
        self._tell()

    def _on_frame(self) -> None:
        if self.stage is not None:
            self.forget_place()
            self.stage.frame()
            self.stage.draw()

    def show_place(self, point: tuple[float, float, float], value: float | None, from_layer: bool = False) -> None:
        """Bring a place into view, with the motion at ``value``; with ``from_layer`` there is a way back."""
        self.back_button.setVisible(from_layer)
        if value is not None:
            self.trace.set_value(value)
        solution = self._session.solution
        if solution is not None and self.motion_of(solution).rest is None:
            # What is known of the print is known of the print pose.
            self.printed_button.setChecked(True)
            self._on_printed()
        if self.stage is not None:
            self.stage.look_at_place(point)

    def _on_back(self) -> None:
        self.forget_place()
        self.back_wanted.emit()

    def forget_place(self) -> None:
        """Take the mark of a place away."""
        self.back_button.hide()
        if self.stage is not None:
            self.stage.forget_place()

    def apply_theme(self) -> None:
        self.trace.renew()
        if self.stage is not None:
            self.stage.apply_theme()

    def close_stage(self) -> None:
        """Release the 3-D view before the window goes."""
        self.trace.stop()
        if self.stage is not None:
            self.stage.release_window()

