"""The changed region: the lines of two versions that are not statement for statement the same.

What an unchanged statement decides before the first change, or after the last one, is the same in both as long
as what they come to there is the same. Only outcomes in the changed region have to be reached by a trial.
"""

import ast

from dreck.source.functions import FunctionNode, blocks_of


def changed_lines(old: FunctionNode, new: FunctionNode) -> tuple[frozenset[int], frozenset[int]]:
    """The line numbers of the changed region in either version."""
    mine: set[int] = set()
    theirs: set[int] = set()
    _blocks(old.body, new.body, mine, theirs)
    return frozenset(mine), frozenset(theirs)


def not_shared(old: list[ast.stmt], new: list[ast.stmt]) -> tuple[list[ast.stmt], list[ast.stmt]]:
    """Two blocks without the statements that they share at their beginning and at their end."""
    first, last = 0, 0
    shorter = min(len(old), len(new))
    while first < shorter and ast.dump(old[first]) == ast.dump(new[first]):
        first += 1
    while last < shorter - first and ast.dump(old[-1 - last]) == ast.dump(new[-1 - last]):
        last += 1
    return old[first : len(old) - last], new[first : len(new) - last]


def _blocks(old: list[ast.stmt], new: list[ast.stmt], mine: set[int], theirs: set[int]) -> None:
    a, b = not_shared(old, new)
    if len(a) == len(b) == 1 and type(a[0]) is type(b[0]) and _head(a[0]) == _head(b[0]):
        inner = list(zip(blocks_of(a[0]), blocks_of(b[0]), strict=False))
        if inner:
            before = len(mine), len(theirs)
            for x, y in inner:
                _blocks(x, y, mine, theirs)
            if (len(mine), len(theirs)) != before:  # what leads there belongs to it
                mine.add(a[0].lineno)
                theirs.add(b[0].lineno)
            return
    for statements, lines in ((a, mine), (b, theirs)):
        for s in statements:
            lines.update(range(s.lineno, (s.end_lineno or s.lineno) + 1))


def _head(s: ast.stmt) -> str:
    """A compound statement without the statements in it."""
    blocks = {id(block) for block in blocks_of(s)}
    parts = [value for _, value in ast.iter_fields(s) if id(value) not in blocks]
    if isinstance(s, ast.Try | ast.TryStar | ast.Match):
        return ast.dump(s)  # heads of their own inside: compared as a whole
    return " ".join(
        ast.dump(p) if isinstance(p, ast.AST) else " ".join(map(ast.dump, p)) if isinstance(p, list) else str(p)
        for p in parts
        if not isinstance(p, list) or all(isinstance(q, ast.AST) for q in p)
    )
