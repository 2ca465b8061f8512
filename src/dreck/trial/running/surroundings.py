"""Variables of the process's environment: those the code reads are inputs, those it sets are part of what it does."""

import ast
import os
from collections.abc import Iterator
from contextlib import contextmanager

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.trial.playing.world import World

_MOST = 6


class Surroundings:
    """The variables that a function reads by a constant name."""

    def __init__(self, function: FunctionNode) -> None:
        self._names = list(dict.fromkeys(_names(function)))[:_MOST]

    @contextmanager
    def given(self, world: World) -> Iterator[None]:
        """As long as the block lasts they stand as the input says."""
        before = dict(os.environ) if self._names else {}
        for name in self._names:
            path = f"os.environ[{name!r}]"
            world.candidates.types.setdefault(path, None | str)
            value = world.at(path)
            if isinstance(value, str) and "\0" not in value:
                os.environ[name] = value
            else:
                os.environ.pop(name, None)
        try:
            yield
        finally:
            if self._names:
                put_back(before)


def _names(function: FunctionNode) -> Iterator[str]:
    for node in walk(function):
        match node:
            case (
                ast.Call(
                    func=ast.Attribute(value=base, attr="get" | "getenv" | "pop"),
                    args=[ast.Constant(value=str() as n), *_],
                )
                | ast.Subscript(value=base, slice=ast.Constant(value=str() as n))
                | ast.Compare(left=ast.Constant(value=str() as n), comparators=[base])
            ) if ast.unparse(base) in ("os.environ", "environ", "os"):
                yield n


def put_back(before: dict[str, str]) -> tuple[tuple[str, str | None], ...]:
    """Puts the process's environment back as it was; gives what had changed."""
    after = dict(os.environ)
    if after == before:
        return ()
    os.environ.clear()
    os.environ.update(before)
    names = sorted(n for n in {*before, *after} if before.get(n) != after.get(n))
    return tuple((n, after.get(n)) for n in names)
