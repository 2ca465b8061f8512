"""What plays an argument obeys the laws of what it plays, whatever was chosen for its parts."""

import ast
import collections
import random
import typing
from collections.abc import Hashable
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dreck.trial.inputs.asked.usage import Usages
from dreck.trial.inputs.candidates import Candidates
from dreck.trial.inputs.recipes import Make
from dreck.trial.playing.world import World

ASKED = """
def f(v):
    if v["a"] > 5 and v.get("b") is not None and "c" in v:
        v["d"] = len(v)
        del v["a"]
    for k in v:
        if k == "e" or v.get(k):
            return k
"""
ASKED_MORE = ASKED.replace("v.get(k)", "v.refresh(k)")
"""Of something that is no plain mapping, nor a plain list."""
GONE_THROUGH = """
def f(v):
    if len(v) > 2 and 3 in v and v:
        return [x for x in v if x > 1]
    return v == [1]
"""
GONE_THROUGH_MORE = GONE_THROUGH.replace("return v ==", "return v.closed() or v ==")
ATTRIBUTES = """
def f(v):
    v.kilos = v.most + 1
    if v.open and v.name == "glass" or v == v.other:
        return v.kind
"""
MAPPINGS = (
    None, dict, dict[str, int], dict[str, Any], collections.abc.Mapping, collections.abc.MutableMapping[str, int],
    collections.OrderedDict, collections.Counter, typing.Dict[str, list[int]],  # noqa: UP006
)  # fmt: skip
GROUPS = (None, list, list[int], set[int], frozenset[int], tuple[int, ...], collections.abc.Sequence[int],
          collections.abc.Collection, collections.deque[int])  # fmt: skip
KEYS = ("a", "b", "c", "d", "e", "none of them")
MISSING = object()


class Chosen(dict[str, Make]):
    """Whatever fits, drawn at random; the same again when it is asked again."""

    def __init__(self, candidates: Candidates, pick: random.Random) -> None:
        super().__init__()
        self.candidates, self.pick = candidates, pick

    def get(self, path: str, default: Any = None) -> Any:
        if path not in self:
            options = self.candidates.at(path)
            if not options:
                return default
            self[path] = self.pick.choice(options)
        return self[path]


def playing(code: str, kind: Any, pick: random.Random) -> Any:
    """Something that plays the one parameter of a function."""
    (function,) = ast.parse(code).body
    usages = Usages()
    usages.add(function)  # type: ignore[arg-type]
    candidates = Candidates(usages, {}, {} if kind is None else {"v": kind})
    return World(candidates, Chosen(candidates, pick), {}).at("v")


def holds(value: Any, key: Any) -> bool:
    """`in` and `[]` and `get` say the same."""
    try:
        found = value[key]
    except KeyError:
        found = MISSING
    assert (key in value) is (found is not MISSING)
    if hasattr(value, "get"):
        got = value.get(key, MISSING)
        assert got is found or got == found
    return found is not MISSING


@pytest.mark.parametrize("kind", MAPPINGS)
@given(pick=st.randoms(use_true_random=False))
@settings(max_examples=40, deadline=None, database=None)
def test_a_mapping(kind: Any, pick: random.Random) -> None:
    value = playing(pick.choice((ASKED, ASKED_MORE)), kind, pick)
    if not isinstance(value, collections.abc.Mapping) and not hasattr(type(value), "_dreck_get"):
        return  # where nothing is said of it, it may be a number, too
    of_itself(value)
    for key in pick.sample(KEYS, len(KEYS)):
        before = holds(value, key) if not isinstance(value, collections.Counter) else True
        assert before is (holds(value, key) if not isinstance(value, collections.Counter) else True)
        if hasattr(value, "__setitem__") and pick.random() < 0.5:
            value[key] = 7
            assert holds(value, key) and value[key] == 7
            assert key in list(value) and len(value) == len(list(value))
            if pick.random() < 0.5:
                del value[key]
                assert key not in value and key not in list(value)
    assert len(value) == len(list(value))
    for key in list(value):
        assert holds(value, key)


@pytest.mark.parametrize("kind", GROUPS)
@given(pick=st.randoms(use_true_random=False))
@settings(max_examples=40, deadline=None, database=None)
def test_a_group(kind: Any, pick: random.Random) -> None:
    value = playing(pick.choice((GONE_THROUGH, GONE_THROUGH_MORE)), kind, pick)
    if not hasattr(value, "__len__") or isinstance(value, str | bytes):
        return
    of_itself(value)
    assert len(value) == len(value) == len(list(value))
    if not isinstance(value, collections.abc.Mapping):
        for item in list(value):
            assert item in value
        assert [repr(one) for one in value] == [repr(one) for one in value]


@given(pick=st.randoms(use_true_random=False))
@settings(max_examples=80, deadline=None, database=None)
def test_an_object(pick: random.Random) -> None:
    value = playing(ATTRIBUTES, None, pick)
    of_itself(value)
    if isinstance(value, int | float | str | bytes | tuple | list | dict | None):
        return
    for name in pick.sample(("kilos", "most", "name", "open"), 3):
        first = getattr(value, name)
        assert getattr(value, name) is first
        setattr(value, name, 12)
        assert getattr(value, name) == 12


def of_itself(value: Any) -> None:
    """Truth, length, equality and hash keep to what they have said."""
    assert bool(value) is bool(value)
    if hasattr(value, "__len__"):
        assert bool(value) is (len(value) > 0)
    if value == value:
        assert (value != value) is False
    if isinstance(value, Hashable):
        try:
            once = hash(value)
        except TypeError:
            return  # a tuple with a list in it
        assert once == hash(value)
