from typing import Any

from OCP.IFSelect import IFSelect_ReturnStatus
from OCP.TopoDS import TopoDS_Shape

STEPControl_AsIs: Any

class STEPControl_Reader:
    def ReadFile(self, path: str) -> IFSelect_ReturnStatus: ...
    def TransferRoots(self) -> int: ...
    def OneShape(self) -> TopoDS_Shape: ...
