"""Functions that wait: a made function becomes a coroutine or a generator, and whoever drives it does things meanwhile."""

import ast
import random
from typing import Any

WAITING = """\
class Pause:
    def __init__(self, n):
        self.n = n
    def __await__(self):
        return (yield self.n)
async def aev(ev, number, value):
    await Pause(number)
    return ev(number, value)
async def walked(xs):
    for x in xs:
        await Pause(0)
        yield x
class Gate:
    def __init__(self, o):
        self.o = o
    async def __aenter__(self):
        LOG.append('in')
        return await Pause(7)
    async def __aexit__(self, kind, *rest):
        LOG.append(('out', kind and kind.__name__))
        return kind is KeyError
"""
_ROUNDS = 12
_INNER = (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda, ast.ClassDef)
_COMPREHENSIONS = (ast.ListComp, ast.SetComp, ast.DictComp, ast.GeneratorExp)


def suspended(code: str, own: random.Random) -> str:
    """One function of four waits in some places: it awaits, or it yields."""
    chance = own.random()
    if chance > 0.28:
        return code
    tree: Any = ast.parse(code)
    function = next(n for n in tree.body if isinstance(n, ast.FunctionDef) and n.name == "f")
    change = (_Awaiting if chance < 0.15 else _Yielding)(own)
    function.body = [change.visit(s) for s in function.body]
    if chance < 0.15:
        at = tree.body.index(function)
        tree.body[at] = ast.AsyncFunctionDef(**dict(ast.iter_fields(function)))
    return ast.unparse(ast.fix_missing_locations(tree)) + "\n"


def put(function: ast.AST, old: ast.AST, new: ast.AST) -> None:
    for node in ast.walk(function):
        for name, value in ast.iter_fields(node):
            if value is old:
                setattr(node, name, new)
            elif isinstance(value, list):
                setattr(node, name, [new if item is old else item for item in value])


class _Outside(ast.NodeTransformer):
    """Leaves alone what runs in a function of its own."""

    def __init__(self, own: random.Random) -> None:
        self.own = own

    def visit(self, node: ast.AST) -> Any:
        if isinstance(node, _INNER + _COMPREHENSIONS):
            return node
        return super().visit(node)


class _Awaiting(_Outside):
    def visit_Call(self, node: ast.Call) -> ast.expr:
        self.generic_visit(node)
        if isinstance(node.func, ast.Name) and node.func.id == "ev" and self.own.random() < 0.6:
            return ast.Await(ast.Call(ast.Name("aev", ast.Load()), [ast.Name("ev", ast.Load()), *node.args], []))
        return node

    def visit_With(self, node: ast.With) -> ast.stmt:
        self.generic_visit(node)
        if self.own.random() < 0.3:
            return node
        item = node.items[0]
        item.context_expr = ast.Call(ast.Name("Gate", ast.Load()), [item.context_expr], [])
        return ast.AsyncWith(**dict(ast.iter_fields(node)))

    def visit_For(self, node: ast.For) -> ast.stmt:
        self.generic_visit(node)
        if self.own.random() < 0.5:
            return node
        node.iter = ast.Call(ast.Name("walked", ast.Load()), [node.iter], [])
        return ast.AsyncFor(**dict(ast.iter_fields(node)))


class _Yielding(_Outside):
    def visit_Expr(self, node: ast.Expr) -> ast.stmt:
        self.generic_visit(node)
        if isinstance(node.value, ast.Call) and self.own.random() < 0.5:
            node.value = self.own.choice((ast.Yield(node.value), ast.YieldFrom(ast.Name("xs", ast.Load()))))
        return node

    def visit_Assign(self, node: ast.Assign) -> ast.stmt:
        self.generic_visit(node)
        if self.own.random() < 0.4:
            node.value = ast.Yield(node.value)
        return node


def waits_otherwise(tree: ast.Module, function: Any, pick: random.Random) -> None:
    """A place where it waits does so no more, or waits for something else."""
    places = [n for n in ast.walk(function) if isinstance(n, ast.Yield | ast.Await | ast.YieldFrom)]
    if not places:
        return
    node = pick.choice(places)
    match node:
        case ast.Await(value=ast.Call(func=ast.Name(id="aev") as called, args=[_, *others] as args)):
            if pick.random() < 0.5:
                called.id, args[:] = "ev", others
                put(function, node, node.value)
        case ast.Yield():
            node.value = pick.choice((None, ast.Name("x", ast.Load()), ast.Constant(1), node.value))
        case ast.YieldFrom():
            node.value = ast.Name(pick.choice(("xs", "x", "a")), ast.Load())


def driven(result: Any, plan: tuple[int, ...], thing: Any, seen: Any, chain: Any) -> Any:
    """What a coroutine or a generator does in the hands of somebody who sends, throws, closes and changes things."""
    if isinstance(result, tuple):
        return ("tuple", *(driven(part, plan, thing, seen, chain) for part in result))
    if not hasattr(result, "send"):
        return seen(result)
    told: list[Any] = []
    sent: Any = None
    try:
        for number in range(_ROUNDS):
            deed = plan[(number * 5 + 2) % len(plan)]
            if deed == 3 and number:
                told.append(seen(result.throw(KeyError(number))))
            elif deed == 4 and number > 1:
                result.close()
                return ("closed", told)
            else:
                told.append(seen(result.send(sent)))
            if deed == 5 and hasattr(type(thing), "n"):
                thing.__dict__["n"] = number
            sent = deed % 2
    except StopIteration as stop:
        return ("done", told, seen(stop.value))
    except Exception as error:
        return ("failed", told, chain(error))
    result.close()
    return ("left", told)
