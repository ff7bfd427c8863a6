"""Classes of values that never change: dataclasses in all but how their methods come about.

The standard decorator writes six methods of every class as text and compiles them, which is an eighth of what a command that
answers at once takes. Here only ``__init__`` is written, and when a first value is made; the other methods are shared, and
read a class's fields in C.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import MISSING, FrozenInstanceError, dataclass, field, fields
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
    made: Any = dataclass(init=False, repr=False, eq=False)(cls)
    made.__init__ = _written_when_needed(made)
    made.__setattr__, made.__delattr__ = _kept, _whole
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


def _written_when_needed(made: Any) -> Callable[..., None]:
    def init(self: Any, *args: Any, **kwargs: Any) -> None:
        made.__init__ = _init(made)
        made.__init__(self, *args, **kwargs)
    return init


def _init(made: Any) -> Any:
    """Return the ``__init__`` of a class: every field is a parameter, its default the field's, and a factory is asked anew."""
    known: dict[str, Any] = {"_missing": MISSING}
    takes, does = ["self"], ["_own = self.__dict__"]
    for each in fields(made):
        name, default = each.name, f"_default_{each.name}"
        asked = each.default_factory is not MISSING
        known[default] = each.default_factory if asked else each.default
        fresh = f"{default}()" if asked else default
        if not each.init:
            does += [f"_own[{name!r}] = {fresh}"] if asked else []
            continue
        takes.append(f"{name}=_missing" if asked else name if each.default is MISSING else f"{name}={default}")
        does.append(f"_own[{name!r}] = {fresh} if {name} is _missing else {name}" if asked else f"_own[{name!r}] = {name}")
    if hasattr(made, "__post_init__"):
        does.append("self.__post_init__()")
    text = f"def __init__({', '.join(takes)}):\n " + "\n ".join(does)
    exec(compile(text, f"<{made.__qualname__}.__init__>", "exec"), known)
    return known["__init__"]


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


def _kept(_: Any, name: str, _value: Any) -> None:
    raise FrozenInstanceError(f"cannot assign to field {name!r}")


def _whole(_: Any, name: str) -> None:
    raise FrozenInstanceError(f"cannot delete field {name!r}")
