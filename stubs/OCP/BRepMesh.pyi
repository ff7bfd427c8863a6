from OCP.TopoDS import TopoDS_Shape

class BRepMesh_IncrementalMesh:
    def __init__(self, shape: TopoDS_Shape, deflection: float, relative: bool, angle: float, parallel: bool) -> None: ...
