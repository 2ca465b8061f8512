"""Lowering of expressions: values into registers, tests into branches, in Python's order of evaluation."""

import ast
from collections.abc import Callable, Sequence
from typing import Any

from dreck.model.ir.closures import Renaming, makes_only
from dreck.model.ir.context import Context
from dreck.model.ir.graph import Node, Operand
from dreck.model.ir.naming import Naming, Unsupported
from dreck.model.ir.operations import Op
from dreck.model.ir.truth import form_of, was_asked, without_not
from dreck.model.names.scopes import names_asked_outside, names_bound_inside, walrus_targets
from dreck.source.copying import copied
from dreck.source.walking import walk

_FRAME_READERS = frozenset({"locals", "eval", "exec", "_getframe", "currentframe"})
_FRAME_READERS_WITHOUT_ARGUMENTS = frozenset({"vars", "dir"})
_MAX_DEPTH = 150
_MAY_READ_A_TABLE = (ast.Name, ast.Subscript, ast.Call, ast.Compare, ast.Attribute)


class Expressions(Naming):
    """Expression lowering. Every method takes the node that comes after and returns the node to begin at."""

    def unfold(self, e: ast.expr, dest: str, nxt: Node, ctx: Context, depth: int) -> Node | None:
        """What reads a constant table as the tests it stands for; None for everything else."""
        return None

    # --- targets -----------------------------------------------------------------------------------

    def assign(self, target: ast.expr, register: str, nxt: Node, ctx: Context, depth: int) -> Node:
        match target:
            case ast.Name(id=name):
                return self.store(name, register, nxt, ctx)
            case ast.Attribute(value=base, attr=attr):
                return self.operands(
                    [base],
                    ctx,
                    depth,
                    lambda f: self.act(Op.SET_ATTRIBUTE, attr, (*f, register), None, nxt, ctx, target),
                )
            case ast.Subscript(value=base, slice=index):
                return self.operands(
                    [base, index],
                    ctx,
                    depth,
                    lambda f: self.act(Op.SET_ITEM, None, (*f, register), None, nxt, ctx, target),
                )
            case ast.Starred(value=inner):
                return self.assign(inner, register, nxt, ctx, depth)
            case ast.Tuple(elts=elts) | ast.List(elts=elts):
                return self._unpack(elts, register, nxt, ctx, depth)
        raise Unsupported("an assignment target Dreck does not know")

    def _unpack(self, elts: list[ast.expr], register: str, nxt: Node, ctx: Context, depth: int) -> Node:
        star = next((i for i, e in enumerate(elts) if isinstance(e, ast.Starred)), None)
        whole = f"%{depth}"
        for position in range(len(elts) - 1, -1, -1):
            part = f"%{depth + 1}"
            nxt = self.assign(elts[position], part, nxt, ctx, depth + 2)
            nxt = self.arena.node(Op.PART, position, (whole,), part, (nxt,))
        return self.act(Op.UNPACK, (len(elts), star), (register,), whole, nxt, ctx)

    def delete(self, target: ast.expr, nxt: Node, ctx: Context, depth: int) -> Node:
        match target:
            case ast.Name(id=name):
                return self.load(name, "%0", self.unbind(name, nxt, ctx), ctx)
            case ast.Attribute(value=base, attr=attr):
                return self.operands(
                    [base], ctx, depth, lambda f: self.act(Op.DELETE_ATTRIBUTE, attr, f, None, nxt, ctx)
                )
            case ast.Subscript(value=base, slice=index):
                return self.operands(
                    [base, index], ctx, depth, lambda f: self.act(Op.DELETE_ITEM, None, f, None, nxt, ctx)
                )
            case ast.Tuple(elts=elts) | ast.List(elts=elts):
                for inner in reversed(elts):
                    nxt = self.delete(inner, nxt, ctx, depth)
                return nxt
        raise Unsupported("a del target Dreck does not know")

    # --- values ------------------------------------------------------------------------------------

    def operands(
        self,
        exprs: Sequence[ast.expr],
        ctx: Context,
        depth: int,
        build: Callable[[tuple[Operand, ...]], Node],
    ) -> Node:
        """Evaluates `exprs` from left to right, then does what `build` makes of their registers."""
        found = tuple(self._operand(e, f"%{depth + i}") for i, e in enumerate(exprs))
        node = build(found)
        for i in range(len(exprs) - 1, -1, -1):
            place = found[i]
            if isinstance(place, str):
                node = (
                    self.expr(exprs[i], place, node, ctx, depth + i)
                    if place.startswith("%")
                    else self._bound(place, node, ctx)
                )
        return node

    def _operand(self, e: ast.expr, temporary: str) -> Operand:
        match e:
            case ast.Constant(value=value):
                return self.arena.terms.const(value)
            case ast.UnaryOp(op=ast.USub(), operand=ast.Constant(value=int() | float() | complex() as value)):
                return self.arena.terms.const(-value)
            case ast.Name(id=name) if (
                name in self.scope.local and name not in self.scope.shared and not self.scope.has_walrus
            ):
                return name
        return temporary

    def expr(self, e: ast.expr, dest: str, nxt: Node, ctx: Context, depth: int) -> Node:
        """Evaluates `e` into the register `dest`."""
        if depth > _MAX_DEPTH:
            raise Unsupported("an expression nested too deep")
        if isinstance(e, _MAY_READ_A_TABLE):
            unfolded = self.unfold(e, dest, nxt, ctx, depth)
            if unfolded is not None:
                return unfolded
        match e:
            case ast.Constant() | ast.UnaryOp(op=ast.USub(), operand=ast.Constant(value=int() | float() | complex())):
                place = self._operand(e, dest)
                return self.arena.node(Op.MOVE, None, (place,), dest, (nxt,)) if place != dest else nxt
            case ast.Name(id=name):
                return self.load(name, dest, nxt, ctx, e)
            case ast.BoolOp() | ast.UnaryOp(op=ast.Not()) | ast.IfExp() | ast.Compare(ops=[ast.NotIn()]):
                return self._choice(e, dest, nxt, ctx, depth)
            case ast.Compare():
                return self._compare(e, dest, nxt, ctx, depth)
            case ast.NamedExpr(target=ast.Name(id=name), value=value):
                kept = self.arena.node(Op.MOVE, None, (f"%{depth}",), dest, (nxt,))
                return self.expr(value, f"%{depth}", self.store(name, f"%{depth}", kept, ctx), ctx, depth)
            case ast.Attribute(value=base, attr=attr):
                return self.operands([base], ctx, depth, lambda f: self.act(Op.ATTRIBUTE, attr, f, dest, nxt, ctx, e))
            case ast.Subscript(value=base, slice=index):
                return self.operands([base, index], ctx, depth, lambda f: self.act(Op.ITEM, None, f, dest, nxt, ctx, e))
            case ast.Slice(lower=low, upper=high, step=step):
                parts = [p or ast.Constant(None) for p in (low, high, step)]
                return self.operands(parts, ctx, depth, lambda f: self.arena.node(Op.SLICE, None, f, dest, (nxt,)))
            case ast.BinOp(left=left, op=op, right=right):
                name = type(op).__name__
                return self.operands(
                    [left, right], ctx, depth, lambda f: self.act(Op.BINARY, name, f, dest, nxt, ctx, e)
                )
            case ast.UnaryOp(op=op, operand=operand):
                name = type(op).__name__
                return self.operands([operand], ctx, depth, lambda f: self.act(Op.UNARY, name, f, dest, nxt, ctx, e))
            case ast.Call():
                return self._call(e, dest, nxt, ctx, depth)
            case ast.Tuple() | ast.List() | ast.Set():
                return self._display(e, dest, nxt, ctx, depth)
            case ast.Dict():
                return self._dict(e, dest, nxt, ctx, depth)
            case ast.JoinedStr() | ast.FormattedValue():
                return self._fstring(e, dest, nxt, ctx, depth)
            case ast.Await(value=value):
                return self.operands([value], ctx, depth, lambda f: self.act(Op.AWAIT, None, f, dest, nxt, ctx, e))
            case ast.Yield(value=inner):
                given = [inner or ast.Constant(None)]
                return self.operands(given, ctx, depth, lambda f: self.act(Op.YIELD, None, f, dest, nxt, ctx, e))
            case ast.YieldFrom(value=value):
                return self.operands([value], ctx, depth, lambda f: self.act(Op.YIELD_FROM, None, f, dest, nxt, ctx, e))
            case ast.Lambda() | ast.ListComp() | ast.SetComp() | ast.DictComp() | ast.GeneratorExp():
                return self.opaque(e, dest, nxt, ctx)
            case ast.Starred(value=value):
                return self.operands([value], ctx, depth, lambda f: self.act(Op.SPREAD, None, f, dest, nxt, ctx, e))
        if type(e).__name__ == "TemplateStr":  # from Python 3.14 on
            return self._template(e, dest, nxt, ctx, depth)
        raise Unsupported(f"an expression Dreck does not know: {type(e).__name__}")

    def _choice(self, e: ast.expr, dest: str, nxt: Node, ctx: Context, depth: int) -> Node:
        match e:
            case ast.IfExp(test=test, body=body, orelse=orelse):
                then = self.expr(body, dest, nxt, ctx, depth)
                return self.cond(test, then, self.expr(orelse, dest, nxt, ctx, depth), ctx, depth)
            case ast.UnaryOp() | ast.Compare():
                const = self.arena.terms.const
                yes = self.arena.node(Op.MOVE, None, (const(True),), dest, (nxt,))
                no = self.arena.node(Op.MOVE, None, (const(False),), dest, (nxt,))
                if isinstance(e, ast.UnaryOp):
                    return self.value_asked(e.operand, no, yes, ctx, depth)
                return self.cond(e, yes, no, ctx, depth)
            case ast.BoolOp(op=op, values=values):
                # A fresh register: `dest` may be a local that a later operand still reads.
                held = f"%{depth}"
                node = self.expr(values[-1], dest, nxt, ctx, depth + 1)
                settled = self.arena.node(Op.MOVE, None, (held,), dest, (nxt,))
                for value in reversed(values[:-1]):
                    ways = (node, settled) if isinstance(op, ast.And) else (settled, node)
                    branch = self.branch(held, *ways, ctx, value, form_of(e) if was_asked(value) else None)
                    node = self.expr(value, held, branch, ctx, depth + 1)
                return node
        raise AssertionError(e)

    def _compare(self, e: ast.Compare, dest: str, nxt: Node, ctx: Context, depth: int) -> Node:
        if len(e.ops) == 1:
            return self._comparison(e.left, e.ops[0], e.comparators[0], dest, nxt, ctx, depth, e)
        held, left, right = f"%{depth}", f"%{depth + 1}", f"%{depth + 2}"
        settled = self.arena.node(Op.MOVE, None, (held,), dest, (nxt,))

        def link(at: int) -> Node:
            last = at == len(e.ops) - 1
            if last:
                after = settled
            else:
                on = self.arena.node(Op.MOVE, None, (right,), left, (link(at + 1),))
                after = self.branch(held, on, settled, ctx, e)
            test = self.act(Op.COMPARE, type(e.ops[at]).__name__, (left, right), held, after, ctx, e)
            return self._container(e.ops[at], e.comparators[at], right, test, ctx, depth + 3)

        return self.expr(e.left, left, link(0), ctx, depth + 1)

    def _chain_asked(self, e: ast.Compare, yes: Node, no: Node, ctx: Context, depth: int) -> Node:
        """A chain in a test: what each comparison gives is asked for its truth once."""
        held, left, right = f"%{depth}", f"%{depth + 1}", f"%{depth + 2}"
        for at in range(len(e.ops) - 1, -1, -1):
            branch = self.branch(held, yes, no, ctx, e)
            test = self.act(Op.COMPARE, type(e.ops[at]).__name__, (left, right), held, branch, ctx, e)
            yes = self._container(e.ops[at], e.comparators[at], right, test, ctx, depth + 3)
            if at:
                yes = self.arena.node(Op.MOVE, None, (right,), left, (yes,))
        return self.expr(e.left, left, yes, ctx, depth + 1)

    def value_asked(self, e: ast.expr, yes: Node, no: Node, ctx: Context, depth: int) -> Node:
        """Works `e` out as a value, and then asks for its truth: what it comes from may have been asked before."""
        if was_asked(without_not(e)):
            return self.operands([e], ctx, depth, lambda f: self.branch(f[0], yes, no, ctx, e))
        return self.cond(e, yes, no, ctx, depth)

    def _comparison(
        self,
        left: ast.expr,
        op: ast.cmpop,
        right: ast.expr,
        dest: str,
        nxt: Node,
        ctx: Context,
        depth: int,
        e: ast.expr,
    ) -> Node:
        name = type(op).__name__
        constants = self._constant_members(op, right)
        if constants is not None:
            return self.operands(
                [left], ctx, depth, lambda f: self.act(Op.COMPARE, name, (*f, constants), dest, nxt, ctx, e)
            )
        return self.operands([left, right], ctx, depth, lambda f: self.act(Op.COMPARE, name, f, dest, nxt, ctx, e))

    def _container(self, op: ast.cmpop, e: ast.expr, dest: str, nxt: Node, ctx: Context, depth: int) -> Node:
        constants = self._constant_members(op, e)
        if constants is not None:
            return self.arena.node(Op.MOVE, None, (constants,), dest, (nxt,))
        return self.expr(e, dest, nxt, ctx, depth)

    def _constant_members(self, op: ast.cmpop, e: ast.expr) -> Operand | None:
        """CPython makes one constant of a display of constants behind `in`; so do we."""
        if not isinstance(op, ast.In | ast.NotIn) or not isinstance(e, ast.Tuple | ast.List | ast.Set):
            return None
        members = [self._operand(item, "%") for item in e.elts]
        if any(isinstance(m, str) for m in members):
            return None
        return self.arena.terms.make("members" if isinstance(e, ast.Set) else "tuple", *members)

    def _call(self, e: ast.Call, dest: str, nxt: Node, ctx: Context, depth: int) -> Node:
        refuse_frame_reader(e)
        shape = (
            tuple("*" if isinstance(a, ast.Starred) else "" for a in e.args),
            tuple(k.arg for k in e.keywords),
        )
        if self._asks_above(e) and self.first is not None:
            own: list[ast.expr] = [ast.Name(self.first, ast.Load())]
            return self.operands(own, ctx, depth, lambda f: self.act(Op.SUPER, None, f, dest, nxt, ctx, e))
        given = [e.func, *e.args, *(k.value for k in e.keywords)]
        return self.operands(given, ctx, depth, lambda f: self.act(Op.CALL, shape, f, dest, nxt, ctx, e))

    def _asks_above(self, e: ast.Call) -> bool:
        """`super()` of Python's own."""
        named = isinstance(e.func, ast.Name) and e.func.id == "super" and not e.args and not e.keywords
        return named and self.means_builtin("super")

    def _display(self, e: ast.Tuple | ast.List | ast.Set, dest: str, nxt: Node, ctx: Context, depth: int) -> Node:
        shape = tuple("*" if isinstance(item, ast.Starred) else "" for item in e.elts)
        if isinstance(e, ast.Tuple) and not any(shape):
            return self.operands(e.elts, ctx, depth, lambda f: self.arena.node(Op.TUPLE, None, f, dest, (nxt,)))
        name = type(e).__name__
        op = Op.NEW_HASHED if isinstance(e, ast.Set) else Op.NEW
        return self.operands(e.elts, ctx, depth, lambda f: self.act(op, (name, shape), f, dest, nxt, ctx, e))

    def _dict(self, e: ast.Dict, dest: str, nxt: Node, ctx: Context, depth: int) -> Node:
        shape = tuple("**" if key is None else "" for key in e.keys)
        parts: list[ast.expr] = []
        for key, value in zip(e.keys, e.values, strict=True):
            parts += [ast.Starred(value, ast.Load())] if key is None else [key, value]
        op = Op.NEW if all(isinstance(key, ast.Constant) for key in e.keys) else Op.NEW_HASHED
        return self.operands(parts, ctx, depth, lambda f: self.act(op, ("Dict", shape), f, dest, nxt, ctx, e))

    def _fstring(self, e: ast.expr, dest: str, nxt: Node, ctx: Context, depth: int) -> Node:
        if isinstance(e, ast.FormattedValue):
            parts = [e.value, *([e.format_spec] if e.format_spec else [])]
            return self.operands(parts, ctx, depth, lambda f: self.act(Op.FORMAT, e.conversion, f, dest, nxt, ctx, e))
        assert isinstance(e, ast.JoinedStr)
        return self.operands(e.values, ctx, depth, lambda f: self.arena.node(Op.JOINED, None, f, dest, (nxt,)))

    def _template(self, e: Any, dest: str, nxt: Node, ctx: Context, depth: int) -> Node:
        """What is put into a template, with its own text, is worked out from left to right, the formats with it."""
        shape: list[Any] = []
        parts: list[ast.expr] = []
        for part in e.values:
            if isinstance(part, ast.Constant):
                shape.append(part.value)
                continue
            shape.append((part.str, part.conversion, part.format_spec is not None))
            parts += [part.value, *([part.format_spec] if part.format_spec is not None else [])]
        return self.operands(parts, ctx, depth, lambda f: self.act(Op.TEMPLATE, tuple(shape), f, dest, nxt, ctx, e))

    def opaque(self, e: ast.AST, dest: str, nxt: Node, ctx: Context) -> Node:
        """A comprehension, lambda, nested function or class: one act, equal when code and captured values are.

        Plain locals it reads are alpha-renamed, so that a renamed local still gives the same act.
        """
        inner = names_asked_outside(e)
        for call in walk(e):
            if isinstance(call, ast.Call):
                refuse_frame_reader(call)
        bound = names_bound_inside(e)
        captured = sorted(name for name in inner if name in self.scope.local and name not in self.scope.shared)
        walrus = sorted(n for n in walrus_targets(e) if n in self.scope.local and n not in self.scope.shared)
        for position, name in enumerate(walrus):
            stored = self.store(name, "%1", nxt, ctx)
            nxt = self.arena.node(Op.MAYBE_PART, position, (dest,), "%1", (stored,))
        plain = {
            name: f"{position}"
            for position, name in enumerate(captured)
            if name not in self.scope.captured and name not in bound and name not in walrus
        }
        code = ast.dump(Renaming(plain).visit(copied(e)) if plain else e)
        return self.act(Op.FUNCTION if makes_only(e) else Op.OPAQUE, code, tuple(captured), dest, nxt, ctx, e)

    # --- tests -------------------------------------------------------------------------------------

    def cond(self, e: ast.expr, yes: Node, no: Node, ctx: Context, depth: int) -> Node:
        """Evaluates `e` for its truth only and goes on at `yes` or `no`."""
        match e:
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                return self.cond(operand, no, yes, ctx, depth)
            case ast.BoolOp(op=ast.And(), values=values):
                for value in reversed(values):
                    yes = self.cond(value, yes, no, ctx, depth)
                return yes
            case ast.BoolOp(op=ast.Or(), values=values):
                for value in reversed(values):
                    no = self.cond(value, yes, no, ctx, depth)
                return no
            case ast.IfExp(test=test, body=body, orelse=orelse):
                then = self.cond(body, yes, no, ctx, depth)
                return self.cond(test, then, self.cond(orelse, yes, no, ctx, depth), ctx, depth)
            case ast.Constant(value=value):
                return yes if value else no
            case ast.Compare(ops=[ast.NotIn()]):
                return self.cond(turned_in(e), no, yes, ctx, depth)
            case ast.Compare(ops=[_, _, *_]):
                return self._chain_asked(e, yes, no, ctx, depth)
        return self.operands([e], ctx, depth, lambda f: self.branch(f[0], yes, no, ctx, e))


def turned_in(e: ast.Compare) -> ast.Compare:
    """`a in b` for `a not in b`, which is its opposite by definition (language reference, 6.10.2)."""
    return ast.copy_location(ast.Compare(e.left, [ast.In()], e.comparators), e)


def refuse_frame_reader(call: ast.Call) -> None:
    """Raises Unsupported for a call that sees local names as data, such as `locals()` or `eval(text)`."""
    match call.func:
        case ast.Name(id=name):
            sees = name in _FRAME_READERS or (name in _FRAME_READERS_WITHOUT_ARGUMENTS and not call.args)
        case ast.Attribute(attr=name):
            sees = name in _FRAME_READERS and name.endswith("frame")
        case _:
            return
    if sees:
        raise Unsupported(f"it calls {name}, which sees the names of a frame")
