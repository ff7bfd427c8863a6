"""Random actions on the real window: nothing raises, nothing hangs, memory stays flat, and closing is quick."""

from __future__ import annotations

import ctypes
import gc
import os
import random
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from functools import partial
from pathlib import Path

WARM, SAMPLE, STEADY = 300, 50, 1.2
"""Actions after which all caches are full; actions between two looks at the memory; the most it may be afterwards, of what it
was then (what lies in the caches changes: a chain of twenty links is larger than a hook)."""
PATIENCE_S = 60.0
CLOSE_S = 1.0


def resident() -> float:
    """Return the resident memory of this process, MB, less what the allocator only holds on to."""
    gc.collect()
    ctypes.CDLL(None).malloc_trim(0)
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith("VmRSS:"):
            return int(line.split()[1]) / 1024
    return 0.0


def run(seed: int, seconds: float) -> tuple[dict, list[str]]:
    """Return counts and the faults found."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from bouncy_latch.app import __main__ as start
    from bouncy_latch.app.session import workers

    with tempfile.TemporaryDirectory() as name:
        os.environ["BOUNCY_DATA"] = f"{name}/data"
        app = start.application(["soak"])
        window = start.open_window(None, True, Path(name) / "data")
        window.shape.load_stage = lambda: None  # the 3-D view has memory of its own to warm up
        window.show()
        window.session.release()
        faults: list[str] = []
        sys.excepthook = lambda _kind, error, _trace: faults.append(f"seed {seed}: {error!r}")
        tally = _actions(window, app, random.Random(seed), Path(name), seconds, faults)
        begun = time.monotonic()
        window.leave()
        gone = not window.isVisible()
        stopped = workers.close_all(30_000)
        tally["closing took, s"] = round(time.monotonic() - begun, 2)
        if not gone or not stopped:
            faults.append(f"seed {seed}: the window did not close, or work went on")
        window.deleteLater()
        app.processEvents()
        sys.excepthook = sys.__excepthook__
    return dict(tally), faults


def _actions(window, app, rng: random.Random, folder: Path, seconds: float, faults: list[str]) -> Counter:
    from PySide6.QtCore import QEvent

    session = window.session
    tally: Counter = Counter()
    memory: list[float] = []
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        action = rng.choice(ACTIONS)
        try:
            action(window, rng, folder)
        except Exception as error:
            faults.append(f"seed {seed_of(rng)}: {action.__name__}: {error!r}")
        tally["actions"] += 1
        waited = time.monotonic()
        # Now and then everything may finish; mostly the next action comes while work is under way.
        patient = rng.random() < 0.15
        while True:
            app.processEvents()
            # Outside of a running event loop nobody else deletes what was to be deleted later.
            app.sendPostedEvents(None, QEvent.Type.DeferredDelete)
            busy = not session.up_to_date or session.proof_lane.busy
            if not (patient and busy):
                break
            if time.monotonic() - waited > PATIENCE_S:
                faults.append(f"after {action.__name__}: still working out after {PATIENCE_S:.0f} s")
                break
            time.sleep(0.002)
        if tally["actions"] % SAMPLE == 0:
            memory.append(resident())
    warm = WARM // SAMPLE
    if len(memory) > warm + 2:
        tally[f"MB after {WARM} actions"], tally["MB at the end"] = round(max(memory[:warm])), round(min(memory[-2:]))
        if min(memory[-2:]) > STEADY * max(memory[:warm]):
            faults.append(f"memory grew from {max(memory[:warm]):.0f} to {min(memory[-2:]):.0f} MB")
    return tally


def seed_of(rng: random.Random) -> str:
    """Return where a generator stands, shortly, to find the place again."""
    return str(rng.getstate()[1][-1])


def _size(window, rng: random.Random, _folder: Path) -> None:
    from bouncy_latch.core.mechanisms import registry

    mechanism = window.session.mechanism
    if mechanism is None:
        return
    facts = rng.choice(list(registry.kind(mechanism.kind).params.facts().values()))
    value = rng.choice(facts.choices) if facts.choices else str(round(rng.uniform(facts.low, facts.high), 2))
    if facts.choices or rng.random() < 0.5:
        window.session.set_params("soak", **{facts.name: value})
    elif not facts.choices:
        now = getattr(mechanism.parsed(), facts.name)
        step = facts.step * rng.choice([-2, -1, 1, 2])
        window.session.set_params("soak", **{facts.name: (now if now is not None else facts.low) + step})


def _drag(window, rng: random.Random, _folder: Path) -> None:
    solution = window.session.solution
    if solution is not None and solution.rulers:
        scale = rng.choice(solution.rulers)
        for _ in range(rng.randrange(1, 6)):
            window.session.drag_ruler(scale, rng.uniform(scale.low, scale.high))
        window.session.end_drag()


def _choose(window, rng: random.Random, _folder: Path) -> None:
    mechanisms = window.session.project.mechanisms
    if mechanisms:
        window.session.select(rng.choice(mechanisms).id)


def _stop(window, rng: random.Random, _folder: Path) -> None:
    window.jobline.go(rng.randrange(5))


def _undo(window, rng: random.Random, _folder: Path) -> None:
    for _ in range(rng.randrange(1, 5)):
        (window.session.undo if rng.random() < 0.7 else window.session.redo)()


def _policy(window, rng: random.Random, _folder: Path) -> None:
    from bouncy_latch.core.process.profile import Policy

    window.session.set_policy(rng.choice(list(Policy)))


def _add_or_remove(window, rng: random.Random, _folder: Path) -> None:
    from bouncy_latch.core.mechanisms import registry

    if len(window.session.project.mechanisms) < 14:
        window.session.add(rng.choice(list(registry.kinds())))
    else:
        window.session.remove()


def _part(window, rng: random.Random, _folder: Path) -> None:
    """Add a part, point at it, put something on it, move that, split the part."""
    from bouncy_latch.core.mechanisms import registry
    from bouncy_latch.core.project.document import Seated

    session = window.session
    if len(session.project.mechanisms) < 14 and rng.random() < 0.4:
        session.add("part", shape=rng.choice(["block", "plate", "box", "tube", "wedge", "cup"]), height=rng.uniform(5, 60))
    parts = [each.id for each in session.project.mechanisms if registry.kind(each.kind).is_part]
    if not parts:
        return
    session.select(rng.choice(parts))
    session.point_at(tuple(rng.uniform(0, 60) for _ in range(3)))
    body = session.bench.part_body(session.project.selected)
    if body is None:
        return
    from bouncy_latch.core.project import on_faces

    seats = list(on_faces.offered(body))
    seat = Seated(seat=rng.choice([*seats, "face:gone"]), at=rng.choice([None, (rng.uniform(-5, 60), rng.uniform(-5, 40))]),
                  turn=rng.choice([0.0, 0.0, 35.0]), pattern=rng.choice(["", "", "row 3x12", "ring 3", "mirror", "star"]))
    way = rng.random()
    if way < 0.5 and len(session.project.mechanisms) < 14:
        session.add_on(rng.choice(list(registry.kinds())), seat)
    elif way < 0.7:
        others = [each for each in session.project.mechanisms if not registry.kind(each.kind).is_part]
        if others:
            chosen = rng.choice(others)
            session.select(chosen.id)
            session.place_on(rng.choice(list(registry.kind(chosen.kind).sides)), rng.choice(parts), seat)
    elif len(session.project.mechanisms) < 12:
        session.split(f"{rng.choice('xyz')}={rng.uniform(-5, 50):.1f}", rng.choice(["", "locking-tab", "hook", "clip-hinge"]))


def _print(window, rng: random.Random, _folder: Path) -> None:
    from bouncy_latch.core.mechanisms import registry

    mechanism = window.session.mechanism
    if mechanism is not None and len(mechanism.prints) < 6:
        window.session.record_print(rng.choice(registry.kind(mechanism.kind).outcomes.names), "soak", None)


def _save(window, rng: random.Random, folder: Path) -> None:
    window.session.save(folder / f"kit-{rng.randrange(3)}.latch")


def _open(window, rng: random.Random, folder: Path) -> None:
    kept = sorted(folder.glob("*.latch"))
    if kept:
        window.session.open(rng.choice(kept))


def _remedy(window, _rng: random.Random, _folder: Path) -> None:
    window.apply_first_remedy()


def _recommended(window, _rng: random.Random, _folder: Path) -> None:
    window.set_recommended()


def _theme(window, _rng: random.Random, _folder: Path) -> None:
    window.toggle_theme()


def _resize(window, rng: random.Random, _folder: Path) -> None:
    window.resize(rng.randint(500, 1900), rng.randint(340, 1100))
    if rng.random() < 0.3:
        window.folding.turn(rng.choice(["shelf", "sheet"]))


def _page(window, rng: random.Random, _folder: Path) -> None:
    rng.choice([window.choose_kind, *(partial(window.asides.show, page) for page in ("printers", "hardware", "keys")),
                partial(window.fit.go, rng.randrange(4))])()


def _turn(window, rng: random.Random, _folder: Path) -> None:
    stage = window.shape.stage
    if stage is not None:
        stage.turn(rng.uniform(-90, 90), rng.uniform(-60, 60))
        stage.zoom(rng.uniform(0.7, 1.4))


ACTIONS: list[Callable] = [*[_size] * 8, *[_part] * 5,
                           *[_drag] * 5, *[_choose] * 4, *[_stop] * 3, _undo, _policy, _add_or_remove, _print,
                           _save, _open, _remedy, _recommended, _theme, _resize, _page, _turn]
