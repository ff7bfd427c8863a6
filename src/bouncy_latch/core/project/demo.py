"""The demo project: a tide-pool survey kit; its specimen box swings on a knuckle hinge, other pieces snap together."""

from __future__ import annotations

from bouncy_latch.core.mechanisms import fields, registry
from bouncy_latch.core.process import population
from bouncy_latch.core.project.document import Mechanism, PrintRecord, Project

KIND = "knuckle-hinge"
_BOX = {
    "host": "box", "width": 70, "depth": 46, "base_height": 18, "lid_height": 18, "wall": 2.4, "knuckles": 7,
    "gap": 0.32, "wobble_limit": 1.1, "corner_radius": 7, "floor": 1.6,
}

_SNAPS: tuple[tuple[str, str, dict[str, object]], ...] = (
    ("hook", "Slate cover clip", {"finger": 4, "cycles": 50, "release": "removable", "return_angle": 62, "hold": 6}),
    ("split-pin", "Staff bracket pin", {"wall": 4, "boss": 7, "release": "permanent"}),
    ("ball-peg", "Probe arm joint", {"throat": 4, "release": "permanent"}),
    ("bead-ring", "Sampling-jar cap", {"diameter": 34, "push": 60}),
    ("locking-tab", "Staff seam tab", {}),
    ("clip-hinge", "Lens flap hinge", {"width": 12}),
)


def demo_project() -> Project:
    """Return the demo; its first mechanism has one verdict to look at, which a remedy mends."""
    heron, gannet = population.built_in()
    model = registry.kind(KIND).params

    def params(**changes: object) -> dict[str, object]:
        return fields.parse(model, {**_BOX, **changes}).model_dump()

    def leaves(**changes: object) -> dict[str, object]:
        return fields.parse(model, {"host": "leaves", "wobble_limit": 1.0, **changes}).model_dump()

    tried = (
        ("2026-09-02T10:20", {"gap": 0.15, "knuckles": 5}, "welded", None, "test piece; cracked a leaf before it moved"),
        ("2026-09-02T16:45", {"gap": 0.2, "knuckles": 5}, "needs a tool", None, "came loose with the mallet handle"),
        ("2026-09-05T09:10", {"gap": 0.26, "knuckles": 5}, "frees by hand", 0.5, "one crack, then free"),
    )
    prints = tuple(
        PrintRecord(id=f"print-{i + 1}", when=when, params=leaves(**changes), process=heron, outcome=outcome, play=play,
                    note=note)
        for i, (when, changes, outcome, play, note) in enumerate(tried)
    )
    slate = leaves(host="chain", links=5, length=30, leaf_width=16, knuckles=5, gap=0.28, travel=180, wobble_limit=1.0)
    piece = leaves(gap=0.3, knuckles=5)
    mechanisms = (
        Mechanism(id="knuckle-hinge-1", name="Specimen box hinge", kind=KIND, params=params(), prints=prints),
        Mechanism(id="knuckle-hinge-2", name="Slate cover chain", kind=KIND, params=slate),
        Mechanism(id="knuckle-hinge-3", name="Hinge test piece", kind=KIND, params=piece),
        Mechanism(id="knuckle-hinge-4", name="Hexagon sample tin", kind=KIND,
                  params=params(outline="hexagon", depth=52, knuckles=5, gap=0.24, wobble_limit=1.6, lid_edge=0.6,
                                base_height=14, lid_height=14)),
    )
    snaps = tuple(
        Mechanism(id=f"{kind}-1", name=name, kind=kind, params=fields.parse(registry.kind(kind).params, changes).model_dump())
        for kind, name, changes in _SNAPS)
    return Project(name="Tide-pool survey kit", mechanisms=(*mechanisms, *snaps), processes=(heron, gannet),
                   process_id=heron.id,
                   selected="knuckle-hinge-1")
