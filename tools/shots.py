"""Refresh docs/screenshots from the demo: one picture a main view, at 1280×800."""

import os
import sys
import tempfile
import time
from pathlib import Path

from PySide6.QtWidgets import QApplication

from bouncy_latch.app.__main__ import application, open_window
from bouncy_latch.app.kit.theme import THEME
from bouncy_latch.app.stops.fit import LADDER
from bouncy_latch.app.strips.jobline import STOPS
from bouncy_latch.core.process.printers import Printers, made, with_spool
from bouncy_latch.core.project import document, own_printers
from bouncy_latch.core.project.demo import demo_project
from bouncy_latch.core.project.folders import data_folder
from bouncy_latch.core.project.store import Latch

OUT = Path(__file__).parent.parent / "docs" / "screenshots"


def wait(app: QApplication, seconds: float, until=lambda: False) -> None:
    end = time.monotonic() + seconds
    while time.monotonic() < end and not until():
        app.processEvents()
        time.sleep(0.01)


def settle(app, window) -> None:
    wait(app, 25, lambda: window.session.proof is not None and window.session.view is not None
         and not window.session.proof_lane.busy and not window.bed.pose_lane.busy)
    wait(app, 0.6, lambda: False)
    wait(app, 10, lambda: not window.fit.next._plan_lane.busy)
    wait(app, 0.3)


def shot(app, window, name: str) -> None:
    wait(app, 0.5)
    if window.shape.stage is not None and window.shape.isVisible():
        window.shape.stage.draw()
        wait(app, 0.2)
    window._notice.hide()
    wait(app, 0.1)
    window.grab().save(str(OUT / f"{name}.png"))
    print(OUT / f"{name}.png")


def main() -> int:
    wanted = set(sys.argv[1:])
    OUT.mkdir(parents=True, exist_ok=True)
    app = application(sys.argv[:1])
    with tempfile.TemporaryDirectory() as folder:
        os.environ["BOUNCY_DATA"] = folder
        window = open_window(None, True, Path(folder))
        window.resize(1280, 800)
        window.show()
        wait(app, 30, lambda: window.shape.stage is not None)
        settle(app, window)

        def take(name, prepare=lambda: None):
            if not wanted or name in wanted:
                prepare()
                settle(app, window)
                shot(app, window, name)

        for index, stop in enumerate(STOPS):
            take(stop.lower(), lambda i=index: window.jobline.go(i))
        def evidence():
            window.jobline.go(1)
            window.fit.go(2)
        take("fit-evidence", evidence)
        window.fit.go(0)

        take("print-ways-up", window.compare_poses)
        window.print_stop.poses_button.setChecked(False)
        window.print_stop.show_poses()

        def near_weld():
            window.session.set_params("gap", gap=0.18)
            window.jobline.go(3)
            settle(app, window)
            window.print_stop.choose(window.bed.printed.spots[0])
        take("print-welded", near_weld)
        window.session.undo()
        settle(app, window)

        def snap(mechanism: str, stop: int, ruler: str = "bend"):
            window.session.select(mechanism)
            window.jobline.go(stop)
            settle(app, window)
            window.ruler.choose(ruler)

        def to_target():
            # What a latch's spring is asked for, sizes found for it, and what else could be made.
            snap("zigzag-spring-1", 0, "load")
            window.session.set_params("target", action="stretched", force=3, travel=6)
            settle(app, window)
            window.brief.target.search()
            window.brief.target.possible_button.click()
            wait(app, 20, lambda: not window.brief.target.lane.busy and window.brief.possible.found is not None)
        def hook():
            # A design that falls short, on a laptop's screen.
            snap("hook-1", 2)
            window.session.set_params("steeper", return_angle=64, undercut=1.4)
            window.resize(1366, 768)
        take("snap-hook", hook)
        window.resize(1280, 800)
        if not wanted or "snap-hook" in wanted:
            window.session.undo()

        def sealed():
            snap("nut-pocket-2", 3, "allowance")
            window.print_stop.choose(window.session.solution.pauses[0])
        take("nut-sealed", sealed)
        take("spring-target", to_target)
        if not wanted or "spring-target" in wanted:
            window.session.undo()
            window.brief.target.possible_button.click()
        window.session.select("knuckle-hinge-1")

        def printers():
            # A printer of the user's, in a data folder of its own.
            own = made(name="Skua", bed=(220, 220, 250), settings={"layer_height": 0.2})
            own = with_spool(own, material="PLA", colour="slate")
            own = with_spool(own, material="PETG", colour="kelp", note="dry it first")
            own_printers.update(data_folder(), lambda _: Printers(
                printers=(own, made(name="Tern", nozzle=0.6, bed=(180, 180, 180)))))
            window.session.adopt(Latch(document.empty_project()), None, unsaved=False)
            window.asides.show("printers")
            window.asides.page("printers").use(own.spools[0])
        take("printers", printers)

        def ladder():
            # The first ladder of that printer, exported and printed.
            window.session.add("knuckle-hinge")
            window.jobline.go(1)
            window.fit.go(0)
            settle(app, window)
            wait(app, 20, lambda: window.fit.next.coupon is not None and window.fit.next.coupon.id == "first-ladder"
                 and not window.fit.next._plan_lane.busy)
            window.fit.next._export(Path(folder))
            window.fit.go(LADDER)
            page = window.fit.ladder
            said = iter(("welded", "needs a tool", "frees by hand", "free", "hammer", "pushed by hand", "snug", "slides"))
            for kind, value in dict.fromkeys((kind, value) for kind, value, _ in page.outcome_buttons):
                if (outcome := next(said, None)) is not None:
                    page.outcome_buttons[kind, value, outcome].click()
            field = next(iter(page.fields.values()))
            field.setText("4.08 4.11 4.09")
            field.editingFinished.emit()
        take("fit-ladder", ladder)

        def tray():
            # The specimen tray of the examples: two parts from files, and all that sits on them.
            window.session.open(OUT.parent.parent / "examples" / "tray.latch")
            snap("knuckle-hinge-1", 2, "gap")
        take("tray", tray)

        def pointed():
            # Where a nut is to go: a face is pointed at.
            window.session.select("part-1")
            window.jobline.go(2)
            settle(app, window)
            window.shape.stage.mark((22.0, 38.0, 2.0))
            window.session.point_at((22.0, 38.0, 2.0))
        take("part-seat", pointed)

        def split():
            window.session.adopt(Latch(document.empty_project("Beam")), None, unsaved=False)
            window.session.add("part", shape="block", length=90, height=12)
            window.jobline.go(2)
            settle(app, window)
            window.session.split("x=45", "locking-tab")
            settle(app, window)
            window.shape.stage.frame()
        take("part-split", split)

        def empty():
            window.session.adopt(Latch(document.empty_project()), None, unsaved=False)
            window._on_went(window.jobline.current)
            wait(app, 20, lambda: all(card.figure._section for card in window.chooser.cards))
        take("new-project", empty)

        def figures():
            if not window.session.project.mechanisms:
                window._on_went(window.jobline.current)
            window.chooser.needs["close"].click()
            window.chooser.compare_button.click()
            comparison = window.chooser.comparison
            for name, value in (("size", "40"), ("effort", "40")):
                comparison._enter(name, value, None)
            wait(app, 60, lambda: comparison.choice is not None and comparison.choice.whole and comparison.need.effort == 40
                 and comparison.choice.need == comparison.need)
        take("choose-figures", figures)
        window.session.adopt(Latch(demo_project()), None, unsaved=False)
        settle(app, window)

        def dark():
            # A button of the reel, pushed out of its plane.
            snap("ring-spring-1", 2, "load")
            window.shape.trace.set_value(1.4)
            window.toggle_theme()
        take("button-dark", dark)
        if THEME.dark:
            window.toggle_theme()
        window.session.keeping.saved = window.session.project
        window.close()
        app.processEvents()
    return 0


if __name__ == "__main__":
    sys.exit(main())
