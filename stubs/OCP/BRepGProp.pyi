from OCP.GProp import GProp_GProps
from OCP.TopoDS import TopoDS_Shape

class BRepGProp:
    @staticmethod
    def VolumeProperties_s(shape: TopoDS_Shape, into: GProp_GProps) -> None: ...
