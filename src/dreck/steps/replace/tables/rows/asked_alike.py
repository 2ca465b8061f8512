"""Ladders whose tests are one test with another constant in each: `name.startswith("gl")`, `"paper" in words`."""

import ast
import copy
from collections.abc import Iterator
from dataclasses import dataclass

from dreck.source.walking import walk
from dreck.steps.replace.tables.arms.outcomes import is_fixed
from dreck.steps.support.chains import Reader
from dreck.steps.support.scene import Scene

_BY_CALL = {
    "startswith": "prefix", "endswith": "ending", "match": "pattern", "search": "pattern", "fullmatch": "pattern",
    "hasattr": "name", "getattr": "name", "exists": "path", "isfile": "path", "isdir": "path", "get": "key",
    "fnmatch": "pattern",
}  # fmt: skip
"""What is asked for is called, by who is asked."""
_AT = {"hasattr": 1, "getattr": 1, "fnmatch": 1}
_SHUT = (ast.Lambda, ast.ListComp, ast.SetComp, ast.DictComp, ast.GeneratorExp, ast.JoinedStr, ast.Dict)
_RESTING = (ast.Await, ast.Yield, ast.YieldFrom, ast.NamedExpr)
_HOLE = "\0"


@dataclass(frozen=True, slots=True)
class Asked:
    """The one constant of a test, and what it may be called; '' where nothing says."""

    hole: ast.expr
    word: str


class AskedAlike(Reader):
    """Reads tests but for one constant: the subject is the rest of the test, the key is the constant."""

    def __init__(self, scene: Scene) -> None:
        self._scene = scene

    def __call__(self, test: ast.expr) -> tuple[tuple[ast.expr, ...], tuple[ast.expr, ...]] | None:
        if isinstance(test, ast.BoolOp) and isinstance(test.op, ast.Or):
            either = self._either(test.values)
            if either is not None:
                return either
        found = self.asked(test)
        return ((_without(test, found.hole),), (found.hole,)) if found is not None else None

    def key_of(self, pattern: ast.pattern) -> ast.expr | None:
        return None

    def asked(self, test: ast.expr) -> Asked | None:
        """The constant that a test asks for; None for equality, limits and classes, which have tables of their own."""
        core = test.operand if isinstance(test, ast.UnaryOp) and isinstance(test.op, ast.Not) else test
        match core:
            case ast.Compare(left=left, ops=[ast.In() | ast.NotIn()], comparators=[within]) if self._is_constant(left):
                return Asked(left, "") if not is_fixed(self._scene, within) else None
            case ast.Compare() | ast.Call(func=ast.Name(id="isinstance" | "issubclass")):
                return None
            case ast.Call(func=ast.Name(id=called) | ast.Attribute(attr=called), args=args) if called in _BY_CALL:
                at = _AT.get(called, 0)
                if at < len(args) and self._is_constant(args[at]):
                    return Asked(args[at], _BY_CALL[called])
        found = list(self._constants(core))
        return Asked(found[0], "") if len(found) == 1 and not _rests(test) else None

    def _constants(self, e: ast.AST) -> Iterator[ast.expr]:
        """The constants in a test, those that run later or in a scope of their own left out."""
        for child in ast.iter_child_nodes(e):
            if isinstance(child, ast.expr) and self._is_constant(child):
                yield child
            elif not isinstance(child, _SHUT):
                yield from self._constants(child)

    def _is_constant(self, e: ast.expr) -> bool:
        match e:
            case ast.Constant(value=value):
                return isinstance(value, str | bytes | int) and not isinstance(value, bool)
            case ast.Tuple(elts=elts):
                return bool(elts) and all(map(self._is_constant, elts))
            case ast.Name(id=name) | ast.Attribute(attr=name):
                return name.strip("_").isupper() and is_fixed(self._scene, e)
        return False


def _rests(test: ast.expr) -> bool:
    return any(isinstance(n, _RESTING) for n in walk(test))


def _without(test: ast.expr, hole: ast.expr) -> ast.expr:
    """The test with the constant left out."""

    class Out(ast.NodeTransformer):
        def visit(self, node: ast.AST) -> ast.AST:
            return ast.Name(_HOLE, ast.Load()) if node is held else super().visit(node)

    memo: dict[int, object] = {}
    whole = copy.deepcopy(test, memo)
    held = memo[id(hole)]
    made = Out().visit(whole)
    assert isinstance(made, ast.expr)
    return made
