"""Words: the names that code is made of, taken apart."""

import ast
import re

from dreck.source.walking import walk
from dreck.steps.support.vocabulary import ASKING, SPELT


def words_of(name: str) -> list[str]:
    """`maxKilos`, `max_kilos` and `MAX_KILOS` are `max kilos`."""
    spaced = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", name.replace("_", " "))
    return [w.lower() for w in spaced.split()]


def last_of(e: ast.expr) -> str:
    match e:
        case ast.Name(id=name):
            return name
        case ast.Attribute(attr=attr):
            return attr
        case ast.Call(func=func):
            return last_of(func)
        case ast.Subscript(slice=ast.Constant(value=str() as key)):
            return key
        case ast.Subscript(value=value):
            return last_of(value)
    return ""


def thing_name(e: ast.expr) -> str:
    """The last word for a value: `load.kilos` is `kilos`, `len(queue)` is `queue length`."""
    match e:
        case ast.Call(func=ast.Name(id="len"), args=[inner]):
            return f"{thing_name(inner)}_count"
        case ast.Call(func=ast.Attribute(attr="get"), args=[ast.Constant(value=str() as key), *_]) if (
            key.isidentifier()
        ):
            return key
        case ast.Call(func=ast.Attribute(value=inner, attr=attr)) if attr in SPELT:
            return thing_name(inner)
    return last_of(e)


def root_of(e: ast.AST) -> str | None:
    """The first name a test reads, `self` left out for what is read of it."""
    for node in walk(e):
        match node:
            case ast.Attribute(value=ast.Name(id="self" | "cls"), attr=attr):
                return attr
            case ast.Attribute(value=ast.Name(id=name)):
                return name
    names = [n.id for n in walk(e) if isinstance(n, ast.Name)]
    return names[0] if names else None


def operands(test: ast.expr) -> list[ast.expr]:
    return list(test.values) if isinstance(test, ast.BoolOp) else [test]


def asks(name: str) -> bool:
    """Whether a name is a question already: `is_open`."""
    return bool(set(words_of(name)[:1]) & set(ASKING))
