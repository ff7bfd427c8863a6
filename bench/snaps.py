"""Timing of the snap fits: the way in and out, designing to a target, dragging the bend ruler."""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import time

from bouncy_latch.core import fields
from bouncy_latch.core.design import Design
from bouncy_latch.core.judge.search import target
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process import population

HERON = population.built_in()[0]
KINDS = ("hook", "split-pin", "ball-peg", "bead-ring", "locking-tab", "clip-hinge", "tube-clip")

DRAG = """
import json, tempfile, time
from pathlib import Path
from bouncy_latch.app.__main__ import application, open_window
app = application(["bench"])
window = open_window(None, True, Path(tempfile.mkdtemp()))
window.show()
while window.shape.stage is None:
    app.processEvents()
window.session.select("hook-1")
def settle():
    end = time.monotonic() + 30
    while not window.session.up_to_date and time.monotonic() < end:
        app.processEvents()
        time.sleep(0.01)
settle()
steps = 40
begin = time.perf_counter()
for i in range(steps):
    window.ruler.ruler.dragged.emit(0.7 + 0.02 * i)
    app.processEvents()
rate = steps / (time.perf_counter() - begin)
window.session.end_drag()
settle()
window.session.keeping.saved = window.session.project
window.close()
print(json.dumps({"rate": rate}))
"""


def curve_times() -> dict[str, float]:
    """Return the median seconds of a whole solve, way in and out at 200 steps included, by kind."""
    found = {}
    for name in KINDS:
        kind = registry.kind(name)
        facts = kind.params.facts()[kind.tuning.sizes[0]]
        taken = []
        for i in range(15):
            params = kind.params().changed(**{facts.name: getattr(kind.params(), facts.name) + 0.0001 * i})
            begin = time.perf_counter()
            kind.solve(params, HERON)
            taken.append(time.perf_counter() - begin)
        found[name] = statistics.median(taken)
    return found


def target_times() -> list[float]:
    """Return the seconds of designing to a target: one that is reached, and one that is not and uses every try."""
    kind = registry.kind("hook")
    taken = []
    for values, fixed in (({"push": 25, "hold": 60, "cycles": 500, "length": 12}, {"length"}),
                          ({"push": 20, "hold": 40, "cycles": 2000, "length": 7, "undercut": 1.0, "wall": 2},
                           {"length", "undercut"})):
        params = fields.parse(kind.params, values)
        begin = time.perf_counter()
        target.reach(Design(kind, params, HERON), frozenset(fixed))
        taken.append(time.perf_counter() - begin)
    return taken


def drag_rate() -> float:
    """Return how many steps a second the bend ruler is dragged with the window drawn."""
    done = subprocess.run([sys.executable, "-c", DRAG], capture_output=True, text=True, check=True)
    return float(json.loads(done.stdout.strip().splitlines()[-1])["rate"])


def rows() -> list[dict[str, float | str]]:
    """Return the rows of the table."""
    made: list[dict[str, float | str]] = [
        {"what": f"solving a {name}, 200 steps in and out", "ours_ms": 1e3 * seconds, "limit_ms": 15}
        for name, seconds in curve_times().items()]
    reached, short = target_times()
    return [*made, {"what": "designing to a target that is reached", "ours_ms": 1e3 * reached, "limit_ms": 1000},
            {"what": "designing to one that is not", "ours_ms": 1e3 * short, "limit_ms": 1000},
            {"what": "bend ruler steps a second (at least)", "ours_ms": drag_rate(), "limit_ms": 20}]
