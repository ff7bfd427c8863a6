"""The lines of the docs run as they stand, on the command line's page and in the guide; the reference is the parsers' own."""

from __future__ import annotations

import importlib.util
import json
import re
import shlex
import shutil
from pathlib import Path

import pytest

from tests.end.test_cli import bouncy  # noqa: F401 - a fixture

ROOT = Path(__file__).parents[2]
LINES = re.findall(r"^\.\./bouncy cli (.*)$", (ROOT / "docs" / "command-line.md").read_text(), re.MULTILINE)
GUIDE = sorted((ROOT / "docs" / "guide").glob("*.md"))


@pytest.mark.parametrize("start", [0, 13], ids=["design", "print"])
def test_every_example_of_the_command_line_runs(bouncy, tmp_path, monkeypatch, start):  # noqa: F811
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


@pytest.mark.parametrize("page", GUIDE, ids=lambda page: page.stem)
def test_every_page_of_the_guide_runs(bouncy, tmp_path, monkeypatch, page):  # noqa: F811
    shutil.copytree(ROOT / "examples", tmp_path / "examples")
    monkeypatch.chdir(tmp_path / "examples")
    lines = re.findall(r"^bouncy cli (.*)$", page.read_text(), re.MULTILINE)
    assert len(lines) >= 3
    for line in lines:
        code, out, err = bouncy(*shlex.split(line))
        assert (code, err) == (0, ""), line
        assert out


def test_the_json_page_names_what_the_answers_hold(bouncy, monkeypatch):  # noqa: F811
    monkeypatch.chdir(ROOT / "examples")
    page = (ROOT / "docs" / "json.md").read_text()
    for command, line in (("solve hook", "solve"), ("predict core.stl ring.3mf --axis z", "predict")):
        code, out, _ = bouncy(*command.split())
        named = re.search(rf"^- `{line}`:(.*?)(?=^- )", page, re.MULTILINE | re.DOTALL)[1]
        answer = json.loads(out)
        assert code == 0
        assert set(re.findall(r"`(\w+)`", named)) == set(answer) - {"note"}
        assert set(answer["checks"][0]) <= set(re.findall(r"`(\w+)`", page))


def test_the_reference_is_what_the_parsers_take():
    found = importlib.util.spec_from_file_location("command_line", ROOT / "tools" / "command_line.py")
    tool = importlib.util.module_from_spec(found)
    found.loader.exec_module(tool)
    page = (ROOT / "docs" / "command-line.md").read_text()
    assert tool.whole(page) == page, "python tools/command_line.py"
    assert page.count("### `") > 30


def test_the_examples_are_those_of_the_demo():
    for name in ("plan.svg", "kit.latch", "box.gcode", "core.stl", "ring.3mf"):
        assert (ROOT / "examples" / name).stat().st_size < 300_000
