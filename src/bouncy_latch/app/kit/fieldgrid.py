"""The one grid of names, values and units that the sheet, the brief, the process and the figures of a print stand in."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLabel, QWidget

from bouncy_latch.app.kit.copying import copyable
from bouncy_latch.app.kit.editors import ChoiceField, NumberField
from bouncy_latch.app.kit.parts import label
from bouncy_latch.app.kit.theme import figure_font
from bouncy_latch.core.fields import Facts

Enter = Callable[[str, object, str | None], None]
"""Told a field's name, what was entered, and under which key steps of it are one change."""
_NAME, _VALUE, _UNIT, _BESIDE, _GROUP = range(5)


class FieldGrid(QGridLayout):
    """Rows of name, value, unit and what stands beside it, in one or more columns of such cells.

    Args:
        columns: cells side by side. names, units: least width of a name and of a unit, pixels.
        spacing: between columns and between rows, pixels.
    """

    def __init__(self, columns: int = 1, names: int = 104, units: int = 50, spacing: tuple[int, int] = (6, 2)) -> None:
        super().__init__()
        self._columns, self._next = columns, 0
        self.setContentsMargins(0, 0, 6, 0)
        self.setHorizontalSpacing(spacing[0])
        self.setVerticalSpacing(spacing[1])
        for group in range(columns):
            self.setColumnMinimumWidth(_GROUP * group + _NAME, names)
            self.setColumnMinimumWidth(_GROUP * group + _UNIT, units)
        # One column of cells gives its spare width to the names, several keep together.
        self.setColumnStretch(_NAME if columns == 1 else _GROUP * columns, 1)

    def head(self, *cells: tuple[int, QWidget]) -> None:
        """Put headings on a row of their own, each on a column of the grid; one alone spans them all."""
        row = 2 * self._row_of_next()
        for column, widget in cells:
            self.addWidget(widget, row, column, 1, _GROUP * self._columns + 1 if len(cells) == 1 else 1)
        self._next = (row // 2 + 1) * self._columns

    def put(self, name: QWidget, value: QWidget, unit: str = "", wide: bool = False, at: int | None = None,
            beside: QWidget | None = None) -> None:
        """Put a cell where the last one ended, or as number ``at``, counted along the rows.

        A ``wide`` value takes the rest of its row; one without a unit takes that place too.
        """
        number = self._next if at is None else at
        number += number % self._columns if wide else 0
        row, column = 2 * (number // self._columns), _GROUP * (number % self._columns)
        self.addWidget(name, row, column + _NAME)
        span = _GROUP * self._columns - 1 if wide else 1 if unit else 2
        several = self._columns > 1
        self.addWidget(value, row, column + _VALUE, 1, span, Qt.AlignmentFlag.AlignLeft if several else Qt.AlignmentFlag(0))
        if unit:
            self.addWidget(label(unit, "quiet", 8.5), row, column + _UNIT)
        if beside is not None:
            self.addWidget(beside, row, column + _BESIDE)
        self._next = number + (self._columns if wide else 1)

    def under(self, widget: QWidget) -> None:
        """Put a widget under the row of the last cell, across the grid."""
        self.addWidget(widget, 2 * ((self._next - 1) // self._columns) + 1, 0, 1, _GROUP * self._columns)

    def figure(self, name: QWidget, text: str = "", unit: str = "", size: float = 9.5) -> QLabel:
        """Put a figure to be read, and return its label."""
        value = label(text)
        value.setFont(figure_font(size))
        value.setProperty("figure", "true")
        value.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        copyable(value, lambda: value.selectedText() or f"{value.text()} {unit}".strip())
        self.put(name, value, unit)
        return value

    def editor(self, name: QLabel, facts: Facts, enter: Enter, widths: tuple[int, int], wide: bool = False
               ) -> NumberField | ChoiceField:
        """Put the editor of a field, ``widths`` of numbers and of choices in pixels, and return it."""
        made: NumberField | ChoiceField
        if facts.choices:
            made = ChoiceField(facts)
            made.chosen.connect(lambda value: enter(facts.name, value, None))
        else:
            made = NumberField(facts)
            made.entered.connect(lambda text: enter(facts.name, text, None))
            made.stepped.connect(lambda value: enter(facts.name, value, f"step {facts.name}"))
        made.setFixedWidth(widths[1 if facts.choices else 0])
        name.setBuddy(made)
        self.put(name, made, facts.unit, wide)
        return made

    def _row_of_next(self) -> int:
        return -(-self._next // self._columns)
