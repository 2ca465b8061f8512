"""Lowering: from the `ast` of a function to its graph.

Boolean structure, chained comparisons, conditional expressions and `match` become single branches;
`finally` and `with` are written out for each way they are left, as CPython's own compiler does; loops keep
a head. Statements are lowered backwards: each is given the node that follows it.
"""

import ast
from collections.abc import Callable
from dataclasses import replace

from dreck.model.ir.context import Context
from dreck.model.ir.graph import Arena, Node
from dreck.model.ir.local_tables import held_keys, holder, key_holder, local_tables
from dreck.model.ir.naming import Unsupported
from dreck.model.ir.operations import Op
from dreck.model.ir.patterns import Patterns, Several, displayed
from dreck.model.ir.rounds import are_few_rounds
from dreck.model.ir.unfolding import Unfolding
from dreck.model.names.modules import ModuleNames
from dreck.model.names.private import spelt_out, told_by_names
from dreck.model.names.scopes import assigned_in, kept_by_functions, scope_of
from dreck.source.functions import FunctionNode

__all__ = ["Unsupported", "lower"]


def lower(
    function: FunctionNode,
    names: ModuleNames,
    arena: Arena,
    enclosing: frozenset[str] = frozenset(),
    kept: frozenset[str] = frozenset(),
) -> Node:
    """The entry node of `function`'s graph in `arena`.

    `enclosing` are the names bound by functions around it, `kept` constants of the module that are left
    as names. Raises Unsupported for code that looks at its
    own frame (`locals()`, `eval` …), of which no statement-wise account is sound.
    """
    key = (function, names, enclosing, kept)
    if key in arena.entries:
        return arena.entries[key]
    if private := told_by_names(function):
        raise Unsupported(f"in a class {private} is another name")
    if private := spelt_out(function, (names.tree, *names.trees, *names.others)):
        raise Unsupported(f"{private} is a private name, and the files say it as Python reads it in a class, too")
    first = next((a.arg for a in (*function.args.posonlyargs, *function.args.args)), None)
    scope = scope_of(function)
    if names.lives_count_in(function):  # then a variable is more than a register: what it lets go of may speak
        scope = replace(scope, captured=scope.captured | scope.local)
    else:
        scope = replace(scope, captured=kept_by_functions(scope, lambda n: n not in enclosing and names.is_builtin(n)))
    work = _Statements(arena, scope, names, enclosing, kept, first)
    work.local_tables = local_tables(function, scope, work.of_the_module, work.is_stable)
    keys = ((key, key_holder(name, row)) for name, made in work.local_tables.items() for row, key in held_keys(made))
    work.local_keys = dict(keys)
    falls_off = arena.node(Op.MOVE, None, (arena.terms.const(None),), "%ret", (arena.leave,))
    entry = work.block(function.body, falls_off, Context(arena.throw, arena.leave))
    arena.settle_liveness()
    arena.entries[key] = entry
    return entry


class _Statements(Patterns, Unfolding):
    """One method a statement; `expressions.py` and `patterns.py` hold the rest of the language."""

    def block(self, body: list[ast.stmt], nxt: Node, ctx: Context) -> Node:
        for statement in reversed(body):
            nxt = self._statement(statement, nxt, ctx)
        return nxt

    def _statement(self, s: ast.stmt, nxt: Node, ctx: Context) -> Node:
        match s:
            case ast.Pass() | ast.Global() | ast.Nonlocal():
                return nxt
            case ast.Expr(value=value):
                return nxt if isinstance(value, ast.Constant) else self.expr(value, "%0", nxt, ctx, 0)
            case ast.Return(value=value):
                return self.expr(value or ast.Constant(None), "%ret", ctx.ret, ctx, 0)
            case ast.If(test=test, body=body, orelse=orelse):
                return self.cond(test, self.block(body, nxt, ctx), self.block(orelse, nxt, ctx), ctx, 0)
            case ast.Assign(targets=targets, value=value):
                return self._assign(targets, value, nxt, ctx)
            case ast.AnnAssign(target=target, value=value):
                return self._annotated(target, value, nxt, ctx)
            case ast.AugAssign():
                return self._augmented(s, nxt, ctx)
            case ast.While() | ast.For() | ast.AsyncFor():
                return self._loop(s, nxt, ctx)
            case ast.Break():
                assert ctx.brk is not None
                return ctx.brk
            case ast.Continue():
                assert ctx.cont is not None
                return ctx.cont
            case ast.Raise():
                return self._raise(s, ctx)
            case ast.Try():
                return self._try(s, nxt, ctx)
            case ast.TryStar():
                return self._try_star(s, nxt, ctx)
            case ast.With(items=items, body=body) | ast.AsyncWith(items=items, body=body):
                return self._with(items, body, isinstance(s, ast.AsyncWith), nxt, ctx)
            case ast.Match():
                return self._match(s, nxt, ctx)
            case ast.Assert():
                return self._assert(s, nxt, ctx)
            case ast.Delete(targets=targets):
                for deleted in reversed(targets):
                    nxt = self.delete(deleted, nxt, ctx, 0)
                return nxt
            case ast.FunctionDef() | ast.AsyncFunctionDef() | ast.ClassDef():
                return self.opaque(s, "%0", self.store(s.name, "%0", nxt, ctx), ctx)
            case ast.Import() | ast.ImportFrom():
                return self._import(s, nxt, ctx)
        raise Unsupported(f"a statement Dreck does not know: {type(s).__name__}")

    # --- assignments -------------------------------------------------------------------------------

    def _assign(self, targets: list[ast.expr], value: ast.expr, nxt: Node, ctx: Context) -> Node:
        if isinstance(value, ast.Dict) and isinstance(targets[0], ast.Name) and targets[0].id in self.local_tables:
            return self._own_table(targets[0].id, value, nxt, ctx)
        if len(targets) == 1 and isinstance(targets[0], ast.Name) and self.is_plain(targets[0].id):
            return self.expr(value, targets[0].id, nxt, ctx, 0)
        for target in reversed(targets):
            nxt = self.assign(target, "%0", nxt, ctx, 1)
        return self.expr(value, "%0", nxt, ctx, 0)

    def _own_table(self, name: str, made: ast.Dict, nxt: Node, ctx: Context) -> Node:
        """Key and value row by row; what is no constant among the keys is hashed when all rows are there."""
        keys = dict(held_keys(made))
        nxt = self.taken_apart(made, nxt, ctx) if keys else nxt
        for row in sorted(keys, reverse=True):
            nxt = self.act(Op.HASHED, "", (key_holder(name, row),), None, nxt, ctx, keys[row])
        for row in range(len(made.values) - 1, -1, -1):
            nxt = self.expr(made.values[row], holder(name, row), nxt, ctx, 0)
            if row in keys:
                nxt = self.expr(keys[row], key_holder(name, row), nxt, ctx, 0)
        return nxt

    def _annotated(self, target: ast.expr, value: ast.expr | None, nxt: Node, ctx: Context) -> Node:
        if value is not None:
            return self._assign([target], value, nxt, ctx)
        match target:  # without a value, a target is looked at but for its last step (language reference, 7.2.2)
            case ast.Attribute(value=base):
                return self.operands([base], ctx, 0, lambda _: nxt)
            case ast.Subscript(value=base, slice=index):
                return self.operands([base, index], ctx, 0, lambda _: nxt)
        return nxt

    def _augmented(self, s: ast.AugAssign, nxt: Node, ctx: Context) -> Node:
        operator = type(s.op).__name__
        target: ast.expr = s.target
        match target:
            case ast.Name(id=name):
                store = self.store(name, "%0", nxt, ctx)
                act = self.act(Op.IN_PLACE, operator, ("%1", "%2"), "%0", store, ctx, s)
                return self.expr(ast.Name(name, ast.Load()), "%1", self.expr(s.value, "%2", act, ctx, 3), ctx, 1)
            case ast.Attribute(value=base, attr=attr):
                store = self.act(Op.SET_ATTRIBUTE, attr, ("%0", "%3"), None, nxt, ctx, s)
                act = self.act(Op.IN_PLACE, operator, ("%1", "%2"), "%3", store, ctx, s)
                right = self.expr(s.value, "%2", act, ctx, 3)
                return self.expr(base, "%0", self.act(Op.ATTRIBUTE, attr, ("%0",), "%1", right, ctx, s), ctx, 0)
            case ast.Subscript(value=base, slice=index):
                store = self.act(Op.SET_ITEM, None, ("%0", "%4", "%3"), None, nxt, ctx, s)
                act = self.act(Op.IN_PLACE, operator, ("%1", "%2"), "%3", store, ctx, s)
                right = self.expr(s.value, "%2", act, ctx, 5)
                load = self.act(Op.ITEM, None, ("%0", "%4"), "%1", right, ctx, s)
                return self.expr(base, "%0", self.expr(index, "%4", load, ctx, 5), ctx, 0)
        raise Unsupported("an augmented assignment Dreck does not know")

    def _import(self, s: ast.Import | ast.ImportFrom, nxt: Node, ctx: Context) -> Node:
        for alias in reversed(s.names):
            bound = alias.asname or alias.name.split(".")[0]
            after = self.store(bound, "%0", nxt, ctx)
            where = (s.level, s.module) if isinstance(s, ast.ImportFrom) else None
            nxt = self.act(Op.IMPORT, (where, alias.name, alias.asname is None), (), "%0", after, ctx, s)
        return nxt

    def _raise(self, s: ast.Raise, ctx: Context) -> Node:
        if s.exc is None:
            if ctx.handled is not None:
                return self.arena.node(Op.MOVE, None, (ctx.handled,), "%exc", (ctx.exc,))
            return self.act(Op.RERAISE, None, (), "%exc", ctx.exc, ctx, s)
        parts = [s.exc] if s.cause is None else [s.exc, s.cause]
        op = Op.RAISE if s.cause is None else Op.RAISE_FROM
        return self.operands(parts, ctx, 0, lambda found: self.act(op, None, found, "%exc", ctx.exc, ctx, s))

    def _assert(self, s: ast.Assert, nxt: Node, ctx: Context) -> Node:
        fail = self.act(Op.ASSERTION, None, ("%0",), "%exc", ctx.exc, ctx, s)
        told = self.expr(s.msg or ast.Constant(None), "%0", fail, ctx, 0)
        tested = self.cond(s.test, nxt, told, ctx, 0)
        return self.cond(ast.Name("__debug__", ast.Load()), tested, nxt, ctx, 0)

    # --- loops -------------------------------------------------------------------------------------

    def _loop(self, s: ast.While | ast.For | ast.AsyncFor, nxt: Node, ctx: Context) -> Node:
        if isinstance(s, ast.For) and are_few_rounds(s):
            if (held := self.held_rows(s.iter, [s])) is not None:
                return self.read_first(held, self._row_by_row(s, held.rows, nxt, ctx, self.held_row), ctx, 0)
            if (rows := self.rows_of(s.iter)) is not None:
                return self.kept_apart(s.iter, self._row_by_row(s, rows, nxt, ctx, self.row), ctx)
            if (rows := self.walked_rows(s)) is not None:
                return self._row_by_row(s, rows, nxt, ctx, self.row)
        cursor = f"%iter{ctx.depth}"
        key = (ast.dump(s), self.meanings(s), self.kept, nxt, ctx)
        head, new = self.arena.loop_head(key, assigned_in([s]), s)
        if new:
            inner = replace(ctx, brk=nxt, cont=head, depth=ctx.depth + 1)
            body = self.block(s.body, head, inner)
            done = self.block(s.orelse, nxt, ctx)
            if isinstance(s, ast.While):
                head.succs = (self.cond(s.test, body, done, inner, 0),)
            else:
                step = self.assign(s.target, "%0", body, inner, 1)
                op = Op.ASYNC_NEXT if isinstance(s, ast.AsyncFor) else Op.NEXT
                head.succs = (self.arena.node(op, None, (cursor,), "%0", (step, done), ctx.exc, s, ctx.handled),)
        if isinstance(s, ast.While):
            return head
        op = Op.ASYNC_ITERATE if isinstance(s, ast.AsyncFor) else Op.ITERATE
        begin = self.act(op, None, ("%0",), cursor, head, ctx, s)
        return self.expr(s.iter, "%0", begin, ctx, 0)

    def _row_by_row(
        self, s: ast.For, rows: list[ast.expr], nxt: Node, ctx: Context, read: Callable[..., Node]
    ) -> Node:
        """A loop over a constant table or a display, written out; `read` gives a row."""
        node, index = self.block(s.orelse, nxt, ctx), self.index_of(s)
        for at, item in reversed([*enumerate(rows)]):
            inner = replace(ctx, brk=nxt, cont=node)
            with self.at_row(index, at):
                body = self.block(s.body, node, inner)
            node = read(item, "%0", self.assign(s.target, "%0", body, ctx, 1), ctx, 1)
        return node

    # --- with, try ---------------------------------------------------------------------------------

    def _with(self, items: list[ast.withitem], body: list[ast.stmt], is_async: bool, nxt: Node, ctx: Context) -> Node:
        if not items:
            return self.block(body, nxt, ctx)
        manager, raised = f"%with{ctx.depth}", f"%wexc{ctx.depth}"
        ops = (Op.ASYNC_ENTER, Op.ASYNC_EXIT, Op.ASYNC_EXIT_RAISING)
        entering, going, raising = ops if is_async else (Op.ENTER, Op.EXIT, Op.EXIT_RAISING)

        def leaving(to: Node) -> Node:
            return self.act(going, None, (manager,), "%0", to, ctx, items[0].context_expr)

        again = self.arena.node(Op.MOVE, None, (raised,), "%exc", (ctx.exc,))
        leaving_by = replace(ctx, handled=raised)
        asked = self.branch("%0", nxt, again, leaving_by)
        told = self.act(raising, None, (manager, raised), "%0", asked, leaving_by, items[0].context_expr)
        inner = Context(
            exc=self.arena.node(Op.MOVE, None, ("%exc",), raised, (told,)),
            ret=leaving(ctx.ret),
            brk=leaving(ctx.brk) if ctx.brk else None,
            cont=leaving(ctx.cont) if ctx.cont else None,
            handled=ctx.handled,
            depth=ctx.depth + 1,
        )
        start = self._with(items[1:], body, is_async, leaving(nxt), inner)
        if items[0].optional_vars is not None:
            start = self.assign(items[0].optional_vars, "%0", start, inner, 1)
        enter = self.act(entering, None, (manager,), "%0", start, ctx, items[0].context_expr)
        return self.expr(items[0].context_expr, manager, enter, ctx, 0)

    def _try(self, s: ast.Try, nxt: Node, ctx: Context) -> Node:
        if s.finalbody:
            return self._finally(s, nxt, ctx)
        handlers = self._handlers(s.handlers, nxt, ctx)
        normal = self.block(s.orelse, nxt, ctx)
        return self.block(s.body, normal, replace(ctx, exc=handlers))

    def _finally(self, s: ast.Try, nxt: Node, ctx: Context) -> Node:
        pending = f"%fin{ctx.depth}"
        inner = replace(ctx, depth=ctx.depth + 1)

        def last(to: Node, context: Context = inner) -> Node:
            return self.block(s.finalbody, to, context)

        again = self.arena.node(Op.MOVE, None, (pending,), "%exc", (ctx.exc,))
        unwinding = last(again, replace(inner, handled=pending))
        kept = f"%ret{ctx.depth}"
        given = last(self.arena.node(Op.MOVE, None, (kept,), "%ret", (ctx.ret,)))
        around = Context(
            exc=self.arena.node(Op.MOVE, None, ("%exc",), pending, (unwinding,)),
            ret=self.arena.node(Op.MOVE, None, ("%ret",), kept, (given,)),
            brk=last(ctx.brk) if ctx.brk else None,
            cont=last(ctx.cont) if ctx.cont else None,
            handled=ctx.handled,
            depth=ctx.depth + 1,
        )
        guarded = ast.Try(body=s.body, handlers=s.handlers, orelse=s.orelse, finalbody=[])
        return self._try(guarded, last(nxt), around)

    def _handlers(self, handlers: list[ast.ExceptHandler], nxt: Node, ctx: Context) -> Node:
        caught = f"%exc{ctx.depth}"
        inner = replace(ctx, handled=caught, depth=ctx.depth + 1)
        otherwise = self.arena.node(Op.MOVE, None, (caught,), "%exc", (ctx.exc,))
        for handler in reversed(handlers):
            body = self._handler_body(handler, caught, nxt, inner)
            otherwise = body if handler.type is None else self._matching(handler.type, caught, body, otherwise, inner)
        return self.arena.node(Op.MOVE, None, ("%exc",), caught, (otherwise,))

    def _matching(self, kind: ast.expr, caught: str, then: Node, otherwise: Node, ctx: Context) -> Node:
        asked = self.branch("%0", then, otherwise, ctx, kind)
        tested = self.act(Op.CATCHES, None, (caught, "%0"), "%0", asked, ctx, kind)
        return self.expr(kind, "%0", tested, ctx, 0)

    def _handler_body(self, handler: ast.ExceptHandler, caught: str, nxt: Node, ctx: Context) -> Node:
        if handler.name is None:
            return self.block(handler.body, nxt, ctx)
        name = handler.name
        forget = self._forgetting(name, ctx)
        around = Context(
            exc=forget(ctx.exc),
            ret=forget(ctx.ret),
            brk=forget(ctx.brk) if ctx.brk else None,
            cont=forget(ctx.cont) if ctx.cont else None,
            handled=ctx.handled,
            depth=ctx.depth,
        )
        return self.store(name, caught, self.block(handler.body, forget(nxt), around), ctx)

    def _forgetting(self, name: str, ctx: Context) -> Callable[[Node], Node]:
        return lambda to: self.unbind(name, to, ctx)

    def _try_star(self, s: ast.TryStar, nxt: Node, ctx: Context) -> Node:
        if s.finalbody:
            raise Unsupported("except* together with finally")
        rest, found, raised = (f"%{word}{ctx.depth}" for word in ("rest", "group", "new"))
        inner = replace(ctx, depth=ctx.depth + 1, handled=found)
        node = self.arena.node
        again = self.act(Op.GROUP_AGAIN, None, (rest, raised), "%0", nxt, ctx, s)
        for handler in reversed(s.handlers):
            assert handler.type is not None
            collect = node(
                Op.MOVE,
                None,
                ("%exc",),
                found,
                (self.act(Op.GROUP_COLLECT, None, (raised, found), raised, again, ctx, s),),
            )
            body = self._handler_body(handler, found, again, replace(inner, exc=collect))
            asked = self.branch(found, body, again, ctx)
            left = self.act(Op.GROUP_UNMATCHED, None, (rest, "%0"), rest, asked, ctx, handler.type)
            split = self.act(Op.GROUP_MATCHED, None, (rest, "%0"), found, left, ctx, handler.type)
            again = self.expr(handler.type, "%0", split, ctx, 0)
        begin = node(Op.MOVE, None, (self.arena.terms.const(None),), raised, (again,))
        handlers = node(Op.MOVE, None, ("%exc",), rest, (begin,))
        return self.block(s.body, self.block(s.orelse, nxt, ctx), replace(ctx, exc=handlers))

    def _match(self, s: ast.Match, nxt: Node, ctx: Context) -> Node:
        parts = displayed(s)
        subject = Several(f"%match{ctx.depth}.{n}" for n in range(len(parts))) if parts else f"%match{ctx.depth}"
        inner = replace(ctx, depth=ctx.depth + 1)
        otherwise = nxt
        for case in reversed(s.cases):
            body = self.block(case.body, nxt, inner)
            if case.guard is not None:
                body = self.cond(case.guard, body, otherwise, inner, 0)
            otherwise = self.pattern(case.pattern, subject, body, otherwise, inner)
        if isinstance(subject, str):
            return self.expr(s.subject, subject, otherwise, ctx, 0)
        for part, register in zip(reversed(parts), reversed(subject), strict=True):
            otherwise = self.expr(part, register, otherwise, ctx, 0)
        return otherwise
