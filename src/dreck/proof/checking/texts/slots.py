"""`__slots__`, read once more: each name there is bound in the class, to what is no function."""

import ast
from collections.abc import Iterator

from dreck.model.names.nodes import every_node

_SHUT = (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)


def slots_in(body: list[ast.stmt], tree: ast.Module) -> Iterator[tuple[str, ast.stmt]]:
    """The names, each with the statement that gives it. Raises TypeError where they cannot be read."""
    for s in body:
        if isinstance(s, _SHUT) or not any(isinstance(n, ast.Name) and n.id == "__slots__" for n in ast.walk(s)):
            continue
        if not isinstance(s, ast.Assign) or len(s.targets) != 1 or not isinstance(s.targets[0], ast.Name):
            raise TypeError("slots that are given otherwise")
        for word in _texts(s.value, tree):
            if word[:2] == "__" or any(word == getattr(other, "name", "") or _binds(other, word) for other in body):
                raise TypeError("a slot that means more")
            yield word, s


def _binds(s: ast.stmt, word: str) -> bool:
    return not isinstance(s, _SHUT) and any(
        isinstance(n, ast.Name) and n.id == word and not isinstance(n.ctx, ast.Load) for n in ast.walk(s)
    )


def _texts(e: ast.expr, tree: ast.Module) -> list[str]:
    if isinstance(e, ast.Name):
        stored = [n for n in every_node(tree) if isinstance(n, ast.Name) and n.id == e.id and n is not e]
        given = [s for s in tree.body if isinstance(s, ast.Assign) and len(s.targets) == 1 and s.targets[0] in stored]
        if len(given) != 1 or sum(not isinstance(n.ctx, ast.Load) for n in stored) != 1:
            raise TypeError("slots under a name that is bound otherwise")
        e = given[0].value
        if isinstance(e, ast.List):
            raise TypeError("slots in a list that others may change")
    told = [e] if isinstance(e, ast.Constant) else list(getattr(e, "elts", ()))
    if isinstance(e, ast.Set) or not isinstance(e, ast.Constant | ast.Tuple | ast.List):
        raise TypeError("slots that are worked out")
    words = [p.value for p in told if isinstance(p, ast.Constant) and isinstance(p.value, str)]
    if len(words) != len(told):
        raise TypeError("slots that are no texts")
    return words
