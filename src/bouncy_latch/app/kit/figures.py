"""Plane pictures of solids: sections across the axis, drawn to scale with the body colours."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from bouncy_latch.app.kit.theme import THEME, text_font
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.setup import SHELF
from bouncy_latch.core.mechanisms.contract import SectionView, Solution
from bouncy_latch.core.solids import mesh, tree
from bouncy_latch.core.trial import rides

Polygons = list[npt.NDArray[np.float64]]


@frozen
class Section:
    """Polygons (n, 2) in mm of every body, in order."""

    bodies: list[Polygons]


def section_across(solution: Solution, view: SectionView) -> Section:
    """Return the section of all bodies that a view asks for, with what bends bent."""
    lift = tree.X_UP if view.axis == "x" else tree.IDENTITY
    bodies = rides.bent(solution, view.value).values()
    cuts = [mesh.transformed(body, lift).slice(view.at).to_polygons() for body in bodies]
    return Section([[np.asarray(polygon) for polygon in cut] for cut in cuts])


def body_colours() -> tuple[str, str]:
    """Return the two body colours in force."""
    return THEME.tokens.body_a, THEME.tokens.body_b


def body_colour(index: int, name: str = "") -> str:
    """Return the colour of a body by its place; sacrificial shelves have one of their own."""
    if name.startswith(SHELF):
        return THEME.tokens.quiet
    own = body_colours()[index % 2]
    # From the third body on the same two, paler and paler.
    return own if index < 2 else pale(own, max(0.4, 1.0 - 0.3 * (index // 2))).name()


def rgb(colour: QColor) -> tuple[int, int, int]:
    """Return red, green and blue, 0 to 255."""
    return colour.red(), colour.green(), colour.blue()


def rgb_f(colour: QColor) -> tuple[float, float, float]:
    """Return red, green and blue, 0 to 1."""
    return colour.redF(), colour.greenF(), colour.blueF()


def pale(colour: str, part: float = 0.55) -> QColor:
    """Return a colour mixed into the panel's, so that what is drawn on it stands out."""
    ink, ground = QColor(colour), QColor(THEME.tokens.panel)
    mixed = [round(part * a + (1 - part) * b) for a, b in zip(rgb(ink), rgb(ground), strict=True)]
    return QColor(*mixed)


def paint_polygons(painter: QPainter, polygons: Polygons, colour: QColor, to_screen: object, edge: bool = True) -> None:
    """Fill polygons (holes by winding) with a colour and, unless told otherwise, a darker edge."""
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    for polygon in polygons:
        points = to_screen(polygon)  # type: ignore[operator]
        path.moveTo(QPointF(*points[0]))
        for point in points[1:]:
            path.lineTo(QPointF(*point))
        path.closeSubpath()
    painter.setPen(QPen(colour.darker(140), 0.8) if edge else QPen(Qt.PenStyle.NoPen))
    painter.setBrush(colour)
    painter.drawPath(path)


class SectionFigure(QWidget):
    """One section with a caption."""

    def __init__(self, caption: str) -> None:
        super().__init__()
        self._caption = caption
        self._section: Section | None = None
        self._window: QRectF | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(caption)

    def sizeHint(self) -> QSize:
        return QSize(260, 150)

    def show_section(self, section: Section | None, window: QRectF | None = None, caption: str = "") -> None:
        """Show a section; ``window`` (mm) is what must be seen, all of it by default."""
        self._section, self._window = section, window
        self._caption = caption or self._caption
        self.update()

    def paintEvent(self, _event: object) -> None:
        t = THEME.tokens
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(text_font(8.5))
        painter.setPen(QColor(t.quiet))
        painter.drawText(QRectF(0, self.height() - 18, self.width(), 18), Qt.AlignmentFlag.AlignCenter, self._caption)
        if self._section is None or not any(self._section.bodies):
            return
        points = np.vstack([p for body in self._section.bodies for p in body])
        window = self._window or QRectF(QPointF(*points.min(axis=0)), QPointF(*points.max(axis=0)))
        area = QRectF(8, 8, self.width() - 16, self.height() - 32)
        scale = min(area.width() / window.width(), area.height() / window.height())
        centre, middle = area.center(), window.center()

        def to_screen(polygon: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
            return np.c_[centre.x() + (polygon[:, 0] - middle.x()) * scale, centre.y() - (polygon[:, 1] - middle.y()) * scale]

        painter.setClipRect(area.adjusted(-6, -6, 6, 6))
        for i, body in enumerate(self._section.bodies):
            if body:
                paint_polygons(painter, body, QColor(body_colour(i)), to_screen)
