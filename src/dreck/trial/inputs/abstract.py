"""Methods of which a class only says that they are to be there."""

import dis
import inspect
import types
from functools import lru_cache
from typing import Any


@lru_cache(maxsize=64)
def to_be_overridden(kind: type) -> tuple[str, ...]:
    """Methods of which the class only says that they are to be there."""
    names = {n for base in kind.__mro__[:-1] for n in vars(base) if not (n.startswith("__") and n.endswith("__"))}
    only_says = _says_nothing if vars(kind).get("_is_protocol") else _only_raises
    return tuple(sorted(n for n in names if only_says(inspect.getattr_static(kind, n))))


def _says_nothing(method: Any) -> bool:
    """Whether a method of a protocol has nothing in it."""
    if isinstance(method, property):
        return method.fget is not None and _says_nothing(method.fget)
    is_empty = isinstance(method, types.FunctionType) and not method.__code__.co_names
    says = method.__code__.co_consts if is_empty else ("",)
    return says in ((None,), (method.__doc__, None), (method.__doc__,)) or _only_raises(method)


def _only_raises(method: Any) -> bool:
    if getattr(method, "__isabstractmethod__", False):
        return True
    if not isinstance(method, types.FunctionType):
        return False
    names = method.__code__.co_names
    return names == ("NotImplementedError",) and "RAISE_VARARGS" in {i.opname for i in dis.get_instructions(method)}
