"""STEP out: exact bodies with names, millimetres."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from bouncy_latch.core.errors import SaveError
from bouncy_latch.core.progress import Progress, told, unwatched
from bouncy_latch.core.solids import brep, tree


def to_step(bodies: Mapping[str, tree.Solid], title: str, progress: Progress = unwatched) -> bytes:
    """Return the bodies as one STEP (AP214) file, one named product a body.

    Raises:
        SaveError: when the kernel refuses to write. Cancelled: when ``progress`` (told the part done) returned False.
    """
    shapes = {}
    for number, (name, solid) in enumerate(bodies.items()):
        told(progress, 0.9 * number / len(bodies))
        shapes[name] = brep.standing(solid)
    return shapes_to_step(shapes, title)


def shapes_to_step(bodies: Mapping[str, Any], title: str) -> bytes:
    """Return exact shapes of the kernel as one STEP file; raises SaveError as :func:`to_step`."""
    from OCP.IFSelect import IFSelect_RetDone
    from OCP.Interface import Interface_Static
    from OCP.Message import Message, Message_PrinterOStream
    from OCP.STEPCAFControl import STEPCAFControl_Writer
    from OCP.STEPControl import STEPControl_AsIs
    from OCP.TCollection import TCollection_ExtendedString
    from OCP.TDataStd import TDataStd_Name
    from OCP.TDocStd import TDocStd_Document
    from OCP.XCAFDoc import XCAFDoc_DocumentTool

    # The writer reports its progress to standard output, which belongs to our own JSON.
    Message.DefaultMessenger_s().RemovePrinters(Message_PrinterOStream.get_type_descriptor_s())
    document = TDocStd_Document(TCollection_ExtendedString("BinXCAF"))
    shapes = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    for name, shape in bodies.items():
        label = shapes.AddShape(shape, False)
        TDataStd_Name.Set_s(label, TCollection_ExtendedString(name))
    Interface_Static.SetCVal_s("write.step.product.name", title)
    writer = STEPCAFControl_Writer()
    writer.SetNameMode(True)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "parts.step"
        transferred = writer.Transfer(document, STEPControl_AsIs)
        if not transferred or writer.Write(str(path)) != IFSelect_RetDone:
            raise SaveError("the STEP writer refused these bodies; nothing was written")
        return path.read_bytes()
