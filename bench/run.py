"""Measure the performance budgets, each as a ratio to the bare library calls made in the same run.

``./bouncy bench`` prints a table; ``--json`` prints it for machines. Medians of repeated runs.
"""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import answers
import manifold3d
import numpy as np
import screws
import snaps
import springs

from bouncy_latch.core import fields
from bouncy_latch.core.layers.kept import BODIES, Kept, Once
from bouncy_latch.core.layers.predict import layer_middles, predict
from bouncy_latch.core.learn.calibration import ladders
from bouncy_latch.core.learn.posterior.belief import learn
from bouncy_latch.core.learn.study.study import print_ladder, unknown
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.outcomes import OUTCOMES
from bouncy_latch.core.process import population
from bouncy_latch.core.process.evidence import Result
from bouncy_latch.core.project.demo import demo_project
from bouncy_latch.core.solids import mesh, tree
from bouncy_latch.core.virtual.printer import VirtualPrinter, machine

HERON = population.built_in()[0]
HINGE = registry.kind("knuckle-hinge")
DEMO = HINGE.solve(demo_project().mechanisms[0].parsed(), HERON)


def median(run, times=9):
    """Return the median seconds of ``run(i)``."""
    taken = []
    for i in range(times):
        begin = time.perf_counter()
        run(i)
        taken.append(time.perf_counter() - begin)
    return statistics.median(taken)


def solution(gap=0.3, **values):
    return HINGE.solve(fields.parse(HINGE.params, {"gap": round(gap, 4), **values}), HERON)


def leaves_of(node):
    """Evaluated operands and the operation of every boolean in a tree, children first."""
    found = []

    def walk(solid):
        if isinstance(solid, (tree.Placed, tree.Mirrored)):
            walk(solid.solid)
        elif isinstance(solid, tree.Difference):
            for part in (solid.solid, *solid.tools):
                walk(part)
            found.append((solid, (solid.solid, *solid.tools), manifold3d.OpType.Subtract))
        elif isinstance(solid, (tree.Union, tree.Intersection)):
            for part in solid.solids:
                walk(part)
            kind = manifold3d.OpType.Add if isinstance(solid, tree.Union) else manifold3d.OpType.Intersect
            found.append((solid, solid.solids, kind))

    walk(node)
    return found


def mesh_after_gap_change():
    """New hinge mesh after a gap change, against the bare kernel booleans on operands made ready beforehand."""
    values = {"knuckles": 6}
    for body in solution(0.25, **values).bodies.values():
        mesh.evaluate(body).num_tri()

    def ours(i):
        for body in solution(0.3 + 0.003 * i, **values).bodies.values():
            mesh.evaluate(body).num_tri()

    def bare(operations):
        for operands, kind in operations:
            manifold3d.Manifold.batch_boolean(operands, kind).num_tri()

    mine = median(ours)
    kernel = []
    for i in range(9):
        seen, operations = set(), []
        for body in solution(0.4 + 0.003 * i, **values).bodies.values():
            for node, parts, kind in leaves_of(body):
                if node not in seen:
                    seen.add(node)
                    ready = [mesh.evaluate(p) for p in parts]
                    for operand in ready:
                        operand.num_tri()
                    operations.append((ready, kind))
        # The host alone is the same for every gap and stays in the cache.
        known = {body.base.placed(body.at) for body in solution(0.4, **values).shape.bodies}
        operations = [op for op in operations if not any(len(op[0]) == 1 and mesh.evaluate(k) is op[0][0] for k in known)]
        kernel.append(median(lambda _, ops=operations: bare(ops), 1))
    return mine, statistics.median(kernel), 1.5


def bare_layers(bodies):
    """Slice, offset and intersect every layer of two bodies with the kernel alone."""
    first, second = bodies.values()
    top = max(b.bounding_box()[5] for b in bodies.values())

    def run(_):
        before = None
        for middle, _thick in layer_middles(top, HERON):
            a, b = (x.slice(middle).offset(0.05, manifold3d.JoinType.Miter, 2.0) for x in (first, second))
            (a ^ b).area()
            if before:
                (before[0] ^ b).area()
                (before[1] ^ a).area()
            before = a, b

    return run


def fresh_prediction(bodies, **options):
    """A prediction that remembers nothing."""
    def run(_):
        BODIES.clear()
        predict(bodies, HERON, kept=Once(), **options)

    return run


def evaluated(**values):
    return {n: mesh.evaluate(s) for n, s in solution(**values).bodies.items()}


def weld_prediction():
    """Welds alone of the six-knuckle hinge, against bare slice + offset + intersect of the same layers."""
    bodies = evaluated(gap=0.2, knuckles=6)
    return median(fresh_prediction(bodies, judge=False, chances=False)), median(bare_layers(bodies)), 1.5


def full_prediction():
    """Everything about the demo box: welds, chances, undersides, walls, bed."""
    bodies = {n: mesh.evaluate(s) for n, s in DEMO.bodies.items()}
    return median(fresh_prediction(bodies), 15), median(bare_layers(bodies), 15), 1.5


def drag_prediction(**step):
    """The demo box again and again with one size moved by a step each time: what did not change is known."""
    name, by = next(iter(step.items()))
    start = getattr(DEMO.params, name)
    steps = [{n: mesh.evaluate(s) for n, s in HINGE.solve(DEMO.params.model_copy(update={name: start + by * i}),
                                                         HERON).bodies.items()} for i in range(10)]
    kept = Kept()
    predict(steps[0], HERON, kept=kept)
    return median(lambda i: predict(steps[i + 1], HERON, kept=kept), 9), median(fresh_prediction(steps[0]))


def ball_in_block(segments):
    """A ball in a block, about 0.5·segments² triangles each."""
    sphere = manifold3d.Manifold.sphere
    return {"ball": sphere(20, segments).translate((0, 0, 20)),
            "block": manifold3d.Manifold.cylinder(40, 28, 28, 256) - sphere(20.3, segments).translate((0, 0, 20))}


def slopes():
    """Time against layers and against triangles, as exponents of a power law (1: linear)."""
    pair = ball_in_block(256)
    by_layers, by_triangles = [], []
    for h in (0.4, 0.2, 0.1):
        process = HERON.model_copy(update={"layer_height": h, "first_layer_height": h})
        BODIES.clear()
        by_layers.append((40 / h, median(lambda _, p=process: predict(pair, p, kept=Kept()), 3)))
    for segments in (128, 256, 512):
        bodies = ball_in_block(segments)
        count = sum(b.num_tri() for b in bodies.values())
        by_triangles.append((count, median(fresh_prediction(bodies), 3)))

    def slope(points):
        x, y = np.log(np.array(points)).T
        return float(np.polyfit(x, y, 1)[0])

    return slope(by_layers), slope(by_triangles), by_triangles


# What getrusage calls the peak of a process begins with that of the process that started it; the kernel's own figure does not.
PEAK = """
peak = next(int(line.split()[1]) for line in open("/proc/self/status") if line.startswith("VmHWM")) / 1024
"""

LARGE = """
import sys, time
from pathlib import Path
from bouncy_latch.core.judge.prints import loose
from bouncy_latch.core.judge.prints.printing import judge
from bouncy_latch.core.formats import foreign
from bouncy_latch.core.process.population import built_in
begin = time.perf_counter()
found = foreign.read_all([Path(p) for p in sys.argv[1:]])
read = time.perf_counter() - begin
judge(loose.job_of(found.bodies, built_in()[0]))
judged = time.perf_counter() - begin - read
""" + PEAK + """
print(read, judged, peak)
"""


def large_pair():
    """Two files of 100,000 triangles each, in a process of their own: seconds to read and to judge, MB."""
    from bouncy_latch.core.formats.meshes import to_stl

    with tempfile.TemporaryDirectory() as folder:
        paths = []
        for name, body in ball_in_block(448).items():
            paths.append(str(Path(folder) / f"{name}.stl"))
            Path(paths[-1]).write_bytes(to_stl(body, name))
        done = subprocess.run([sys.executable, "-c", LARGE, *paths], capture_output=True, text=True, check=True)
    return [float(v) for v in done.stdout.split()]


def solve_time():
    box = fields.parse(HINGE.params, {"host": "box"})
    return median(lambda i: HINGE.solve(box.model_copy(update={"gap": 0.3 + 0.001 * i}), HERON), 40)


def learning():
    """Learning from 200 different results, known sizes tabulated already; ms."""
    stranger = unknown()
    items = [Result("2026-10-01", "p", HINGE.id, "gap", round(0.1 + 0.002 * i, 4), OUTCOMES[min(4, i // 50)])
             for i in range(200)]
    learn(stranger, items)
    return median(lambda _: learn(stranger, items))


def virtual_ladder():
    """Printing and measuring the pivot ladder on a virtual printer, seconds."""
    stranger = unknown()
    coupon = ladders.of_kind(HINGE, stranger, (0.18, 0.22, 0.26, 0.32, 0.4))
    return median(lambda i: print_ladder(VirtualPrinter(machine(i), i), coupon, stranger, i), 3)


WINDOW = """
import json, os, sys, tempfile, time
begin = time.perf_counter()
from pathlib import Path
from bouncy_latch.start import loaded
application, open_window = (getattr(loaded(), name) for name in ("application", "open_window"))
app = application(["bench"])
window = open_window(None, True, Path(tempfile.mkdtemp()))
window.show()
app.processEvents()
usable = time.perf_counter() - begin
while window.shape.stage is None:
    app.processEvents()
window.shape.stage.draw()
app.processEvents()
solid = time.perf_counter() - begin
end = time.monotonic() + 40
while not window.session.up_to_date and time.monotonic() < end:
    app.processEvents()
    time.sleep(0.01)
for _ in range(40):
    app.processEvents()
    time.sleep(0.01)
frames, edits, solids = [], [], []
sketch = window.shape._sketch
window.shape._next_frame.timeout.disconnect()
window.shape._next_frame.timeout.connect(lambda: (solids.append(time.perf_counter()), sketch()))
whole = time.perf_counter()
for i in range(80):
    start = time.perf_counter()
    window.ruler.ruler.dragged.emit(0.30 + 0.01 * (i % 40))
    edits.append(time.perf_counter() - start)
    app.processEvents()
    frames.append(time.perf_counter() - start)
whole = time.perf_counter() - whole
frames.sort(); edits.sort()
for _ in range(60):
    app.processEvents()
    time.sleep(0.01)
while not window.session.up_to_date:
    app.processEvents()
    time.sleep(0.01)
window.jobline.go(3)
for _ in range(20):
    app.processEvents()
    time.sleep(0.01)
begin = time.perf_counter()
layers = len(window.bed.printed.prediction.layers)
for layer in range(layers):
    window.print_stop.strip.pick(layer)
    app.processEvents()
scrub = layers / (time.perf_counter() - begin)
window.jobline.go(1)
for _ in range(60):
    app.processEvents()
    time.sleep(0.01)
begin = time.perf_counter()
for i in range(40):
    window.fit.chart.dragged.emit(0.30 + 0.004 * i)
    app.processEvents()
chart = 40 / (time.perf_counter() - begin)
window.session.end_drag()
while not window.session.up_to_date:
    app.processEvents()
    time.sleep(0.01)
for _ in range(60):
    app.processEvents()
    time.sleep(0.01)
cpu = time.process_time()
stop = time.monotonic() + 3
while time.monotonic() < stop:
    app.processEvents()
    time.sleep(0.02)
idle = (time.process_time() - cpu) / 3
""" + PEAK + """
for kind in ("hook", "knuckle-hinge"):
    window.session.select(next(m.id for m in window.session.project.mechanisms if m.kind == kind))
window.session.set_params("gap", gap=0.33)
window.compare_poses()
for _ in range(30):
    app.processEvents()
    time.sleep(0.01)
begin = time.perf_counter()
window.close()
closing = time.perf_counter() - begin
print(json.dumps({"usable": usable, "solid": solid, "rate": len(frames) / whole, "solids": len(solids) / whole,
                  "edit": edits[40], "idle": idle, "scrub": scrub, "chart": chart,
                  "memory": peak, "closing": closing}))
sys.stdout.flush()
os._exit(0)
"""


def window_figures():
    subprocess.run([sys.executable, "-c", WINDOW], capture_output=True, check=True)  # warms the file cache
    with tempfile.TemporaryDirectory():
        done = subprocess.run([sys.executable, "-c", WINDOW], capture_output=True, text=True, check=True)
    return json.loads(done.stdout.strip().splitlines()[-1])


def main():
    rows = []
    for name, measure in (("hinge mesh after a gap change", mesh_after_gap_change),
                          ("weld prediction of the hinge", weld_prediction)):
        ours, bare, limit = measure()
        rows.append({"what": name, "ours_ms": 1e3 * ours, "bare_ms": 1e3 * bare, "ratio": ours / bare, "limit": limit})
    rows.append({"what": "solving the box hinge, no solid", "ours_ms": 1e3 * solve_time(), "limit_ms": 16})
    fresh = full_prediction()
    drag, whole = drag_prediction(gap=0.01)
    rim, _ = drag_prediction(rim_step=-0.05)
    by_layers, by_triangles, sizes = slopes()
    read, judged, memory = large_pair()
    rows += [
        {"what": "full prediction of the demo box", "ours_ms": 1e3 * fresh[0], "bare_ms": 1e3 * fresh[1],
         "ratio": fresh[0] / fresh[1], "limit": fresh[2]},
        {"what": "a step of the gap, against fresh", "ours_ms": 1e3 * drag, "bare_ms": 1e3 * whole, "ratio": drag / whole,
         "limit": 1.0},
        {"what": "a step of the rim, against fresh", "ours_ms": 1e3 * rim, "bare_ms": 1e3 * whole, "ratio": rim / whole,
         "limit": 1.0},
        {"what": "exponent of time against layers", "ours_ms": by_layers, "limit_ms": 1.1},
        {"what": "exponent of time against triangles", "ours_ms": by_triangles, "limit_ms": 1.1},
        *({"what": f"prediction of {count // 1000} k triangles", "ours_ms": 1e3 * t, "limit_ms": 10000} for count, t in sizes),
        {"what": "reading 200 k triangles of STL", "ours_ms": 1e3 * read, "limit_ms": 10000},
        {"what": "judging them, with the least gap", "ours_ms": 1e3 * judged, "limit_ms": 10000},
        {"what": "peak memory for them, MB", "ours_ms": memory, "limit_ms": 600},
    ]
    rows += [
        {"what": "learning from 200 results", "ours_ms": 1e3 * learning(), "limit_ms": 50},
        {"what": "virtual print of the pivot ladder", "ours_ms": 1e3 * virtual_ladder(), "limit_ms": 30000},
    ]
    rows += [*snaps.rows(), *springs.rows(), *screws.rows(), *answers.outlooks(), *answers.commands()]
    found = window_figures()
    rows += [
        {"what": "window usable after start", "ours_ms": 1e3 * found["usable"], "limit_ms": 1000},
        {"what": "3-D view after start", "ours_ms": 1e3 * found["solid"], "limit_ms": 2000},
        {"what": "figures and verdicts in a drag", "ours_ms": 1e3 * found["edit"], "limit_ms": 16},
        {"what": "drag steps drawn a second (at least)", "ours_ms": found["rate"], "limit_ms": 20},
        {"what": "of these with a new solid, a second", "ours_ms": found["solids"], "limit_ms": 20},
        {"what": "gap chart redrawn a second, dragging (at least)", "ours_ms": found["chart"], "limit_ms": 30},
        {"what": "layers scrubbed a second (at least)", "ours_ms": found["scrub"], "limit_ms": 30},
        {"what": "idle, per cent of a core", "ours_ms": 100 * found["idle"], "limit_ms": 3},
        {"what": "closing while it works", "ours_ms": 1e3 * found["closing"], "limit_ms": 1000},
        {"what": "peak memory on the demo, MB", "ours_ms": found["memory"], "limit_ms": 600},
    ]
    if "--json" in sys.argv:
        print(json.dumps(rows, indent=1))
        return 0
    print(f"{'(ms unless said)':38}{'ours':>10}{'bare':>10}{'ratio':>8}{'limit':>9}")
    for row in rows:
        if "ratio" in row:
            end = f"{row['bare_ms']:10.1f}{row['ratio']:8.2f}{row['limit']:9.2f}"
        else:
            end = f"{'':18}{row['limit_ms']:9.0f}"
        print(f"{row['what']:38}{row['ours_ms']:10.1f}{end}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
