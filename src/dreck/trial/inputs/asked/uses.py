"""What is done with one input, and how an expression speaks of a constant or a class."""

import ast
import datetime
import decimal
import re
from dataclasses import dataclass, field, fields
from typing import Any

from dreck.source.walking import walk

GROUP = "a group of "
"""Before the name of an exception: several are raised at once, as `except*` takes them."""
BELOW_IT, BARE, WITH_NUMBER = "one below ", "one without words of ", "one with a number of "
"""Before the name of an exception: what a handler may ask of it that calls it by a name."""
_MADE_WITH = re.compile(r"one of (?P<kind>[\w.#]+) made with (?P<value>.+?)(?: as (?P<path>[\w.]+))?", re.DOTALL)
OF_SEVERAL = "#"
"""Between the name of a tuple of exceptions and which of them it is."""
NOT_THERE = "for want of "
"""Before the name of an attribute: the object lacks it."""
BOTH = " and also "
"""Between the names of two exceptions: one that is both, where handlers ask for both."""


def made_with(value: str, path: str, kind: str) -> str:
    """An exception of `kind` that is made with `value`, and has it where `path` leads; as it is told in an input."""
    return f"one of {kind} made with {value}" + (f" as {path}" if path else "")


def asked_of(told: str) -> tuple[str, str, str] | None:
    """Value, path and kind of what `made_with` told."""
    found = _MADE_WITH.fullmatch(told)
    return (found["value"], found["path"] or "", found["kind"]) if found is not None else None


@dataclass(slots=True)
class Usage:
    """What is done with one path. `constants` are those it is compared with, in the order they stand."""

    constants: list[Any] = field(default_factory=list)
    methods: set[str] = field(default_factory=set)
    attributes: set[str] = field(default_factory=set)
    keys: list[Any] = field(default_factory=list)
    classes: list[str] = field(default_factory=list)
    exact: list[str] = field(default_factory=list)
    """Classes it is asked to be of itself, and not of one derived from them."""
    sizes: list[int] = field(default_factory=list)
    iterated: bool = False
    tested_none: bool = False
    tested_truth: bool = False
    ordered: bool = False
    arithmetic: bool = False
    called: bool = False
    indexed: bool = False
    hashed: bool = False
    converted: bool = False
    key_paths: list[str] = field(default_factory=list)
    """What is looked up in it, where that is an input itself."""
    is_path: bool = False
    """Names a file or a folder."""
    optional: bool = False
    """Asked whether it is there at all."""
    awaited: bool = False
    """Awaited or entered: only an object made for it will do."""
    contains: list[Any] = field(default_factory=list)
    patterns: list[Any] = field(default_factory=list)
    """Regular expressions it is matched with: strings, or the names of compiled ones."""
    texts: list[str] = field(default_factory=list)
    """Texts of the form in which it is taken apart."""
    is_json: bool = False
    subscripted: bool = False
    """Asked for an item by a key, or whether it holds one."""
    formatted: bool = False
    """Made a text: by `str`, `format`, in an f-string."""
    percent: bool = False
    """Put into a text by `%`, where a tuple is taken apart."""
    among: bool = False
    """Looked for among other inputs: `in` asks whether it is one of them before whether it equals one."""
    compared: bool = False
    """Asked whether it equals another thing, or is among others: all it holds counts."""
    spread_in_pattern: bool = False
    """Matched with a pattern of a sequence, which takes each kind of them but texts."""
    keyed_in_pattern: bool = False
    """Matched with a pattern of a mapping, which takes each kind of them."""
    equal_to_none: bool = False
    """Asked by `==` whether it is None, which an object may answer as it likes."""
    answer_looked_at: bool = False
    """What a comparison of it answers is looked at: `(x == y) is True`."""
    kind_asked: bool = False
    """Its very class is looked at: `type(x)`."""
    mapped: bool = False
    """Looked up by what iterating over it gives."""

    advanced: bool = False
    """Asked for its next item: only an iterator will do."""

    @property
    def as_a_whole(self) -> bool:
        """Whether something looks at it that may look at all it holds."""
        asked = self.compared or self.ordered or self.hashed or self.among or self.formatted or self.percent
        return asked or bool(self.patterns)

    def gone_through(self, step_by_step: bool) -> None:
        """It gives one thing after the other, all of them or one at a time."""
        self.iterated = True
        self.advanced |= step_by_step

    def of_exactly(self, names: list[str]) -> None:
        """It is asked whether it is of these very classes; those derived from them are of interest, too."""
        self.classes.extend(names)
        self.exact.extend(names)

    def join(self, other: "Usage") -> None:
        """Adds what another function does with the same path."""
        for field_ in fields(self):
            mine, theirs = getattr(self, field_.name), getattr(other, field_.name)
            if isinstance(mine, list):
                mine.extend(v for v in theirs if v not in mine)
            elif isinstance(mine, set):
                mine.update(theirs)
            else:
                setattr(self, field_.name, mine or theirs)


def asked_for_truth(node: ast.AST) -> list[ast.expr]:
    """The parts of a statement or expression that Python asks whether they are true."""
    match node:
        case ast.BoolOp(values=values):
            return values
        case ast.If(test=test) | ast.While(test=test) | ast.IfExp(test=test) | ast.UnaryOp(op=ast.Not(), operand=test):
            return [test]
    return []


def answers_looked_at(left: ast.expr, ops: list[ast.cmpop], others: list[ast.expr]) -> list[ast.expr]:
    """What is compared where the answer is held against True or False, which it need not be one of."""
    match ops, others:
        case [ast.Is() | ast.IsNot() | ast.Eq() | ast.NotEq()], [ast.Constant(value=bool())]:
            return [left.left, *left.comparators] if isinstance(left, ast.Compare) else []
    return []


def constant(node: ast.AST) -> Any:
    match node:
        case ast.Constant(value=value):
            return value
        case ast.UnaryOp(op=ast.USub(), operand=ast.Constant(value=int() | float() as value)):
            return -value
        case ast.Call(func=called, args=args, keywords=[]) if args:
            return _made_of_constants(class_name(called) or "", [constant(a) for a in args])
    return None


_OF_PYTHON = {
    "date": datetime.date, "time": datetime.time, "datetime": datetime.datetime, "Decimal": decimal.Decimal,
    "datetime.date": datetime.date, "datetime.time": datetime.time, "datetime.datetime": datetime.datetime,
    "decimal.Decimal": decimal.Decimal,
}  # fmt: skip
"""Classes whose objects are written as a call with constants."""


def _made_of_constants(name: str, args: list[Any]) -> Any:
    """`time(7, 30)`; None for what is no moment or number, or cannot be made so."""
    if name not in _OF_PYTHON or None in args:
        return None
    try:
        return _OF_PYTHON[name](*args)
    except (TypeError, ValueError, ArithmeticError):
        return None


def constants(node: ast.AST) -> list[Any]:
    match node:
        case ast.Tuple(elts=elts) | ast.List(elts=elts) | ast.Set(elts=elts):
            return [v for e in elts for v in constants(e)]
        case ast.Constant(value=None):
            return [None]
        case ast.Attribute() | ast.Name():
            name = class_name(node)
            return [Named(name)] if name is not None else []
    value = constant(node)
    return [] if value is None else [value]


def own_tables(function: ast.AST) -> dict[str, list[Any]]:
    """By name, the keys of the dicts that a function makes for itself."""
    found: dict[str, list[Any]] = {}
    for n in walk(function):
        match n:
            case ast.Assign(targets=[ast.Name(id=name)], value=ast.Dict(keys=keys)):
                found[name] = [v for k in keys if k is not None for v in constants(k)]
    return found


@dataclass(frozen=True, slots=True)
class Named:
    """A constant known by name: `Material.GLASS`, `LIMIT`; looked up in the module when inputs are made."""

    name: str


def class_name(node: ast.AST) -> str | None:
    match node:
        case ast.Name(id=name):
            return name
        case ast.Attribute(value=base, attr=attr):
            inner = class_name(base)
            return None if inner is None else f"{inner}.{attr}"
    return None


def size(node: ast.AST) -> int:
    """How many things stand in a display; any other thing holds one."""
    return len(node.elts) if isinstance(node, ast.Tuple | ast.List | ast.Set) else 1
