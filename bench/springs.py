"""Timing of the springs: their force curves, designing to a target, what is possible, and dragging with strain painted."""

from __future__ import annotations

import json
import subprocess
import sys
import time

from bouncy_latch.core import fields
from bouncy_latch.core.design import Design
from bouncy_latch.core.judge.search import feasible, target
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process import population

HERON = population.built_in()[0]
CURVES = (("zigzag-spring", {"rows": 10}, 80), ("zigzag-spring", {"rows": 10, "action": "pressed", "travel": 16}, 80),
          ("spiral-spring", {"turns": 8, "travel": 2.2}, 200), ("ring-spring", {}, 80))
DRAWN = ("zigzag-spring-1", "spiral-spring-1", "ring-spring-1")

DRAG = """
import json, sys, tempfile, time
from pathlib import Path
from bouncy_latch.app.__main__ import application, open_window
app = application(["bench"])
window = open_window(None, True, Path(tempfile.mkdtemp()))
window.show()
while window.shape.stage is None:
    app.processEvents()
def settle():
    end = time.monotonic() + 30
    while not window.session.up_to_date and time.monotonic() < end:
        app.processEvents()
        time.sleep(0.01)
rates = {}
for name in sys.argv[1:]:
    window.session.select(name)
    settle()
    drawn = [0]
    stage, show = window.shape.stage, window.shape.stage._show
    stage._show = lambda *args: (drawn.__setitem__(0, drawn[0] + 1), show(*args))
    value = window.ruler.ruler.value
    begin = time.perf_counter()
    for i in range(40):
        window.ruler.ruler.dragged.emit(value * (1 + 0.06 * (i % 9)))
        app.processEvents()
    rates[name] = drawn[0] / (time.perf_counter() - begin)
    stage._show = show
    window.session.end_drag()
    settle()
window.session.keeping.saved = window.session.project
window.close()
print(json.dumps(rates))
"""


def _seconds(kind: str, sizes: dict[str, object]) -> float:
    """Return the least of some times of a whole solve, its force curve included."""
    found = registry.kind(kind)
    taken = []
    for i in range(8):
        params = found.params().changed(**sizes, thickness=1.2 + 1e-4 * i)
        begin = time.perf_counter()
        course = found.solve(params, HERON).motions[0].course
        taken.append(time.perf_counter() - begin)
        assert course is not None
    return min(taken)


def _targets() -> tuple[float, float, float]:
    """Return the seconds of designing to a target that is reached and to one that is not, and of what is possible."""
    kind = registry.kind("zigzag-spring")
    taken = []
    for values in ({"force": 5, "travel": 10}, {"force": 900, "travel": 60}):
        begin = time.perf_counter()
        target.reach(Design(kind, fields.parse(kind.params, values), HERON))
        taken.append(time.perf_counter() - begin)
    begin = time.perf_counter()
    feasible.possible(Design(kind, kind.params(), HERON))
    return taken[0], taken[1], time.perf_counter() - begin


def drawn_rates() -> dict[str, float]:
    """Return how often a second a bent spring is drawn while its ruler is dragged, by mechanism of the demo."""
    done = subprocess.run([sys.executable, "-c", DRAG, *DRAWN], capture_output=True, text=True, check=True)
    return dict(json.loads(done.stdout.strip().splitlines()[-1]))


def rows() -> list[dict[str, float | str]]:
    """Return the rows of the table."""
    made: list[dict[str, float | str]] = [
        {"what": f"force curve of a {kind} {sizes or ''}".rstrip(), "ours_ms": 1e3 * _seconds(kind, dict(sizes)),
         "limit_ms": limit}
        for kind, sizes, limit in CURVES]
    reached, short, possible = _targets()
    return [*made, {"what": "a spring's target that is reached", "ours_ms": 1e3 * reached, "limit_ms": 2000},
            {"what": "a spring's target that is not", "ours_ms": 1e3 * short, "limit_ms": 2000},
            {"what": "what is possible with a spring", "ours_ms": 1e3 * possible, "limit_ms": 4000},
            *({"what": f"{name} drawn a second in a drag (at least)", "ours_ms": rate, "limit_ms": 15}
              for name, rate in drawn_rates().items())]
