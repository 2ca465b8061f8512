"""Names that a class makes its own (`self.__x`; language reference, 6.2.1)."""

import ast
from functools import lru_cache

from dreck.source.functions import FunctionNode


@lru_cache(maxsize=64)
def has_private(node: FunctionNode) -> bool:
    """Whether code speaks of a name that means another thing in another class."""
    for inner in ast.walk(node):
        for word in (getattr(inner, "attr", None), getattr(inner, "id", None), getattr(inner, "name", None)):
            if isinstance(word, str) and word.startswith("__") and not word.endswith("__"):
                return True
    return False
