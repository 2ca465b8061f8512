"""What is amiss with one thing: names for conditions under which it is refused, or lacks what it ends with."""

import ast
from collections.abc import Iterator

from dreck.source.walking import walk
from dreck.steps.support.names.vocabulary import GENERAL_THINGS, OF_ANY_ERROR
from dreck.steps.support.names.words import last_of, words_of

_REFUSING = frozenset({"ValueError", "TypeError", "AssertionError"})
_FALSE_WORDS = frozenset({"invalid", "bad", "illegal", "malformed"})
_ASKED_OF_CLASSES = frozenset({"isinstance", "issubclass", "type", "len", "hasattr", "callable"})
_MOST_WORDS = 3
_OF_COMMENTS = ("#", "//", ";", b"#")
_MARKS = {
    "/": "slash",
    ".": "dot",
    ",": "comma",
    ":": "colon",
    ";": "semicolon",
    "\n": "newline",
    " ": "space",
    "-": "dash",
    "_": "underscore",
}


def found_invalid(values: list[ast.expr]) -> list[str]:
    """`has_invalid_port`: `not is_valid_port(one) or not is_valid_port(other)`."""
    found = [_not_valid(value) for value in values]
    return ["has", "invalid", *found[0]] if found and found[0] and all(f == found[0] for f in found) else []


def _not_valid(e: ast.expr) -> list[str]:
    match e:
        case ast.UnaryOp(op=ast.Not(), operand=ast.Call(func=called)):
            words = words_of(last_of(called).strip("_"))
            told = words[2:] if words[:2] == ["is", "valid"] else words[1:] if words[:1] == ["valid"] else []
            return told if len(told) <= _MOST_WORDS else []
    return []


def marked(test: ast.expr) -> list[str]:
    """`has_trailing_slash`, `has_no_trailing_newline`: by one mark, which a text begins or ends with."""
    match test:
        case ast.UnaryOp(op=ast.Not(), operand=inner):
            words = marked(inner)
            return ["has", "no", *words[1:]] if words and words[1] != "no" else []
        case ast.Call(
            func=ast.Attribute(value=ast.Name() | ast.Attribute(), attr="startswith" | "endswith" as how),
            args=[ast.Constant(value=str() as mark)],
            keywords=[],
        ) if mark in _MARKS:
            return ["has", "leading" if how == "startswith" else "trailing", _MARKS[mark]]
        case ast.Compare(
            left=ast.Subscript(value=ast.Name() | ast.Attribute(), slice=at),
            ops=[ast.Eq() | ast.NotEq() as op],
            comparators=[ast.Constant(value=str() as mark)],
        ) if mark in _MARKS and ast.unparse(at) in ("0", "-1"):
            where = "leading" if ast.unparse(at) == "0" else "trailing"
            return ["has", *(["no"] if isinstance(op, ast.NotEq) else []), where, _MARKS[mark]]
    return []


def blank_or_comment(values: list[ast.expr]) -> list[str]:
    """`is_blank_or_comment`: a line with nothing in it, or one that begins as comments do."""
    match values:
        case [
            ast.UnaryOp(op=ast.Not(), operand=line),
            ast.Call(func=ast.Attribute(value=other, attr="startswith"), args=[ast.Constant(value=mark)], keywords=[])
            | ast.Compare(
                left=ast.Subscript(value=other, slice=ast.Constant(value=0)),
                ops=[ast.Eq()],
                comparators=[ast.Constant(value=mark)],
            ),
        ] if mark in _OF_COMMENTS and ast.dump(line) == ast.dump(other):
            return ["blank", "or", "comment"]
    return []


def refused(branch: list[ast.stmt], test: ast.expr) -> Iterator[list[str]]:
    """`is_invalid_port`: a value is not taken, and all that is asked is asked of it."""
    match branch[-1]:
        case ast.Raise(exc=ast.expr() as error) if _says_no_more(error):
            things = set(_asked_of(test))
            if len(things) == 1:
                words = words_of(things.pop().strip("_"))
                if _is_a_thing(words) and _asks_several(test):
                    yield ["is", "invalid", *words]


def _says_no_more(error: ast.expr) -> bool:
    """Whether an error says that a value will not do, and not why."""
    kind = last_of(error.func if isinstance(error, ast.Call) else error)
    texts = [n.value for n in walk(error) if isinstance(n, ast.Constant) and isinstance(n.value, str)]
    told = set(words_of(kind)) | {w.strip(".,:'\"").lower() for text in texts for w in text.split()}
    return bool(told & _FALSE_WORDS) or (kind in _REFUSING and bool(told & {"must", "should", "expected", "requires"}))


def _asks_several(test: ast.expr) -> bool:
    return isinstance(test, ast.BoolOp)


def _is_a_thing(words: list[str]) -> bool:
    general = set(words) & (GENERAL_THINGS | OF_ANY_ERROR)
    return 1 <= len(words) <= 2 and all(len(w) > 2 for w in words) and not general and not words[-1].endswith("ed")


def _asked_of(e: ast.AST) -> Iterator[str]:
    """The things that a condition looks at: names and attributes, by what they are called, without what is called,
    constants in capitals and classes."""
    match e:
        case ast.Name(id=name):
            if not name.isupper() and not name[:1].isupper():
                yield name
        case ast.Attribute(value=inner, attr=attr):
            if isinstance(inner, ast.Name) and inner.id in ("self", "cls"):
                yield attr
            elif not attr.isupper():
                yield from _asked_of(inner)
        case ast.Call(func=ast.Name(id=name), args=args, keywords=given) if name in _ASKED_OF_CLASSES:
            for part in (*args[:1], *(k.value for k in given)):
                yield from _asked_of(part)
        case ast.Call(func=called, args=args, keywords=given):
            asked = [*args, *(k.value for k in given)]
            yield from _asked_of_owner(called, any(not isinstance(part, ast.Constant) for part in asked))
            for part in asked:
                yield from _asked_of(part)
        case _:
            for child in ast.iter_child_nodes(e):
                yield from _asked_of(child)


def _asked_of_owner(called: ast.expr, has_arguments: bool) -> Iterator[str]:
    """What a method is asked of: an object that is handed nothing, or `self`, of which anything may be meant."""
    if isinstance(called, ast.Attribute):
        of_self = isinstance(called.value, ast.Name) and called.value.id in ("self", "cls")
        if of_self:
            yield called.attr
        elif not has_arguments:
            yield from _asked_of(called.value)
