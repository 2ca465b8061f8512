"""Watching tests: a copy of a function in which every test tells how it came out, and from what.

Each operand of a test gets a number; a handler or a `case` that is entered counts as an outcome, too. The
copy does what the original does: an operand's truth is asked once, as before.
"""

import ast
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

from dreck.source.copying import copied
from dreck.source.functions import FunctionNode, blocks_of

WATCHER = "__dreck_watch__"


@dataclass(slots=True)
class Watched:
    """A function with its tests watched. `outcomes` lists what there is to reach: (number, outcome)."""

    node: FunctionNode
    tests: dict[int, ast.AST] = field(default_factory=dict)
    outcomes: list[tuple[int, bool]] = field(default_factory=list)
    above: dict[int, int] = field(default_factory=dict)
    asserted: set[int] = field(default_factory=set)
    """Those that an `assert` asks."""
    ends: dict[int, ast.stmt] = field(default_factory=dict)
    """Its plain statements, by the numbers below 0 that tell of their end."""


def watched(function: FunctionNode) -> Watched:
    """A watched copy of `function`; nested functions are watched as part of it."""
    work = _Watch()
    node = copied(function)
    node.body = [work.visit(s) for s in node.body]
    ends = _end_marks(node.body)
    ast.fix_missing_locations(node)
    return Watched(node, work.tests, work.outcomes, asserted=work.asserted, ends=ends)


def _end_marks(body: list[ast.stmt]) -> dict[int, ast.stmt]:
    """Puts a mark behind each plain statement, and around what is returned or raised: there it has come to its end."""
    ends: dict[int, ast.stmt] = {}
    pending = [body]
    while pending:
        block = pending.pop()
        marked: list[ast.stmt] = []
        for s in block:
            if marked and isinstance(marked[-1], ast.Return | ast.Raise | ast.Break | ast.Continue):
                marked.append(s)  # nothing comes there
                continue
            bare = isinstance(s, ast.Return) and isinstance(s.value, ast.Constant | ast.Name | None)
            behind_tests = not marked or isinstance(marked[-1], ast.If | ast.Match | ast.While | ast.For)
            marked.append(s)
            if bare and behind_tests:
                continue  # whether it is come to is a matter of these tests alone
            if not isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
                pending += blocks_of(s)
            number = -1 - len(ends)
            kept = copied(s) if _goes_on(s) or isinstance(s, ast.Return | ast.Raise) else None
            match s:
                case ast.Return(value=ast.expr() as value):
                    s.value = _call("worked_out", ast.Constant(number), value)
                case ast.Raise(exc=ast.expr() as value):
                    s.exc = _call("worked_out", ast.Constant(number), value)
                case _ if _goes_on(s):
                    marked.append(ast.Expr(_call("passed", ast.Constant(number))))
                case _:
                    continue
            if kept is not None:
                ends[number] = kept
        block[:] = marked
    return ends


def _goes_on(s: ast.stmt) -> bool:
    match s:
        case ast.Expr(value=ast.Call(func=ast.Attribute(value=ast.Name(id=of)))) if of == WATCHER:
            return False
        case ast.Expr(value=ast.Call(func=ast.Attribute(attr=name) | ast.Name(id=name))):
            return name not in _DO_NOT_RETURN
        case ast.Expr(value=ast.Constant()):
            return False
    return isinstance(s, ast.Assign | ast.AugAssign | ast.AnnAssign | ast.Expr | ast.Delete)


_DO_NOT_RETURN = frozenset({"exit", "_exit", "abort", "fail", "error", "skip", "skipTest", "quit"})


class _Watch(ast.NodeTransformer):
    def __init__(self) -> None:
        self.tests: dict[int, ast.AST] = {}
        self.outcomes: list[tuple[int, bool]] = []
        self.asserted: set[int] = set()

    def visit_If(self, node: ast.If) -> ast.If:
        node.test = self._test(node.test)
        node.body = [self.visit(s) for s in node.body]
        node.orelse = [self.visit(s) for s in node.orelse]
        return node

    def visit_While(self, node: ast.While) -> ast.While:
        node.test = self._test(node.test)
        node.body = [self.visit(s) for s in node.body]
        node.orelse = [self.visit(s) for s in node.orelse]
        return node

    def visit_IfExp(self, node: ast.IfExp) -> ast.IfExp:
        node.test = self._test(node.test)
        node.body = self.visit(node.body)
        node.orelse = self.visit(node.orelse)
        return node

    def visit_Assert(self, node: ast.Assert) -> ast.Assert:
        before = len(self.tests)
        node.test = self._test(node.test)
        self.asserted |= set(range(before, len(self.tests)))
        return node

    def visit_comprehension(self, node: ast.comprehension) -> ast.comprehension:
        node.iter = self.visit(node.iter)
        node.ifs = [self._test(test) for test in node.ifs]
        return node

    def visit_ExceptHandler(self, node: ast.ExceptHandler) -> ast.ExceptHandler:
        node.body = [self._entered(node), *(self.visit(s) for s in node.body)]
        return node

    def visit_match_case(self, node: ast.match_case) -> ast.match_case:
        if node.guard is not None:
            node.guard = self._test(node.guard)
        node.body = [self._entered(node), *(self.visit(s) for s in node.body)]
        return node

    def visit(self, node: ast.AST) -> Any:
        """A yes or no that is handed on decides as well: it is a test where it stands."""
        if not is_yes_or_no(node):
            return super().visit(node)
        number = self._number(node)
        return _call("value", ast.Constant(number), self._asked(node))

    def _asked(self, node: Any) -> Any:
        """What is asked, watched inside, without a number of its own."""
        if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            node.operand = self._asked(node.operand)
            return node
        return super().visit(node)

    def visit_Compare(self, node: ast.Compare) -> ast.AST:
        self.generic_visit(node)
        if len(node.ops) != 1:
            return node
        name = ast.Constant(type(node.ops[0]).__name__)
        return ast.copy_location(_call("compare", name, node.left, node.comparators[0]), node)

    def visit_Call(self, node: ast.Call) -> ast.AST:
        self.generic_visit(node)
        match node.func:
            case ast.Attribute(value=base, attr=name) if name in _TOLD_METHODS and not node.keywords:
                if not any(isinstance(a, ast.Starred) for a in node.args):
                    return _call("method", ast.Constant(name), base, *node.args)
        return node

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.BoolOp:
        """`a and b` as a value: what its operands come to decides, without their truth being asked once more."""
        operands = [_call("operand", ast.Constant(self._number(v)), self._asked(v)) for v in node.values[:-1]]
        node.values = [*operands, self.visit(node.values[-1])]
        return node

    def _test(self, test: ast.expr) -> ast.expr:
        match test:
            case ast.BoolOp(values=values):
                test.values = [self._test(value) for value in values]
                return test
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                test.operand = self._test(operand)
                return test
            case ast.Constant():
                return test
        number = self._number(test)
        return _call("test", ast.Constant(number), self._asked(test))

    def _number(self, test: ast.AST) -> int:
        number = len(self.tests)
        self.tests[number] = copied(test)
        self.outcomes += [(number, True), (number, False)]
        return number

    def _entered(self, node: ast.AST) -> ast.stmt:
        number = len(self.tests)
        self.tests[number] = node
        self.outcomes.append((number, True))
        return ast.Expr(_call("entered", ast.Constant(number)))


_TOLD_METHODS = frozenset(
    {"startswith", "endswith", "isdigit", "isalpha", "isupper", "islower", "isspace", "isalnum", "find", "count"}
)


def is_yes_or_no(node: ast.AST) -> bool:
    """Whether it gives true or false, as it stands: a comparison, `not …`, `bool(…)`."""
    match node:
        case ast.Compare() | ast.UnaryOp(op=ast.Not()) | ast.Call(func=ast.Name(id="bool"), args=[_], keywords=[]):
            return True
    return False


def _call(name: str, *args: ast.expr) -> ast.Call:
    function = ast.Attribute(ast.Name(WATCHER, ast.Load()), name, ast.Load())
    return ast.Call(function, list(args), [])


@lru_cache(maxsize=8)
def count_outcomes(node: FunctionNode) -> int:
    """How many outcomes there are to reach in a function."""
    work = _Watch()
    for s in copied(node).body:
        work.visit(s)
    return len(work.outcomes)
