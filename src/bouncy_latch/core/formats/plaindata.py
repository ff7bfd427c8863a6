"""Plain values and arrays as bytes, and back: what may come from a process that read a hostile file.

A JSON head with the values, then the arrays' bytes one after the other. Nothing that is read can run code or name a class.
"""

from __future__ import annotations

import json
import struct
from typing import Any

import numpy as np

_HEAD = struct.Struct("<Q")
_TYPES = ("<f8", "<f4", "<i8", "<u8", "<i4", "<u4", "|b1")
"""Types of numbers that arrays may have."""


def packed(value: Any) -> bytes:
    """Return a value of None, truth values, numbers, text, lists, tuples and number arrays as bytes; raises TypeError."""
    arrays: list[np.ndarray[Any, Any]] = []
    head = json.dumps(_plain(value, arrays)).encode()
    return b"".join([_HEAD.pack(len(head)), head, *(array.tobytes() for array in arrays)])


def unpacked(data: memoryview) -> Any:
    """Return what :func:`packed` made bytes of; raises ValueError for anything else."""
    try:
        begin = _HEAD.size + _HEAD.unpack_from(data)[0]
        head = json.loads(bytes(data[_HEAD.size:begin]))
        value, end = _value(head, data, begin)
    except (struct.error, KeyError, TypeError, IndexError, RecursionError) as error:
        raise ValueError("no plain data") from error
    if end != len(data):
        raise ValueError("no plain data: its length is wrong")
    return value


def _plain(value: Any, arrays: list[np.ndarray[Any, Any]]) -> Any:
    if value is None or isinstance(value, (bool, int, float, str)):
        return value
    if isinstance(value, (list, tuple)):
        return {"list" if isinstance(value, list) else "tuple": [_plain(item, arrays) for item in value]}
    if isinstance(value, np.ndarray) and value.dtype.str in _TYPES:
        arrays.append(value)
        return {"array": [value.dtype.str, list(value.shape)]}
    raise TypeError(f"{type(value).__name__} is no plain data")


def _value(plain: Any, data: memoryview, at: int) -> tuple[Any, int]:
    """Return the value of a part of the head, and where the bytes of the next array begin."""
    if not isinstance(plain, dict):
        return plain, at
    ((kind, content),) = plain.items()
    if kind == "array":
        (name, shape) = content
        if name not in _TYPES or not all(isinstance(size, int) and size >= 0 for size in shape):
            raise ValueError("no plain data: an array of an unknown type")
        dtype, count = np.dtype(name), 1
        for size in shape:
            count *= size
        end = at + count * dtype.itemsize
        if end > len(data):
            raise ValueError("no plain data: an array is cut short")
        return np.frombuffer(data[at:end], dtype).reshape(shape), end
    made = []
    for item in content:
        value, at = _value(item, data, at)
        made.append(value)
    return {"list": list, "tuple": tuple}[kind](made), at
