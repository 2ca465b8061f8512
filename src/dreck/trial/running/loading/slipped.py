"""A version with other code in it: for the length of a block, or beside the version it comes from."""

import types
from collections.abc import Iterator
from contextlib import contextmanager

from dreck.source.functions import FunctionNode
from dreck.trial.running.instrument import watched
from dreck.trial.running.loading.load import Version
from dreck.trial.running.loading.swap import code_of, swapped


def code_for(version: Version, function: FunctionNode) -> types.CodeType | None:
    """`function` compiled in the place of the version's own; None where that cannot be."""
    if not isinstance(version.function, types.FunctionType):
        return None
    try:
        code = code_of(version.tree, version.path, version.node, function)
    except (SyntaxError, ValueError, StopIteration, TypeError, AssertionError):
        return None
    return code if len(code.co_freevars) == len(version.function.__code__.co_freevars) else None


@contextmanager
def with_code(version: Version, function: FunctionNode) -> Iterator[bool]:
    """The version does what `function` says, as long as the block lasts; gives whether it does."""
    code, live = code_for(version, function), version.function
    if code is None or not isinstance(live, types.FunctionType):
        yield False
        return
    with swapped(live, code):
        yield True


def slipped(version: Version, function: FunctionNode) -> Version | None:
    """A version that does what `function` says, watched as the version is."""
    seen = watched(function)
    code, live = code_for(version, seen.node), version.function
    if code is None or not isinstance(live, types.FunctionType):
        return None
    try:
        other = types.FunctionType(code, live.__globals__, live.__name__, live.__defaults__, live.__closure__)
    except ValueError:
        return None
    other.__kwdefaults__, other.__annotations__ = live.__kwdefaults__, live.__annotations__
    return Version(
        other, version.namespace, function, seen, version.watcher, version.owner, version.types,
        is_property=version.is_property, varying=version.varying, filled=version.filled, lent=version.lent,
        tree=version.tree, path=version.path,
    )  # fmt: skip
