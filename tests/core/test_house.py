"""The house's own rules: layers of the code, what may be imported where, and documents that must not go stale."""

from __future__ import annotations

import ast
import importlib
import importlib.metadata
import json
import pkgutil
import re
import subprocess
import sys
import tomllib
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

    heavy = {"PySide6", "vtkmodules", "pyqtgraph", "OCP", "trimesh", "ezdxf", "lib3mf"}
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


def _leaks(path, ids, own):
    """Return every place of a module that knows a kind: its id, its module, or a size of its own."""
    found = []
    for node in ast.walk(ast.parse(path.read_text())):
        where = f"{path.name}:{getattr(node, 'lineno', 0)}"
        if isinstance(node, ast.Constant) and node.value in ids:
            found.append(f"{where} says {node.value!r}")
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("bouncy_latch.core.mechanisms"):
            names = [alias.name for alias in node.names] if node.module.endswith("mechanisms") else [node.module.split(".")[3]]
            found += [f"{where} imports {name}" for name in names if name not in {"contract", "kept", "registry"}]
        if isinstance(node, ast.Attribute) and node.attr in own and ast.unparse(node.value).split(".")[-1] == "params":
            found.append(f"{where} reads params.{node.attr}")
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name | ast.Attribute):
            called = node.func.id if isinstance(node.func, ast.Name) else node.func.attr
            if called in {"changed", "set_params", "params"}:
                found += [f"{where} sets {word.arg}" for word in node.keywords if word.arg in own]
            if called == "getattr" and len(node.args) > 1 and ast.unparse(node.args[0]).endswith("params"):
                found += [f"{where} asks for {node.args[1].value}" for _ in "1"
                          if isinstance(node.args[1], ast.Constant) and node.args[1].value in own | {"host"}]
            if called.endswith("Error"):
                found += [f"{where} blames {word.value.value}" for word in node.keywords if word.arg == "field"
                          and isinstance(word.value, ast.Constant) and word.value.value in own - {"process"}]
    return found


def test_nothing_outside_mechanisms_knows_a_kind_its_family_or_its_fields():
    """Searched: every module but those of mechanisms, for ids and modules of kinds, imports of them or of their families, sizes
    asked by name."""
    source = ROOT / "src" / "bouncy_latch"
    kinds = registry.kinds()
    ids = {*kinds, *(name.replace("-", "_") for name in kinds)}
    own = {name for kind in kinds.values() for name, facts in kind.params.facts().items() if not facts.part and name != "host"}
    parts = {name for kind in kinds.values() for name, facts in kind.params.facts().items() if facts.part}
    searched, found = set(), []
    for path in sorted(source.rglob("*.py")):
        if "mechanisms" not in path.parts:
            searched.add(str(path.parent.relative_to(source)))
            # Built-in parts know their own sizes, some of which kinds have too.
            found += _leaks(path, ids, own - parts if "parts" in path.parts[-2:] else own)
    every = {str(path.parent.relative_to(source)) for path in source.rglob("*.py")}
    assert searched == {package for package in every if "mechanisms" not in package}, sorted(searched)
    assert len(ids) >= 15
    assert len(own) > 40
    assert len(_leaks(source / "core" / "mechanisms" / "snaps" / "hook.py", ids, own)) > 5, "what it looks for it also finds"
    assert found == [], "\n".join([*found, f"searched {sorted(searched)} for {sorted(ids)} and {sorted(own)}"])


def test_readme_pictures_and_links_exist():
    readme = (ROOT / "README.md").read_text()
    links = [link for link in re.findall(r"\]\(([^)#]+)\)", readme) if "://" not in link]

    assert len(links) > 8
    for link in links:
        assert (ROOT / link).exists(), link


def test_no_module_is_too_long_to_hold_one_idea():
    long = {str(p.relative_to(ROOT)): n for p in (ROOT / "src").rglob("*.py") if (n := len(p.read_text().splitlines())) > 480}

    assert not long


def test_what_is_imported_is_declared_and_has_a_notice():
    """A library that comes along with another one today may be gone tomorrow."""
    settings = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    declared = {_plain(name) for name in (*settings["dependencies"], *settings["optional-dependencies"]["cluster"])}
    owners = importlib.metadata.packages_distributions()
    used = set()
    for path in (ROOT / "src").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            names = [alias.name for alias in node.names] if isinstance(node, ast.Import) else \
                [node.module] if isinstance(node, ast.ImportFrom) and node.module else []
            used |= {name.partition(".")[0] for name in names}
    foreign = {name for name in used - set(sys.stdlib_module_names) if name in owners and name != "bouncy_latch"}
    assert {"numpy", "PIL"} <= foreign
    for name in foreign - {"pydantic_core"}:
        assert {_plain(owner) for owner in owners[name]} & declared, f"{name} is imported and not declared"
    # The mender of meshes loads networkx by itself.
    unused = declared - {_plain(owner) for name in foreign for owner in owners[name]} - {_plain(name) for name in used}
    assert unused <= {"networkx", "distributed"}, "declared and not used"
    notices = (ROOT / "docs" / "third-party-notices.md").read_text()
    locked = re.findall(r"^([A-Za-z0-9_.-]+)==(\S+)", (ROOT / "requirements" / "runtime.txt").read_text(), re.MULTILINE)
    for name, version in locked:
        assert f"| {name} | {version} |" in notices, "run tools/notices.py"


def _plain(name):
    return re.sub(r"[-_.]+", "-", name).lower()
