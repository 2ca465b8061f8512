"""What tests ask: the plain expressions that stand in tests, of which `quiet-tests` says that they raise nothing."""

import ast
from collections.abc import Iterator
from functools import lru_cache

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_PLAIN = (
    ast.Name, ast.Constant, ast.Attribute, ast.Subscript, ast.Compare, ast.BoolOp, ast.UnaryOp, ast.BinOp, ast.Tuple,
    ast.List, ast.Set, ast.expr_context, ast.cmpop, ast.boolop, ast.unaryop, ast.operator, ast.Slice,
)  # fmt: skip
_ASKING = frozenset({"isinstance", "issubclass", "len", "type", "bool"})


@lru_cache(maxsize=256)
def asked_in(function: FunctionNode) -> frozenset[str]:
    """The dumps of all plain expressions in the tests of a function, whole ones and their parts."""
    found: set[str] = set()
    for test in _tests(function):
        for part in walk(test):
            if isinstance(part, ast.expr) and not isinstance(part, ast.Constant) and is_quiet(part):
                found.add(ast.dump(part))
                if isinstance(part, ast.Compare) and [type(op) for op in part.ops] == [ast.NotIn]:
                    found.add(ast.dump(ast.Compare(part.left, [ast.In()], part.comparators)))
    return frozenset(found)


def is_quiet(e: ast.expr) -> bool:
    """Reads, comparisons, `in`, `isinstance`, `len`, arithmetic, and nothing else."""
    return all(isinstance(n, _PLAIN) or _only_asks(n) for n in walk(e))


def _only_asks(n: ast.AST) -> bool:
    match n:
        case ast.Call(func=ast.Name(id=name), keywords=[]):
            return name in _ASKING and not any(isinstance(a, ast.Starred) for a in n.args)
        case ast.Call(func=ast.Attribute(attr="get"), args=[ast.Constant(), *rest], keywords=[]):
            return all(isinstance(a, ast.Constant) for a in rest)
    return False


def _tests(function: FunctionNode) -> Iterator[ast.expr]:
    for n in walk(function):
        match n:
            case ast.If(test=test) | ast.While(test=test) | ast.IfExp(test=test) | ast.Assert(test=test):
                yield test
            case ast.BoolOp(values=values):
                yield from values
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                yield operand
            case ast.Compare():
                yield n
            case ast.Match(subject=subject):
                yield subject
            case ast.match_case(guard=ast.expr() as guard):
                yield guard
            case ast.comprehension(ifs=ifs):
                yield from ifs
