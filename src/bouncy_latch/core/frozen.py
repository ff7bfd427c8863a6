"""Classes of values that never change: dataclasses in all but how their methods come about.

The standard decorator writes six methods of every class as text and compiles them, which is a tenth of what a command that
answers at once takes. Here only ``__init__`` is written; the other methods are shared, and read a class's fields in C.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import FrozenInstanceError, dataclass, field, fields
from operator import attrgetter
from typing import Any, TypeVar, dataclass_transform, overload

_Cls = TypeVar("_Cls", bound=type)


@overload
def frozen(cls: _Cls, /) -> _Cls: ...
@overload
def frozen(*, eq: bool = True) -> Callable[[_Cls], _Cls]: ...
@dataclass_transform(frozen_default=True, field_specifiers=(field,))
def frozen(cls: Any = None, /, *, eq: bool = True) -> Any:
    """Make a class a dataclass whose fields are set once, and that ``dataclasses.replace`` and its kin know.

    Args:
        eq: whether two are the same where their fields are (and hash so); otherwise each is itself only.
    """
    return _made(cls, eq) if cls is not None else lambda given: _made(given, eq)


def _made(cls: Any, eq: bool) -> Any:
    own = cls.__dict__
    made: Any = dataclass(repr=False, eq=False)(cls)
    made.__setattr__, made.__delattr__ = _set_once, _never
    if "__repr__" not in own:
        made.__repr__ = _told
    if eq:
        names = [each.name for each in fields(made) if each.compare]
        values: Callable[[Any], Any] = attrgetter(*names) if names else _nothing
        if "__eq__" not in own:
            made.__eq__ = _equal(values)
        if "__hash__" not in own:
            made.__hash__ = _hashed(values)
    return made


def _nothing(_: Any) -> tuple[()]:
    return ()


def _equal(values: Callable[[Any], Any]) -> Callable[[Any, Any], Any]:
    def equal(self: Any, other: Any) -> Any:
        return self is other or values(self) == values(other) if other.__class__ is self.__class__ else NotImplemented
    return equal


def _hashed(values: Callable[[Any], Any]) -> Callable[[Any], int]:
    return lambda self: hash(values(self))


def _told(self: Any) -> str:
    said = ", ".join(f"{each.name}={getattr(self, each.name)!r}" for each in fields(self) if each.repr)
    return f"{self.__class__.__qualname__}({said})"


def _set_once(self: Any, name: str, value: Any) -> None:
    own = self.__dict__
    if name in own or name not in self.__dataclass_fields__:
        raise FrozenInstanceError(f"cannot assign to field {name!r}")
    own[name] = value


def _never(_: Any, name: str) -> None:
    raise FrozenInstanceError(f"cannot delete field {name!r}")
