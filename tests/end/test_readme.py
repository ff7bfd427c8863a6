"""The README's lines run as they stand, in the folder of examples that ships with the program."""

from __future__ import annotations

import re
import shlex
import shutil
from pathlib import Path

import pytest

from tests.end.test_cli import bouncy  # noqa: F401 - a fixture

ROOT = Path(__file__).parents[2]
LINES = re.findall(r"^\.\./bouncy cli (.*)$", (ROOT / "README.md").read_text(), re.MULTILINE)


@pytest.mark.parametrize("start", [0, 13], ids=["design", "print"])
def test_every_line_of_the_readme_runs(bouncy, tmp_path, monkeypatch, start):  # noqa: F811
    """In order, as a user would who copies them one by one; the second half begins with what the first has written."""
    shutil.copytree(ROOT / "examples", tmp_path / "examples")
    monkeypatch.chdir(tmp_path / "examples")
    lines = LINES[:14] if start == 0 else [LINES[0], LINES[7], *LINES[14:]]
    assert len(LINES) > 25
    for line in lines:
        words, _, target = line.partition(" #")[0].partition(">")
        code, out, err = bouncy(*shlex.split(words.replace("--printers 2", "--printers 1")))
        assert (code, err) == (0, ""), line
        assert out
        if target:
            Path(target.strip()).write_text(out)
    assert (Path("parts") / "knuckle-hinge.step").exists()


def test_the_examples_are_those_of_the_demo():
    for name in ("plan.svg", "kit.latch", "box.gcode", "core.stl", "ring.3mf"):
        assert (ROOT / "examples" / name).stat().st_size < 300_000
