"""Constants that locals hold on one way: put in their place where code is told, and acts that only made them."""

import ast
import operator
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from dreck.source.copying import copied
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_LONG = 40
_SCOPES = (
    ast.Lambda, ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef, ast.ListComp, ast.SetComp, ast.DictComp,
    ast.GeneratorExp,
)  # fmt: skip
_COMPARED: dict[type[ast.cmpop], Callable[[Any, Any], Any]] = {
    ast.Eq: operator.eq, ast.NotEq: operator.ne, ast.Lt: operator.lt, ast.LtE: operator.le, ast.Gt: operator.gt,
    ast.GtE: operator.ge, ast.Is: operator.is_, ast.IsNot: operator.is_not,
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Act:
    """Something that happens on a way, and the how many-eth it is."""

    told: str
    number: int


def is_constant(value: ast.expr) -> bool:
    """Whether a value is a number, a short text, True, False or None."""
    if isinstance(value, ast.UnaryOp) and isinstance(value.op, ast.USub):
        value = value.operand
    return isinstance(value, ast.Constant) and len(repr(value.value)) <= _LONG


def declared_elsewhere(function: FunctionNode) -> frozenset[str]:
    """Names that others see: declared global or nonlocal, or read by a function or class inside."""
    found: set[str] = set()
    for node in walk(function):
        if isinstance(node, ast.Global | ast.Nonlocal):
            found |= set(node.names)
        elif node is not function and isinstance(node, _SCOPES[:4]):
            found |= {n.id for n in walk(node) if isinstance(n, ast.Name)}
    return frozenset(found)


@dataclass(frozen=True, slots=True)
class Values:
    """What locals hold: name, constant, the act that put it there; and the acts whose name is told as a name."""

    held: tuple[tuple[str, ast.expr, Act], ...] = ()
    made: frozenset[Act] = frozenset()
    needed: frozenset[Act] = frozenset()

    def holding(self, name: str, value: ast.expr, act: Act) -> "Values":
        """A constant has been put into a local by `act`."""
        return replace(
            self.without({name}), held=(*self.without({name}).held, (name, value, act)), made=self.made | {act}
        )

    def without(self, names: set[str]) -> "Values":
        """Something else has been put into these, or nobody knows what."""
        return replace(self, held=tuple(h for h in self.held if h[0] not in names)) if names else self

    def is_spent(self, act: Act) -> bool:
        """Whether an act only put a constant into a local that is told by that constant everywhere."""
        return act in self.made and act not in self.needed

    def told(self, node: ast.AST) -> tuple[str, "Values"]:
        """The code of `node` with constants in the place of names; and what is known then."""
        known = {name: value for name, value, _ in self.held}
        work = _Told(known)
        code = ast.unparse(work.visit(copied(node))) if known else ast.unparse(node)
        return " ".join(code.split()), self._need(work.left)

    def needed_by(self, node: ast.AST) -> "Values":
        """`node` is told with the names that stand in it."""
        return self._need({n.id for n in walk(node) if isinstance(n, ast.Name)})

    def _need(self, names: set[str]) -> "Values":
        acts = {act for name, _, act in self.held if name in names}
        return replace(self, needed=self.needed | acts) if acts else self

    def outcome_of(self, test: ast.expr) -> bool | None:
        """What a local, or a comparison of one with a constant, comes to where its value is known."""
        values = {name: ast.literal_eval(value) for name, value, _ in self.held}
        match test:
            case ast.Name(id=name) if name in values:
                return bool(values[name])
            case ast.Compare(left=ast.Name(id=name), ops=[op], comparators=[ast.Constant(value=other)]):
                compare = _COMPARED.get(type(op))
                if name not in values or compare is None:
                    return None
                if isinstance(op, ast.Is | ast.IsNot) and not (other is None or isinstance(other, bool)):
                    return None
                try:
                    return bool(compare(values[name], other))
                except TypeError:
                    return None
        return None


class _Told(ast.NodeTransformer):
    """Puts constants in the place of names that are read; notes the names that stay."""

    def __init__(self, known: dict[str, ast.expr]) -> None:
        self._known = known
        self.left: set[str] = set()

    def visit(self, node: ast.AST) -> Any:
        if isinstance(node, _SCOPES):
            self.left |= {n.id for n in walk(node) if isinstance(n, ast.Name)}
            return node
        if isinstance(node, ast.AugAssign) and isinstance(node.target, ast.Name):
            self.left.add(node.target.id)
        if isinstance(node, ast.Attribute | ast.Subscript | ast.Call):
            value = node.func if isinstance(node, ast.Call) else node.value
            if isinstance(value, ast.Name):  # `2.bit_length()` is no code
                self.left.add(value.id)
                kept = value
                made = self.generic_visit(node)
                setattr(made, "func" if isinstance(node, ast.Call) else "value", kept)
                return made
        if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Load) and node.id in self._known:
            return self._known[node.id]
        if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Del):
            self.left.add(node.id)
        if isinstance(node, ast.JoinedStr | ast.Starred):
            self.left |= {n.id for n in walk(node) if isinstance(n, ast.Name)}
            return node
        return self.generic_visit(node)
