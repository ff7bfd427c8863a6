from typing import Any

class XCAFDoc_DocumentTool:
    @staticmethod
    def ShapeTool_s(label: Any) -> Any: ...
