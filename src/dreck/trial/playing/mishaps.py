"""Exceptions made up by name: what a call raises, what an iteration ends with, what is thrown into a generator."""

import ast
import contextlib
from collections.abc import Callable
from types import SimpleNamespace
from typing import Any

from dreck.trial.inputs.asked.uses import (
    BARE,
    BELOW_IT,
    BOTH,
    GROUP,
    NOT_THERE,
    OF_SEVERAL,
    WITH_NUMBER,
    asked_of,
)

_WORDS = "made up"


def made_up(name: str, named: Callable[[str], Any]) -> BaseException:
    """The exception that `name` tells of, where `named` finds classes: a group with it, one of a class below."""
    if name.startswith(GROUP):
        return BaseExceptionGroup(_WORDS, [made_up(name.removeprefix(GROUP), named), ValueError(_WORDS)])
    if name.startswith(NOT_THERE):
        return AttributeError(f"no attribute {name.removeprefix(NOT_THERE)!r}")
    if name.startswith(BELOW_IT):
        kind = type(made_up(name.removeprefix(BELOW_IT), named))
        return _of(type(f"Below{kind.__name__}", (kind,), {"__module__": kind.__module__}), (_WORDS,))
    if name.startswith(BARE):
        return _of(type(made_up(name.removeprefix(BARE), named)), ())
    if name.startswith(WITH_NUMBER):
        return _of(type(made_up(name.removeprefix(WITH_NUMBER), named)), (3, _WORDS))
    if (asked := asked_of(name)) is not None:
        return _made_with(*asked, named)
    if BOTH in name:
        return _of_both(*(type(made_up(one, named)) for one in name.split(BOTH, 1)))
    name, _, which = name.partition(OF_SEVERAL)
    kind = named(name)
    if isinstance(kind, tuple) and kind:
        kind = kind[int(which or 0) % len(kind)]  # `except FAULTS`, where these are several
    is_one = isinstance(kind, type) and issubclass(kind, BaseException)
    return _of(kind, (_WORDS,)) if is_one else RuntimeError(_WORDS)


def _made_with(value: str, path: str, kind: str, named: Callable[[str], Any]) -> BaseException:
    """An exception that was made with a value, and has it where code asks for it."""
    try:
        given = ast.literal_eval(value)
    except (ValueError, SyntaxError):
        given = named(value)
    of_system = issubclass(type(made_up(kind, named)), OSError)
    args = ((given, _WORDS) if isinstance(given, int) else (3, given)) if of_system else (given,)
    error = _of(type(made_up(kind, named)), args)
    with contextlib.suppress(AttributeError, TypeError):  # what cannot be set stays as it was made
        _put(error, path.split("."), given)
    return error


def _put(whole: Any, path: list[str], value: Any) -> None:
    *outer, last = path
    for name in outer:
        if getattr(whole, name, None) is None:
            setattr(whole, name, SimpleNamespace())
        whole = getattr(whole, name)
    if last and getattr(whole, last, None) != value:
        setattr(whole, last, value)


def _of_both(one: type[BaseException], other: type[BaseException]) -> BaseException:
    """Of a class below both, where there can be one and it is another than both of them."""
    if issubclass(one, other) or issubclass(other, one):
        return _of(one, (_WORDS,))
    try:
        return _of(type(f"{one.__name__}And{other.__name__}", (one, other), {"__module__": one.__module__}), (_WORDS,))
    except TypeError:
        return _of(one, (_WORDS,))


def _of(kind: Any, args: tuple[Any, ...]) -> BaseException:
    """As its constructor makes it of `args`; without a constructor where it asks for others."""
    try:
        made: BaseException = kind(*args)
    except Exception:
        made = kind.__new__(kind)
    return made


class Failing:
    """Something that can be gone through once, and raises where it has no more."""

    def __init__(self, items: list[Any], error: BaseException) -> None:
        self.left = items
        self.error = error

    def __iter__(self) -> "Failing":
        return self

    def __next__(self) -> Any:
        if not self.left:
            raise self.error
        return self.left.pop(0)
