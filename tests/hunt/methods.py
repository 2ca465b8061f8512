"""Random methods out of which parts are cut, into private methods beside them: in classes with bases from elsewhere, too."""

import ast
import copy
import random
from typing import Any

from tests.hunt.hidden import below, by_kind
from tests.hunt.modules import ModuleMaker
from tests.hunt.programs import rewritten
from tests.hunt.suspending import put

_BASES = (
    *["", "(JSONEncoder)", "(OrderedDict)", "(Formatter)", "(Formatter)", "(Generic[T])", "(metaclass=ABCMeta)"],
    *["(Thread)", "(A)", "(B, JSONEncoder)", "(Taking)", "(metaclass=Wrapping)", "(Asking)", "(Generic[T], Asking)"],
)
_NAMES = ("_asked", "_asked", "_asked", "_vformat", "_bootstrap", "__asked", "asked", "_heavy_one", "__asked")
_IMPORTS = """\
from abc import ABCMeta
from functools import singledispatchmethod
from json import JSONEncoder
from string import Formatter
from threading import Thread
from typing import Generic, TypeVar
T = TypeVar('T')
def other(self, *given):
    return 7
"""
_AROUND = (
    *[""] * 3,
    "JSONEncoder = Formatter\n",
    "def wrapping(kind):\n    type.__setattr__(kind, '_ask' + 'ed', other)\n    return kind\n",
)
_NEEDED = {
    "Taking": "class Taking:\n    def __init_subclass__(cls, **kw):\n        type.__setattr__(cls, '_ask' + 'ed', other)\n",
    "Wrapping": "class Wrapping(type):\n    def __init__(kind, *given):\n        type.__setattr__(kind, '_ask' + 'ed', other)\n",
    "Asking": "class Asking:\n    def __getattribute__(self, name):\n        LOG.append(name)\n        return object.__getattribute__(self, name)\n",
}
_BELOW = (
    *["class Side(Gate):\n    pass\n"] * 5,
    "class Side(Gate):\n    def _asked(self, *given):\n        return 7\n",
    "class Side(Gate):\n    _asked = other\n",
    "class Side(Gate):\n    __slots__ = ('_asked',)\n",
    "class Side(Gate):\n    __slots__ = ('_Gate__asked',)\n",
    "class Side(Gate):\n    def __asked(self, *given):\n        return 7\n    _Gate__asked = __asked\n",
    "def made():\n    class Side(Gate):\n        __slots__ = ('_asked', 'asked')\n    return Side\nSide = made()\n",
    "class Side(Gate, metaclass=Meta):\n    pass\n",
    "class Side(Gate):\n    def spoilt(self):\n        self._asked = lambda *given: 7\n        return self\n",
    "class Side(Gate):\n    def spoilt(self):\n        for name in ('_asked', 'm'):\n            setattr(self, name, lambda *given: 7)\n        return self\n",
    "class Side(Gate):\n    pass\nGate._asked = other\n",
    "class Side(Gate):\n    pass\nsetattr(Side, '_asked', other)\n",
)
_META = "class Meta(type(Gate)):\n    def __call__(kind, *given):\n        made = super().__call__(*given)\n        made.__dict__['_asked'] = lambda *given: 7\n        return made\n"
_CALLED = """\
def f({signature}:
    made = Side()
    getattr(made, 'spoilt', int)()
    return made.weigh(a, b, c, o, ev, xs), Formatter.format(made, '{{0}}', 1) if isinstance(made, Formatter) else 0
"""


class MethodMaker(ModuleMaker):
    """Makes one random module with a method that its function calls."""

    share_of_mortals = 0.35

    def module(self) -> str:
        pick = self.pick.choice
        before, _, function = super().module().rpartition("def f(")
        if "yield" in function or before.rstrip().endswith(("async", "@shown")):
            raise SyntaxError("waits, or shows itself")
        signature = function.partition(":\n")[0]
        function = "def weigh(self, " + function.replace("o.p", "self.n").replace("o.q", "self.m")
        lines = "".join(f"    {line}\n" for line in function.splitlines())
        base, around, under = pick(_BASES), pick(_AROUND), pick(_BELOW)
        if self.pick.random() < 0.3:
            under = below(self.pick)
            base, around = ("", "") if self.pick.random() < 0.8 else (base, around)
        decorator = "@wrapping\n" if "wrapping" in around else ""
        parts = [_IMPORTS, around, *(text for word, text in _NEEDED.items() if word in base)]
        parts += [f"{decorator}class Gate{base}:\n    n = 1\n    m = 2\n", lines]
        return (
            before + "".join(parts) + (_META if "Meta)" in under else "") + under + _CALLED.format(signature=signature)
        )


def methods_rewritten(code: str, pick: random.Random) -> str:
    """A random change of the method: a part of it cut out, rightly or with a fault, or another test."""
    tree = ast.parse(code)
    gate = next(n for n in tree.body if isinstance(n, ast.ClassDef) and n.name == "Gate")
    method = next(n for n in gate.body if isinstance(n, ast.FunctionDef))
    if pick.random() < 0.2:
        by_kind(gate, method, pick)
    elif pick.random() < 0.2:
        gate.body[gate.body.index(method)] = ast.parse(rewritten(ast.unparse(method), pick)).body[0]
    else:
        (_cut_test if pick.random() < 0.6 else _cut_lines)(gate, method, pick)
    return ast.unparse(ast.fix_missing_locations(tree)) + "\n"


def _cut_test(gate: ast.ClassDef, method: ast.FunctionDef, pick: random.Random) -> None:
    tests = [n.test for n in ast.walk(method) if isinstance(n, ast.If | ast.While)]
    if tests:
        e = pick.choice(tests)
        put(method, e, _call(gate, pick, [ast.Return(copy.deepcopy(e))], e))


def _cut_lines(gate: ast.ClassDef, method: ast.FunctionDef, pick: random.Random) -> None:
    """A run of statements that ends the method, or answers nothing."""
    at = pick.randrange(len(method.body))
    cut = method.body[at:]
    method.body[at:] = [ast.Return(_call(gate, pick, cut, ast.Module(cut, [])))]


def _call(gate: ast.ClassDef, pick: random.Random, body: list[ast.stmt], read: ast.AST) -> ast.expr:
    """What is cut out stands in a method of its own; the call of it, with what it reads."""
    known = {*"abcoxyr", "ev", "xs"}
    names = sorted({n.id for n in ast.walk(read) if isinstance(n, ast.Name)} & known)
    if pick.random() < 0.1 and names:
        names.append(names.pop(0))
    name = pick.choice(_NAMES)
    given = ["self", *(sorted(names) if pick.random() < 0.9 else names)]
    args = ast.arguments([], [ast.arg(n) for n in given], None, [], [], None, [])
    made: Any = ast.FunctionDef(name, args, body, [], None, None)
    gate.body.insert(pick.choice((2, len(gate.body))), made)
    called = ast.Attribute(ast.Name(pick.choice(("self", "self", "self", "Gate")), ast.Load()), name, ast.Load())
    values: list[ast.expr] = [ast.Name(n, ast.Load()) for n in names]
    if called.value.id == "Gate":
        values.insert(0, ast.Name("self", ast.Load()))
    if pick.random() < 0.15:
        row = ast.Dict([ast.Constant("k"), ast.Constant("l")], [called, ast.Name("len", ast.Load())])
        return ast.Call(ast.Subscript(row, ast.Constant("k"), ast.Load()), values, [])
    return ast.Call(called, values, [])
