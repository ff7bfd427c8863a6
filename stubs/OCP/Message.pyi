from typing import Any

class Message_PrinterOStream:
    @staticmethod
    def get_type_descriptor_s() -> Any: ...

class Message:
    @staticmethod
    def DefaultMessenger_s() -> Any: ...
