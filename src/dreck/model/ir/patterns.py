"""Lowering of `match` patterns to tests (PEP 634): names are bound once the whole pattern has matched."""

import ast
from typing import TYPE_CHECKING

from dreck.model.ir.expressions import Expressions, Unsupported
from dreck.model.ir.graph import Node

if TYPE_CHECKING:
    from dreck.model.ir.lowering import Context


class Patterns(Expressions):
    """Pattern lowering: `pattern` tests a register and goes on at `yes` or `no`."""

    def pattern(self, p: ast.pattern, subject: str, yes: Node, no: Node, ctx: "Context") -> Node:
        captures: list[str] = []
        _collect(p, captures)
        for name in reversed(captures):
            yes = self.store(name, f"%cap.{name}", yes, ctx)
        return self._test(p, subject, yes, no, ctx, 0)

    def _test(self, p: ast.pattern, subject: str, yes: Node, no: Node, ctx: "Context", depth: int) -> Node:
        match p:
            case ast.MatchValue(value=value):
                return self._compared("Eq", value, subject, yes, no, ctx)
            case ast.MatchSingleton(value=value):
                return self._compared("Is", ast.Constant(value), subject, yes, no, ctx)
            case ast.MatchAs(pattern=inner, name=name):
                kept = self.arena.node("move", None, (subject,), f"%cap.{name}", (yes,)) if name else yes
                return kept if inner is None else self._test(inner, subject, kept, no, ctx, depth)
            case ast.MatchOr(patterns=patterns):
                for alternative in reversed(patterns):
                    no = self._test(alternative, subject, yes, no, ctx, depth)
                return no
            case ast.MatchSequence(patterns=patterns):
                return self._sequence(patterns, subject, yes, no, ctx, depth)
            case ast.MatchClass():
                return self._class(p, subject, yes, no, ctx, depth)
            case ast.MatchMapping():
                return self._mapping(p, subject, yes, no, ctx, depth)
        raise Unsupported("a pattern Dreck does not know")

    def _compared(self, op: str, value: ast.expr, subject: str, yes: Node, no: Node, ctx: "Context") -> Node:
        asked = self.arena.node("branch", None, ("%0",), None, (yes, no), ctx.exc, value)
        return self.operands([value], ctx, 1, lambda f: self.act("compare", op, (subject, *f), "%0", asked, ctx, value))

    def _sequence(
        self, patterns: list[ast.pattern], subject: str, yes: Node, no: Node, ctx: "Context", depth: int
    ) -> Node:
        star = next((i for i, p in enumerate(patterns) if isinstance(p, ast.MatchStar)), None)
        for position in range(len(patterns) - 1, -1, -1):
            part = f"%pat{ctx.depth}.{depth}.{position}"
            inner = patterns[position]
            if isinstance(inner, ast.MatchStar):
                inner = ast.MatchAs(None, inner.name)
            yes = self._test(inner, part, yes, no, ctx, depth + 1)
            yes = self.act("pattern part", (len(patterns), star, position), (subject,), part, yes, ctx)
        asked = self.arena.node("branch", None, ("%0",), None, (yes, no), ctx.exc)
        return self.act("pattern sequence", (len(patterns), star), (subject,), "%0", asked, ctx)

    def _class(self, p: ast.MatchClass, subject: str, yes: Node, no: Node, ctx: "Context", depth: int) -> Node:
        kind = f"%cls{ctx.depth}.{depth}"
        inner = [*p.patterns, *p.kwd_patterns]
        names: list[int | str] = [*range(len(p.patterns)), *p.kwd_attrs]
        for position in range(len(inner) - 1, -1, -1):
            part = f"%pat{ctx.depth}.{depth}.{position}"
            found = f"%has{ctx.depth}.{depth}.{position}"
            yes = self._test(inner[position], part, yes, no, ctx, depth + 1)
            yes = self.act("pattern field", names[position], (subject, kind), part, yes, ctx)
            yes = self.arena.node("branch", None, (found,), None, (yes, no), ctx.exc)
            yes = self.act("pattern has", names[position], (subject, kind), found, yes, ctx)
        asked = self.arena.node("branch", None, ("%0",), None, (yes, no), ctx.exc)
        tested = self.act("pattern class", len(p.patterns), (subject, kind), "%0", asked, ctx)
        return self.expr(p.cls, kind, tested, ctx, 1)

    def _mapping(self, p: ast.MatchMapping, subject: str, yes: Node, no: Node, ctx: "Context", depth: int) -> Node:
        if p.rest is not None:
            raise Unsupported("a mapping pattern with **rest")
        for position in range(len(p.keys) - 1, -1, -1):
            part = f"%pat{ctx.depth}.{depth}.{position}"
            yes = self._test(p.patterns[position], part, yes, no, ctx, depth + 1)
            yes = self.act("pattern value", ast.dump(p.keys[position]), (subject,), part, yes, ctx)
        codes = tuple(ast.dump(key) for key in p.keys)
        asked = self.arena.node("branch", None, ("%0",), None, (yes, no), ctx.exc)
        return self.act("pattern mapping", codes, (subject,), "%0", asked, ctx)


def _collect(p: ast.AST, found: list[str]) -> None:
    match p:
        case ast.MatchAs(pattern=inner, name=name):
            if inner is not None:
                _collect(inner, found)
            if name is not None and name not in found:
                found.append(name)
            return
        case ast.MatchStar(name=name):
            if name is not None and name not in found:
                found.append(name)
            return
    for child in ast.iter_child_nodes(p):
        _collect(child, found)
