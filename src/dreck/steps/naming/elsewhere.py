"""Where else a condition is asked: about values of their own in other functions, or the opposite of it."""

import ast
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import partial

from dreck.source.copying import copied
from dreck.source.functions import Function, FunctionNode
from dreck.source.walking import walk
from dreck.steps.naming.predicates import own_expressions, statements
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Range, Sheet


@dataclass(frozen=True, slots=True)
class Place:
    """Where a condition is asked: the operands in a row that it covers, with which names, turned round or not."""

    parts: tuple[ast.expr, ...]
    order: tuple[str, ...]
    """The names the condition reads where it comes from."""
    names: tuple[str, ...]
    """The names it reads here, in that order."""
    turned: bool
    function: Function
    whole: ast.expr

    def range(self, sheet: Sheet) -> Range:
        if len(self.parts) == 1:
            return sheet.in_parentheses(self.parts[0])
        if isinstance(self.whole, ast.BoolOp) and len(self.whole.values) == len(self.parts):
            return sheet.in_parentheses(self.whole)
        return Range(sheet.in_parentheses(self.parts[0]).start, sheet.in_parentheses(self.parts[-1]).end)


def same_elsewhere(scene: Scene, test: ast.expr, within: Sequence[Function], fixed: str = "") -> list[Place]:
    """Each place in the functions `within` that asks what `test` asks, about values of its own.

    `fixed` is a name that has to be the same there (`self`).
    """
    shape, wanted = canonical(scene, test, scene.node)
    turned_shape, turned_names = canonical(scene, turned(test), scene.node)
    found: list[Place] = []
    for function in within:
        seen: set[ast.AST] = set()
        for e in scene.once(("expressions", id(function.node)), partial(_all_expressions, function.node)):
            if e in seen:
                continue
            for parts, whole in _candidates(e, test):
                place = _matched(scene, function, parts, whole, (shape, wanted), (turned_shape, turned_names), fixed)
                if place is not None:
                    found.append(place)
                    seen.update(n for part in parts for n in walk(part))
                    break
    return found


def _all_expressions(function: FunctionNode) -> tuple[ast.expr, ...]:
    return tuple(_expressions(function))


def _expressions(function: FunctionNode) -> Iterator[ast.expr]:
    for s in statements(function.body):
        for top in own_expressions(s):
            yield from (n for n in walk(top) if isinstance(n, ast.expr))


def _candidates(e: ast.expr, test: ast.expr) -> Iterator[tuple[tuple[ast.expr, ...], ast.expr]]:
    """The expression itself, or some of its operands in a row, that could be `test` or its opposite."""
    if isinstance(test, ast.BoolOp) and isinstance(e, ast.BoolOp):
        size = len(test.values)
        for at in range(len(e.values) - size + 1):
            yield tuple(e.values[at : at + size]), e
    elif not isinstance(test, ast.BoolOp) and type(e) is type(test) and _may_be_alike(e, test):
        yield (e,), e


def _may_be_alike(e: ast.expr, test: ast.expr) -> bool:
    """Whether two comparisons are of the same kind, or of opposite kinds."""
    if not (isinstance(e, ast.Compare) and isinstance(test, ast.Compare)):
        return True
    if len(e.ops) != len(test.ops):
        return False
    return len(e.ops) > 1 or type(test.ops[0]) in (type(e.ops[0]), _OPPOSITE[type(e.ops[0])])


def _matched(
    scene: Scene,
    function: Function,
    parts: tuple[ast.expr, ...],
    whole: ast.expr,
    straight: tuple[str, tuple[str, ...]],
    round_about: tuple[str, tuple[str, ...]],
    fixed: str,
) -> Place | None:
    if len(parts) == 1:
        built: ast.expr = parts[0]
    else:
        assert isinstance(whole, ast.BoolOp)
        built = ast.BoolOp(whole.op, list(parts))
    shape, names = canonical(scene, built, function.node)
    for (wanted, order), is_turned in ((straight, False), (round_about, True)):
        if shape != wanted or len(names) != len(order):
            continue
        given = dict(zip(order, names, strict=True))
        if fixed and given.get(fixed, fixed) != fixed:
            continue
        ordered = tuple(given[name] for name in straight[1])
        return Place(parts, straight[1], ordered, is_turned, function, whole)
    return None


def canonical(scene: Scene, e: ast.expr, function: FunctionNode) -> tuple[str, tuple[str, ...]]:
    """A condition with the function's own names numbered, and those names in that order."""
    found: tuple[str, tuple[str, ...]] = scene.once(("canonical", e, function), partial(_canonical, scene, e, function))
    return found


def _canonical(scene: Scene, e: ast.expr, function: FunctionNode) -> tuple[str, tuple[str, ...]]:
    from dreck.model.names.scopes import scope_of

    own = scope_of(function)
    order: list[str] = []

    class Numbering(ast.NodeTransformer):
        def visit_Name(self, node: ast.Name) -> ast.Name:
            name = node.id
            if name in own.local or name in own.declared_nonlocal or scene.names.kind(name) == "unknown":
                if name not in order:
                    order.append(name)
                return ast.Name(f"${order.index(name)}", node.ctx)
            return node

    made = Numbering().visit(_plainly(copied(e)))
    return ast.dump(made), tuple(order)


_OPPOSITE: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Eq: ast.NotEq, ast.NotEq: ast.Eq, ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In,
    ast.Lt: ast.GtE, ast.GtE: ast.Lt, ast.Gt: ast.LtE, ast.LtE: ast.Gt,
}  # fmt: skip
_EXACT = (ast.Eq, ast.NotEq, ast.Is, ast.IsNot, ast.In, ast.NotIn)


def turned(e: ast.expr) -> ast.expr:
    """The opposite of a condition, the `not` pushed inwards as far as it goes."""
    match e:
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return operand
        case ast.BoolOp(op=op, values=values):
            other: ast.boolop = ast.Or() if isinstance(op, ast.And) else ast.And()
            return ast.BoolOp(other, [turned(value) for value in values])
        case ast.Compare(left=left, ops=[op], comparators=comparators):
            return ast.Compare(left, [_OPPOSITE[type(op)]()], comparators)
    return ast.UnaryOp(ast.Not(), e)


def _plainly(e: ast.expr) -> ast.expr:
    """`not a == b` as `a != b`, so that both are seen to be the same."""

    class Plain(ast.NodeTransformer):
        def visit_UnaryOp(self, node: ast.UnaryOp) -> ast.expr:
            self.generic_visit(node)
            match node:
                case ast.UnaryOp(op=ast.Not(), operand=ast.Compare(ops=[op])) if isinstance(op, _EXACT):
                    return turned(node.operand)
            return node

    return Plain().visit(e)  # type: ignore[no-any-return]


# --- writing a helper ----------------------------------------------------------------------------------
