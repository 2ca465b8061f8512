"""A number that a module gives a name, and what the module makes of it: it is written out, or is another number."""

import ast
import random

from tests.hunt.suspending import put

LIMITS = (
    "LIMIT = 2\n",
    "LIMIT = 1\n",
    "LIMIT = 2\nLIMIT = 1\n",
    "LIMIT = 2\nfrom operator import add as LIMIT\n",
    "LIMIT, FULL = range(1, 3)\n",
    *["LIMIT, FULL = range(2)\n"] * 3,
    "FULL, LIMIT = 1, 2\n",
    "LIMIT, *FULL = 1, 2\n",
)
MADE_OF_IT = (
    "MORE = LIMIT + 1\nclass Kept:\n    most = 5\n",
    "MORE = 3\nclass Kept:\n    most = LIMIT\n",
    "MORE = LIMIT\nclass Kept:\n    most = MORE\n",
    "MORE = max(0, LIMIT)\nclass Kept:\n    most = 5\n",
)
TESTS = ("a == LIMIT", "b < LIMIT", "LIMIT == b", "a in (MORE, 7)", "b < MORE", "a == Kept.most", "b < Kept.most")


def reads_limit(function: ast.AST) -> bool:
    return any(isinstance(n, ast.Name) and n.id in ("LIMIT", "MORE", "Kept") for n in ast.walk(function))


def limit_otherwise(tree: ast.Module, function: ast.FunctionDef, pick: random.Random) -> None:
    """The number that a name of the module stands for, or another one, in its place; or the name stands for another."""
    found = [n for n in ast.walk(function) if isinstance(n, ast.Name) and n.id == "LIMIT"]
    if found and pick.random() < 0.6:
        for n in found:
            put(function, n, ast.Constant(pick.choice((2, 1, 1, 0))))
        return
    for s in tree.body:
        named = [n.id for n in ast.walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)]
        numbers = [n for n in ast.walk(s) if isinstance(n, ast.Constant) and type(n.value) is int]
        if isinstance(s, ast.Assign) and "LIMIT" in named and numbers:
            pick.choice(numbers).value = pick.choice((0, 1, 2))
