"""The bed under what is shown: a grid whose squares are the scale."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtGui import QColor
from vtkmodules.vtkRenderingCore import vtkActor, vtkPolyDataMapper, vtkRenderer

from bouncy_latch.app.kit.figures import rgb_f
from bouncy_latch.app.stage.drawn import lines

STEPS = (1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0)
MOST_SQUARES = 12
BELOW = 0.02
"""How far under the parts it lies, so that their undersides hide it, mm."""


class Floor:
    """Draws the grid."""

    def __init__(self, renderer: vtkRenderer) -> None:
        self.step = 0.0
        self._actor = vtkActor()
        self._actor.SetMapper(vtkPolyDataMapper())
        self._actor.GetProperty().LightingOff()
        self._actor.PickableOff()
        renderer.AddActor(self._actor)

    def lay(self, low: tuple[float, float, float], high: tuple[float, float, float]) -> None:
        """Lay it under the room between two corners, mm, with a square to spare all round."""
        across = max(high[0] - low[0], high[1] - low[1])
        self.step = next((step for step in STEPS if across <= MOST_SQUARES * step), STEPS[-1])
        first = [math.floor(low[i] / self.step - 0.5) for i in (0, 1)]
        last = [math.ceil(high[i] / self.step + 0.5) for i in (0, 1)]
        ends = []
        for axis in (0, 1):
            for number in range(first[axis], last[axis] + 1):
                for end in (first[1 - axis], last[1 - axis]):
                    place = (number, end) if axis == 0 else (end, number)
                    ends.append((*(self.step * each for each in place), low[2] - BELOW))
        self._actor.GetMapper().SetInputData(lines(np.array(ends)))  # type: ignore[attr-defined]

    def let_be_seen(self, seen: bool) -> None:
        """Show or hide it."""
        self._actor.SetVisibility(seen)

    def paint(self, colour: QColor) -> None:
        """Give its lines a colour."""
        self._actor.GetProperty().SetColor(*rgb_f(colour))

    def scale_lines(self, factor: float) -> None:
        """Draw them ``factor`` times as wide as on a plain screen."""
        self._actor.GetProperty().SetLineWidth(factor)
