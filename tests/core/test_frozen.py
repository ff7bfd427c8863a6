"""Values that never change, against the standard decorator of the language as the reference."""

from __future__ import annotations

import pickle
from dataclasses import FrozenInstanceError, asdict, dataclass, field, replace
from functools import cached_property

import pytest

from bouncy_latch.core.frozen import frozen


@frozen
class Ours:
    a: int
    b: tuple[float, ...] = (1.0,)
    note: str = field(default="", compare=False, repr=False)

    @cached_property
    def twice(self) -> int:
        return 2 * self.a


@frozen
class Longer(Ours):
    c: int = 3


@dataclass(frozen=True)
class Standard:
    a: int
    b: tuple[float, ...] = (1.0,)
    note: str = field(default="", compare=False, repr=False)


CASES = [(1,), (1, (2.0,)), (1, (1.0,), "said"), (2,)]


@pytest.mark.parametrize("first", CASES)
@pytest.mark.parametrize("second", CASES)
def test_they_are_the_same_and_hash_alike_where_the_standard_ones_do(first, second):
    ours, standard = (Ours(*first), Ours(*second)), (Standard(*first), Standard(*second))
    assert (ours[0] == ours[1]) == (standard[0] == standard[1])
    assert (hash(ours[0]) == hash(ours[1])) == (hash(standard[0]) == hash(standard[1]))
    assert (repr(ours[0]), asdict(ours[0])) == (repr(standard[0]).replace("Standard", "Ours"), asdict(standard[0]))
    assert ours[0] != standard[0]
    assert Longer(*first) != ours[0], "a class of its own"


def test_nothing_of_it_changes():
    ours = Ours(1)
    for change, said in ((lambda: setattr(ours, "a", 2), "assign"), (lambda: setattr(ours, "new", 2), "assign"),
                         (lambda: delattr(ours, "a"), "delete")):
        with pytest.raises(FrozenInstanceError, match=f"cannot {said}"):
            change()
    assert (ours.twice, ours.twice, ours) == (2, 2, Ours(1)), "what is worked out of it is kept, and changes nothing"
    assert (replace(ours, a=5), pickle.loads(pickle.dumps(ours))) == (Ours(5), ours)
    assert (Longer(1, c=4), hash(Longer(1, c=4))) == (replace(Longer(1), c=4), hash(replace(Longer(1), c=4)))


def test_values_are_made_as_the_standard_ones_are():
    def fields_of(made):
        @made
        class Kept:
            a: int
            b: list[int] = field(default_factory=list)
            c: int = field(init=False, default=7)

            def __post_init__(self):
                object.__setattr__(self, "d", self.a + self.c)

        return Kept

    ours, standard = fields_of(frozen), fields_of(dataclass(frozen=True))
    for args, named in (((1,), {}), ((1, [2]), {}), ((), {"b": [3], "a": 4})):
        assert vars(ours(*args, **named)) == vars(standard(*args, **named))
    assert ours(1).b is not ours(1).b, "a factory is asked anew"
    for args, named in (((), {}), ((1, [], 7), {}), ((1,), {"e": 2})):
        said = []
        for made in (ours, standard):
            with pytest.raises(TypeError) as refused:
                made(*args, **named)
            said.append(str(refused.value).split("__init__")[1])
        assert said[0] == said[1]


def test_what_is_one_of_a_kind_is_itself_only():
    @frozen(eq=False)
    class Each:
        a: int

    assert len({Each(1), Each(1)}) == 2
