"""Make the specimen tray of the examples: two bodies as STL files, and the project in which they are joined."""

import shlex
import subprocess
import sys
from pathlib import Path

from bouncy_latch.core.formats import meshes
from bouncy_latch.core.solids import mesh, tree
from bouncy_latch.core.solids.outline import rounded_rectangle

EXAMPLES = Path(__file__).parent.parent / "examples"
LENGTH, WIDTH, HEIGHT, WALL, FLOOR, CORNER = 84.0, 52.0, 16.0, 2.4, 2.0, 0.6
PAD = 20.0
"""Across the raised middle of the floor that takes the nut, mm."""


def half(pad: bool) -> tree.Solid:
    """Return one half, its rim up, from the hinge's edge on y = 0 to the front, with a pad for the nut or without."""
    outer = tree.Extrude(rounded_rectangle(LENGTH, WIDTH, CORNER), HEIGHT)
    inner = tree.Extrude(rounded_rectangle(LENGTH - 2 * WALL, WIDTH - 2 * WALL, CORNER), HEIGHT).move(z=FLOOR)
    whole = outer - inner
    if pad:
        whole = whole + tree.Box(-PAD / 2, -PAD / 2, 0, PAD / 2, PAD / 2, 8)
    return whole.move(x=LENGTH / 2, y=WIDTH / 2)


def main() -> int:
    for name, solid in (("tray-base", half(True)), ("tray-cover", half(False))):
        (EXAMPLES / f"{name}.stl").write_bytes(meshes.to_stl(mesh.evaluate(solid), name))
    (EXAMPLES / "tray.latch").unlink(missing_ok=True)
    page = (EXAMPLES.parent / "docs" / "guide" / "own-part.md").read_text()
    for line in page.splitlines():
        if line.startswith("bouncy cli ") and "mine.latch" in line and "export" not in line:
            words = shlex.split(line.replace("mine.latch", "tray.latch"))[2:]
            subprocess.run([sys.executable, "-m", "bouncy_latch.shell", *words], check=True, cwd=EXAMPLES)
    (EXAMPLES / "tray.latch.last").unlink(missing_ok=True)
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
