from typing import Any

from OCP.gp import gp_Pnt

class GC_MakeArcOfCircle:
    def __init__(self, start: gp_Pnt, middle: gp_Pnt, end: gp_Pnt) -> None: ...
    def Value(self) -> Any: ...
