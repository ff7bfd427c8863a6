"""Fixtures for all tests: own data folder, one seed, and no forgotten warnings."""

from __future__ import annotations

import random
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, settings

from bouncy_latch.core import fields
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process import population
from bouncy_latch.core.solids import mesh

settings.register_profile("house", deadline=None, derandomize=True, max_examples=25,
                          suppress_health_check=[HealthCheck.too_slow, HealthCheck.filter_too_much])
settings.load_profile("house")

# Two test processes share the machine's cores; threads of the mesh library would only wait for each other.
mesh.on_one_thread()

SLOW = Path(__file__).parent / "slow.txt"
"""Tests whose first case takes over a second, with how long: left out of a fast run."""
SHARED_OUT = {"test_kinds.py", "test_learning.py", "test_sound.py", "test_riding.py"}
"""Files whose tests share nothing and take minutes together."""
ORDER = ("core", "truth", "app", "end")


def pytest_addoption(parser):
    parser.addoption("--fast", action="store_true",
                     help="A telling part of every room in two minutes: of every test its first case, without the slow ones.")


def pytest_configure(config):
    if config.getoption("--fast"):
        settings.register_profile("fast", settings.get_profile("house"), max_examples=4)
        settings.load_profile("fast")


def pytest_collection_modifyitems(config, items):
    """Core first, the window last: the first red is near its cause."""
    if config.getoption("--fast"):
        slow = {line.split()[0] for line in SLOW.read_text().splitlines() if line and not line.startswith("#")}
        seen, kept = set(), []
        for item in items:
            name = item.nodeid.partition("[")[0]
            if name not in seen and name not in slow:
                kept.append(item)
            seen.add(name)
        config.hook.pytest_deselected(items=[item for item in items if item not in set(kept)])
        items[:] = kept
    for item in items:
        # A file stays on one process, which has its window and what it has solved; the largest are shared out by test.
        name = item.path.name
        group = item.nodeid.partition("[")[0] if name in SHARED_OUT else str(item.path)
        item.add_marker(pytest.mark.xdist_group(group))
    items.sort(key=lambda item: next((i for i, part in enumerate(ORDER) if f"tests/{part}/" in str(item.path)), -1))


@pytest.fixture(autouse=True)
def _own_world(tmp_path, monkeypatch):
    monkeypatch.setenv("BOUNCY_DATA", str(tmp_path / "data"))
    monkeypatch.setenv("HOME", str(tmp_path))
    random.seed(7)
    np.random.seed(7)  # noqa: NPY002 - libraries that use the global generator must be repeatable too


@pytest.fixture(scope="session")
def heron():
    return population.built_in()[0]


@pytest.fixture(scope="session")
def hinge():
    return registry.kind("knuckle-hinge")


@pytest.fixture(scope="session")
def solved(hinge, heron):
    """Solve a hinge from loose values."""

    def solve(process=heron, **values):
        return hinge.solve(fields.parse(hinge.params, values), process)

    return solve


