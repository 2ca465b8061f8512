"""Displays that a loop goes through, `(register, archive)`: what stands there is read once, before the first round."""

import ast
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from dreck.model.ir.context import Context
from dreck.model.ir.graph import Node
from dreck.model.ir.naming import Naming
from dreck.model.ir.rounds import held_parts, is_all_held
from dreck.model.names.scopes import assigned_in
from dreck.source.walking import walk


@dataclass(frozen=True, slots=True)
class Held:
    """What each round reads, and what is read beforehand: by the register that holds it, '' where none has to."""

    rows: list[ast.expr]
    first: list[tuple[ast.expr, str]]


class HeldRows(Naming):
    """The lowering of loops over displays of variables, attributes and constants."""

    expr: Callable[..., Node]
    row: Callable[..., Node]
    kept: Any

    def held_rows(self, e: ast.expr, body: list[ast.stmt]) -> Held | None:
        """What a loop goes through, when it is a display whose parts stay what they are when it is made: variables
        that nothing in the loop binds and no function inside sees, and attributes, which a register holds."""
        if not isinstance(e, ast.Tuple | ast.List) or not is_all_held(e) or ast.dump(e) in self.kept:
            return None
        scope, bound = self.scope, assigned_in(body)
        fixed = scope.local - scope.captured - scope.deleted - bound
        parts = held_parts(e)
        again = [n for s in body for n in walk(s) if isinstance(n, type(e)) and ast.dump(n) == ast.dump(e)]
        if len(again) > 1 and any(isinstance(item, ast.Attribute) for item in parts):
            return None  # one inside the other would be held in the same registers
        if not all(n.id in fixed for n in parts if isinstance(n, ast.Name)):
            return None
        rows, first = list[ast.expr](), list[tuple[ast.expr, str]]()
        for item in e.elts:
            told = [self._held(e, part, len(first) + i) for i, part in enumerate(_parts_of(item))]
            first += told
            read = [_read_again(part, register) for part, register in told]
            is_tuple = isinstance(item, ast.Tuple)
            rows.append(ast.copy_location(ast.Tuple(read, ast.Load()), item) if is_tuple else read[0])
        return Held(rows, first)

    def _held(self, e: ast.expr, part: ast.expr, at: int) -> tuple[ast.expr, str]:
        """A part of a display and the register that holds it: attributes, and what stands in tuples, have one."""
        assert isinstance(e, ast.Tuple | ast.List)
        in_tuple = any(isinstance(item, ast.Tuple) for item in e.elts)
        needed = isinstance(part, ast.Attribute) or (in_tuple and not isinstance(part, ast.Constant))
        return part, f"{ast.unparse(e)}@{at}" if needed else ""

    def read_first(self, held: Held, nxt: Node, ctx: Context, depth: int) -> Node:
        """Where a display is made: each of its parts is read, in their order. `depth` registers are in use."""
        for item, register in reversed(held.first):
            nxt = self.expr(item, register or f"%{depth}", nxt, ctx, depth + 1)
        return nxt

    def held_row(self, e: ast.expr, dest: str, nxt: Node, ctx: Context, depth: int) -> Node:
        """What one round reads."""
        is_held = isinstance(e, ast.Tuple) or (isinstance(e, ast.Name) and "@" in e.id)
        return (self.row if is_held else self.expr)(e, dest, nxt, ctx, depth)


def _parts_of(item: ast.expr) -> list[ast.expr]:
    return item.elts if isinstance(item, ast.Tuple) else [item]


def _read_again(part: ast.expr, register: str) -> ast.expr:
    return ast.copy_location(ast.Name(register, ast.Load()), part) if register else part
