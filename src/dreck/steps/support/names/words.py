"""Words: the names that code is made of, taken apart."""

import ast
import re
import unicodedata

from dreck.source.walking import walk
from dreck.steps.support.names.vocabulary import AMOUNTS, ASKING, SPELT


def words_of(name: str) -> list[str]:
    """`maxKilos`, `max_kilos` and `MAX_KILOS` are `max kilos`."""
    spaced = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", name.replace("_", " "))
    return [w.lower() for w in spaced.split()]


_SIGNS = {
    "(": "open paren", ")": "close paren", "[": "open bracket", "]": "close bracket", "{": "open brace",
    "}": "close brace", "<": "less", ">": "greater", "=": "equals", "+": "plus", "-": "minus", "*": "star",
    "/": "slash", "\\": "backslash", "|": "bar", "&": "and", "^": "caret", "~": "tilde", "!": "bang",
    "?": "question", ".": "dot", ",": "comma", ":": "colon", ";": "semicolon", "'": "quote", '"': "double quote",
    "`": "backquote", "#": "hash", "%": "percent", "@": "at", "$": "dollar", "_": "underscore", " ": "space",
    "\t": "tab", "\n": "newline", "\r": "return", "\0": "null",
}  # fmt: skip
_MOST_SIGNS = 3


def sign_words(told: str) -> list[str]:
    """A text of signs alone, read aloud: `<=` is `less equals`; nothing for an empty one, or one that is long."""
    if len(told) > _MOST_SIGNS:
        return []
    names = [_SIGNS[c] if c in _SIGNS else unicodedata.name(c, "") for c in told]
    return [word for name in names for word in name.lower().replace("-", " ").split()] if all(names) else []


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


_TAKING_APART = frozenset({"split", "rsplit", "partition", "rpartition", "splitlines"})


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
        case ast.Subscript(value=ast.Call(func=ast.Attribute(value=inner, attr=attr))) if attr in _TAKING_APART:
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


def is_amount(name: str) -> bool:
    """Whether it is called after how much or how many there are, of which there may be none."""
    words = words_of(name)
    return bool(words) and (words[-1] in AMOUNTS or (words[-1].endswith("s") and not words[-1].endswith(("ss", "us"))))


def several(word: str) -> str:
    """`levels`, `categories`, `classes`: more than one of it."""
    if word.endswith("y") and word[-2:-1] not in tuple("aeiou"):
        return f"{word[:-1]}ies"
    return f"{word}es" if word.endswith(("s", "x", "z", "ch", "sh")) else f"{word}s"


def one_of(word: str) -> str:
    """`level`, `category`, `class`: one of what is called by a plural; '' for what is none."""
    if not word.endswith("s") or word.endswith(("ss", "us", "is")) or len(word) < _SHORTEST_PLURAL:
        return ""
    if word.endswith("ies"):
        return f"{word[:-3]}y"
    return word[:-2] if word.endswith(("sses", "xes", "zes", "ches", "shes")) else word[:-1]


_SHORTEST_PLURAL = 4
