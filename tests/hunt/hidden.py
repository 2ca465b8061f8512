"""What no table of classes holds: classes in functions and under conditions, bases by another name, generic methods."""

import ast
import copy
import random
from typing import Any

_NESTED = "def made():\n{inner}    return {name}\n{name} = made()\n"
_BETWEEN = (
    "    class Between({base}):\n        pass\n",
    "    class First({base}):\n        pass\n    class Between(First):\n        pass\n",
    "    def kept(kind):\n        class Again({base}):\n            pass\n        return Again\n    @kept\n    class Between:\n        pass\n",
    "    global Between\n    class Between({base}):\n        pass\n",
)
"""What may stand between a class in a function and the one from which it derives."""
_OVERRIDING = "    def {method}(self, *given):\n        return 7\n"
_LOUD = "property(lambda s: LOG.append('k') or 5)"
_SHAPING = (
    f"for word in ('kilos', 'm'):\n    setattr(A, word, {_LOUD})\n",
    f"B = type('B', (A,), {{'kilos': {_LOUD}}})\n",
    f"B = type(A)('B', (A,), dict(kilos={_LOUD}))\n",
    f"put = setattr\nput(A, 'kilos', {_LOUD})\n",
    f'exec("A.kilos = {_LOUD}")\n',
    f"def opened(kind, *words):\n    for word in words:\n        setattr(kind, word, {_LOUD})\nopened(A, 'kilos')\n",
    f"KINDS = [A]\ndef opened(word):\n    for kind in KINDS:\n        setattr(kind, word, {_LOUD})\nopened('kilos')\n",
    f"def opened(kind):\n    setattr(kind, 'kil' + 'os', {_LOUD})\n    return kind\n@opened\nclass B(A):\n    pass\n",
    f"class Opener:\n    kind = A\n    def open(self, word):\n        setattr(self.kind, word, {_LOUD})\nOpener().open('kilos')\n",
    f"class B(A):\n    def open(self, word):\n        setattr(self, word, {_LOUD})\nB.open(B, 'kilos')\n",
    "for word in ('eq', 'bool', 'len'):\n    setattr(A, f'__{word}__', lambda s, *o: LOG.append(1) or True)\n",
    "B = type('B', (A,), {'__eq__': lambda s, o: LOG.append(2) or True})\n",
)
"""Ways in which classes get attributes that stand in no class body."""
_BASES = (
    "Base = Gate\nclass Side(Base):\n",
    "class Holder:\n    base = Gate\nclass Side(Holder.base):\n",
    "BASES = {'k': Gate}\nclass Side(BASES['k']):\n",
    "class Holder:\n    class Base:\n        pass\nsetattr(Holder, 'Base', Gate)\nclass Side(Holder.Base):\n",
    "class Holder:\n    class Base:\n        pass\nclass Other:\n    def __getattr__(self, word):\n        return Gate\nclass Side(Other().Base):\n",
    "def made():\n    class Base:\n        pass\n    return Base\nclass Base(Gate):\n    pass\nclass Side(Base):\n",
    "def base():\n    return Gate\nclass Side(base()):\n",
)


def hidden(text: str, name: str, pick: random.Random) -> str:
    """The text of one class, told so that the class is not simply there."""
    inner = "".join(f"    {line}\n" for line in text.splitlines())
    head, _, body = text.partition("\n")
    base, _, rest = head.partition("(")[2].rpartition("):")[0].partition(", ")
    again = f"Again = {base}\nclass {name}({', '.join(filter(None, ('Again', rest)))}):\n{body}"
    further = inner.replace(f"class {name}({base}", f"class {name}(Between", 1)
    between = _NESTED.format(inner=pick.choice(_BETWEEN).format(base=base) + further, name=name)
    return pick.choice((_NESTED.format(inner=inner, name=name), f"if True:\n{inner}", again, between))


def shaping(pick: random.Random) -> str:
    """Lines that give classes of the family what their bodies do not say; most often none."""
    return pick.choice(_SHAPING) if pick.random() < 0.15 else ""


def asked_twice(function: str, pick: random.Random) -> str:
    """The text of a function that begins with asking for one thing twice."""
    head, _, body = function.partition(":\n")
    asked = pick.choice(("o.kilos", "o.kilos", "o == 1", "bool(o)", "not o"))
    return f"{head}:\n    x = ({asked}, {asked})\n{body}"


def asked_once(function: Any) -> bool:
    """What a function begins with asking for twice is asked for once; False where it does not."""
    match function.body[0]:
        case ast.Assign(value=ast.Tuple(elts=[one, other]) as both) if ast.dump(one) == ast.dump(other):
            both.elts = [_named("early"), _named("early")]
            function.body.insert(0, ast.Assign([ast.Name("early", ast.Store())], one))
            return True
    return False


def below(pick: random.Random) -> str:
    """A class below `Gate` with methods of its own under the names of those that are cut out, not simply there."""
    names = ("_asked", "asked", "_by_kind", "by_kind", "_vformat", "_bootstrap", "_heavy_one")
    body = "".join(_OVERRIDING.format(method=name) for name in names)
    if pick.random() < 0.4:
        return pick.choice(_BASES) + body
    if pick.random() < 0.2:
        return f"Side = type('Side', (Gate,), {dict.fromkeys(names, 0)})\n".replace("0", "other")
    return hidden(f"class Side(Gate):\n{body}", "Side", pick)


def by_kind(gate: ast.ClassDef, method: ast.FunctionDef, pick: random.Random) -> None:
    """The method calls a generic one: in each of its functions is known what it would have asked of its argument."""
    names = [a.arg for a in method.args.args[1:]]
    first = pick.choice([n for n in names if n in "abo"])
    given = ["self", first, *(n for n in names if n != first)]
    kinds = pick.sample(("A", "B", "C", "D", "int", "str"), pick.choice((1, 1, 2)))
    name = pick.choice(("_by_kind", "by_kind", "__by_kind"))
    made: list[ast.stmt] = []
    for kind in ("", *kinds):
        args = ast.arguments([], [ast.arg(n) for n in given], None, [], [], None, [])
        told = {k: kind == k for k in kinds} if pick.random() < 0.9 else {k: pick.random() < 0.5 for k in kinds}
        body: Any = [_Knowing(first, told).visit(copy.deepcopy(s)) for s in method.body]
        on: ast.expr = _named("singledispatchmethod")
        if kind:
            on = ast.Call(ast.Attribute(_named(name), "register", ast.Load()), [_named(kind)], [])
        made.append(ast.FunctionDef(f"{name}_{kind.lower()}" if kind else name, args, body, [on], None, None))
    at = gate.body.index(method)
    gate.body[at + 1 : at + 1] = made
    called = ast.Call(ast.Attribute(_named("self"), name, ast.Load()), [_named(n) for n in given[1:]], [])
    method.body = [ast.Return(called)]
    if pick.random() < 0.1:
        gate.body.append(ast.parse(_OVERRIDING.format(method=name).replace("    def", "def", 1)).body[0])


def arms_exchanged(function: ast.AST, pick: random.Random) -> bool:
    """Two arms after one another that ask for a class change places; False where there are none."""
    arms = [n for n in ast.walk(function) if _asks_for_a_class(n) and any(map(_asks_for_a_class, n.orelse[:1]))]
    if not arms or pick.random() < 0.6:
        return False
    one: Any = pick.choice(arms)
    other = one.orelse[0]
    one.test, one.body, other.test, other.body = other.test, other.body, one.test, one.body
    return True


def _asks_for_a_class(n: Any) -> bool:
    return isinstance(n, ast.If) and isinstance(n.test, ast.Call) and "isinstance" in ast.unparse(n.test.func)


class _Knowing(ast.NodeTransformer):
    """`isinstance` of the argument is answered, as far as it is told."""

    def __init__(self, first: str, told: dict[str, bool]) -> None:
        self.first, self.told = first, told

    def visit_Call(self, node: ast.Call) -> ast.expr:
        self.generic_visit(node)
        match node:
            case ast.Call(func=ast.Name(id="isinstance"), args=[ast.Name(id=one), ast.Name(id=kind)]):
                if one == self.first and kind in self.told:
                    return ast.Constant(self.told[kind])
        return node


def _named(name: str) -> ast.Name:
    return ast.Name(name, ast.Load())
