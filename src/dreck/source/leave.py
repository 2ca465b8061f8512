"""`# dreck: leave`: on the line of a `def` or a `class`, or at the top of a file, it leaves that alone."""

import ast
import re
from collections.abc import Sequence
from functools import lru_cache

from dreck.source.functions import Function
from dreck.source.walking import walk

_LEAVE = re.compile(r"#\s*dreck:\s*leave\b")


def is_left(lines: Sequence[str], function: Function, tree: ast.Module) -> bool:
    """Whether a function, a class around it, or the whole file is to be left alone."""
    if file_is_left(lines):
        return True
    around = (n for n in _classes(tree) if n.lineno <= function.node.lineno <= (n.end_lineno or n.lineno))
    return any(_says_so(lines, node.lineno, node.body[0].lineno) for node in (function.node, *around))


@lru_cache(maxsize=4)
def _classes(tree: ast.Module) -> tuple[ast.ClassDef, ...]:
    return tuple(n for n in walk(tree) if isinstance(n, ast.ClassDef))


def file_is_left(lines: Sequence[str]) -> bool:
    """Whether one of the comments at the top of a file says so."""
    for line in lines:
        if line.strip() and not line.lstrip().startswith("#"):
            return False
        if _LEAVE.search(line):
            return True
    return False


def _says_so(lines: Sequence[str], line: int, body: int) -> bool:
    return any(_LEAVE.search(told) for told in lines[line - 1 : max(body - 1, line)])
