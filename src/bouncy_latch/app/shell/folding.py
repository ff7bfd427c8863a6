"""What gives way where the window is small: the shelf folds to marks, the sheet to a drawer, verdicts to their first row.

Each fold can be made and undone by hand too, and the edges of shelf and sheet be dragged; what the user chose is remembered.
"""

from __future__ import annotations

import contextlib

from PySide6.QtCore import QEvent, QObject, QSettings, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QWidget

from bouncy_latch.app.kit.grip import Grip
from bouncy_latch.app.strips.shelf import Shelf
from bouncy_latch.app.strips.verdicts import Verdicts

SHELF_FOLDED, HANDLE, SLIM = 46, 26, 9
EDGE = 5
"""Width of the shelf's edge, px."""
WIDTHS = {"shelf": (164, 140, 320), "sheet": (256, 236, 460)}
"""Of each panel: how wide it is at first, at least and at most when its edge is dragged, px."""
NARROW_FOR_SHELF, NARROW_FOR_SHEET = 1100, 860
"""Width of the window below which each folds by itself, px."""
HEIGHTS = ((720, 134), (0, 82))
"""From which height of the window on the verdicts are how high, px: four rows, and one."""
LEAST_WORK = 500
"""Height that stage, ruler and verdicts need together, px; in less they scroll."""
_KEYS = ("shelf", "sheet")


class Folding(QObject):
    """Folds the panels of a window to its size and the user's wish.

    ``room``: what holds everything; ``beside``: the sheet, in ``row``, the layout it leaves when it becomes a drawer.
    """

    def __init__(self, room: QWidget, shelf: Shelf, beside: QWidget, row: QHBoxLayout, verdicts: Verdicts) -> None:
        super().__init__(room)
        self._room, self._shelf, self._beside, self._row, self._verdicts = room, shelf, beside, row, verdicts
        self._wanted: dict[str, bool] = {}
        self._designing, self._open, self._drawer = True, False, False
        self._settings: QSettings | None = None
        self._widths = {name: width for name, (width, _, _) in WIDTHS.items()}
        self.edge = Grip(shelf)
        self.edge.setAccessibleName("edge of the shelf: drag to widen")
        self.edge.dragged.connect(lambda by: self._widen("shelf", by))
        self.edge.let_go.connect(self._keep_widths)
        self.handle = Grip()
        self.handle.dragged.connect(lambda by: self._widen("sheet", -by))
        self.handle.let_go.connect(self._keep_widths)
        self.handle.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.handle.clicked.connect(self._on_handle)
        row.addWidget(self.handle)
        shelf.fold_button.clicked.connect(lambda: self.turn("shelf"))
        room.installEventFilter(self)
        shelf.installEventFilter(self)
        beside.installEventFilter(self)
        self.apply()

    def remember(self, settings: QSettings) -> None:
        """Take what was chosen at an earlier start, and keep what is chosen from now on."""
        self._settings = settings
        said = settings.value("folded")
        for word in str(said).split() if isinstance(said, str) else []:
            name, _, state = word.partition(":")
            if name in _KEYS and state in {"yes", "no"}:
                self._wanted[name] = state == "yes"
        for name in _KEYS:
            with contextlib.suppress(TypeError, ValueError):
                self._set_width(name, int(str(settings.value(f"{name}-width"))))
        self.apply()

    def width_of(self, name: str) -> int:
        """Return how wide the shelf or the sheet is while it is open, px."""
        return self._widths[name]

    def _set_width(self, name: str, width: int) -> None:
        _, least, most = WIDTHS[name]
        self._widths[name] = min(max(width, least), most)

    def _widen(self, name: str, by: int) -> None:
        if not self.folded(name):
            self._set_width(name, self._widths[name] + by)
            self.apply()

    def _keep_widths(self) -> None:
        if self._settings is not None:
            for name, width in self._widths.items():
                self._settings.setValue(f"{name}-width", width)

    def folded(self, name: str) -> bool:
        """Whether the shelf or the sheet is folded: as the user wants it, else by the room there is."""
        narrow = {"shelf": NARROW_FOR_SHELF, "sheet": NARROW_FOR_SHEET}[name]
        return self._wanted.get(name, self._room.width() < narrow)

    def show_beside(self, designing: bool) -> None:
        """Show the sheet, or hide it and its handle where the page is about no mechanism."""
        self._designing = designing
        self.apply()

    def close_drawer(self) -> bool:
        """Push the drawer shut; whether it was open."""
        if not (self._drawer and self._open):
            return False
        self._open = False
        self.apply()
        self.handle.setFocus()
        return True

    def turn(self, name: str) -> None:
        """Fold the shelf or the sheet, or unfold it."""
        self._wish(name, not self.folded(name))

    def _wish(self, name: str, folded: bool) -> None:
        self._wanted[name] = folded
        if self._settings is not None:
            self._settings.setValue("folded", " ".join(f"{n}:{'yes' if f else 'no'}" for n, f in self._wanted.items()))
        self.apply()

    def _on_handle(self) -> None:
        wide = self._room.width() >= NARROW_FOR_SHEET
        if wide:
            self.turn("sheet")
        else:
            self._open = not self._open
            self.apply()

    def apply(self) -> None:
        """Fold and unfold as it should be now."""
        self._shelf.fold(self.folded("shelf"))
        self._shelf.setFixedWidth(SHELF_FOLDED if self.folded("shelf") else self._widths["shelf"])
        self._verdicts.limit_height(next(high for least, high in HEIGHTS if self._room.height() >= least))
        drawer = self.folded("sheet")
        if drawer != self._drawer:
            self._drawer, self._open = drawer, False
            if drawer:
                self._row.removeWidget(self._beside)
                self._beside.setParent(self._room)
            else:
                self._row.insertWidget(self._row.count() - 1, self._beside)
        self.handle.setVisible(self._designing)
        self.handle.setFixedWidth(HANDLE if drawer else SLIM)
        seen = self._open or not drawer
        self.handle.setText("›" if seen else "‹")
        name = "close the sheet, or drag its edge" if seen else "open the sheet"
        self.handle.setAccessibleName(name)
        self.handle.setToolTip(name.capitalize())
        shown = self._designing and (self._open or not drawer)
        if shown != self._beside.isVisibleTo(self._room):
            self._beside.setVisible(shown)
            self._row.activate()
        if drawer:
            top = self.handle.mapTo(self._room, self.handle.rect().topLeft())
            wide = min(self._widths["sheet"], self._room.width() - HANDLE - 40)
            self._beside.setFixedWidth(wide)
            self._beside.setGeometry(top.x() - wide - 4, top.y(), wide, max(self.handle.height(), 120))
            self._beside.raise_()
        else:
            self._beside.setFixedWidth(self._widths["sheet"])

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self._room and event.type() in (QEvent.Type.Resize, QEvent.Type.LayoutRequest):
            self.apply()
        if watched is self._shelf and event.type() == QEvent.Type.Resize:
            self.edge.setGeometry(self._shelf.width() - EDGE, 0, EDGE, self._shelf.height())
            self.edge.setVisible(not self.folded("shelf"))
            self.edge.raise_()
        # What the fields of the sheet make no use of comes up to it.
        if watched is self._beside and isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Escape \
                and event.type() is QEvent.Type.KeyPress:
            return self.close_drawer()
        return False
