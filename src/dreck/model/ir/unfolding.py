"""Unfolding: constant tables read as the chains of tests they stand for.

`TABLE[key]`, `TABLE.get(key)`, `key in TABLE`, a loop over the rows of a table, `all`, `any` and `next` over
its rows: each is lowered as the tests and values, row by row, that Python comes to.
"""

import ast
from dataclasses import replace
from typing import Any

from dreck.model.ir.closures import Renaming
from dreck.model.ir.context import Context
from dreck.model.ir.expressions import Expressions
from dreck.model.ir.graph import Node
from dreck.model.ir.held import HeldRows
from dreck.model.ir.naming import Unsupported
from dreck.model.ir.operations import Op
from dreck.model.ir.rounds import is_all_constant
from dreck.model.ir.walked import WalkedRows
from dreck.model.names.elsewhere.steadily import is_steady
from dreck.model.names.scopes import FunctionScope
from dreck.source.copying import copied
from dreck.source.walking import walk

_QUANTIFIERS = ("all", "any", "next")
_KEPT_WHOLE = (
    ast.Lambda, ast.ListComp, ast.SetComp, ast.DictComp, ast.GeneratorExp, ast.Await, ast.Yield, ast.YieldFrom,
    ast.NamedExpr,
)  # fmt: skip
"""What has a scope of its own, leaves the generator, or binds outside of it."""


class Unfolding(HeldRows, WalkedRows, Expressions):
    """Lowering of what reads a constant table. The methods give None for everything else."""

    def unfold(self, e: ast.expr, dest: str, nxt: Node, ctx: Context, depth: int) -> Node | None:
        match e:
            case ast.Name(id=name):
                return self._constant(name, dest, nxt)
            case ast.Attribute(value=ast.Name(id=name), attr=attr, ctx=ast.Load()):
                return self._of_module(name, attr, dest, nxt, ctx, e)
            case ast.Subscript(value=ast.Name(id=name), slice=key, ctx=ast.Load()):
                return self._subscript(name, key, dest, nxt, ctx, depth, e)
            case ast.Call(func=ast.Attribute(value=ast.Name(id=name), attr="get"), args=args, keywords=[]):
                return self._get(name, args, dest, nxt, ctx, depth)
            case ast.Call(func=ast.Name(id=name), args=[ast.GeneratorExp(generators=[_]) as rows, *rest], keywords=[]):
                if name in _QUANTIFIERS and self.means_builtin(name):
                    return self._quantified(name, rows, rest, dest, nxt, ctx, depth)
            case ast.Compare(left=left, ops=[ast.In() | ast.NotIn() as op], comparators=[ast.Name(id=name)]):
                return self._inside(left, op, name, dest, nxt, ctx, depth, e)
        return None

    def rows_of(self, e: ast.expr) -> list[ast.expr] | None:
        """The rows a loop over `e` goes through, when it is over a constant table, or constants that stand there."""
        if isinstance(e, ast.Tuple | ast.List) and is_all_constant(e) and ast.dump(e) not in self.kept:
            return e.elts
        base = e.func.value if isinstance(e, ast.Call) and isinstance(e.func, ast.Attribute) else e
        if not isinstance(base, ast.Name) or base.id in self.local_tables or self._table(base.id) is None:
            return None
        return self.names.tables.rows(e)

    def kept_apart(self, e: ast.expr, nxt: Node, ctx: Context) -> Node:
        """Where the rows of a dict are gone through: that there are as many as are written. Raises Unsupported where
        keys might be equal."""
        base = e.func.value if isinstance(e, ast.Call) and isinstance(e.func, ast.Attribute) else e
        table = self._table(base.id) if isinstance(base, ast.Name) else None
        if not isinstance(table, ast.Dict):
            return nxt
        self._apart(table)
        return self.taken_apart(table, nxt, ctx)

    def taken_apart(self, table: ast.Dict, nxt: Node, ctx: Context) -> Node:
        """What the keys of a table rest on: members of one class differ, and so do classes by their names."""
        kinds = {n.id for k in table.keys for n in (k.elts if isinstance(k, ast.Tuple) else [k])
                 if isinstance(n, ast.Name) and self._is_kind(n.id)}  # fmt: skip
        for owner in owners_of(table) + ([("", tuple(sorted(kinds)))] if len(kinds) > 1 else []):
            nxt = self.act(Op.APART, owner, (), None, nxt, ctx)
        return nxt

    def row(self, e: ast.expr, dest: str, nxt: Node, ctx: Context, depth: int) -> Node:
        """An item of a table: made when the module was, from names as they are meant there, or held since the
        function made it."""
        held = self.local_keys.get(e) or (e.id if isinstance(e, ast.Name) and "@" in e.id else "")
        if held:
            return self.arena.node(Op.MOVE, None, (held,), dest, (nxt,))
        if isinstance(e, ast.List | ast.Dict | ast.Set):
            raise Unsupported("a table holds one list, dict or set that everybody gets")
        if isinstance(e, ast.Lambda):
            return self.arena.node(Op.MOVE, None, (self.arena.unnamed(e),), dest, (nxt,))
        if isinstance(e, ast.Name) and not (
            self.names.is_settled(e.id, e.lineno) and self.names.kind(e.id) == "stable"
        ):
            raise Unsupported(f"a table holds {e.id}, which is bound later or again")
        there = type(self)(self.arena, FunctionScope(frozenset()), self.names, frozenset(), self.kept)
        if isinstance(e, ast.Tuple):
            return self._row_of_several(e.elts, dest, nxt, ctx, depth)
        if isinstance(e, ast.Call) and not any(isinstance(a, ast.Starred) for a in e.args):
            return self._row_made(e, dest, nxt, ctx, depth)
        if self._is_settled_value(e):
            return there.expr(e, dest, nxt, ctx, depth)
        if is_steady(self.names, e):
            read = there.expr(e, dest, nxt, ctx, depth)
            return self.act(Op.SETTLED, ast.unparse(e), (), None, read, ctx, e)
        raise Unsupported(f"a table holds `{ast.unparse(e)}`, which was worked out when the module was made")

    def _is_settled_value(self, e: ast.expr) -> bool:
        """Whether working `e` out now gives what it gave when the module was made."""
        match e:
            case ast.Name() | ast.Constant():
                return True
            case ast.Attribute(value=ast.Name(id=name)):
                return isinstance(self.names.definitions.get(self.names.canonical(name)), ast.ClassDef)
            case ast.UnaryOp() | ast.BinOp():
                inner = (n for n in walk(e) if isinstance(n, ast.expr))
                return all(isinstance(n, ast.UnaryOp | ast.BinOp | ast.Constant) for n in inner)
        return False

    def _row_of_several(self, parts: list[ast.expr], dest: str, nxt: Node, ctx: Context, depth: int) -> Node:
        places = tuple(f"%{depth + i}" for i in range(len(parts)))
        node = self.arena.node(Op.TUPLE, None, places, dest, (nxt,))
        for place, part in reversed(list(zip(places, parts, strict=True))):
            node = self.row(part, place, node, ctx, depth + len(parts))
        return node

    def _row_made(self, e: ast.Call, dest: str, nxt: Node, ctx: Context, depth: int) -> Node:
        """A row that a small class makes."""
        parts = [e.func, *e.args, *(k.value for k in e.keywords)]
        places = tuple(f"%{depth + i}" for i in range(len(parts)))
        shape = (tuple("" for _ in e.args), tuple(k.arg for k in e.keywords))
        node = self.act(Op.ROW, shape, places, dest, nxt, ctx, e)
        for place, part in reversed(list(zip(places, parts, strict=True))):
            node = self.row(part, place, node, ctx, depth + len(parts))
        return node

    def _table(self, name: str) -> ast.expr | None:
        if name in self.local_tables:
            return self.local_tables[name]
        return None if name in self.kept else self.of_the_module(name)

    def of_the_module(self, name: str) -> ast.expr | None:
        """The table or constant of the module that a name stands for here."""
        if not name.rpartition(".")[2].strip("_").isupper() or not self.is_stable(name):
            return None
        return self.names.tables.get(name)

    def is_stable(self, name: str) -> bool:
        """Whether a name is the module's own, and means one thing for as long as the function runs."""
        scope = self.scope
        if name in scope.local or name in scope.declared_global or name in scope.declared_nonlocal:
            return False
        return name not in self.enclosing and self.names.kind(name) == "stable"

    # --- values ------------------------------------------------------------------------------------

    def _constant(self, name: str, dest: str, nxt: Node) -> Node | None:
        value = self._table(name)
        if not isinstance(value, ast.Constant | ast.UnaryOp):
            return None
        place = self._operand(value, dest)
        return None if isinstance(place, str) else self.arena.node(Op.MOVE, None, (place,), dest, (nxt,))

    def _of_module(self, name: str, attr: str, dest: str, nxt: Node, ctx: Context, e: ast.expr) -> Node | None:
        """A function or class of a module beside this one."""
        if name in self.scope.local or name in self.enclosing or self.names.kind(name) != "stable":
            return None
        foreign = self.names.of_module(name, attr)
        return self.act(Op.GLOBAL, ("stable", foreign), (), dest, nxt, ctx, e) if foreign else None

    def _subscript(
        self, name: str, key: ast.expr, dest: str, nxt: Node, ctx: Context, depth: int, e: ast.expr
    ) -> Node | None:
        table = self._table(name)
        if (row := self.row_at(table, key)) is not None:
            return self.row(row, dest, nxt, ctx, depth)
        if not isinstance(table, ast.Dict):
            return None
        asked = _asked(key, depth)
        absent = self.act(Op.MISSING_KEY, name, asked, "%exc", ctx.exc, ctx, e)
        return self._chain(key, table, dest, nxt, absent, ctx, depth)

    def _get(self, name: str, args: list[ast.expr], dest: str, nxt: Node, ctx: Context, depth: int) -> Node | None:
        table = self._table(name)
        if not isinstance(table, ast.Dict) or len(args) not in (1, 2) or any(isinstance(a, ast.Starred) for a in args):
            return None
        otherwise = f"%else{depth}"
        default = args[1] if len(args) == 2 else ast.Constant(None)
        absent = self.arena.node(Op.MOVE, None, (otherwise,), dest, (nxt,))
        after = self._looked_up(table, args[0], dest, nxt, absent, ctx, depth)
        after = self._hashed(args[0], table, after, ctx, depth)
        return self._evaluated(args[0], self.expr(default, otherwise, after, ctx, depth + 21), ctx, depth)

    def _inside(
        self, left: ast.expr, op: ast.cmpop, name: str, dest: str, nxt: Node, ctx: Context, depth: int, e: ast.expr
    ) -> Node | None:
        table = self._table(name)
        keys = [k for k in table.keys if k is not None] if isinstance(table, ast.Dict) else getattr(table, "elts", None)
        if keys is None:
            return None
        members = [self._operand(k, "%") for k in keys]
        hashed = isinstance(table, ast.Dict | ast.Set)
        if any(isinstance(m, str) for m in members):
            return self._inside_by_key(left, op, keys, dest, nxt, ctx, depth) if hashed else None
        known = self.arena.terms.make("members" if hashed else "tuple", *members)
        return self.operands(
            [left], ctx, depth, lambda f: self.act(Op.COMPARE, type(op).__name__, (*f, known), dest, nxt, ctx, e)
        )

    def _inside_by_key(
        self, left: ast.expr, op: ast.cmpop, keys: list[ast.expr], dest: str, nxt: Node, ctx: Context, depth: int
    ) -> Node:
        """Membership among keys that have to be worked out themselves: classes, members, pairs."""
        wanted = isinstance(op, ast.In)
        there = ast.Dict(list(keys), [ast.Constant(wanted) for _ in keys])
        absent = self.arena.node(Op.MOVE, None, (self.arena.terms.const(not wanted),), dest, (nxt,))
        return self._chain(left, there, dest, nxt, absent, ctx, depth)

    def _chain(
        self, key: ast.expr, table: ast.Dict, dest: str, nxt: Node, absent: Node, ctx: Context, depth: int
    ) -> Node:
        return self._key(key, table, self._looked_up(table, key, dest, nxt, absent, ctx, depth), ctx, depth)

    def _key(self, key: ast.expr, table: ast.Dict, nxt: Node, ctx: Context, depth: int) -> Node:
        """Evaluates the key and makes sure that it can be hashed."""
        return self._evaluated(key, self._hashed(key, table, nxt, ctx, depth), ctx, depth)

    def _hashed(self, key: ast.expr, table: ast.Dict, nxt: Node, ctx: Context, depth: int) -> Node:
        words = all(self._is_word(k) for k in table.keys if k)
        for place in reversed(_asked(key, depth)):
            nxt = self.act(Op.HASHED, "constants" if words else "", (place,), None, nxt, ctx, key)
        return nxt

    def _evaluated(self, key: ast.expr, nxt: Node, ctx: Context, depth: int) -> Node:
        """The key, a pair of them part by part."""
        asked = _asked(key, depth)
        parts = key.elts if isinstance(key, ast.Tuple) else [key]
        for i in range(len(parts) - 1, -1, -1):
            nxt = self.expr(parts[i], asked[i], nxt, ctx, depth + 8 + i)
        return nxt

    def _is_word(self, key: ast.expr) -> bool:
        """Whether a key is made of numbers, texts and `None` alone, written there or under the name of a constant."""
        match key:
            case ast.Tuple(elts=parts):
                return all(map(self._is_word, parts))
            case ast.UnaryOp(op=ast.USub(), operand=ast.Constant(value=int() | float())):
                return True
            case ast.Name(id=name):
                return isinstance(self._table(name), ast.Constant)
        return isinstance(key, ast.Constant)

    def _looked_up(
        self, table: ast.Dict, key: ast.expr, dest: str, nxt: Node, absent: Node, ctx: Context, depth: int
    ) -> Node:
        asked = _asked(key, depth)
        if len(asked) > 7:
            raise Unsupported("a key of more than seven parts")
        node = absent
        for k, v in reversed(self._apart(table)):
            parts = k.elts if isinstance(k, ast.Tuple) else [k]
            if len(parts) != len(asked):
                if len(asked) > 1 or isinstance(k, ast.Tuple):
                    raise Unsupported("keys of several shapes in one table")
                continue
            found = self.row(v, dest, nxt, ctx, depth + 8)
            for place, part in reversed(list(zip(asked, parts, strict=True))):
                found = self._equal(place, part, found, node, ctx, depth + 8)
            node = found
        return self.taken_apart(table, node, ctx)

    def _apart(self, table: ast.Dict) -> list[tuple[ast.expr, ast.expr]]:
        """The rows of a table, of equal keys the last value. Raises Unsupported for keys that might be equal."""
        found: list[tuple[ast.expr, ast.expr]] = []
        for k, v in zip(table.keys, table.values, strict=True):
            assert k is not None
            if any(self._same_key(k, other) for other, _ in found):
                raise Unsupported(f"a table has the key {ast.unparse(k)} twice")
            found.append((k, v))
        return found

    def _same_key(self, a: ast.expr, b: ast.expr) -> bool:
        """Whether two keys are equal. Raises Unsupported when that cannot be told."""
        match a, b:
            case ast.Tuple(elts=one), ast.Tuple(elts=two) if len(one) == len(two):
                return all(self._same_key(x, y) for x, y in zip(one, two, strict=True))
            case ast.Attribute(value=ast.Name(id=one), attr=x), ast.Attribute(value=ast.Name(id=two), attr=y) if (
                one == two
            ):
                return x == y
            case ast.Name(id=one), ast.Name(id=two) if self._is_kind(one) and self._is_kind(two):
                return one == two
        values = [self._literal(e) for e in (a, b)]
        if any(isinstance(value, ast.expr) for value in values):
            raise Unsupported(f"the keys {ast.unparse(a)} and {ast.unparse(b)} of a table might be equal")
        return bool(values[0] == values[1])

    def _is_kind(self, name: str) -> bool:
        return isinstance(self.names.definitions.get(name), ast.ClassDef) or self.names.is_builtin(name)

    def _literal(self, e: ast.expr) -> object:
        known = self.names.tables.get(e.id) if isinstance(e, ast.Name) else e
        try:
            return ast.literal_eval(known) if known is not None else e
        except ValueError:
            return e

    def _equal(self, place: str, k: ast.expr, yes: Node, no: Node, ctx: Context, depth: int) -> Node:
        held, other = f"%{depth}", f"%{depth + 1}"
        asked = self.branch(held, yes, no, ctx, k)
        told = ast.Compare(ast.Name("key", ast.Load()), [ast.Eq()], [k])
        test = self.act(Op.COMPARE, "Eq", (place, other), held, asked, ctx, told)
        return self.row(k, other, test, ctx, depth + 1)

    # --- rows, one after the other -----------------------------------------------------------------

    def _quantified(
        self, name: str, e: ast.GeneratorExp, rest: list[ast.expr], dest: str, nxt: Node, ctx: Context, depth: int
    ) -> Node | None:
        (loop,) = e.generators
        plain = all(isinstance(r, ast.Constant) for r in rest)  # the display is read before a default is worked out
        held = self.held_rows(loop.iter, [ast.Expr(e)]) if plain else None
        rows = held.rows if held else self.rows_of(loop.iter)
        if rows is None or loop.is_async or len(rest) != (name == "next") or not _plain_target(loop.target):
            return None
        if any(isinstance(n, _KEPT_WHOLE) for part in (e.elt, *loop.ifs) for n in walk(part)):
            return None
        inner, target, element, tests = self._inside_generator(e, loop, depth)
        const = self.arena.terms.const
        # What is raised inside leaves a generator.
        within = replace(ctx, exc=self.arena.node(Op.LEFT, None, ("%exc",), "%exc", (ctx.exc,)))

        def settled(value: bool) -> Node:
            return self.arena.node(Op.MOVE, None, (const(value),), dest, (nxt,))

        otherwise = f"%else{depth}"
        match name:
            case "all":
                after = settled(True)
            case "any":
                after = settled(False)
            case _:
                after = self.arena.node(Op.MOVE, None, (otherwise,), dest, (nxt,))
        for item in reversed(rows):
            match name:
                case "all":
                    found = inner.value_asked(element, after, settled(False), within, depth + 8)
                case "any":
                    found = inner.value_asked(element, settled(True), after, within, depth + 8)
                case _:
                    found = inner.expr(element, dest, nxt, within, depth + 8)
            for test in reversed(tests):
                found = inner.cond(test, found, after, within, depth + 8)
            bound = inner.assign(target, f"%{depth + 7}", found, within, depth + 8)
            after = (self.held_row if held else self.row)(item, f"%{depth + 7}", bound, ctx, depth + 8)
        after = self.read_first(held, after, ctx, depth) if held else self.kept_apart(loop.iter, after, ctx)
        return self.expr(rest[0], otherwise, after, ctx, depth + 21) if rest else after

    def _inside_generator(
        self, e: ast.GeneratorExp, loop: ast.comprehension, depth: int
    ) -> tuple[Any, ast.expr, ast.expr, list[ast.expr]]:
        """The generator's parts, its own names told apart from the function's, and a lowering that knows them."""
        own = {n.id: f"{n.id}@{depth}" for n in walk(loop.target) if isinstance(n, ast.Name)}
        renaming = Renaming(own)
        target, element = (renaming.visit(copied(part)) for part in (loop.target, e.elt))
        tests = [renaming.visit(copied(test)) for test in loop.ifs]
        scope = replace(self.scope, local=self.scope.local | set(own.values()))
        inner = type(self)(self.arena, scope, self.names, self.enclosing, self.kept)
        return inner, target, element, tests


def owners_of(table: ast.Dict) -> list[tuple[str, tuple[str, ...]]]:
    """The classes and modules whose members are keys of a table, each with these."""
    found: dict[str, set[str]] = {}
    for n in (n for k in table.keys if k is not None for n in walk(k)):
        match n:
            case ast.Attribute(value=ast.Name(id=owner), attr=word):
                found.setdefault(owner, set()).add(word)
    return [(owner, tuple(sorted(words))) for owner, words in sorted(found.items())]


def _asked(key: ast.expr, depth: int) -> tuple[str, ...]:
    count = len(key.elts) if isinstance(key, ast.Tuple) else 1
    return tuple(f"%{depth + i}" for i in range(count))


def _plain_target(target: ast.expr) -> bool:
    return isinstance(target, ast.Name) or (isinstance(target, ast.Tuple) and all(map(_plain_target, target.elts)))
