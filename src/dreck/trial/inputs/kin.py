"""Classes of the module below those that the code asks for, where they say something themselves."""

import builtins
import enum
from collections.abc import Iterator
from typing import Any

from dreck.trial.surely import is_class

_MOST = 3
_SAYING_NOTHING = frozenset(
    {"__init__", "__new__", "__module__", "__qualname__", "__doc__", "__dict__", "__weakref__", "__slots__",
     "__annotations__", "__firstlineno__", "__static_attributes__", "__orig_bases__", "__parameters__",
     "__match_args__", "__annotate__", "__annotate_func__", "__conditional_annotations__", "__hash__"}
)  # fmt: skip


def with_a_say_below(base: type, namespace: dict[str, Any]) -> list[str]:
    """Names of classes of the module below one of Python's that are read, compared or asked in a way of their own."""
    if base is object or base.__module__ not in ("builtins", "collections.abc"):
        return []
    here = namespace.get("__name__")
    own = [(name, kind) for name, kind in namespace.items() if is_class(kind) and kind.__module__ == here]
    below = [(name, k) for name, k in own if derives(k, base) and not issubclass(k, enum.Enum)]
    return [name for name, kind in below if any(_said_by(kind, here))][:_MOST]


def errors_below(name: str, found: Any, namespace: dict[str, Any]) -> list[str]:
    """The same of an exception of Python's that a handler waits for."""
    base = found if isinstance(found, type) else getattr(builtins, name, None)
    if not isinstance(base, type) or not issubclass(base, BaseException):
        return []
    return with_a_say_below(base, namespace)


def derives(kind: type, base: type) -> bool:
    try:
        return issubclass(kind, base)
    except Exception:
        return False


def _said_by(kind: type, here: Any) -> Iterator[str]:
    for made in kind.__mro__:
        if made.__module__ == here:
            yield from vars(made).keys() - _SAYING_NOTHING
