"""Amounts: values that are worked out in one way and differ in one constant, which alone goes into the table."""

import ast
from collections.abc import Sequence
from dataclasses import dataclass

from dreck.source.copying import copied
from dreck.source.walking import walk
from dreck.steps.support.sheet import Sheet

Kinds = tuple[type, ...]
GENERAL = frozenset({"factor", "amount", "text", "key"})
"""What a constant is good for, where nothing says what it is called."""


@dataclass(frozen=True, slots=True)
class Amounts:
    """The constant of each value, what stands before and behind it, and what it is called: a factor, or an amount."""

    numbers: list[ast.expr]
    before: str
    after: str
    word: str
    is_late: bool = False
    """Whether something is worked out or called before it."""

    def around(self, code: str) -> str:
        """The value with other code in the place of its number."""
        return f"{self.before}{code}{self.after}"


def amounts_of(sheet: Sheet, values: Sequence[ast.expr], kinds: Kinds = (int, float)) -> Amounts | None:
    """The constant of these kinds that the values differ in, when that is all; None otherwise."""
    numbers = [_constants(v, kinds) for v in values]
    if not values or len({len(n) for n in numbers}) != 1 or any(_is_of(v, kinds) or _is_later(v) for v in values):
        return None
    differing = [at for at, same in enumerate(zip(*numbers, strict=True)) if len(set(map(ast.dump, same))) > 1]
    if len(differing) != 1 or len({_shape(v, differing[0], kinds) for v in values}) != 1:
        return None
    found = [several[differing[0]] for several in numbers]
    whole, part = sheet.of(values[0]), sheet.of(found[0])
    before, after = sheet.text[whole.start : part.start], sheet.text[part.end : whole.end]
    if "\n" in before + after or any(map(_is_for_translators, values)):
        return None
    return Amounts(found, before, after, _word(values[0], found[0]), _is_late(values[0], found[0]))


def _is_late(value: ast.expr, number: ast.expr) -> bool:
    """Whether other code may run in a value before its number is looked at."""
    place = (number.lineno, number.col_offset)
    working = (n for n in walk(value) if isinstance(n, ast.BinOp | ast.Call | ast.Compare | ast.UnaryOp))
    return any((n.end_lineno or 0, n.end_col_offset or 0) <= place for n in working)


_LATER = (ast.Lambda, ast.ListComp, ast.SetComp, ast.DictComp, ast.GeneratorExp, ast.JoinedStr, ast.NamedExpr)


def _is_later(e: ast.expr) -> bool:
    """Whether parts of it run again, later or not at all, or are written inside a text."""
    return any(isinstance(n, (*_LATER, ast.Await, ast.Yield, ast.YieldFrom)) for n in walk(e))


def _is_for_translators(e: ast.expr) -> bool:
    """Whether a text stands in a call of `_` or the like: those who look for texts want it written there."""
    called = [ast.unparse(n.func).rpartition(".")[2] for n in walk(e) if isinstance(n, ast.Call)]
    return any(name == "_" or "gettext" in name for name in called)


def _constants(e: ast.AST, kinds: Kinds) -> list[ast.expr]:
    """The constants of these kinds in an expression, in the order they stand; a sign belongs to its number."""
    if isinstance(e, ast.expr) and _is_of(e, kinds):
        return [e]
    return [n for child in ast.iter_child_nodes(e) for n in _constants(child, kinds)]


def _is_of(e: ast.expr, kinds: Kinds) -> bool:
    match e:
        case ast.Constant(value=value) | ast.UnaryOp(op=ast.USub(), operand=ast.Constant(value=value)):
            return isinstance(value, kinds) and not isinstance(value, bool)
    return False


def _shape(e: ast.expr, number: int, kinds: Kinds) -> str:
    """The shape of an expression with that constant left out."""
    made = copied(e)
    part = _constants(made, kinds)[number]

    class Blank(ast.NodeTransformer):
        def visit(self, node: ast.AST) -> ast.AST:
            return ast.Name("_", ast.Load()) if node is part else self.generic_visit(node)

    return ast.dump(Blank().visit(made))


def _word(e: ast.expr, part: ast.expr) -> str:
    """What the constant is called where it stands: by a key before it, by a parameter; or what it is good for."""
    multiplied = (ast.Mult, ast.Div, ast.FloorDiv)
    for n in walk(e):
        match n:
            case ast.Tuple(elts=[ast.Constant(value=str() as key), last]) if last is part and key.isidentifier():
                return key
            case ast.keyword(arg=str() as key, value=value) if value is part:
                return key
            case ast.Dict(keys=keys, values=values):
                for named, held in zip(keys, values, strict=True):
                    if held is part and isinstance(named, ast.Constant) and str(named.value).isidentifier():
                        return str(named.value)
            case ast.BinOp(left=left, op=op, right=right) if isinstance(op, multiplied) and part in (left, right):
                return "factor"
            case ast.Subscript(slice=asked) if asked is part:
                return "key"
    return "text" if isinstance(part, ast.Constant) and isinstance(part.value, str) else "amount"
