"""Write examples/: the files that the lines of the README name, made from the demo project."""

import sys
from pathlib import Path

import manifold3d

from bouncy_latch.core.formats import meshes
from bouncy_latch.core.project import store
from bouncy_latch.core.project.demo import demo_project

FOLDER = Path(__file__).parents[1] / "examples"
PLAN = """<svg xmlns="http://www.w3.org/2000/svg" width="70mm" height="44mm" viewBox="0 0 70 44">
<path fill="none" stroke="black" d="M4 0 H66 L70 6 V38 L66 44 H4 L0 38 V6 Z"/></svg>
"""
Solid = manifold3d.Manifold


def bearing(gap: float = 0.35) -> dict[str, Solid]:
    """Return a printed-in bearing, a waisted core in its ring, with bed chamfers of 0.4 mm."""
    shift = gap * 2**0.5

    def waisted(wide: float) -> Solid:
        return Solid.cylinder(4, 9 + wide, 5 + wide, 96) + Solid.cylinder(4, 5 + wide, 9 + wide, 96).translate((0, 0, 4))

    core = (waisted(0) - Solid.cylinder(10, 2.5, 2.5, 6).translate((0, 0, -1))) ^ Solid.cylinder(8.4, 8.6, 17, 96)
    ring = Solid.cylinder(8, 14, 14, 96) - waisted(shift) - Solid.cylinder(0.4, 9.4 + shift, 9 + shift, 96)
    return {"core": core, "ring": ring}


def sliced(layers: int = 60, height: float = 0.2) -> str:
    """Return G-code as a slicing program writes it: one loop a layer, relative extrusion."""
    lines = ["G21", "G90", "M83", "G28", "M104 S205", "M109 S205"]
    for layer in range(1, layers + 1):
        lines += [";LAYER_CHANGE", f"G1 Z{height * layer:.2f} F600", "G1 X60 Y60 F9000", "G1 F1800", "G1 X90 E1", "G1 Y90 E1",
                  "G1 X60 E1", "G1 Y60 E1"]
    return "\n".join([*lines, "M104 S0", "G28 X", "M84"]) + "\n"


def main() -> None:
    FOLDER.mkdir(exist_ok=True)
    bodies = bearing()
    (FOLDER / "plan.svg").write_text(PLAN)
    (FOLDER / "box.gcode").write_text(sliced())
    (FOLDER / "core.stl").write_bytes(meshes.to_stl(bodies["core"], "core"))
    (FOLDER / "ring.3mf").write_bytes(meshes.to_3mf({"ring": bodies["ring"]}, "ring"))
    store.save(FOLDER / "kit.latch", store.Latch(demo_project(), {}))
    sys.stdout.write(f"{len(list(FOLDER.iterdir()))} files in {FOLDER.name}\n")


if __name__ == "__main__":
    main()
