"""Times of threads and of pauses in G-code: rows of the bench's table."""

from __future__ import annotations

import random
import statistics
import tempfile
import time
from pathlib import Path

from bouncy_latch.core.formats import gcode
from bouncy_latch.core.formats.step import to_step
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process import population
from bouncy_latch.core.solids import mesh
from bouncy_latch.core.solids.outline import CHORD_TOLERANCE, SKETCH_TOLERANCE

HERON = population.built_in()[0]
BYTES, WHOLE = 20e6, 100e6
"""Of the G-code that is paused here, and of the one the limit is for."""


def _solved(step: int):
    kind = registry.kind("thread")
    return kind.solve(kind.params().changed(size="M8", length=30, offset=round(0.1 + 0.004 * step, 4)), HERON)


def _rebuilt(tolerance: float, steps: int) -> float:
    """Milliseconds for figures, tree and meshes of bolt and nut after a step of the offset."""
    times = []
    for step in range(steps):
        begin = time.perf_counter()
        for solid in _solved(step).bodies.values():
            mesh.evaluate(solid, tolerance)
        times.append(time.perf_counter() - begin)
    return 1e3 * statistics.median(times)


def _sliced(file: Path) -> None:
    chance = random.Random(7)

    def place() -> str:
        return f"X{chance.uniform(20, 200):.3f} Y{chance.uniform(20, 200):.3f}"

    with file.open("w") as out:
        out.write("G21\nG90\nM83\nG28\n")
        height = 0.0
        while out.tell() < BYTES:
            height += 0.2
            out.write(f"G1 Z{height:.3f} F600\n")
            for _ in range(60):
                out.write(f"G1 {place()} F9000\nG1 F1800\n")
                out.writelines(f"G1 {place()} E{chance.uniform(0, 1):.5f}\n" for _ in range(60))


def rows() -> list[dict[str, object]]:
    """Return the rows: milliseconds and their limits."""
    begin = time.perf_counter()
    to_step(_solved(30).bodies, "thread")
    step = 1e3 * (time.perf_counter() - begin)
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder) / "in.gcode"
        _sliced(source)
        begin = time.perf_counter()
        gcode.pause_file(source, source.with_name("out.gcode"), [2.0, 6.0])
        paused = 1e3 * (time.perf_counter() - begin) * WHOLE / source.stat().st_size
    return [
        {"what": "M8 × 30 bolt and nut while dragging", "ours_ms": _rebuilt(SKETCH_TOLERANCE, 9), "limit_ms": 60},
        {"what": "M8 × 30 bolt and nut as exported", "ours_ms": _rebuilt(CHORD_TOLERANCE, 5), "limit_ms": 500},
        {"what": "their STEP", "ours_ms": step, "limit_ms": 10000},
        {"what": "pauses in 100 MB of G-code", "ours_ms": paused, "limit_ms": 20000},
    ]
