"""Tables in random functions: a dict of the function's own that tests and values ask, and rewrites of what asks it.

What is put in is drawn from the text itself, so that the functions without one stay what they were.
"""

import ast
import random
from typing import Any

_VALUES = ("1", "x", "a", "o.p", "ev(90, a)", "ev(91, b)", "ev(92, c)", "None", "(a, x)", "o", "b")
_SPOILT = (
    "d[0] = x",
    "x = d",
    "r = [d]",
    "d = {0: x}",
    "for d in xs: pass",
    "d.update({1: x})",
    "del d",
    "match c:\n    case d: pass",
    "import types as d",
    "try:\n    ev(3, a)\nexcept KeyError as d: pass",
    "for key in d: r = key",
    "r = [d[y] for y in (0, 1)]",
    "r = sum(1 for y in (0, 1) if y in d)",
    "r = any(y for y in d)",
)
"""What makes of it more than a table."""
_NAMED = "ONE, TWO, AGAIN = 1, 2, 1\n"
"""Constants of the module that are keys; two of them are equal."""
_LOCAL = ("ONE = x", "TWO = b", "for ONE in (0, 3): pass", "AGAIN = a")
"""What makes one of them a variable of the function, which the table may be moved across."""


def with_table(code: str) -> str:
    """In one function of four: the table, and some of its tests and values asking it."""
    own = random.Random(code)
    if own.random() > 0.25:
        return code
    tree: Any = ast.parse(code)
    body = tree.body[0].body
    asking = _Asking(own)
    body[:] = [asking.visit(s) for s in body]
    named = own.random() < 0.3
    keys = ("ONE", "TWO", "AGAIN", "0", "3") if named else ("0", "1", "2", "3")
    rows = ", ".join(f"{key}: {own.choice(_VALUES)}" for key in own.sample(keys, own.choice((1, 2, 3))))
    at = 1 if own.random() < 0.85 else own.randrange(len(body) + 1)
    body[at:at] = ast.parse(f"d = {{{rows}}}").body
    if named and own.random() < 0.4:
        body[at:at] = ast.parse(own.choice(_LOCAL)).body
    if own.random() < 0.4:
        where = own.choice([n.body for n in ast.walk(tree) if isinstance(n, ast.FunctionDef | ast.If | ast.For)])
        where.insert(own.randrange(len(where) + 1), ast.parse(own.choice(_SPOILT)).body[0])
    tree.body += ast.parse(_NAMED).body if named else []
    return ast.unparse(ast.fix_missing_locations(tree)) + "\n"


class _Asking(ast.NodeTransformer):
    def __init__(self, own: random.Random) -> None:
        self.own = own

    def visit_Compare(self, node: ast.Compare) -> ast.expr:
        asked = self.own.choice(("a in d", "b not in d", "c in d", "d[a]", "d.get(b)", "x in d"))
        return _expr(asked) if self.own.random() < 0.4 else node

    def visit_Assign(self, node: ast.Assign) -> Any:
        self.generic_visit(node)
        if self.own.random() < 0.3:
            node.value = _expr(self.own.choice(("d[a]", "d[b]", "d.get(a, x)", "d.get(c)", "[d[y] for y in xs]")))
        return node

    def visit_Return(self, node: ast.Return) -> Any:
        if self.own.random() < 0.3:
            node.value = _expr(self.own.choice(("d[a]", "d.get(b, c)", "a in d", "d[x]")))
        return node


def asked_otherwise(code: str, own: random.Random) -> str:
    """Other rows, or what asks the table written out, now and then with a slip."""
    tree = ast.parse(code)
    made = [n for n in ast.walk(tree) if isinstance(n, ast.Dict)]
    if not made:
        return code
    if own.random() < 0.4:
        _other_rows(made[0], own)
    else:
        tree = _WrittenOut(own, made[0]).visit(tree)
    if own.random() < 0.2:
        body: list[ast.stmt] = tree.body[0].body  # type: ignore[attr-defined]
        at = next((i for i, s in enumerate(body) if isinstance(s, ast.Assign) and s.value is made[0]), 0)
        body.insert(own.randrange(len(body)), body.pop(at))
    return ast.unparse(ast.fix_missing_locations(tree)) + "\n"


def _other_rows(table: ast.Dict, own: random.Random) -> None:
    """Another value in one row, two values exchanged, or another key."""
    at, to = own.randrange(len(table.keys)), own.randrange(len(table.keys))
    match own.choice(("value", "exchange", "key")):
        case "value":
            table.values[at] = _expr(own.choice(_VALUES))
        case "exchange":
            table.values[at], table.values[to] = table.values[to], table.values[at]
        case "key":
            table.keys[at] = ast.Constant(own.choice((0, 1, 2, 3)))


class _WrittenOut(ast.NodeTransformer):
    def __init__(self, own: random.Random, table: ast.Dict) -> None:
        self.own, self.table = own, table

    def visit_Compare(self, node: ast.Compare) -> ast.expr:
        match node:
            case ast.Compare(left=left, ops=[op], comparators=[ast.Name(id="d")]) if self.own.random() < 0.6:
                keys = [k for k in self.table.keys if k is not None][self.own.random() < 0.2 :]
                return ast.Compare(left, [op], [ast.Set(keys)]) if keys else node
        return node

    def visit_Call(self, node: ast.Call) -> ast.expr:
        match node:
            case ast.Call(func=ast.Attribute(value=ast.Name(id="d"), attr="get"), args=[key, default]):
                if self.own.random() < 0.6:
                    there = _expr(f"{ast.unparse(key)} in d")
                    return ast.IfExp(there, _expr(f"d[{ast.unparse(key)}]"), default)
        return node

    def visit_Assign(self, node: ast.Assign) -> Any:
        if isinstance(node.value, ast.Dict) and self.own.random() < 0.3:
            rows = list(zip(node.value.keys, node.value.values, strict=True))
            self.own.shuffle(rows)
            node.value = ast.Dict([k for k, _ in rows], [v for _, v in rows])
            return node
        return self.generic_visit(node)


def _expr(text: str) -> ast.expr:
    return ast.parse(text, mode="eval").body
