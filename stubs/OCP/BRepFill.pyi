from OCP.TopoDS import TopoDS_Edge, TopoDS_Face

class BRepFill:
    @staticmethod
    def Face_s(first: TopoDS_Edge, second: TopoDS_Edge) -> TopoDS_Face: ...
