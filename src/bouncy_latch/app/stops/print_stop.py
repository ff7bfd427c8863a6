"""The Print stop: the strip of all layers, one layer as it will be laid, what is wrong in words, and which way up."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from bouncy_latch.app.kit.head import Head
from bouncy_latch.app.kit.pages import Pages
from bouncy_latch.app.kit.parts import Elided, button, clear, label, set_tone
from bouncy_latch.app.session.bed import Bed
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.stops.layer_picture import LayerPicture, Ring
from bouncy_latch.app.stops.poses_panel import PosesPanel
from bouncy_latch.app.stops.print_strip import Event, PrintStrip
from bouncy_latch.app.stops.stop_menu import StopMenu
from bouncy_latch.core.checks import LOOK, OK, SEVERITY
from bouncy_latch.core.judge.prints import pauses as waits
from bouncy_latch.core.judge.prints.printing import LAYERS_ID, Printed
from bouncy_latch.core.layers import estimate
from bouncy_latch.core.layers.findings import Finding
from bouncy_latch.core.layers.predict import Spot
from bouncy_latch.core.mechanisms.contract import Pause

MOST_SPOTS = 3
TITLES = 300
"""Width that the words of the head need beside its buttons, px."""


class PrintStop(QWidget):
    """Shows what lies on the bed.

    Signals:
        place_wanted: show a point of the bed (x, y, z) in the solid. explained: id of the check that explains what was chosen.
        gcode_wanted: its pauses are to be put into a sliced file.
    """

    place_wanted = Signal(object)
    explained = Signal(str)
    gcode_wanted = Signal()

    def __init__(self, session: Session, bed: Bed) -> None:
        super().__init__()
        self._session, self._bed = session, bed
        self.strip, self.picture, self.poses = PrintStrip(), LayerPicture(), PosesPanel(bed)
        self._headline, self._about = label("", "title", 10.5), Elided("", "quiet")
        self._spot_row = QHBoxLayout()
        self._spot_row.setSpacing(6)
        self._spot_note = Elided("", "quiet")
        self.poses_button = button("which way up", self.show_poses, "plain", "Compare print poses")
        self.poses_button.setCheckable(True)
        self.shelf_button = button("remove shelves", lambda: bed.set_up("no shelves", shelves=()), "plain")
        self.stop_button = button("stop here…", lambda: None, "plain", "Let the print stop after this layer")
        self.stop_menu = StopMenu(session, self.stop_button)
        self._cost = label("", "quiet")
        self._cost.setToolTip("An estimate: lines / speed + 3 s a layer + 4 min; volume of lines × density")
        head = Head((self._headline, self._about), (
            self._cost, self.shelf_button, self.stop_button, button("whole layer", self.picture.show_all, "plain"),
            self.poses_button), TITLES)
        spots = QHBoxLayout()
        spots.setContentsMargins(14, 0, 12, 8)
        spots.addWidget(self._spot_note, 1)
        spots.addLayout(self._spot_row)
        layer = QWidget()
        inside = QVBoxLayout(layer)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(4)
        inside.addWidget(self.picture, 1)
        inside.addLayout(spots)
        self._pages = Pages()
        self._pages.addWidget(layer)
        self._pages.addWidget(self.poses)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(head)
        layout.addWidget(self.strip)
        layout.addLayout(self._pages, 1)
        self.strip.picked.connect(self._on_picked)
        self.strip.event_picked.connect(lambda event: self.choose(event.subject))
        self.picture.ring_picked.connect(self._on_ring)
        bed.changed.connect(self._on_changed)
        self._shown: Printed | None = None
        self._stopped: Sequence[Pause] = ()
        self._opened_on: object = None
        self._on_changed()

    # -- what is there -----------------------------------------------------------------------------------------------

    def _on_changed(self) -> None:
        printed = self._bed.printed
        self.shelf_button.setVisible(bool(self._bed.setup.shelves))
        if printed is None:
            waiting = self._bed.waiting
            self._headline.setText("Slicing…" if waiting else "Nothing to slice yet")
            self._about.show_text("growing every outline and looking for welds" if waiting else self._bed.trouble)
            self.strip.setEnabled(False)
            self._shown = None
            if not waiting:
                self.strip.show_prediction(None)
                self.picture.show_prediction(None)
                clear(self._spot_row)
                self._spot_note.show_text("")
        elif printed is not self._shown or self._stopped != self._pauses():
            self._show(printed)

    def _pauses(self) -> Sequence[Pause]:
        """Where the print stops for a hand."""
        solution, mechanism = self._session.solution, self._session.mechanism
        if solution is None or mechanism is None or self._bed.shows_loose:
            return ()
        return waits.pauses(solution, self._bed.setup, mechanism.stops)

    def _show(self, printed: Printed) -> None:
        self._shown, self._stopped = printed, self._pauses()
        self.stop_button.setVisible(not self._bed.shows_loose)
        self.strip.setEnabled(True)
        severity = next((c.verdict for c in printed.checks if c.id == LAYERS_ID), OK)
        self.strip.show_prediction(printed.prediction, severity if severity != OK else "none",
                                   _events(printed, self._bed.labels, self._pauses()))
        self.picture.show_prediction(printed.prediction, _rings(printed, severity))
        subject = (self._bed.shows_loose, self._session.project.selected)
        if subject != self._opened_on:
            self._opened_on = subject
            self.picture.show_all()
            self.strip.layer = self._first_layer(printed)
        self._show_troubles(printed, severity)
        cost = printed.estimate
        self._cost.setText(f"about {estimate.words(cost.minutes)}, {cost.grams:.0f} g")
        self._on_picked(self.strip.layer)

    def _first_layer(self, printed: Printed) -> int:
        """Open on the layer through the mechanism itself, or through the largest weld, not on the bed."""
        layers = printed.prediction.layers
        solution = self._session.solution
        if printed.spots:
            height = printed.spots[0].z
        elif not self._bed.shows_loose and solution is not None and solution.shape.region:
            height = (solution.shape.region[2] + solution.shape.region[5]) / 2
        else:
            height = layers[len(layers) // 2].middle
        return int(np.argmin([abs(layer.middle - height) for layer in layers]))

    def _show_troubles(self, printed: Printed, severity: str) -> None:
        clear(self._spot_row)
        for pause in self._pauses():
            words = f"pause at {pause.z:.2f} mm: {pause.insert}"
            self._spot_row.addWidget(button(words, lambda p=pause: self.choose(p), "mend", pause.note))
        if self._pauses():
            into = button("into G-code…", self.gcode_wanted.emit, "plain", "Put the pauses into a sliced file")
            self._spot_row.addWidget(into)
        flaws = sorted(printed.prediction.findings, key=lambda f: -SEVERITY[f.verdict])
        count = len(printed.spots)
        grave = severity == "stop" or any(f.verdict == "stop" for f in flaws)
        set_tone(self._spot_note, "stop" if grave else "look" if count or flaws else "quiet")
        if not count and not flaws:
            touch = "No two parts touch" if len(printed.prediction.names) > 1 else "Nothing droops or vanishes"
            self._spot_note.show_text(f"{touch}; {len(printed.prediction.layers)} layers at growth "
                                      f"{printed.prediction.growth:.2f}")
            return
        said = [f"{count} weld{'s' if count != 1 else ''}" if count else "", f"{len(flaws)} at risk" if flaws else ""]
        self._spot_note.show_text(", ".join(s for s in said if s) + ":")
        shown = min(count, MOST_SPOTS - bool(flaws))
        for spot in printed.spots[:shown]:
            where = self._bed.place_name((spot.x, spot.y, spot.z))
            self._spot_row.addWidget(button(f"{where}, {spot.area:.1f} mm²", lambda s=spot: self.choose(s)))
        for flaw in flaws[:MOST_SPOTS - shown]:
            words = f"{flaw.label.lower()}, layer {flaw.first_layer + 1}"
            self._spot_row.addWidget(button(words, lambda f=flaw: self.choose(f)))

    # -- choosing ----------------------------------------------------------------------------------------------------

    def choose(self, subject: object) -> None:
        """Come near a weld or a flaw in the picture, and let its verdict explain it."""
        self.poses_button.setChecked(False)
        self.show_poses()
        printed = self._bed.printed
        if printed is None:
            return
        offset = printed.prediction.layers[0].index
        if isinstance(subject, Spot):
            self.picture.come_near(subject.x, subject.y, subject, min(subject.radius, 8.0))
            self.strip.pick((subject.first_layer + subject.last_layer) // 2 - offset)
            self.explained.emit(LAYERS_ID)
        elif isinstance(subject, Finding):
            if subject.place:
                self.picture.come_near(subject.place[0], subject.place[1], subject, _reach(subject))
            self.strip.pick(subject.first_layer - offset)
            self.explained.emit(subject.id)
        elif isinstance(subject, Pause):
            self.strip.pick(_last_below(printed, subject) - offset)

    def _on_ring(self, subject: object) -> None:
        """A click on a ring shows the place in the solid; the verdict explains it."""
        self.choose(subject)
        place = (subject.x, subject.y, subject.z) if isinstance(subject, Spot) else getattr(subject, "place", None)
        if place is not None:
            self.place_wanted.emit(place)

    def show_poses(self) -> None:
        """Show the ways up or the layer, as the button says."""
        shown = self.poses_button.isChecked()
        self._pages.setCurrentIndex(int(shown))
        if shown:
            self._headline.setText("Which way up")
            self._about.show_text("best first: by welds, strength, what hangs, time and plastic")
        elif self._shown is not None:
            self._on_picked(self.strip.layer)

    def _on_picked(self, index: int) -> None:
        printed = self._bed.printed
        if printed is None:
            return
        layer = printed.prediction.layers[index]
        self.picture.show_layer(index)
        self.stop_menu.stop_height = layer.middle + layer.thickness / 2
        if self.poses_button.isChecked():
            return
        self._headline.setText(f"Layer {layer.index + 1} of {printed.prediction.layers[-1].index + 1}")
        stops = [pause for pause in self._pauses() if _last_below(printed, pause) == layer.index]
        if stops:
            self._about.show_text("; ".join(f"it stops then for {each.insert}. {each.note}" for each in stops))
            return
        bottom = layer.middle - layer.thickness / 2
        names = list(self._bed.labels.values())
        areas = ", ".join(f"{name} {area:.0f} mm²" for name, area in zip(names, layer.areas, strict=False))
        turned = "; turned from how it was designed" if self._bed.setup.turn else ""
        self._about.show_text(f"{bottom:.2f} to {bottom + layer.thickness:.2f} mm; {areas}{turned}")


def _events(printed: Printed, called: Mapping[str, str], pauses: Sequence[Pause] = ()) -> list[Event]:
    """Return what the strip marks: flaws of the print, and where it stops for a hand."""
    found = [Event(f.first_layer, f.last_layer, f.verdict,
                   f"{f.label}: {f.value:.2f} {f.unit}\n{called.get(f.body, f.body)}: {f.why}", f)
             for f in printed.prediction.findings]
    for pause in pauses:
        last = _last_below(printed, pause)
        found.append(Event(last, last, "none", f"Pause at {pause.z:.2f} mm: {pause.insert}\n{pause.note}", pause))
    return found


def _last_below(printed: Printed, pause: Pause) -> int:
    """Return the last layer whose top is not above a pause."""
    layers = printed.prediction.layers
    return max((layer.index for layer in layers if layer.middle + layer.thickness / 2 <= pause.z + 1e-6),
               default=layers[0].index)


def _rings(printed: Printed, severity: str) -> list[Ring]:
    """Return what the picture rings."""
    worst = severity if severity != OK else LOOK
    rings = [Ring(s.x, s.y, s.radius, s.first_layer, s.last_layer, worst, s, s.reach) for s in printed.spots]
    for flaw in printed.prediction.findings:
        if flaw.place is not None:
            x, y, _ = flaw.place
            rings.append(Ring(x, y, _reach(flaw), flaw.first_layer, flaw.last_layer, flaw.verdict, flaw))
    return rings


def _reach(flaw: Finding) -> float:
    """Return the radius of a ring round a flaw, mm."""
    return 1.5 if flaw.box is None else 0.55 * max(flaw.box[2] - flaw.box[0], flaw.box[3] - flaw.box[1])
