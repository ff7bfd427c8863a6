"""The projects that were open lately, newest first; kept with what the window remembers."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSettings

MOST = 8
_KEY = "recent"


class Recent:
    """A short list of project files; what the file says that is no path is passed over."""

    def __init__(self, settings: QSettings) -> None:
        self._settings = settings

    def paths(self) -> list[Path]:
        """Return the files, newest first, whether they are there or not."""
        said = self._settings.value(_KEY)
        names = said if isinstance(said, list) else [said]
        return [Path(name) for name in names if isinstance(name, str) and name and "\0" not in name][:MOST]

    def note(self, path: Path) -> None:
        """Put a file first."""
        path = path.absolute()
        self._keep([path, *(each for each in self.paths() if each != path)])

    def forget(self, path: Path) -> None:
        """Take a file out that cannot be opened any more."""
        self._keep([each for each in self.paths() if each != path])

    def _keep(self, paths: list[Path]) -> None:
        self._settings.setValue(_KEY, [str(path) for path in paths[:MOST]])
