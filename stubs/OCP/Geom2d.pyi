from OCP.gp import gp_Dir2d, gp_Pnt2d

class Geom2d_Line:
    def __init__(self, point: gp_Pnt2d, direction: gp_Dir2d) -> None: ...
