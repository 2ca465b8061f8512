"""Conformance: what the proof believes of Python, against Python itself.

The lowered graph is run by a small concrete interpreter beside CPython; class facts are compared with real classes.
"""

import ast
import builtins
import inspect
import operator
import random
import warnings
from typing import Any

import pytest

from dreck.model.ir.graph import Arena, Node
from dreck.model.ir.lowering import Unsupported, lower
from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term
from dreck.model.names.modules import ModuleNames
from dreck.proof.classes.known import KnownClasses
from dreck.proof.table import TABLE, as_markdown
from tests.hunt.modules import ModuleMaker
from tests.hunt.programs import Maker
from tests.hunt.running import INPUTS, PLANS, Object, Stop, told

BINARY: dict[str, Any] = {
    "Add": operator.add, "Sub": operator.sub, "Mult": operator.mul, "Eq": operator.eq, "NotEq": operator.ne, "Lt": operator.lt,
    "LtE": operator.le, "Gt": operator.gt, "GtE": operator.ge, "Is": operator.is_, "IsNot": operator.is_not,
    "In": lambda a, b: a in b, "NotIn": lambda a, b: a not in b,
}  # fmt: skip
UNBOUND = object()
NAMES = ("a", "b", "c", "o", "ev", "xs")


def test_every_operation_has_a_row():
    assert set(TABLE) == set(Op)
    assert all(row.source for row in TABLE.values())


def test_the_table_stands_in_the_documentation(request):
    page = (request.config.rootpath / "docs" / "evidence.md").read_text()
    assert as_markdown() in page, "python -m dreck.proof.table prints it"


# --- the graph ---------------------------------------------------------------------------------------------


def interpreted(entry: Node, store: dict[str, Any], space: dict[str, Any]) -> Any:
    """Runs a graph on real values."""
    node = entry
    while True:
        values = [
            o.value
            if isinstance(o, Term) and o.op == "const"
            else plain(o)
            if isinstance(o, Term)
            else store.get(o, UNBOUND)
            for o in node.operands
        ]
        if node.op is Op.RETURN:
            return values[0]
        if node.op is Op.THROW:
            raise values[0]
        if node.op is Op.BRANCH:
            try:
                node = node.succs[0 if values[0] else 1]
            except Exception as error:
                store["%exc"], node = error, node.exc
            continue
        try:
            result = act(node, values, space)
        except NotImplementedError:
            raise
        except Exception as error:
            if node.op is Op.NEXT and isinstance(error, StopIteration):
                node = node.succs[1]
                continue
            assert node.exc is not None, f"{node} raises, which it may not: {error!r}"
            assert TABLE[node.op].raises, f"{node.op} raises, and its row says that it cannot"
            store["%exc"], node = error, node.exc
            continue
        if node.dest is not None:
            store[node.dest] = result
        node = node.succs[0]


def plain(term: Term) -> Any:
    if term.op == "unbound":
        return UNBOUND
    made = tuple(a.value for a in term.args)
    return frozenset(made) if term.op == "members" else made


def act(node: Node, values: list[Any], space: dict[str, Any]) -> Any:
    match node.op:
        case Op.MOVE | Op.HEAD:
            return values[0] if values else None
        case Op.BOUND:
            if values[0] is UNBOUND:
                raise UnboundLocalError(node.payload)
        case Op.GLOBAL:
            name = node.payload[1]
            if name in space:
                return space[name]
            if hasattr(builtins, name):
                return getattr(builtins, name)
            raise NameError(name)
        case Op.TUPLE:
            return tuple(values)
        case Op.PART:
            return values[0][node.payload]
        case Op.UNPACK:
            found = list(values[0])
            if len(found) != node.payload[0]:
                raise ValueError("unpack")
            return found
        case Op.ATTRIBUTE:
            return getattr(values[0], node.payload)
        case Op.SET_ATTRIBUTE:
            setattr(values[0], node.payload, values[1])
        case Op.ITEM:
            return values[0][values[1]]
        case Op.SET_ITEM:
            values[0][values[1]] = values[2]
        case Op.COMPARE | Op.BINARY:
            return BINARY[node.payload](*values)
        case Op.IN_PLACE:
            return {"Add": operator.iadd}[node.payload](*values)
        case Op.UNARY:
            return {"USub": operator.neg}[node.payload](*values)
        case Op.CALL:
            positional, keywords = node.payload
            function, *given = values
            return function(*given[: len(positional)], **dict(zip(keywords, given[len(positional) :], strict=True)))
        case Op.NEW:
            if node.payload[0] == "Dict":
                return dict(zip(values[::2], values[1::2], strict=True))
            assert node.payload[0] == "List"
            return list(values)
        case Op.HASHED:
            hash(values[0])
        case Op.MISSING_KEY:
            raise KeyError(*values)
        case Op.ITERATE:
            return iter(values[0])
        case Op.NEXT:
            return next(values[0])
        case Op.ENTER:
            return type(values[0]).__enter__(values[0])
        case Op.EXIT:
            return type(values[0]).__exit__(values[0], None, None, None)
        case Op.EXIT_RAISING:
            return type(values[0]).__exit__(values[0], type(values[1]), values[1], None)
        case Op.RAISE:
            return values[0]() if isinstance(values[0], type) else values[0]
        case Op.CATCHES:
            return isinstance(values[0], values[1])
        case _:
            raise NotImplementedError(node.op)
    return None


def logged(run: Any, inputs: tuple[Any, ...], plan: tuple[int, ...]) -> Any:
    log: list[Any] = []
    count = 0
    thing = Object(log, plan)

    def ev(number: int, value: Any) -> Any:
        nonlocal count
        count += 1
        if count > 40:
            raise Stop
        log.append((number, told(value)))
        deed = plan[(number * 3 + count) % len(plan)]
        if deed == 3:
            raise ValueError(number)
        if deed == 4:
            raise KeyError(number)
        return deed % 2

    try:
        return told(run(*inputs, thing, ev, [1, 2, 0][: plan[3] % 4])), log
    except Stop:
        return "cut off", log
    except NotImplementedError:
        raise
    except Exception as error:
        return type(error).__name__, log


def test_the_graph_does_what_python_does():
    pick = random.Random(5)
    compared = 0
    while compared < 350:
        code = Maker(pick).function()
        try:
            tree = ast.parse(code)
            space: dict[str, Any] = {}
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                exec(code, space)
        except SyntaxError:
            continue
        entry = lower(tree.body[0], ModuleNames(tree), Arena())

        def graph(*given: Any, entry: Node = entry, space: dict[str, Any] = space) -> Any:
            return interpreted(entry, dict(zip(NAMES, given, strict=True)), space)

        for inputs in pick.sample(INPUTS, 6):
            plan = pick.choice(PLANS)
            try:
                found = logged(graph, inputs, plan)
            except NotImplementedError:
                break
            assert found == logged(space["f"], inputs, plan), (code, inputs, plan)
            compared += 1


# --- classes -----------------------------------------------------------------------------------------------


def test_classes_are_what_python_makes_of_them():
    """Whatever is said to be known of random families: what a class has under a name, what derives from what."""
    pick = random.Random(3)
    known = asked = 0
    for _ in range(150):
        code = ModuleMaker(pick).module()
        try:
            tree = ast.parse(code)
            space: dict[str, Any] = {"__name__": "conforming"}
            exec(code, space)
        except (SyntaxError, TypeError, NameError, AttributeError, ValueError):
            continue
        names = ModuleNames(tree)
        classes = KnownClasses(names, ModuleNames(ast.Module([], [])))
        for kind in "ABCD":
            order = classes.table.order(kind)
            assert order is None or [k for k in order if k in "ABCD"] == [k.__name__ for k in space[kind].__mro__[:-1]]
            for name in ("size", "kilos", "n", "missing", "__eq__"):
                asked += 1
                found = classes.found(kind, name)
                if found is None or classes.is_stored(name):  # what is set later no statement of a class tells
                    continue
                known += 1
                real = inspect.getattr_static(space[kind], name)
                assert real is space[found.holder].__dict__[name]
                forms = {"property": property, "constant": int}
                assert isinstance(real, forms.get(found.form, object)) and (
                    found.form != "method" or inspect.isfunction(real)
                )
                if found.form == "constant":
                    assert real == found.value.value
            for other in "ABCD":
                assert classes.hierarchy.derives(kind, other) in (False, issubclass(space[kind], space[other]))
                below = classes.hierarchy.is_below(kind, {other})
                assert below is None or below is issubclass(space[kind], space[other])
                if not classes.hierarchy.may_share(kind, other):
                    assert not any(
                        issubclass(space[k], space[kind]) and issubclass(space[k], space[other]) for k in "ABCD"
                    )
        if "Kind" in classes.table.classes and classes.enums.has_distinct_constants("Kind"):
            assert len({m.value for m in space["Kind"]}) == 2
    assert known > asked / 10


@pytest.mark.parametrize(
    ("code", "fields"),
    [
        ("from typing import NamedTuple\nclass R(NamedTuple):\n    x: int\n    y: int = 2\n", [("x", None), ("y", 2)]),
        ("from dataclasses import dataclass\n@dataclass\nclass R:\n    x: int\n    y: 'int | None' = 2\n", [("x", None), ("y", 2)]),
        ("from dataclasses import dataclass\n@dataclass(frozen=True, slots=True)\nclass R:\n    x: list[int]\n", [("x", None)]),
        ("class R:\n    def __init__(self, x):\n        self.x = x\n    def twice(self):\n        return self.x * 2\n", [("x", None)]),
        ("import dataclasses\nfrom typing import Callable\n@dataclasses.dataclass\nclass R:\n    x: Callable[[int], int]\n", [("x", None)]),
        ("class Base:\n    def a(self):\n        return 1\nclass R(Base):\n    pass\n", []),
        ("from dataclasses import dataclass\n@dataclass(order=True)\nclass R:\n    x: int\n", None),
        ("from dataclasses import dataclass\n@dataclass(repr=FLAG)\nclass R:\n    x: int\n", None),
        ("from dataclasses import dataclass\n@dataclass\nclass R:\n    x: Unheard\n", None),
        ("class R:\n    def __init__(self, x):\n        self.x = x\n    def x(self):\n        return 1\n", None),
        ("class R:\n    def __init__(self, x):\n        self.y = x\n", None),
        ("class R:\n    def __init__(self, x, y):\n        self.y = y\n        self.x = x\n", None),
        ("class R:\n    def __init__(self, x=1):\n        self.x = x\n", None),
        ("class R(Unheard):\n    pass\n", None),
        ("class R:\n    kilos: int = 3\n", None),
    ],
)  # fmt: skip
def test_which_classes_only_hold_what_they_are_given(code, fields):
    tree = ast.parse(code)
    found = KnownClasses(ModuleNames(tree), ModuleNames(ast.Module([], []))).records.fields("R")
    assert (None if found is None else [(name, d.value if d else None) for name, d in found]) == fields


def test_what_cannot_be_lowered_says_so():
    tree = ast.parse("def f(a):\n    return eval(a)\n")
    with pytest.raises(Unsupported, match="eval"):
        lower(tree.body[0], ModuleNames(tree), Arena())
