"""Attributes of classes and modules that code reads by name: what it calls may set them, as anybody may."""

import ast
import types
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from enum import EnumMeta
from functools import lru_cache
from typing import Any

from dreck.source.walking import walk
from dreck.trial.playing.changes import another, changed
from dreck.trial.playing.world import World

_MOST = 40
_PLAIN = (bool, int, float, str)
_FAR = 1000
"""So much more a number becomes: whatever is held against it lies between the two."""
_AS_EVER = frozenset({"math", "cmath", "string", "errno", "stat", "token"})
"""Modules of the library that hold nothing but constants."""
_OF_THE_SYSTEM = frozenset({"maxsize", "byteorder", "version", "hexversion", "platform", "name"})


class Settable:
    """Those that a function and the ones beside it read; names in capitals are constants."""

    def __init__(self, functions: Iterable[ast.AST], namespace: dict[str, Any]) -> None:
        told = {place for function in functions for place in _read_in(function)}
        named = ((base, name) for base, name in sorted(told) if _may_vary(name))
        found = {place: (base, name) for base, name in named if (place := _held(namespace.get(base), name)) is not None}
        self._places = dict(list(found.items())[:_MOST])
        self.known = frozenset(_known(namespace))
        """What of this module's classes, and of modules that it knows, might be set: by name, `*` for all."""

    def keep(self, known: frozenset[tuple[str, str]]) -> None:
        """Leaves what the other version has not: nobody who calls it knows of that."""
        of_both = {p: n for p, n in self._places.items() if n in known or (n[0], "*") in known}
        self._places = of_both

    @contextmanager
    def given(self, world: World) -> Iterator[None]:
        """As long as the block lasts calls that change objects change these, too; afterwards all is as before."""
        before = [(holder, name, _copied(vars(holder)[name])) for holder, name in self._places]
        world.beyond.append(self._change)
        try:
            yield
        finally:
            for holder, name, value in before:
                _put(holder, name, value)

    def _change(self) -> None:
        for holder, name in self._places:
            match vars(holder).get(name):
                case bool() | str() as value:
                    setattr(holder, name, another(value))
                case int() | float() as value:
                    setattr(holder, name, value + _FAR)
                case value:
                    changed(value)


@lru_cache(maxsize=1024)
def _read_in(function: ast.AST) -> tuple[tuple[str, str], ...]:
    """`Bin.most`, as name and attribute, where it is read."""
    every = (n for n in walk(function) if isinstance(n, ast.Attribute) and isinstance(n.ctx, ast.Load))
    return tuple({(n.value.id, n.attr) for n in every if isinstance(n.value, ast.Name)})


def _known(namespace: dict[str, Any]) -> Iterator[tuple[str, str]]:
    for base, value in namespace.items():
        if isinstance(value, types.ModuleType):
            yield base, "*"
        elif isinstance(value, type):
            yield from ((base, name) for kind in value.__mro__ for name in vars(kind) if _may_vary(name))


def _may_vary(name: str) -> bool:
    return not name.startswith("__") and not name.isupper() and name not in _OF_THE_SYSTEM


def _held(base: Any, name: str) -> tuple[Any, str] | None:
    """The class or module that has it, when it is data that can be set there."""
    match base:
        case types.ModuleType() if base.__name__ not in _AS_EVER:
            holders: tuple[Any, ...] = (base,)
        case type() if not isinstance(base, EnumMeta):
            holders = base.__mro__
        case _:
            return None
    holder = next((h for h in holders if name in vars(h)), None)
    if holder is None or (isinstance(holder, type) and not holder.__flags__ & _HEAP):
        return None
    value = vars(holder)[name]
    own = isinstance(holder, type) and type(value) in (list, dict, set)
    return (holder, name) if own or type(value) in _PLAIN else None


_HEAP = 1 << 9
"""Set for classes that are made by a `class` statement (C API, Py_TPFLAGS_HEAPTYPE): attributes can be set there."""


def _copied(value: Any) -> tuple[Any, Any]:
    return value, None if isinstance(value, _PLAIN) else value.copy()


def _put(holder: Any, name: str, was: tuple[Any, Any]) -> None:
    value, content = was
    if content is not None and content != value:
        value.clear()
        (value.extend if isinstance(value, list) else value.update)(content)
    if vars(holder).get(name) is not value:
        setattr(holder, name, value)
