"""A table of records: a mark, some words, a picture, and one thing to do with each; only what changed is made anew."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QPointF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QKeyEvent, QPainter, QPixmap, QResizeEvent
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QStyledItemDelegate, QStyleOptionViewItem, QTableView

from bouncy_latch.app.kit.copying import copyable
from bouncy_latch.app.kit.marks import draw_mark
from bouncy_latch.app.kit.theme import THEME, figure_font, text_font
from bouncy_latch.core.frozen import frozen

Index = QModelIndex | QPersistentModelIndex
MARK, PICTURE_HEIGHT = 26, 40
STORY, TIGHTEST = 170, 0.55
"""Least width of the column that takes the rest, px, and to what part the others give way for it."""


@frozen
class Record:
    """One row.

    Attributes:
        key: what it stands for. verdict: its mark. cells: words, one a column. action: what can be done with it.
        tone: of the words ("quiet", "look" or nothing). picture: shown before the action; None without one.
    """

    key: str
    verdict: str
    cells: tuple[str, ...]
    action: str
    tone: str = ""
    picture: QPixmap | None = None


class RecordModel(QAbstractTableModel):
    """Records as a model: the mark first, the action last."""

    def __init__(self, columns: Sequence[str]) -> None:
        super().__init__()
        self._columns = ("", *columns, "")
        self.records: list[Record] = []

    def show(self, records: list[Record]) -> None:
        """Show records; rows that are the same stay untouched."""
        if [r.key for r in records] == [r.key for r in self.records]:
            for row, (old, new) in enumerate(zip(self.records, records, strict=True)):
                if old != new:
                    self.records[row] = new
                    self.dataChanged.emit(self.index(row, 0), self.index(row, len(self._columns) - 1))
            return
        self.beginResetModel()
        self.records = records
        self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - as Qt declares it
        return 0 if parent.isValid() else len(self.records)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self._columns)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        record, column = self.records[index.row()], index.column()
        last = len(self._columns) - 1
        if role in {Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole}:
            return "" if column == 0 else record.action if column == last else record.cells[column - 1]
        if role == Qt.ItemDataRole.AccessibleTextRole and column == 0:
            return record.verdict
        if role == Qt.ItemDataRole.DecorationRole and column == last:
            return record.picture
        if role == Qt.ItemDataRole.FontRole:
            bold = column == 1 and record.tone != "quiet"
            return figure_font(8.5) if self._columns[column] == "when" else text_font(
                9, QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
        if role == Qt.ItemDataRole.ForegroundRole:
            t = THEME.tokens
            return QColor(t.accent if column == last else t.quiet if record.tone == "quiet" or self._columns[column] == "when"
                          else THEME.verdict("look") if record.tone == "look" and column == last - 1 else t.ink)
        return None

    def headerData(self, section: int, _orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        return self._columns[section] if role == Qt.ItemDataRole.AccessibleTextRole else None


class _Marks(QStyledItemDelegate):
    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        model = index.model()
        assert isinstance(model, RecordModel)
        rect = option.rect  # type: ignore[attr-defined]
        draw_mark(painter, model.records[index.row()].verdict, QPointF(rect.center()), 10)


class RecordTable(QTableView):
    """Shows records; a click on the last column, or Enter on a row, does what stands there.

    Signals:
        acted: the key of the record.
    """

    acted = Signal(str)

    def __init__(self, columns: dict[str, int], name: str) -> None:
        """``columns``: their names and widths, 0 for the one that takes the rest."""
        super().__init__()
        self.records = RecordModel(tuple(columns))
        self.setModel(self.records)
        self.setItemDelegateForColumn(0, _Marks(self))
        self.setAccessibleName(name)
        self.setShowGrid(False)
        self.setWordWrap(True)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setTabKeyNavigation(False)
        self.setIconSize(QSize(64, PICTURE_HEIGHT))
        self.verticalHeader().hide()
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        across = self.horizontalHeader()
        across.hide()
        for column, width in enumerate((MARK, *columns.values(), 0), 0):
            if column == len(columns) + 1:
                across.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
            elif width:
                self.setColumnWidth(column, width)
            else:
                across.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        across.sectionResized.connect(lambda *_: self.resizeRowsToContents())
        self._wide = {column: width for column, width in enumerate(columns.values(), 1) if width}
        self.clicked.connect(self._on_clicked)
        copyable(self, self.said)

    def said(self) -> str:
        """Return the cells of the chosen row in one line; of all rows, where none is chosen."""
        at = self.currentIndex()
        rows = [self.records.records[at.row()]] if at.isValid() else self.records.records
        return "\n".join(", ".join(cell for cell in row.cells if cell) for row in rows)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where it is narrow the words of the fixed columns go on two lines."""
        last = self.columnWidth(self.records.columnCount() - 1)
        room = event.size().width() - MARK - last - STORY
        part = min(max(room / sum(self._wide.values()), TIGHTEST), 1.0)
        for column, width in self._wide.items():
            self.setColumnWidth(column, round(part * width))
        super().resizeEvent(event)

    def show_records(self, records: list[Record]) -> None:
        self.records.show(records)

    def _on_clicked(self, index: Index) -> None:
        if index.column() == self.records.columnCount() - 1:
            self.acted.emit(self.records.records[index.row()].key)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter} and self.currentIndex().isValid():
            self.acted.emit(self.records.records[self.currentIndex().row()].key)
        else:
            super().keyPressEvent(event)
