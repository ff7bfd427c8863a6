from typing import Any

from OCP.TCollection import TCollection_ExtendedString

class TDocStd_Document:
    def __init__(self, form: TCollection_ExtendedString) -> None: ...
    def Main(self) -> Any: ...
