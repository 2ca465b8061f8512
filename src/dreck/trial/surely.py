"""What an object surely is, without asking the object: one that plays another may raise, or work, when it is asked."""

from types import ModuleType
from typing import Any, TypeGuard


def is_a(value: Any, *kinds: type) -> bool:
    """`isinstance` by the very type of the value."""
    return issubclass(type(value), kinds)


def is_class(value: Any) -> TypeGuard[type]:
    return issubclass(type(value), type)


def is_module(value: Any, name: str) -> bool:
    return type(value) is ModuleType and value.__name__ == name
