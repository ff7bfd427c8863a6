"""The kind on the page "adding a mechanism" is lifted from it and put through the common tests and every stop."""

import os
import re
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent.parent
PAGE = ROOT / "docs" / "adding-a-mechanism.md"


def test_the_pages_kind_passes_the_common_tests_and_every_stop(tmp_path):
    """One module beside the others in a copy of the package: nothing else of it is touched."""
    (code,) = re.findall(r"```python\n(.*?)```", PAGE.read_text(), re.DOTALL)
    copy = tmp_path / "src"
    subprocess.run(["cp", "-r", str(ROOT / "src"), str(copy)], check=True)
    (copy / "bouncy_latch" / "core" / "mechanisms" / "turn_bolt.py").write_text(code)
    done = subprocess.run(
        [sys.executable, "-m", "pytest", "tests/core/test_kinds.py", "tests/core/test_sound.py", "tests/app/test_every_kind.py",
         "-k", "(turn-bolt or turn_bolt) and not demo_printer", "-p", "no:cacheprovider"],
        cwd=ROOT, env={**os.environ, "PYTHONPATH": f"{copy}{os.pathsep}{ROOT}"}, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout[-4000:]
    assert re.search(r"1[1-9] passed", done.stdout), done.stdout[-500:]
    linted = subprocess.run([sys.executable, "-m", "ruff", "check", "--config", str(ROOT / "pyproject.toml"),
                             str(copy / "bouncy_latch" / "core" / "mechanisms" / "turn_bolt.py")],
                            capture_output=True, text=True, check=False)
    assert linted.returncode == 0, linted.stdout
