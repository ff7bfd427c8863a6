"""Pictures of a view for a build log: PNG as it is seen, at twice the size; SVG with what is drawn as lines and letters."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, QPoint, QRect
from PySide6.QtGui import QImage, QPainter, QRegion
from PySide6.QtSvg import QSvgGenerator
from PySide6.QtWidgets import QWidget

from bouncy_latch.core.errors import ParamError

FORMATS = (".png", ".svg")
FINER = 2


def drawn(widget: QWidget, suffix: str, title: str) -> bytes:
    """Return a picture of a widget as the bytes of a file.

    Raises:
        ParamError: for a format that is neither PNG nor SVG.
    """
    if suffix not in FORMATS:
        raise ParamError(f"pictures are written as PNG or SVG, not as '{suffix}'", field="picture", value=suffix)
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    if suffix == ".svg":
        generator = QSvgGenerator()
        generator.setOutputDevice(buffer)
        generator.setSize(widget.size())
        generator.setViewBox(QRect(0, 0, widget.width(), widget.height()))
        generator.setTitle(title)
        _render(widget, generator)
    else:
        image = QImage(widget.size() * FINER, QImage.Format.Format_ARGB32_Premultiplied)
        image.setDevicePixelRatio(FINER)
        _render(widget, image)
        image.save(buffer, "PNG")  # type: ignore[call-overload]
    return bytes(buffer.data().data())


def _render(widget: QWidget, device: QSvgGenerator | QImage) -> None:
    painter = QPainter(device)
    try:
        flags = QWidget.RenderFlag.DrawWindowBackground | QWidget.RenderFlag.DrawChildren
        widget.render(painter, QPoint(), QRegion(), flags)
    finally:
        painter.end()


def with_suffix(path: Path, said: str) -> Path:
    """Return a path that ends in a format; ``said``, the filter of a file dialog, decides where it has none."""
    if path.suffix.lower() in FORMATS:
        return path
    return path.with_name(path.name + (".svg" if "svg" in said.lower() else ".png"))
