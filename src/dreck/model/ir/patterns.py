"""Lowering of `match` patterns to tests (PEP 634): names are bound once the whole pattern has matched."""

import ast

from dreck.model.ir.context import Context
from dreck.model.ir.expressions import Expressions
from dreck.model.ir.graph import Node
from dreck.model.ir.naming import Unsupported
from dreck.model.ir.operations import Op


class Several(tuple[str, ...]):
    """The registers of what a match asks for at once: `match kind, wet:` makes a tuple that nobody else ever sees."""


def displayed(s: ast.Match) -> list[ast.expr]:
    """The parts of a subject that is a display of a tuple, where every case takes each part by itself, or none."""
    parts = s.subject.elts if isinstance(s.subject, ast.Tuple) else []
    fits = not any(isinstance(part, ast.Starred) for part in parts)
    return parts if fits and all(_is_by_part(case.pattern, len(parts)) for case in s.cases) else []


def _is_by_part(p: ast.pattern, size: int) -> bool:
    match p:
        case ast.MatchAs(pattern=None, name=None):
            return True
        case ast.MatchSequence(patterns=patterns):
            return len(patterns) == size and not any(isinstance(part, ast.MatchStar) for part in patterns)
        case ast.MatchOr(patterns=patterns):
            return all(_is_by_part(one, size) for one in patterns)
    return False


class Patterns(Expressions):
    """Pattern lowering: `pattern` tests a register and goes on at `yes` or `no`."""

    def pattern(self, p: ast.pattern, subject: str | Several, yes: Node, no: Node, ctx: Context) -> Node:
        captures: list[str] = []
        _collect(p, captures)
        for name in reversed(captures):
            yes = self.store(name, f"%cap.{name}", yes, ctx)
        if isinstance(subject, Several):
            return self._by_part(p, subject, yes, no, ctx)
        return self._test(p, subject, yes, no, ctx, 0)

    def _by_part(self, p: ast.pattern, subject: Several, yes: Node, no: Node, ctx: Context) -> Node:
        """A tuple of that length it is: each part against its own pattern, from the left."""
        match p:
            case ast.MatchSequence(patterns=patterns):
                for one, register in zip(reversed(patterns), reversed(subject), strict=True):
                    yes = self._test(one, register, yes, no, ctx, 0)
                return yes
            case ast.MatchOr(patterns=patterns):
                for alternative in reversed(patterns):
                    no = self._by_part(alternative, subject, yes, no, ctx)
                return no
        return yes

    def _test(self, p: ast.pattern, subject: str, yes: Node, no: Node, ctx: Context, depth: int) -> Node:
        match p:
            case ast.MatchValue(value=value):
                return self._compared("Eq", value, subject, yes, no, ctx)
            case ast.MatchSingleton(value=value):
                return self._compared("Is", ast.Constant(value), subject, yes, no, ctx)
            case ast.MatchAs(pattern=inner, name=name):
                kept = self.arena.node(Op.MOVE, None, (subject,), f"%cap.{name}", (yes,)) if name else yes
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

    def _compared(self, op: str, value: ast.expr, subject: str, yes: Node, no: Node, ctx: Context) -> Node:
        asked = self.branch("%0", yes, no, ctx, value)
        return self.operands(
            [value], ctx, 1, lambda f: self.act(Op.COMPARE, op, (subject, *f), "%0", asked, ctx, value)
        )

    def _sequence(
        self, patterns: list[ast.pattern], subject: str, yes: Node, no: Node, ctx: Context, depth: int
    ) -> Node:
        star = next((i for i, p in enumerate(patterns) if isinstance(p, ast.MatchStar)), None)
        for position in range(len(patterns) - 1, -1, -1):
            part = f"%pat{ctx.depth}.{depth}.{position}"
            inner = patterns[position]
            if isinstance(inner, ast.MatchStar):
                inner = ast.MatchAs(None, inner.name)
            yes = self._test(inner, part, yes, no, ctx, depth + 1)
            yes = self.act(Op.PATTERN_PART, (len(patterns), star, position), (subject,), part, yes, ctx)
        asked = self.branch("%0", yes, no, ctx)
        return self.act(Op.PATTERN_SEQUENCE, (len(patterns), star), (subject,), "%0", asked, ctx)

    def _class(self, p: ast.MatchClass, subject: str, yes: Node, no: Node, ctx: Context, depth: int) -> Node:
        """Class, `isinstance` and all attributes at once, then the patterns of these (language reference, 8.6.4.9)."""
        kind, found = f"%cls{ctx.depth}.{depth}", f"%has{ctx.depth}.{depth}"
        asked = (len(p.patterns), tuple(p.kwd_attrs))
        if not p.patterns and not p.kwd_patterns:
            test = self.branch("%0", yes, no, ctx, p)
            return self.expr(
                p.cls, kind, self.act(Op.PATTERN_CLASS, asked, (subject, kind), "%0", test, ctx, p), ctx, 1
            )
        parts = self._parts([*p.patterns, *p.kwd_patterns], found, yes, no, ctx, depth)
        test = self._got(found, parts, no, ctx, p)
        return self.expr(p.cls, kind, self.act(Op.PATTERN_CLASS, asked, (subject, kind), found, test, ctx, p), ctx, 1)

    def _mapping(self, p: ast.MatchMapping, subject: str, yes: Node, no: Node, ctx: Context, depth: int) -> Node:
        """A mapping of enough keys, then the keys are evaluated and all looked up, then the patterns of the values."""
        if p.rest is not None:
            raise Unsupported("a mapping pattern with **rest")
        if p.keys:
            found = f"%got{ctx.depth}.{depth}"
            parts = self._parts(p.patterns, found, yes, no, ctx, depth)
            test = self._got(found, parts, no, ctx, p)
            yes = self.operands(
                p.keys, ctx, 1, lambda f: self.act(Op.PATTERN_KEYS, len(f), (subject, *f), found, test, ctx, p)
            )
        asked = self.branch("%0", yes, no, ctx, p)
        return self.act(Op.PATTERN_MAPPING, len(p.keys), (subject,), "%0", asked, ctx, p)

    def _parts(self, patterns: list[ast.pattern], whole: str, yes: Node, no: Node, ctx: Context, depth: int) -> Node:
        for position in range(len(patterns) - 1, -1, -1):
            part = f"%pat{ctx.depth}.{depth}.{position}"
            yes = self._test(patterns[position], part, yes, no, ctx, depth + 1)
            yes = self.arena.node(Op.PART, position, (whole,), part, (yes,))
        return yes

    def _got(self, register: str, yes: Node, no: Node, ctx: Context, source: ast.AST) -> Node:
        """What a pattern looked up is None when something is missing."""
        none = self.arena.terms.const(None)
        return self.act(
            Op.COMPARE, "IsNot", (register, none), "%0", self.branch("%0", yes, no, ctx, source), ctx, source
        )


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
