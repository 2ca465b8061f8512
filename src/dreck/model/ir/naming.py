"""Lowering of names: how each is meant, read and bound; and how a node is made that may raise."""

import ast
from collections.abc import Iterator
from typing import Any

from dreck.model.ir.context import Context
from dreck.model.ir.graph import Arena, Node, Operand
from dreck.model.ir.operations import Op
from dreck.model.names.modules import ModuleNames
from dreck.model.names.scopes import FunctionScope, assigned_in, names_read


class Unsupported(Exception):
    """The code cannot be accounted for statement by statement; the message says why."""


class Naming:
    """What all lowering shares. Every method takes the node that comes after and returns the node to begin at."""

    def __init__(
        self,
        arena: Arena,
        scope: FunctionScope,
        names: ModuleNames,
        enclosing: frozenset[str],
        kept: frozenset[str] = frozenset(),
        first: str | None = None,
    ) -> None:
        """`first` is the function's first parameter, of which `super()` makes use."""
        self.first = first
        self.arena = arena
        self.scope = scope
        self.names = names
        self.enclosing = enclosing
        self.kept = kept
        self.local_tables: dict[str, ast.Dict] = {}
        self.local_keys: dict[ast.expr, str] = {}
        """Keys of these that are worked out, by what holds them."""
        self.indices: dict[str, int] = {}
        """Variables that say which row of a table a round of a loop is at."""

    def act(
        self,
        op: Op,
        payload: Any,
        operands: tuple[Operand, ...],
        dest: str | None,
        nxt: Node,
        ctx: Context,
        source: ast.AST | None = None,
    ) -> Node:
        """An act that may raise."""
        return self.arena.node(op, payload, operands, dest, (nxt,), ctx.exc, source, ctx.handled)

    def branch(
        self,
        register: Operand,
        yes: Node,
        no: Node,
        ctx: Context,
        source: ast.AST | None = None,
        how: str | None = None,
    ) -> Node:
        """A test of the truth of what a register holds."""
        return self.arena.node(Op.BRANCH, how, (register,), None, (yes, no), ctx.exc, source, ctx.handled)

    # --- names -------------------------------------------------------------------------------------

    def is_plain(self, name: str) -> bool:
        """Whether assigning `name` only changes a register nobody else can see."""
        return name in self.scope.local and name not in self.scope.captured

    def meanings(self, e: ast.stmt) -> tuple[Any, ...]:
        """How each name in `e` is meant here: the same code is another act where a name is no local any more."""
        scope = self.scope
        sets = (scope.local, scope.params, scope.captured, scope.shared, scope.deleted, self.enclosing)
        outer = (scope.declared_global, scope.declared_nonlocal)
        told = [
            (name, *(name in names for names in (*sets, *outer)), self.names.kind(name), self.names.canonical(name))
            for name in sorted(names_read(e) | assigned_in([e]))
        ]
        return (scope.has_walrus, *told, *self.unfolded_in(e), *sorted(self.indices.items()))

    def unfolded_in(self, e: ast.AST) -> Iterator[str]:
        """The tables that code in `e` is unfolded by: with another table it is other code."""
        seen: set[str] = set()
        pending = [e]
        while pending:
            for name in sorted(names_read(pending.pop()) - seen):
                seen.add(name)
                table: ast.expr | None = self.local_tables.get(name)
                if table is None and name.strip("_").isupper() and name not in self.kept:
                    table = self.names.tables.get(name)
                if table is not None:
                    yield f"{name} {ast.dump(table)}"
                    pending.append(table)

    def load(self, name: str, dest: str, nxt: Node, ctx: Context, source: ast.AST | None = None) -> Node:
        if name in self.scope.shared:
            return self.act(Op.CELL, name, (), dest, nxt, ctx, source)
        if name in self.scope.local:
            move = self.arena.node(Op.MOVE, None, (name,), dest, (nxt,)) if dest != name else nxt
            return self._bound(name, move, ctx)
        if name in self.scope.declared_nonlocal or (name in self.enclosing and name not in self.scope.declared_global):
            return self.act(Op.FREE, name, (), dest, nxt, ctx, source)
        kind = "varying" if name in self.scope.declared_global else self.names.kind(name)
        meant = self.names.canonical(name) if kind == "stable" else name
        return self.act(Op.GLOBAL, (kind, meant), (), dest, nxt, ctx, source)

    def _bound(self, name: str, nxt: Node, ctx: Context) -> Node:
        if name in self.scope.params and name not in self.scope.deleted:
            return nxt
        return self.arena.node(Op.BOUND, name, (name,), None, (nxt,), ctx.exc, None, ctx.handled)

    def store(self, name: str, register: Operand, nxt: Node, ctx: Context) -> Node:
        if name in self.scope.declared_global:
            return self.act(Op.SET_GLOBAL, name, (register,), None, nxt, ctx)
        if name in self.scope.declared_nonlocal:
            return self.act(Op.SET_FREE, name, (register,), None, nxt, ctx)
        if name in self.scope.captured:
            seen = self.arena.node(Op.MOVE, None, (register,), name, (nxt,))
            return self.act(Op.SET_CELL, name, (register,), None, seen, ctx)
        return self.arena.node(Op.MOVE, None, (register,), name, (nxt,))

    def unbind(self, name: str, nxt: Node, ctx: Context) -> Node:
        return self.store(name, self.arena.unbound, nxt, ctx)

    def means_builtin(self, name: str) -> bool:
        return name not in self.scope.local and name not in self.enclosing and self.names.is_builtin(name)
