"""The house's own rules: layers of the code, what may be imported where, and documents that must not go stale."""

from __future__ import annotations

import importlib
import json
import pkgutil
import re
import subprocess
import sys
from pathlib import Path

import pytest

import bouncy_latch
from bouncy_latch.core.mechanisms import registry

ROOT = Path(__file__).parents[2]


def test_everything_shipped_can_be_imported():
    found = [m.name for m in pkgutil.walk_packages(bouncy_latch.__path__, "bouncy_latch.")]
    for name in found:
        if not name.endswith("__main__"):
            importlib.import_module(name)
    assert len(found) > 50


def test_core_loads_no_interface_and_no_exact_kernel():
    """At import time core needs neither Qt nor VTK nor the B-rep kernel; in a process of its own."""
    script = ("import importlib, json, pkgutil, sys, bouncy_latch.core as core\n"
              "[importlib.import_module(m.name) for m in pkgutil.walk_packages(core.__path__, 'bouncy_latch.core.')]\n"
              "print(json.dumps(sorted({m.split('.')[0] for m in sys.modules})))")
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)

    heavy = {"PySide6", "pyvista", "vtkmodules", "pyqtgraph", "OCP", "trimesh", "ezdxf", "lib3mf"}
    assert not heavy & set(json.loads(done.stdout))


def test_the_import_contract_bites(tmp_path):
    """A forbidden import planted in a copy of the package must break the contract."""
    package = tmp_path / "bouncy_latch"
    subprocess.run(["cp", "-r", str(ROOT / "src" / "bouncy_latch"), str(package)], check=True)
    victim = package / "core" / "errors.py"
    config = (ROOT / "pyproject.toml").read_text()
    (tmp_path / "pyproject.toml").write_text(config)

    def lint():
        code = "import sys; sys.path.insert(0, '.'); from importlinter.cli import lint_imports_command as c; c()"
        return subprocess.run([sys.executable, "-c", code, "--no-cache"], cwd=tmp_path, capture_output=True, text=True,
                              check=False).returncode

    assert lint() == 0
    victim.write_text(victim.read_text() + "\nimport PySide6.QtCore\n")
    assert lint() != 0


@pytest.mark.parametrize("kind", registry.kinds().values(), ids=lambda kind: kind.id)
def test_a_kinds_page_has_a_row_for_every_parameter(kind):
    page = (ROOT / "docs" / "kinds" / f"{kind.id}.md").read_text()
    rows = re.findall(r"^\| `(\w+)` \|", page, re.MULTILINE)

    assert rows == list(kind.params.facts())


def test_readme_pictures_and_links_exist():
    readme = (ROOT / "README.md").read_text()
    links = [link for link in re.findall(r"\]\(([^)#]+)\)", readme) if "://" not in link]

    assert len(links) > 8
    for link in links:
        assert (ROOT / link).exists(), link


def test_no_module_is_too_long_to_hold_one_idea():
    long = {str(p.relative_to(ROOT)): n for p in (ROOT / "src").rglob("*.py") if (n := len(p.read_text().splitlines())) > 600}

    assert not long
