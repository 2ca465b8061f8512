"""Type parameters of what a function is taken out of: a new function that speaks of them has them, too."""

import ast
import re
from collections.abc import Sequence

_WORD = re.compile(r"\w+")


def with_parameters(told: str, around: Sequence[ast.AST]) -> str:
    """`[Load: (int, float)]`: the type parameters of the definitions `around` that annotations speak of.

    `around` has the outermost first; a parameter whose bound speaks of another brings that with it.
    """
    known = {p.name: ast.unparse(p) for node in around for p in getattr(node, "type_params", ())}
    wanted, pending = set[str](), set(_WORD.findall(told)) & known.keys()
    while pending:
        wanted |= pending
        pending = {word for name in pending for word in _WORD.findall(known[name])} & known.keys() - wanted
    return f"[{', '.join(code for name, code in known.items() if name in wanted)}]" if wanted else ""


def speaks_of(told: str, names: frozenset[str]) -> bool:
    """Whether an annotation speaks of some of `names`."""
    return bool(names) and not names.isdisjoint(_WORD.findall(told))
