"""What pages of the user's own things have in common: a list, the chosen one to be edited, import and export."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import Any, Generic, TypeVar

from PySide6.QtCore import QEvent, QSize, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QBoxLayout, QButtonGroup, QFileDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from bouncy_latch.app.kit.parts import button, clear, label, scrolled
from bouncy_latch.app.kit.theme import figure_font, text_font
from bouncy_latch.app.session.session import Session
from bouncy_latch.core.errors import ParamError, UserError
from bouncy_latch.core.project.folders import data_folder
from bouncy_latch.core.project.own_file import OwnFile

SIDE, MARGINS, LOWEST = 150, 26, 220
"""Width the list needs beside the form, what margins take, and the least height of the page, px."""
T = TypeVar("T")


class OwnPage(QWidget, Generic[T]):
    """A list of the user's own things in a file of theirs, and the chosen one to be edited.

    Signals:
        left: the user is done here.
    """

    left = Signal()

    def __init__(self, session: Session, file: OwnFile[T], title: str, add_words: str) -> None:
        super().__init__()
        self._session, self._file = session, file
        self.kept, self.chosen = file.empty(), ""
        self._built_for: tuple[object, ...] = ()
        self.trouble = label("", "stop")
        self.trouble.setWordWrap(True)
        self._list = QVBoxLayout()
        self._list.setSpacing(4)
        self.fields: dict[str, QLineEdit] = {}
        self._form = QVBoxLayout()
        self._form.setSpacing(8)
        side = QVBoxLayout()
        side.setSpacing(6)
        side.addWidget(label(title, "head", 12))
        self.add_button = button(add_words, self.add, "strong")
        side.addWidget(self.add_button)
        side.addWidget(scrolled(self._list, (0, 0, 4, 0)), 1)
        row = QHBoxLayout()
        row.addWidget(button("import…", self._import, "plain", f"Add the {file.what} of a file"))
        row.addWidget(button("export…", self._export, "plain", f"Write all {file.what} to a file"))
        side.addLayout(row)
        right = QVBoxLayout()
        right.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(self.trouble, 1)
        head.addWidget(button("done", self.left.emit, "plain", "Back to the bench"))
        right.addLayout(head)
        self._area = scrolled(self._form)
        right.addWidget(self._area, 1)
        session.changed.connect(lambda: self.isVisible() and self._show())
        self._both = QHBoxLayout(self)
        self._both.setContentsMargins(16, 10, 10, 10)
        self._both.setSpacing(16)
        self._both.addLayout(side, 3)
        self._both.addLayout(right, 7)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where it is narrow the list stands over what is chosen of it."""
        super().resizeEvent(event)
        self._share()

    def event(self, event: QEvent) -> bool:
        if event.type() is QEvent.Type.LayoutRequest:  # what the form needs is known once it wears its style
            self._share()
        return super().event(event)

    def minimumSizeHint(self) -> QSize:
        """What the form needs: the list goes above it."""
        return QSize(self._needed + MARGINS, LOWEST)

    @property
    def _needed(self) -> int:
        return max(self._area.minimumSizeHint().width(), 200)

    def _share(self) -> None:
        """The list has three tenths of the width, or its own row; the form is as wide as it needs."""
        slim = self.width() < SIDE + self._needed + 2 * MARGINS
        self._both.setDirection(QBoxLayout.Direction.TopToBottom if slim else QBoxLayout.Direction.LeftToRight)
        least = min(self._needed, self.width() - MARGINS)
        if least != self._area.minimumWidth():
            self._area.setMinimumWidth(least)
            self.updateGeometry()

    # -- what a page says of its things ------------------------------------------------------------------------------

    def names(self) -> Sequence[str]:
        """Return what the things are called."""
        raise NotImplementedError

    def add(self) -> None:
        """Add one with usual sizes, to be changed."""
        raise NotImplementedError

    def enter(self, name: str, text: str) -> None:
        """Change one of the chosen one's values as typed; refused in one sentence."""
        raise NotImplementedError

    def shown(self, name: str) -> str:
        """Return one of the chosen one's values as its field shows it."""
        raise NotImplementedError

    def joined(self, kept: T, others: T) -> T:
        """Return what is kept with all of others; raises ParamError where a name is taken."""
        raise NotImplementedError

    def built_for(self) -> tuple[object, ...]:
        """Return what the form depends on besides the values in its fields."""
        raise NotImplementedError

    def build(self) -> None:
        """Build the form of the chosen one; where there is none, what the page is for."""
        raise NotImplementedError

    # -- files -------------------------------------------------------------------------------------------------------

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self.reread()

    def reread(self) -> None:
        """Read the file anew and show it."""
        if self._done(lambda: self._file.known(data_folder())) is not None:
            self._show()

    def import_from(self, path: Path) -> None:
        """Add what a file holds: all, or nothing."""
        self._change(lambda kept: self.joined(kept, self._file.read(path)), self.chosen)

    def _import(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, f"Import {self._file.what}", str(Path.home()), self._files)
        if path:
            self.import_from(Path(path))

    def _export(self) -> None:
        begin = str(Path.home() / self._file.name)
        path, _ = QFileDialog.getSaveFileName(self, f"Export {self._file.what}", begin, self._files)
        if path:
            self._done(lambda: self._file.write(Path(path), self.kept))

    @property
    def _files(self) -> str:
        return f"{self._file.what.capitalize()} (*.json)"

    # -- how ---------------------------------------------------------------------------------------------------------

    def _done(self, run: Callable[[], T | None]) -> T | None:
        """Run something that may be refused, and say why; what comes of it is kept here."""
        try:
            found = run()
        except UserError as error:
            self.trouble.setText(error.sentence)
            return None
        self.trouble.setText("")
        if found is not None:
            self.kept = found
        return found

    def _change(self, run: Callable[[T], T], chosen: str) -> bool:
        """Change what the file holds now, which may be more than this page read; whether it was taken."""
        done = self._done(lambda: self._file.update(data_folder(), run)) is not None
        if done:
            self.chosen = chosen
        # Only now is what was typed no longer needed.
        self._show()
        return done

    def _choose(self, name: str) -> None:
        self.chosen = name
        self.trouble.setText("")
        self._show()

    def _show(self) -> None:
        names = list(self.names())
        if self.chosen.lower() not in {name.lower() for name in names}:
            self.chosen = names[0] if names else ""
        clear(self._list)
        group = QButtonGroup(self)
        for name in names:
            made = button(name, partial(self._choose, name))
            made.setCheckable(True)
            made.setChecked(name.lower() == self.chosen.lower())
            group.addButton(made)
            self._list.addWidget(made)
        # While the same is edited its fields stay, and the cursor in them.
        place = [name.lower() for name in names].index(self.chosen.lower()) if names else -1
        built_for = (place, len(names), *self.built_for())
        if built_for == self._built_for and names:
            for name, field in self.fields.items():
                field.setText(self.shown(name))
            return
        self._built_for = built_for
        clear(self._form)
        self.fields = {}
        self.build()
        self._share()

    def field(self, name: str, words: str, width: int) -> QLineEdit:
        """Return a field for one of the chosen one's values."""
        field = QLineEdit(self.shown(name))
        field.setFont(text_font(10) if name == "name" else figure_font(9.5))
        field.setFixedWidth(width)
        field.setAccessibleName(words)
        if name != "name":
            field.setAlignment(Qt.AlignmentFlag.AlignRight)
        field.editingFinished.connect(lambda: self.enter(name, field.text()))
        self.fields[name] = field
        return field

    def lay(self, *parts: Any) -> None:
        """Put widgets and layouts into the form, one under the other."""
        for part in parts:
            self._form.addWidget(part) if isinstance(part, QWidget) else self._form.addLayout(part)


def wrapped(text: str) -> QWidget:
    """Return words that take as many lines as they need."""
    made = label(text, "quiet", 10)
    made.setWordWrap(True)
    return made


def number(text: str) -> float:
    """Return what was typed; raises ParamError."""
    try:
        return float(text.strip().replace(",", "."))
    except ValueError:
        raise ParamError(f"'{text.strip()}' is no number; it stays as it was", field="number", value=text) from None


def free_name(begin: str, taken: Callable[[str], bool]) -> str:
    """Return the first numbered name that is not taken."""
    count = 1
    while taken(f"{begin} {count}"):
        count += 1
    return f"{begin} {count}"
