"""Random modules in the prover's whole language, and random right and wrong rewrites of them.

A module has classes that derive from one another, some of which misbehave, an enum, a row class, tables, helpers of
several makes, and a function `f(a, b, c, o, ev, xs)` that uses them.
"""

import ast
import copy
import random
from typing import Any

from dreck.model.names.bindings import bound_by
from tests.hunt.hidden import arms_exchanged, asked_once, asked_twice, hidden, shaping
from tests.hunt.limits import LIMITS, MADE_OF_IT, TESTS, limit_otherwise, reads_limit
from tests.hunt.parts import (
    BANDS,
    BODIES,
    CHANGES,
    COMPUTED,
    DESCRIBED,
    ENUMS,
    FILLED,
    GENERATORS,
    HEAD,
    HELD,
    HELPERS,
    MORTAL,
    ROWS,
    SHOWN,
    SPECIAL,
    STARTED,
    TABLES,
    TYPES,
)
from tests.hunt.programs import Maker, rewritten
from tests.hunt.suspending import WAITING, put, suspended, waits_otherwise


class ModuleMaker(Maker):
    """Makes one random module."""

    mortal = described = False
    share_of_mortals = 0.12

    def module(self) -> str:
        pick = self.pick.choice
        shaped = shaping(self.pick)
        parts = [HEAD, pick(FILLED), self.family(), shaped, pick(ENUMS), pick(ROWS), pick(HELPERS), pick(GENERATORS)]
        self.mortal, self.described = self.pick.random() < self.share_of_mortals, self.pick.random() < 0.1
        parts += [
            MORTAL + HELD if self.mortal else "",
            SHOWN if self.described else "",
            pick(TABLES),
            pick(BANDS),
            pick(LIMITS) + pick(MADE_OF_IT),
            pick(CHANGES),
            "RULES = (lambda v: v == 1, lambda v: v is None)\n",
        ]
        function = asked_twice(self.function(), self.pick) if shaped else self.function()
        clears_up = any("'left'" in part for part in parts) and self.pick.random() < 0.5
        if self.described or self.mortal or clears_up:
            told = DESCRIBED if self.described else "    m = Mortal()\n" if self.mortal else STARTED
            head, _, body = function.partition("\n")
            function = f"{head}\n{told}{body}"
        if self.described and self.pick.random() < 0.3:
            function = f"@shown\n{function}"
        if self.pick.random() < 0.4:
            whole = self.pick.choice(("int", "int", "Whole", "int | None"))
            parts += [pick(TYPES)] if whole == "Whole" else []
            function = function.replace("def f(a, b, c,", f"def f(a: {whole}, b: {whole}, c: float,")
        function = suspended(function, self.pick)
        parts += [WAITING] if "aev" in function or "Gate" in function or "walked" in function else []
        return "".join(parts) + function

    def family(self) -> str:
        found = ""
        for name, bases in (
            ("A", self.pick.choice(("", "", "", "", "(int)", "(str)"))),
            ("B", "(A)"),
            ("C", "(A)"),
            ("D", self.pick.choice(("(B, C)", "(C, B)", "(B)"))),
        ):
            lines = ["    n = 1\n" if name == "A" else ""]
            if name == "A" or self.pick.random() < 0.5:
                bodies = [b for b in BODIES if name != "A" or "super" not in b]
                lines.append(f"    def size(self):\n        {self.pick.choice(bodies)}\n")
            lines.append(self.pick.choice(SPECIAL) if self.pick.random() < 0.3 else "")
            lines.append(self.pick.choice(COMPUTED) if name in "AC" and self.pick.random() < 0.6 else "")
            text = f"class {name}{bases}:\n" + ("".join(lines) or "    pass\n")
            found += hidden(text, name, self.pick) if name == "D" and self.pick.random() < 0.3 else text
        return found

    def statement(self, depth: int, loop: bool) -> list[str]:
        if self.pick.random() < 0.35:
            kinds = ["special", "special", "nested", "raising"] + (
                ["patterns", "handling", "kinds"] if depth > 0 else []
            )
            return getattr(self, "s_" + self.pick.choice(kinds))(depth, loop)
        return super().statement(depth, loop)

    def s_special(self, depth: int, loop: bool) -> list[str]:
        if self.mortal and self.pick.random() < 0.5:
            return [
                self.pick.choice(
                    (
                        "x = Mortal()",
                        "y = Mortal()",
                        "y = None",
                        "Mortal()",
                        "helper(Mortal())",
                        "LOG.append(1)",
                        "HELD[1] = Mortal()",
                        "y = HELD[1] = Mortal()",
                        "x = 1 in HELD",
                        "it = rows(xs)",
                        "next(it, 0)",
                    )
                )
            ]
        if self.described and self.pick.random() < 0.3:
            return [self.pick.choice(("x = f.__doc__", "x = f.__code__.co_nlocals", "x = f.__name__"))]
        return [f"x = {self.pick.choice(self.special())}"]

    def special(self) -> tuple[str, ...]:
        return (
            "helper(a)", "helper(x, b)", "o.size()", "o.kilos", "Row(a, b).x", "Row(a, 1).y", "TABLE.get(a, 0)",
            "a in TABLE", "a not in TABLE", "TABLE[a]", "Kind.GLASS", "a == Kind.PAPER", "o == 1", "o == 'k'", "o in (1, 2)", "o in {1, 2}", "TABLE.get(o, 0)", "o == b", "1 in o", "len(o)", "o is b", "(a,) is x", "o.size is o.size",
            "next((n for k, n in BANDS if a < k), 0)", "any(r(a) for r in RULES)", "all(r(b) for r in RULES)",
            "[v for v in xs]", "[y := v for v in xs]", f"(lambda i={self.event()}: i)()", "(lambda: x)()", "list(rows(xs))",
            "f'{a}!'", "f'k{a}'", "f'{\"k\"}{a}'", "f'{o}'", "LIMIT", "{a, b}", "type(o) is B", "len(xs)", "bool(a)", "bool(o == 1)", "a if b else c",
            "(c := a)", "next(rows(xs), 0)", "helper(y=a, x=b)", "A.size(o)", "sum(xs, a)",
            "o['k'] == 1", "o['k']", "o.get('k', 0) == 1", "o.get('k', 0)", "b['k']", "FILLED['k']", "len(FILLED)",
        )  # fmt: skip

    def s_nested(self, depth: int, loop: bool) -> list[str]:
        return self.pick.choice(
            (
                ["def g(i=" + self.event() + "):", "    nonlocal x", "    x = i", "    return x", "g()"],
                ["def g():", "    return x", "x = b", "x = g()"],
                ["@ev2", "def g():", "    return 1", "x = g()"],
                ["g = [lambda: y for y in xs]", "x = [h() for h in g]"],
            )
        )

    def s_raising(self, depth: int, loop: bool) -> list[str]:
        return [
            self.pick.choice(("raise KeyError(a) from None", "raise ValueError(x)", "raise", "assert a, b", "del x"))
        ]

    def s_handling(self, depth: int, loop: bool) -> list[str]:
        kind = self.pick.choice(("ValueError", "(KeyError, ValueError) as y", "Exception as y"))
        last = self.pick.choice(
            ("raise", "raise KeyError(1) from None", "x = helper(a)", "raise KeyError(2)", "x = o.kilos")
        )
        return ["try:", *self.inner(depth, loop), f"except {kind}:", f"    {last}"]

    def s_patterns(self, depth: int, loop: bool) -> list[str]:
        first = self.pick.choice(
            ("A()", "B(n=1)", "Kind.GLASS", "[y, _]", "{'k': y}", "int()", "1 | 2", "None", "(y, 1) | (1, y)")
        )
        second = self.pick.choice(("D()", "bool()", "y if y", "Kind.PAPER", "_"))
        lines = [f"match {self.pick.choice(('o', 'a', 'x'))}:", f"    case {first}:"]
        lines += [f"    {line}" for line in self.inner(depth, loop)] + [f"    case {second}:"]
        return lines + [f"    {line}" for line in self.inner(depth, loop)]

    def s_kinds(self, depth: int, loop: bool) -> list[str]:
        one, other = self.pick.sample(("A", "B", "C", "D", "(B, C)", "int", "bool"), 2)
        lines = [f"if isinstance(o, {one}):", *self.inner(depth, loop), f"elif isinstance(o, {other}):"]
        return [*lines, *self.inner(depth, loop)]

    def value(self) -> str:
        return self.pick.choice(self.special()) if self.pick.random() < 0.2 else super().value()

    def test(self) -> str:
        if self.pick.random() < 0.12:
            return self.pick.choice(TESTS)
        if self.pick.random() < 0.15:
            return self.pick.choice(
                ("a // 2 == 0", "a % 2 == 1", "b // -2 == -1", "a + b > 2", "a - b < 1", "2 * a > b", "a >= b + 1", "a * b == 0",
                 "a is True", "isinstance(a, bool)", "c < 1.5", "a < b + c", "0 <= a < 2", "a + 0 == b")
            )  # fmt: skip
        if self.pick.random() < 0.3:
            return self.pick.choice(
                ("o", "o == 1", "o.kilos == 1", "isinstance(o, B)", "a == Kind.GLASS", "o.size() > 1", "helper(a)", "o is not a",
                 "a in TABLE", "a not in TABLE", "a not in xs", "o < 1", "x is True", "LIMIT == 2", "any(r(a) for r in RULES)", "o.n == 1", "1 <= a < 2")
            )  # fmt: skip
        return super().test()


def module_rewritten(code: str, pick: random.Random) -> str:
    """A random change of the function, or of something around it."""
    tree = ast.parse(code)
    function = next(n for n in tree.body if isinstance(n, _FUNCTIONS) and n.name == "f")
    first = function.body[0]
    chance = pick.random()
    if isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant) and chance < 0.4:
        first.value = ast.Constant("what it says now")
    elif arms_exchanged(function, pick) or (chance < 0.6 and asked_once(function)):
        pass
    elif ("class Mortal" in code or "'left'" in code) and chance < 0.3:
        _lets_go(tree, function, pick)
    elif pick.random() < 0.7 and reads_limit(function):
        limit_otherwise(tree, function, pick)
    elif pick.random() < 0.3 and _waits(function):
        waits_otherwise(tree, function, pick)
    elif chance < 0.55:
        changed = ast.parse(rewritten(ast.unparse(function), pick)).body[0]
        tree.body[tree.body.index(function)] = changed
    elif chance < 0.85:
        pick.choice(_REFACTORINGS)(tree, function, pick)
    elif chance < 0.93:
        _around(tree, pick)
    else:
        _at_import(tree, pick)
    return ast.unparse(ast.fix_missing_locations(tree)) + "\n"


_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)
_AT_IMPORT = (
    "import typing\nif typing.TYPE_CHECKING:\n    TABLE.clear()\n",
    "from typing import TYPE_CHECKING\nif TYPE_CHECKING:\n    LIMIT = helper(3)\n",
    "import typing\nif typing.TYPE_CHECKING:\n    pass\nelse:\n    TABLE.clear()\n",
    "TYPE_CHECKING = True\nif TYPE_CHECKING:\n    TABLE.clear()\n",
    "import sys\nLINUX = sys.platform.startswith('lin')\n",
    "import sys\nif sys.platform.startswith('lin'):\n    TABLE.clear()\n",
    "@lambda g: TABLE.clear() or g\ndef weigh(n):\n    return n\n",
    "import functools\n@functools.cache\ndef weigh(n):\n    return n\n",
    "def weigh(n=TABLE.clear()):\n    return n\n",
    "def weigh(n: TABLE.clear() = 3):\n    return n\n",
    "class Kept:\n    TABLE.clear()\n",
    "class Kept:\n    kilos = TABLE.clear()\n",
    "class Kept:\n    def __init_subclass__(cls):\n        TABLE.clear()\nclass Found(Kept):\n    pass\n",
    "FIRST = [TABLE.clear() for n in (1,)]\n",
    "FIRST = [n for n in (1, 2)]\n",
)
"""What a module may do beside, or not do, when it is imported."""


def _waits(function: ast.AST) -> bool:
    return any(isinstance(n, ast.Yield | ast.YieldFrom | ast.Await) for n in ast.walk(function))


def _at_import(tree: ast.Module, pick: random.Random) -> None:
    """Something more is done when the module is imported."""
    bound = [i for i, s in enumerate(tree.body) if {"TABLE", "helper"} & bound_by(s)]
    at = pick.randrange(max(bound) + 1, len(tree.body))
    tree.body[at:at] = ast.parse(pick.choice(_AT_IMPORT)).body


def _around(tree: ast.Module, pick: random.Random) -> None:
    """One part of the module is another one."""
    at = pick.randrange(5, len(tree.body) - 1)
    s = tree.body[at]
    match pick.randrange(3):
        case 0 if isinstance(s, ast.ClassDef) and len(s.body) > 1:
            s.body.append(s.body.pop(0))
        case 1:
            constants = [n for n in ast.walk(s) if isinstance(n, ast.Constant) and type(n.value) is int]
            if constants:
                pick.choice(constants).value = pick.choice((0, 1, 2))
        case _:
            other = pick.randrange(5, len(tree.body) - 1)
            tree.body[at], tree.body[other] = tree.body[other], tree.body[at]


def _calls(function: ast.FunctionDef, match: Any) -> list[ast.expr]:
    return [n for n in ast.walk(function) if isinstance(n, ast.expr) and match(n)]


def _extract(tree: ast.Module, function: ast.FunctionDef, pick: random.Random) -> None:
    """An expression becomes a helper that gets what it reads."""
    tests = [n.test for n in ast.walk(function) if isinstance(n, ast.If)]
    if not tests:
        return
    e = pick.choice(tests)
    names = sorted({n.id for n in ast.walk(e) if isinstance(n, ast.Name)} & {"a", "b", "c", "o", "x", "y", "ev", "xs"})
    args = ast.arguments([], [ast.arg(n) for n in names], None, [], [], None, [])
    waits = any(isinstance(n, ast.Await) for n in ast.walk(e))
    kind: Any = ast.AsyncFunctionDef if waits else ast.FunctionDef
    made = kind("asked", args, [ast.Return(copy.deepcopy(e))], [], None, None)
    tree.body.insert(tree.body.index(function), made)
    call = ast.Call(ast.Name("asked", ast.Load()), [ast.Name(n, ast.Load()) for n in names], [])
    put(function, e, ast.Await(call) if waits else call)


def _inline(tree: ast.Module, function: ast.FunctionDef, pick: random.Random) -> None:
    """A call of the helper becomes its first argument, a method call a number, a row its part."""
    found = _calls(function, lambda n: isinstance(n, ast.Call | ast.Attribute))
    if not found:
        return
    e = pick.choice(found)
    match e:
        case ast.Call(func=ast.Name(id="helper"), args=[first, *_]):
            put(function, e, first)
        case ast.Attribute(value=ast.Call(func=ast.Name(id="Row"), args=[one, other]), attr=attr):
            put(function, e, one if attr == "x" else other)
        case ast.Call(func=ast.Attribute(attr="size")):
            put(function, e, ast.Constant(pick.choice((1, 2))))
        case ast.Call(func=ast.Attribute(value=ast.Name(id="TABLE"), attr="get"), args=[key, default]):
            asked = ast.Compare(key, [ast.Eq()], [ast.Constant(pick.choice((0, 1)))])
            if "rgb_to_hls" in ast.unparse(tree):
                rows = [ast.parse(f"colorsys.rgb_to_{kind}", mode="eval").body for kind in pick.sample(("hls", "hsv"), 2)]
                other = ast.IfExp(ast.Compare(key, [ast.Eq()], [ast.Constant(1)]), rows[1], default)
                put(function, e, ast.IfExp(ast.Compare(key, [ast.Eq()], [ast.Constant(0)]), rows[0], other))
                return
            put(function, e, ast.IfExp(asked, ast.Constant(pick.choice(("one", "none"))), default))
        case ast.Call(func=ast.Name(id="bool"), args=[one]):
            put(function, e, one)


def _reads_first(tree: ast.Module, function: ast.FunctionDef, pick: random.Random) -> None:
    """An attribute, a constant or a comparison is read before the rest."""
    found = _calls(
        function,
        lambda n: isinstance(n, ast.Attribute | ast.Compare) and not isinstance(getattr(n, "ctx", None), ast.Store),
    )
    if found:
        e = pick.choice(found)
        function.body.insert(pick.randrange(2), ast.Assign([ast.Name("early", ast.Store())], copy.deepcopy(e)))
        put(function, e, ast.Name("early", ast.Load()))


def _other_test(tree: ast.Module, function: ast.FunctionDef, pick: random.Random) -> None:
    """`==` and `is`, `isinstance` and `type`, a chain and its halves, turned about."""
    found = [n for n in ast.walk(function) if isinstance(n, ast.Compare) and len(n.ops) == 1]
    if found:
        n = pick.choice(found)
        swap: dict[type, ast.cmpop] = {
            ast.Eq: ast.Is(),
            ast.Is: ast.Eq(),
            ast.IsNot: ast.NotEq(),
            ast.In: ast.NotIn(),
            ast.NotIn: ast.In(),
        }
        turned = {ast.Lt: ast.Gt(), ast.Gt: ast.Lt(), ast.LtE: ast.GtE(), ast.GtE: ast.LtE(), ast.Eq: ast.Eq()}
        if type(n.ops[0]) in turned and pick.random() < 0.6:
            n.left, n.comparators, n.ops = n.comparators[0], [n.left], [turned[type(n.ops[0])]]
        else:
            n.ops = [swap.get(type(n.ops[0]), n.ops[0])]


def _as_whole_numbers(tree: ast.Module, function: ast.FunctionDef, pick: random.Random) -> None:
    """A comparison as it reads among whole numbers: `a > b` is `a >= b + 1`, and one off for a fault."""
    found = [
        n
        for n in ast.walk(function)
        if isinstance(n, ast.Compare) and isinstance(n.ops[0], ast.Gt | ast.Lt | ast.GtE | ast.LtE)
    ]
    if found:
        n = pick.choice(found)
        step = {ast.Gt: 1, ast.Lt: -1, ast.GtE: -1, ast.LtE: 1}[type(n.ops[0])]
        other = {ast.Gt: ast.GtE(), ast.Lt: ast.LtE(), ast.GtE: ast.Gt(), ast.LtE: ast.Lt()}[type(n.ops[0])]
        n.ops[0] = other
        shift = ast.Constant(step * pick.choice((1, 1, 1, 2)))
        n.comparators[0] = ast.BinOp(n.comparators[0], ast.Add(), shift)


def _lets_go(tree: ast.Module, function: ast.FunctionDef, pick: random.Random) -> None:
    """A variable is bound a statement later, or its value is not kept at all."""
    blocks = [b for n in ast.walk(function) for _, b in ast.iter_fields(n) if isinstance(b, list)]
    places = [(b, i) for b in blocks for i, s in enumerate(b) if isinstance(s, ast.Assign)]
    speaking = [(b, i) for b, i in places if "Mortal" in ast.unparse(b[i].value) or ast.unparse(b[i].value) == "None"]
    speaking += [(b, i) for b, i in places if "rows" in ast.unparse(b[i].value)]
    if places:
        block, at = pick.choice(speaking or places)
        if "\n".join(map(ast.unparse, block[at : at + 2])) == STARTED.replace("    ", "").strip():
            block[at : at + 2] = ast.parse("next(rows(xs), 0)").body
            return
        if pick.random() < 0.5:
            block[at] = ast.Expr(block[at].value)
        else:
            block.insert(at + 1, block.pop(at))


def _out_of_handler(tree: ast.Module, function: ast.FunctionDef, pick: random.Random) -> None:
    """What a handler ends with moves behind the `try`, guarded by a flag or not."""
    for node in ast.walk(function):
        for _, body in ast.iter_fields(node):
            if isinstance(body, list):
                for i, s in enumerate(body):
                    if isinstance(s, ast.Try) and s.handlers and not isinstance(s.handlers[0].body[-1], ast.Raise):
                        moved = s.handlers[0].body.pop()
                        s.handlers[0].body.append(ast.Pass())
                        body.insert(i + 1, moved)
                        return


_REFACTORINGS = (
    _extract,
    _extract,
    _inline,
    _inline,
    _reads_first,
    _reads_first,
    _other_test,
    _out_of_handler,
    _lets_go,
    _as_whole_numbers,
)
