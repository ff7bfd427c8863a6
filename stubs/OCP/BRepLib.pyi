from OCP.TopoDS import TopoDS_Shape

class BRepLib:
    @staticmethod
    def BuildCurves3d_s(shape: TopoDS_Shape, tolerance: float) -> bool: ...
