"""Tells the desktop about the application: a menu entry, the icon, and that .latch files are its own; and takes it back.

By the freedesktop.org specifications of desktop entries, icon themes and shared MIME-info, under the user's own data folder.
Run as ``python -m bouncy_latch.desktop install [COMMAND…]`` or ``uninstall``.
"""

from __future__ import annotations

import os
import shlex
import shutil
import sys
from pathlib import Path

NAME = "bouncy-latch"
MIME = "application/x-bouncy-latch"
ICON = Path(__file__).parent / "app" / "assets" / "desktop" / f"{NAME}.svg"
_REFRESH = (("update-mime-database", "mime"), ("update-desktop-database", "applications"))


def data_home() -> Path:
    """Return where the user's desktop keeps such files."""
    said = os.environ.get("XDG_DATA_HOME", "")
    return Path(said) if said.startswith("/") else Path.home() / ".local" / "share"


def files_of(command: list[str]) -> dict[str, bytes]:
    """Return what belongs under the data folder, by path there; ``command`` starts the application."""
    icon = ICON.read_bytes()
    return {
        f"applications/{NAME}.desktop": _entry(command).encode(),
        f"mime/packages/{NAME}.xml": _mime().encode(),
        f"icons/hicolor/scalable/apps/{NAME}.svg": icon,
        f"icons/hicolor/scalable/mimetypes/{MIME.replace('/', '-')}.svg": icon,
    }


def _entry(command: list[str]) -> str:
    run = " ".join(_quoted(word) for word in command)
    return (
        "[Desktop Entry]\nType=Application\nVersion=1.5\nName=Bouncy Latch\nGenericName=Mechanism bench\n"
        "Comment=Design printed moving and joining features so that the first print works\n"
        f"Exec={run} %f\nIcon={NAME}\nTerminal=false\nCategories=Graphics;Engineering;\n"
        f"MimeType={MIME};\nKeywords=hinge;snap fit;clearance;3D print;\nStartupWMClass={NAME}\n")


def _quoted(word: str) -> str:
    """Quote a word for an Exec line: its own reserved characters, and per cent signs doubled."""
    word = word.replace("%", "%%")
    if all(each.isalnum() or each in "/._-+=:%" for each in word):
        return word
    for each in '\\"`$':
        word = word.replace(each, "\\\\" + each if each != "\\" else "\\\\\\\\")
    return f'"{word}"'


def _mime() -> str:
    icon = MIME.replace("/", "-")
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        '<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">\n'
        f'  <mime-type type="{MIME}">\n    <comment>Bouncy Latch project</comment>\n'
        '    <sub-class-of type="application/zip"/>\n'
        f'    <glob pattern="*.latch"/>\n    <icon name="{icon}"/>\n  </mime-type>\n</mime-info>\n')


def install(home: Path, command: list[str]) -> list[Path]:
    """Write the files and have the desktop read them; return what was written. Raises OSError."""
    written = []
    for name, content in files_of(command).items():
        path = home / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content)
        written.append(path)
    _refresh(home)
    return written


def uninstall(home: Path) -> list[Path]:
    """Take the files away again; projects and what was learnt stay. Return what went."""
    gone = [path for path in (home / name for name in files_of([NAME])) if path.exists()]
    for path in gone:
        path.unlink()
    _refresh(home)
    return gone


def _refresh(home: Path) -> None:
    """Let the desktop's own tools rebuild their lists, where they are there; without them it happens at the next login."""
    import subprocess

    for tool, folder in _REFRESH:
        found = shutil.which(tool)
        if found and (home / folder).is_dir():
            subprocess.run([found, str(home / folder)], check=False, capture_output=True)


def main(arguments: list[str]) -> int:
    """Install or uninstall; return the exit code."""
    wanted, *command = arguments or ["help"]
    try:
        if wanted == "install":
            start = command or [shutil.which("bouncy-bench") or str(Path(sys.executable).with_name("bouncy-bench"))]
            for path in install(data_home(), start):
                print(f"wrote {path}")  # noqa: T201 - what a terminal program says
            print(f"starts with: {shlex.join(start)}")  # noqa: T201
        elif wanted == "uninstall":
            for path in uninstall(data_home()):
                print(f"removed {path}")  # noqa: T201
        else:
            print("say install or uninstall", file=sys.stderr)  # noqa: T201
            return 2
    except OSError as error:
        print(f"bouncy: {error.strerror or error}: {error.filename}", file=sys.stderr)  # noqa: T201
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
