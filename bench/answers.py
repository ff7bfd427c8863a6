"""How soon an answer is there: outlooks of designs that fail all over, their zones, and commands of the command line."""

import resource
import subprocess
import sys
import time

from bouncy_latch.core import fields
from bouncy_latch.core.design import Design
from bouncy_latch.core.judge.view import view_of
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process.population import built_in

FAILING = {
    "knuckle-hinge": {"gap": 0.12, "fold_gap": 0.2, "pivot_slope": 55, "closing_gap": 0.1, "knuckles": 3, "wobble_limit": 0.1},
    "hook": {"length": 8, "thickness": 2.4, "undercut": 1.4, "hold": 60, "push": 12, "cycles": 2000, "clearance": 0.05},
    "split-pin": {"undercut": 0.8, "hold": 90, "push": 10, "clearance": 0.05},
    "ball-peg": {"slot": 3, "push": 8, "hold": 80, "clearance": 0.08},
    "bead-ring": {"undercut": 0.7, "push": 10, "hold": 80, "clearance": 0.05},
    "locking-tab": {"undercut": 1, "push": 5, "hold": 80, "clearance": 0.05},
    "clip-hinge": {"arm": 4, "push": 5, "hold": 90, "clearance": 0.05},
}
COMMANDS = {"kinds": 400, **{f"solve {name}": 800 for name in registry.ids()}}


def outlooks() -> list[dict[str, float | str]]:
    """Return processor milliseconds of the outlook of every kind, once as it comes and once where most checks fail."""
    rows: list[dict[str, float | str]] = []
    latest = 0.0
    for name, failing in FAILING.items():
        kind = registry.kind(name)
        for words, values in (("", {}), (", failing", failing)):
            design = Design(kind, fields.parse(kind.params, values), built_in()[0])
            solution, begin, zones = design.solve(), time.process_time(), []
            view_of(design, solution, early=lambda _, begin=begin, zones=zones: zones.append(time.process_time() - begin))
            ours = 1e3 * (time.process_time() - begin)
            rows.append({"what": f"outlook of a {name}{words}", "ours_ms": ours, "limit_ms": 1000})
            latest = max(latest, *zones)
    return [*rows, {"what": "the latest of their zones", "ours_ms": 1e3 * latest, "limit_ms": 200}]


def commands() -> list[dict[str, float | str]]:
    """Return processor milliseconds of commands, the best of three."""
    rows: list[dict[str, float | str]] = []
    for command, limit in COMMANDS.items():
        taken = []
        for _ in range(3):
            before = resource.getrusage(resource.RUSAGE_CHILDREN)
            subprocess.run([sys.executable, "-m", "bouncy_latch.shell", *command.split()], capture_output=True, check=True)
            after = resource.getrusage(resource.RUSAGE_CHILDREN)
            taken.append(after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime)
        rows.append({"what": f"command: {command}", "ours_ms": 1e3 * min(taken), "limit_ms": limit})
    return rows
