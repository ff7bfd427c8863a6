from typing import Any

from OCP.TCollection import TCollection_ExtendedString

class TDataStd_Name:
    @staticmethod
    def Set_s(label: Any, name: TCollection_ExtendedString) -> Any: ...
