"""A session is killed at any moment of saving and autosaving; the next one finds whole work and tidies up."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

from bouncy_latch.core.errors import UserError
from bouncy_latch.core.project import store
from bouncy_latch.core.project.autosave import Autosave

WRITER = """
import sys
from pathlib import Path
from bouncy_latch.core.project import store
from bouncy_latch.core.project.autosave import Autosave
from bouncy_latch.core.project.demo import demo_project
from bouncy_latch.core.project.store import Latch
folder = Path(sys.argv[1])
keeper, kit = Autosave(folder / "data" / "unsaved"), folder / "kit.latch"
demo = demo_project()
stamp = None
for i in range(10**6):
    latch = Latch(demo.model_copy(update={"name": f"work {i}"}))
    keeper.keep(latch, kit if i % 3 else None)
    stamp = store.save(kit, latch, stamp)
    if i == 2:
        print("going", flush=True)
"""


def run(seed: int, seconds: float, most: int | None = None) -> tuple[dict, list[str]]:
    """Return counts and the faults found; ``most`` kills where that is sooner."""
    rng = random.Random(seed)
    tally: Counter = Counter()
    faults: list[str] = []
    until = time.monotonic() + seconds
    while time.monotonic() < until and (most is None or tally["kills"] < most):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            after = rng.uniform(0.0, 0.15)
            with subprocess.Popen([sys.executable, "-c", WRITER, name], stdout=subprocess.PIPE, text=True) as writer:
                writer.stdout.readline()
                # The whole point is to strike at a random moment.
                time.sleep(after)
                os.kill(writer.pid, signal.SIGKILL)
                writer.wait()
            tally["kills"] += 1
            left = list(folder.glob(".*.part"))
            tally["left a part file"] += bool(left)
            faults += [f"seed {seed}, kill {tally['kills']} after {after:.4f} s: {text}" for text in _after(folder)]
    return dict(tally), faults


def _after(folder: Path) -> list[str]:
    found = []
    for path in (folder / "kit.latch", folder / "kit.latch.last"):
        try:
            if not store.from_bytes(path.read_bytes(), path.name).project.mechanisms:
                found.append(f"{path.name} is empty")
        except (UserError, OSError) as error:
            found.append(f"{path.name}: {error}")
    unsaved = Autosave(folder / "data" / "unsaved")
    recovered = unsaved.find()
    if not recovered:
        found.append("no unsaved work was offered")
    store.load(folder / "kit.latch")
    strays = [str(path.relative_to(folder)) for path in folder.rglob(".*.part")]
    if strays:
        found.append(f"not tidied: {strays}")
    return found
