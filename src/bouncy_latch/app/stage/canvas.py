"""A widget that shows a 3-D scene: rendered beside the screen, so that it works on any display, and turned by mouse and keys.

At rest the picture is rendered once more at twice its size, which smooths its edges; graphics hardware smooths every frame.
"""

from __future__ import annotations

import os

import numpy as np
import numpy.typing as npt
import vtkmodules.vtkRenderingOpenGL2  # noqa: F401 - what renders on OpenGL registers itself
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget
from vtkmodules.util.numpy_support import vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkUnsignedCharArray
from vtkmodules.vtkRenderingCore import vtkLight, vtkRenderer, vtkRenderWindow

REST_MS = 150
"""After the last change for this long the picture is smoothed."""
FINER = 2
"""How many times larger it is rendered for that."""
MOST_PIXELS = 12e6
"""More than these would take a second on software; on a screen of so many the edges are fine as they are."""
HARDWARE_SAMPLES = 8
LIGHTS = (((-0.5, 0.8, 1.2), 0.62), ((0.7, -0.6, 1.0), 0.52))
"""Of two lights that go with the eye: where from, and how strong. Each more costs a fifth of a frame on software."""
SOFTWARE = ("llvmpipe", "softpipe", "swrast", "swr", "software")
STILL = 3
"""How far the mouse may move between press and release of a click, px."""
TURN, ZOOM = 0.5, 1.12
"""Degrees a pixel of a drag, and how much nearer a notch of the wheel goes."""
STEEPEST = 89.0
"""From no higher above the bed, or lower under it, it is looked at, degrees."""
_KEYS = {Qt.Key.Key_Left: (-10, 0), Qt.Key.Key_Right: (10, 0), Qt.Key.Key_Up: (0, 10), Qt.Key.Key_Down: (0, -10)}
_ZOOMS = {Qt.Key.Key_Plus: ZOOM, Qt.Key.Key_Equal: ZOOM, Qt.Key.Key_Minus: 1 / ZOOM}


class Canvas(QWidget):
    """Renders on demand; what derives from it fills ``renderer`` and paints over the picture."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.renderer = vtkRenderer()
        for place, strength in LIGHTS:
            light = vtkLight()
            light.SetLightTypeToCameraLight()
            light.SetPosition(*place)
            light.SetFocalPoint(0, 0, 0)
            light.SetIntensity(strength)
            self.renderer.AddLight(light)
        self._window: vtkRenderWindow | None = None
        self._software = True
        self._image = QImage()
        self._stale, self._fine = True, False
        self._rest = QTimer(self, singleShot=True, interval=REST_MS)
        self._rest.timeout.connect(self._smooth)
        self._grabbed: QPoint | None = None
        self._pressed = QPoint()
        self._pixels = vtkUnsignedCharArray()

    def sizeHint(self) -> QSize:
        return QSize(400, 400)

    def look(self, place: tuple[float, float, float], at: tuple[float, float, float]) -> None:
        """Look from a place at another one, z upwards."""
        camera = self.renderer.GetActiveCamera()
        camera.SetPosition(*place)
        camera.SetFocalPoint(*at)
        camera.SetViewUp(0, 0, 1)

    def draw(self) -> None:
        """Show what has changed; many calls before the next repaint render once."""
        self._stale, self._fine = True, False
        self.update()

    def smoothed(self) -> bool:
        """Whether the picture shown is the one with smooth edges."""
        return not self._stale and (self._fine or not self._software)

    # -- where things are --------------------------------------------------------------------------------------------

    def in_view(self, points: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        """Return points (n, 3) of the scene as (n, 2), −1 to 1 across the picture and up."""
        wide, high = max(self.width(), 1), max(self.height(), 1)
        matrix = self.renderer.GetActiveCamera().GetCompositeProjectionTransformMatrix(wide / high, -1, 1)
        seen = np.c_[points, np.ones(len(points))] @ np.array([[matrix.GetElement(i, j) for j in range(4)] for i in range(4)]).T
        return seen[:, :2] / seen[:, 3:]

    def on_screen(self, points: npt.NDArray[np.float64]) -> list[QPointF]:
        """Return points (n, 3) of the scene as points of the widget."""
        return [QPointF((x + 1) / 2 * self.width(), (1 - y) / 2 * self.height()) for x, y in self.in_view(points)]

    def ray(self, place: QPointF) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
        """Return where the eye is and the unit vector from there through a place of the widget, in the scene."""
        wide, high = max(self.width(), 1), max(self.height(), 1)
        matrix = self.renderer.GetActiveCamera().GetCompositeProjectionTransformMatrix(wide / high, -1, 1)
        whole = np.linalg.inv(np.array([[matrix.GetElement(i, j) for j in range(4)] for i in range(4)]))
        x, y = 2 * place.x() / wide - 1, 1 - 2 * place.y() / high
        near, far = (whole @ np.array([x, y, depth, 1.0]) for depth in (-0.9, 0.9))
        near, far = near[:3] / near[3], far[:3] / far[3]
        eye = np.array(self.renderer.GetActiveCamera().GetPosition())
        way = near - eye if np.linalg.norm(near - eye) > 1e-9 else far - eye
        if (far - eye) @ way < 0:
            way = far - near
        return eye, way / np.linalg.norm(way)

    # -- rendering ---------------------------------------------------------------------------------------------------

    def _made(self) -> vtkRenderWindow:
        """Return the window beside the screen, made when it is first needed."""
        if self._window is None:
            if not os.environ.get("DISPLAY"):
                os.environ.setdefault("VTK_DEFAULT_OPENGL_WINDOW", "vtkEGLRenderWindow")
            window = vtkRenderWindow()
            window.SetShowWindow(False)
            window.SetOffScreenRendering(1)
            window.SetMultiSamples(0)
            window.AddRenderer(self.renderer)
            self._window = window
            window.SetSize(64, 64)
            window.Render()
            capabilities = window.ReportCapabilities().lower()
            self._software = any(name in capabilities for name in SOFTWARE)
            if not self._software:
                window.SetMultiSamples(HARDWARE_SAMPLES)
        return self._window

    def _rendered(self, finer: int) -> QImage:
        """Return the scene as a picture in the pixels of the screen, rendered ``finer`` times larger."""
        window, ratio = self._made(), self.devicePixelRatioF()
        wide, high = (max(1, round(side * ratio)) for side in (self.width(), self.height()))
        self.scale_lines(ratio * finer)
        self.renderer.ResetCameraClippingRange()
        window.SetSize(wide * finer, high * finer)
        window.Render()
        window.GetRGBACharPixelData(0, 0, wide * finer - 1, high * finer - 1, 0, self._pixels)
        rows = vtk_to_numpy(self._pixels).reshape(high * finer, wide * finer, 4)[::-1]
        data = np.ascontiguousarray(rows)
        data[:, :, 3] = 255  # the ground comes without, and would be seen through
        image = QImage(data.data, wide * finer, high * finer, QImage.Format.Format_RGBX8888).copy()
        if finer > 1:
            image = image.scaled(wide, high, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation)
        image.setDevicePixelRatio(ratio)
        return image

    def scale_lines(self, factor: float) -> None:
        """Make lines of the scene ``factor`` times wider than on a plain screen."""

    def paint_over(self, painter: QPainter) -> None:
        """Paint what lies over the picture."""

    def _smooth(self) -> None:
        if not self._software or self._fine or self._stale:
            return
        self._fine = True
        if self.width() * self.height() * (FINER * self.devicePixelRatioF()) ** 2 <= MOST_PIXELS:
            self._image = self._rendered(FINER)
            self.update()

    def event(self, event: QEvent) -> bool:
        if event.type() is QEvent.Type.DevicePixelRatioChange:
            self.draw()
        return super().event(event)

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self._stale:
            self._image, self._stale = self._rendered(1), False
            self._rest.start()
        painter = QPainter(self)
        painter.drawImage(QRectF(self.rect()), self._image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.paint_over(painter)
        if self.hasFocus():
            painter.setPen(QColor(self.palette().highlight().color()))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.draw()

    # -- turning it --------------------------------------------------------------------------------------------------

    def turn(self, across: float, up: float) -> None:
        """Walk round the scene, degrees, with the bed always level."""
        camera = self.renderer.GetActiveCamera()
        at = np.array(camera.GetFocalPoint())
        x, y, z = np.array(camera.GetPosition()) - at
        far = np.sqrt(x * x + y * y + z * z)
        round_, high = np.arctan2(y, x) + np.radians(across), np.arcsin(z / far) + np.radians(up)
        high = min(max(high, -np.radians(STEEPEST)), np.radians(STEEPEST))
        camera.SetPosition(*(at + far * np.array([np.cos(high) * np.cos(round_), np.cos(high) * np.sin(round_), np.sin(high)])))
        camera.SetViewUp(0, 0, 1)
        self.draw()

    def shift(self, right: float, down: float) -> None:
        """Move the scene by pixels."""
        camera = self.renderer.GetActiveCamera()
        per_pixel = 2 * camera.GetDistance() * np.tan(np.radians(camera.GetViewAngle() / 2)) / max(self.height(), 1)
        ahead, up = np.array(camera.GetDirectionOfProjection()), np.array(camera.GetViewUp())
        side = np.cross(ahead, up)
        side /= np.linalg.norm(side)
        by = per_pixel * (down * np.cross(side, ahead) - right * side)
        camera.SetPosition(*(np.array(camera.GetPosition()) + by))
        camera.SetFocalPoint(*(np.array(camera.GetFocalPoint()) + by))
        self.draw()

    def zoom(self, factor: float) -> None:
        """Go nearer (over 1) or further away."""
        self.renderer.GetActiveCamera().Dolly(factor)
        self.draw()

    def clicked_at(self, place: QPointF) -> None:
        """Take a click that turned nothing, at a place of the widget."""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._grabbed = event.position().toPoint()
        self._pressed = self._grabbed

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._grabbed is None or event.buttons() == Qt.MouseButton.NoButton:
            return
        here = event.position().toPoint()
        moved, self._grabbed = here - self._grabbed, here
        shifted = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if event.buttons() & Qt.MouseButton.LeftButton and not shifted:
            self.turn(-TURN * moved.x(), TURN * moved.y())
        else:
            self.shift(moved.x(), moved.y())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        still = (event.position().toPoint() - self._pressed).manhattanLength() <= STILL
        if self._grabbed is not None and still and event.button() == Qt.MouseButton.LeftButton:
            self.clicked_at(event.position())
        self._grabbed = None

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.zoom(ZOOM ** (event.angleDelta().y() / 120))
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if key in _KEYS:
            self.turn(*_KEYS[key])
        elif key in _ZOOMS:
            self.zoom(_ZOOMS[key])
        else:
            super().keyPressEvent(event)

    def release_window(self) -> None:
        """Give the graphics memory back before the widget goes."""
        self._rest.stop()
        if self._window is not None:
            self._window.Finalize()
            self._window = None
