from enum import Enum

class IFSelect_ReturnStatus(Enum):
    IFSelect_RetDone = ...

IFSelect_RetDone: IFSelect_ReturnStatus
