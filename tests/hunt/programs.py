"""Random small functions, and random right and wrong rewrites of them.

A function has parameters `a`, `b`, `c`, calls `ev(n)`, which writes to a log, returns a value or raises, and
reads and writes `o.p` and `o.q`. Nests, loops, `try`, `with`, mixed exits.
"""

import ast
import copy
import random
from typing import Any

from tests.hunt.tables import asked_otherwise, with_table

NAMES = ("a", "b", "c", "x", "y")


_ROWS = (
    "{other} = sum({inside})", "{other} = any(i > {name} for i in (0, 1))", '{other} = ",".join(str({name}) for i in (1, 2))',
    "{other} = sorted((1, 2), key=lambda i: i * {name})", "{other} = max(list({inside}), key=lambda i: -i)",
    "{other} = sum({rows}, ({name} := 3))", "{other} = next({rows})", "{other} = next({rows}, {name})",
    '{other} = b",".join(str({name}).encode() for i in (1, 2))',
)  # fmt: skip
_ROWS_LATER = (
    "g = {rows}", "g = zip({rows}, (1, 2))", "g = (lambda: [{name}])()", "g = list((lambda: {name}) for i in (1, 2))",
    "g = sum((), {rows})", "g = next(iter(()), {rows})", "g = next((lambda: {name}) for i in (1, 2))",
    "{other} = list(g)", "{other} = list(g)", "{other} = [h() for h in list(g)]",
)  # fmt: skip


class Maker:
    """Makes one random function."""

    def __init__(self, pick: random.Random) -> None:
        self.pick = pick
        self.events = 0

    def function(self) -> str:
        body = ["x = 0", *(["r = []"] if self.pick.random() < 0.5 else []), *self.block(3, loop=False)]
        if any("list(g)" in line for line in body):
            body.insert(0, "g = ()")
        if self.pick.random() < 0.8:
            body.append(f"return {self.pick.choice((self.value(), self.value(), '(x, r)'))}")
        return with_table("def f(a, b, c, o, ev, xs):\n" + "\n".join(f"    {line}" for line in body) + "\n")

    def block(self, depth: int, loop: bool) -> list[str]:
        lines: list[str] = []
        for _ in range(self.pick.choice((1, 1, 2, 2, 3) if depth > 2 else (1, 1, 2))):
            lines += self.statement(depth, loop)
        return lines

    def statement(self, depth: int, loop: bool) -> list[str]:
        kinds = ["assign", "event", "exit", "attr", "aug", *(["rows"] if self.pick.random() < 0.3 else [])]
        if depth > 0:
            kinds += ["if"] * 6 + ["for", "for", "try", "while", "finally", "with", "match"]
        return getattr(self, "s_" + self.pick.choice(kinds))(depth, loop)

    def s_assign(self, depth: int, loop: bool) -> list[str]:
        return [f"{self.pick.choice(NAMES)} = {self.value()}"]

    def s_aug(self, depth: int, loop: bool) -> list[str]:
        return [f"{self.pick.choice('abx')} += {self.pick.choice(('1', 'c'))}"]

    def s_event(self, depth: int, loop: bool) -> list[str]:
        if self.pick.random() < 0.3:
            return [self.pick.choice(("r.append(x)", "r.append(o.p)", "r.append(1)", "x = r", "x = len(r)"))]
        return [self.event()]

    def s_rows(self, depth: int, loop: bool) -> list[str]:
        """What sees variables as they are: at once, or when it is gone through later."""
        name, other = self.pick.choice("abx"), self.pick.choice("abx")
        rows = f"({name} + i for i in (1, 2))"
        return [self.pick.choice((*_ROWS, *_ROWS_LATER)).format(name=name, other=other, rows=rows, inside=rows[1:-1])]

    def s_attr(self, depth: int, loop: bool) -> list[str]:
        place = self.pick.choice(("o.p", "o.q", "o.p", "o['k']", "o[0]"))
        return [f"{place} = {self.value()}"]

    def s_exit(self, depth: int, loop: bool) -> list[str]:
        exits = [f"return {self.value()}", "raise ValueError(1)", "pass"]
        return [self.pick.choice(exits + (["break", "continue", "continue"] if loop else []))]

    def s_if(self, depth: int, loop: bool) -> list[str]:
        lines = [f"if {self.test()}:", *self.inner(depth, loop)]
        if self.pick.random() < 0.3:
            lines += [f"elif {self.test()}:", *self.inner(depth, loop)]
        if self.pick.random() < 0.6:
            lines += ["else:", *self.inner(depth, loop)]
        return lines

    def s_for(self, depth: int, loop: bool) -> list[str]:
        lines = [f"for y in {self.pick.choice(('xs', '(1, 2)', '(0, 1, 2)'))}:", *self.inner(depth, True)]
        return lines + (["else:", *self.inner(depth, loop)] if self.pick.random() < 0.3 else [])

    def s_while(self, depth: int, loop: bool) -> list[str]:
        return [f"while {self.event()}:", *self.inner(depth, True)]

    def s_try(self, depth: int, loop: bool) -> list[str]:
        lines = ["try:", *self.inner(depth, loop), f"except {self.pick.choice(('ValueError', 'KeyError as y'))}:"]
        lines += self.inner(depth, loop)
        if self.pick.random() < 0.3:
            lines += ["else:", *self.inner(depth, loop)]
        return lines

    def s_finally(self, depth: int, loop: bool) -> list[str]:
        return ["try:", *self.inner(depth, loop), "finally:", f"    {self.event()}"]

    def s_with(self, depth: int, loop: bool) -> list[str]:
        return ["with o as y:", *self.inner(depth, loop)]

    def s_match(self, depth: int, loop: bool) -> list[str]:
        if self.pick.random() < 0.4:
            return self.match_of_two(depth, loop)
        lines = [f"match {self.pick.choice(NAMES[:3])}:", f"    case {self.pick.choice(('0', '1 | 2', 'None'))}:"]
        lines += [f"    {line}" for line in self.inner(depth, loop)]
        lines.append(f"    case {self.pick.choice(('2', '_', 'y'))}:")
        return lines + [f"    {line}" for line in self.inner(depth, loop)]

    def match_of_two(self, depth: int, loop: bool) -> list[str]:
        asked = self.pick.choice(("a, b", "b, a", "x, a", f"a, {self.event()}", f"{self.event()}, {self.event()}"))
        first = self.pick.choice(
            ("0, _", "1, 2", "(0, 1) | (1, 0)", "y, 1", "(_, None)", "1, y if y", "True, x", "[y]", "_, y, _")
        )
        lines = [f"match {asked}:", f"    case {first}:", *(f"    {line}" for line in self.inner(depth, loop))]
        lines.append(f"    case {self.pick.choice(('2, x', '_', 'y, _', '1, 1'))}:")
        return lines + [f"    {line}" for line in self.inner(depth, loop)]

    def inner(self, depth: int, loop: bool) -> list[str]:
        return [f"    {line}" for line in self.block(depth - 1, loop)]

    def event(self) -> str:
        self.events += 1
        return f"ev({self.events}, {self.pick.choice(('a', 'x', '0'))})"

    def value(self) -> str:
        return self.pick.choice(
            ("0", "1", "None", "a", "b", "x", "y", "(a, x)", "o.p", "a == 1", "not b", "a and b", "[]", "o['k']")
        )

    def test(self) -> str:
        one = (
            "a",
            "b",
            "x",
            "not a",
            "a == 1",
            "b != 2",
            "o == 1",
            "o != 1",
            "o != b",
            "c < 2",
            "c >= 2",
            "a is None",
            "x is not None",
            "o.p",
            "o.q == 1",
            "a in (0, 2)",
            "a not in (0, 2)",
            "b not in xs",
            "b > c",
            "o.p < 2",
            "o['k'] == 1",
            "o[0] == 1",
            "o.get('k') == 1",
            "o.get('z', 0) == 0",
            "isinstance(a, int)",
            "len(xs) > 1",
            self.event(),
        )
        first = self.pick.choice(one)
        if self.pick.random() < 0.25:
            return f"{first} {self.pick.choice(('and', 'or'))} {self.pick.choice(one)}"
        return first


def rewritten(code: str, pick: random.Random) -> str:
    """A random change of one place: some keep what the function does, most do not."""
    if "d = {" in code and pick.random() < 0.6:
        return asked_otherwise(code, pick)
    tree = ast.parse(code)
    nodes = [
        (n, field)
        for n in ast.walk(tree)
        for field, v in ast.iter_fields(n)
        if isinstance(v, list) and v and isinstance(v[0], ast.stmt) and not isinstance(n, ast.Module)
    ]
    looping = [(n, field) for n, field in nodes if any(map(_goes_through_constants, getattr(n, field)))]
    if looping and pick.random() < 0.6:
        _written_out(getattr(*pick.choice(looping)), pick)
        return ast.unparse(ast.fix_missing_locations(tree)) + "\n"
    for _ in range(pick.choice((1, 1, 1, 2))):
        node, field = pick.choice(nodes)
        body: list[ast.stmt] = getattr(node, field)
        if body:
            pick.choice(_CHANGES)(body, pick.randrange(len(body)), pick)
        if not body:
            body.append(ast.Pass())
    return ast.unparse(ast.fix_missing_locations(tree)) + "\n"


def _swap(body: list[Any], i: int, pick: random.Random) -> None:
    j = pick.randrange(len(body))
    body[i], body[j] = body[j], body[i]


def _drop(body: list[Any], i: int, pick: random.Random) -> None:
    del body[i]


def _double(body: list[Any], i: int, pick: random.Random) -> None:
    body.insert(i, copy.deepcopy(body[i]))


def _turn(body: list[Any], i: int, pick: random.Random) -> None:
    s = body[i]
    if isinstance(s, ast.If):
        s.test = _turned(s.test, pick)
        if pick.random() < 0.7:
            s.body, s.orelse = s.orelse or [ast.Pass()], s.body


_OPPOSITE: dict[type, ast.cmpop] = {
    ast.Eq: ast.NotEq(), ast.NotEq: ast.Eq(), ast.Is: ast.IsNot(), ast.IsNot: ast.Is(), ast.In: ast.NotIn(),
    ast.NotIn: ast.In(), ast.Lt: ast.GtE(), ast.GtE: ast.Lt(), ast.Gt: ast.LtE(), ast.LtE: ast.Gt(),
}  # fmt: skip


def _turned(test: ast.expr, pick: random.Random) -> ast.expr:
    """`not a == 1`, or as people write it: `a != 1`."""
    if isinstance(test, ast.Compare) and len(test.ops) == 1 and pick.random() < 0.6:
        return ast.Compare(test.left, [_OPPOSITE[type(test.ops[0])]], test.comparators)
    return ast.UnaryOp(ast.Not(), test)


def _unnest(body: list[Any], i: int, pick: random.Random) -> None:
    s = body[i]
    if isinstance(s, ast.If) and s.orelse:
        body[i + 1 : i + 1] = s.orelse
        s.orelse = []


def _nest(body: list[Any], i: int, pick: random.Random) -> None:
    s = body[i]
    if isinstance(s, ast.If) and not s.orelse and i + 1 < len(body):
        s.orelse = body[i + 1 :]
        del body[i + 1 :]


def _guard(body: list[Any], i: int, pick: random.Random) -> None:
    s = body[i]
    if isinstance(s, ast.If) and not s.orelse:
        leaving = pick.choice((ast.Return(None), ast.Return(ast.Constant(None)), ast.Return(ast.Name("x", ast.Load()))))
        body[i : i + 1] = [ast.If(ast.UnaryOp(ast.Not(), s.test), [leaving], []), *s.body]


def _early(body: list[Any], i: int, pick: random.Random) -> None:
    s = body[i]
    if isinstance(s, ast.Assign):
        body.insert(i + 1, ast.Return(s.targets[0] if pick.random() < 0.5 else s.value))
        body[i + 1].value = ast.parse(ast.unparse(body[i + 1].value), mode="eval").body


def _temporary(body: list[Any], i: int, pick: random.Random) -> None:
    s = body[i]
    if isinstance(s, ast.If | ast.Return) and getattr(s, "test", getattr(s, "value", None)) is not None:
        field = "test" if isinstance(s, ast.If) else "value"
        body.insert(i, ast.Assign([ast.Name("t", ast.Store())], getattr(s, field)))
        setattr(s, field, ast.Name("t", ast.Load()))


def _into_branches(body: list[Any], i: int, pick: random.Random) -> None:
    s = body[i]
    if isinstance(s, ast.If) and i + 1 < len(body):
        following = body.pop(i + 1)
        s.body = [*s.body, following]
        s.orelse = [*s.orelse, copy.deepcopy(following)]


def _constant(body: list[Any], i: int, pick: random.Random) -> None:
    constants = [n for n in ast.walk(body[i]) if isinstance(n, ast.Constant) and type(n.value) is int]
    if constants:
        pick.choice(constants).value = pick.choice((0, 1, 2))


def _operator(body: list[Any], i: int, pick: random.Random) -> None:
    tests = [n for n in ast.walk(body[i]) if isinstance(n, ast.Compare | ast.BoolOp)]
    if tests:
        test = pick.choice(tests)
        if isinstance(test, ast.Compare):
            test.ops = [pick.choice((ast.Lt(), ast.LtE(), ast.Eq(), ast.NotEq(), ast.Gt(), ast.GtE()))]
        else:
            test.op = pick.choice((ast.And(), ast.Or()))


def _goes_through_constants(s: ast.stmt) -> bool:
    return isinstance(s, ast.For) and isinstance(s.iter, ast.Tuple)


def _written_out(body: list[Any], pick: random.Random) -> None:
    """A loop over constants, round by round: right where nothing leaves a round, and only in this order."""
    loop = pick.choice([s for s in body if _goes_through_constants(s)])
    rounds = list(loop.iter.elts)
    if pick.random() < 0.3:
        pick.shuffle(rounds)
    inside = [part for s in loop.body for part in ast.walk(s)]
    if not any(isinstance(n, ast.Break | ast.Continue) for n in inside):
        at = body.index(loop)
        made = [part for item in rounds for part in (ast.Assign([loop.target], item), *copy.deepcopy(loop.body))]
        body[at : at + 1] = [*made, *loop.orelse]


def _exit(body: list[Any], i: int, pick: random.Random) -> None:
    body[i] = pick.choice(
        (ast.Return(None), ast.Pass(), ast.Return(ast.Name("x", ast.Load())), ast.Return(ast.Constant(1)))
    )


_CHANGES = (
    _swap,
    _drop,
    _double,
    _turn,
    _turn,
    _turn,
    _unnest,
    _unnest,
    _nest,
    _nest,
    _guard,
    _guard,
    _early,
    _temporary,
    _temporary,
    _into_branches,
    _into_branches,
    _constant,
    _operator,
    _exit,
)
