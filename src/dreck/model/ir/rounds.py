"""Loops over constants or variables that stand there: those short enough to be written out round by round."""

import ast

from dreck.source.walking import walk

_MOST_WRITTEN_OUT = 12
_MOST_HELD = 5
"""So many variables may stand in a display whose rounds are written out."""
_MOST_IN_ROWS = 12
"""So many variables and attributes may stand in a display of tuples."""
_MOST_ROUNDS = 64
"""Of loops over constants inside one another, so many rounds in all are written out."""


def are_few_rounds(loop: ast.For) -> bool:
    """Whether a loop, if it is over constants that stand there, has few rounds with those of such loops inside it."""
    return not _is_displayed(loop.iter) or _rounds(loop) <= _MOST_ROUNDS


def _rounds(loop: ast.For) -> int:
    inside = (n for s in loop.body for n in walk(s) if isinstance(n, ast.For) and _is_displayed(n.iter))
    own = len(loop.iter.elts) if isinstance(loop.iter, ast.Tuple | ast.List) else 1
    for n in inside:
        own *= max(1, len(n.iter.elts)) if isinstance(n.iter, ast.Tuple | ast.List) else 1
    return own


def _is_displayed(e: ast.expr) -> bool:
    return is_all_constant(e) or is_all_held(e)


def is_all_held(e: ast.expr) -> bool:
    """Whether it is a short display of names, attributes and constants, or of tuples of these, with two or more that
    are no constants: `(register, self.archive)`, `(("in", self.weigh_in), ("out", self.weigh_out))`."""
    match e:
        case ast.Tuple(elts=elts) | ast.List(elts=elts) if elts and all(isinstance(n, ast.Tuple) for n in elts):
            read = [n for n in held_parts(e) if not isinstance(n, ast.Constant)]
            return len(elts) <= _MOST_WRITTEN_OUT and 1 < len(read) <= _MOST_IN_ROWS and all(map(_is_place, read))
        case ast.Tuple(elts=elts) | ast.List(elts=elts) if len(elts) <= _MOST_HELD:
            read = [n for n in elts if not isinstance(n, ast.Constant)]
            return len(read) > 1 and all(map(_is_place, read))
    return False


def held_parts(e: ast.expr) -> list[ast.expr]:
    """What stands in a display, also in the tuples that stand there, in order."""
    elts = e.elts if isinstance(e, ast.Tuple | ast.List) else []
    return [part for n in elts for part in (n.elts if isinstance(n, ast.Tuple) else [n])]


def _is_place(e: ast.expr) -> bool:
    while isinstance(e, ast.Attribute):
        e = e.value
    return isinstance(e, ast.Name)


def is_all_constant(e: ast.expr) -> bool:
    """Whether it is a short display of constants, or of tuples of them."""
    match e:
        case ast.Tuple(elts=elts) | ast.List(elts=elts):
            short = len(elts) <= _MOST_WRITTEN_OUT
            return short and all(map(_is_constant, elts))
    return False


def _is_constant(e: ast.expr) -> bool:
    return isinstance(e, ast.Constant) or (isinstance(e, ast.Tuple) and is_all_constant(e))
