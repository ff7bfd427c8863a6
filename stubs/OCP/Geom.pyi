from OCP.gp import gp_Ax3

class Geom_CylindricalSurface:
    def __init__(self, frame: gp_Ax3, radius: float) -> None: ...
