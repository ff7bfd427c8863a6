"""Write docs/third-party-notices.md: the libraries that are installed with the application, with the licence each names."""

import importlib.metadata
import re
import sys
from pathlib import Path

ROOT = Path(__file__).parents[1]
PAGE = ROOT / "docs" / "third-party-notices.md"
HEAD = """# Third-party notices

Bouncy Latch is under the MIT licence (LICENSE). `./bouncy` installs these libraries beside it, unchanged, each under its own
licence; their full texts are in the `*.dist-info` folders of the environment. The fonts under
`src/bouncy_latch/app/assets/fonts` carry their licences beside them.

This page is made by `tools/notices.py` from the lock file and the packages' own metadata.

| library | version | licence |
|---|---|---|
"""


def locked() -> dict[str, str]:
    """Return the versions of the libraries the application needs, by name."""
    text = (ROOT / "requirements" / "runtime.txt").read_text()
    return dict(re.findall(r"^([A-Za-z0-9_.-]+)==(\S+)", text, re.MULTILINE))


def licence_of(name: str) -> str:
    """Return the licence a package's metadata names: its expression, its classifiers, or the first line of its text."""
    facts = importlib.metadata.metadata(name)
    classes = [line.rpartition(" :: ")[2] for line in facts.get_all("Classifier") or [] if line.startswith("License ::")]
    text = facts.get("License-Expression") or ", ".join(c for c in classes if c != "OSI Approved") or facts.get("License") or ""
    return text.strip().splitlines()[0][:80] if text.strip() else "named in its own files"


def page() -> str:
    """Return the whole page."""
    return HEAD + "".join(f"| {name} | {version} | {licence_of(name)} |\n" for name, version in sorted(
        locked().items(), key=lambda pair: pair[0].lower()))


if __name__ == "__main__":
    PAGE.write_text(page())
    sys.stdout.write(f"{PAGE.relative_to(ROOT)} written\n")
