"""Wording: names for conditions and constants, from what they read and from what their branch does.

A name is at most five words long, never one that is taken, and says why where the code around it does.
When nothing good is found the name says so: `is_case_1` wants a better one.
"""

import ast
import builtins
import keyword
import re
import shlex
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass

MOST_WORDS = 5
_ASKING = ("is", "has", "can", "must", "may", "should", "needs", "wants", "are", "was", "will", "holds", "does")
_REFUSING = re.compile(r"\b(refus|reject|den(y|ied)|invalid|error|bad|forbid|illegal|unsupported|cannot|no )", re.I)
_SPELT = frozenset({"lower", "upper", "strip", "lstrip", "rstrip", "casefold", "title", "capitalize"})
"""The same word, spelt otherwise."""
_PLAIN_VERBS = frozenset({"append", "add", "extend", "insert", "write", "update", "print", "format", "join", "pop"})
_TURNED = {"valid": "invalid", "known": "unknown", "open": "closed", "empty": "filled"}


@dataclass(frozen=True, slots=True)
class Name:
    """A name, and whether it is a good one."""

    text: str
    good: bool = True


def predicate_name(test: ast.expr, branch: list[ast.stmt] | None, taken: Collection[str], wished: str = "") -> Name:
    """A name for a condition. `branch` is what runs when it holds, if that is known."""
    if wished:
        return Name(wished)
    for words in _suggestions(test, branch):
        name = "_".join(words)
        if 2 <= len(words) <= MOST_WORDS and is_free(name, taken) and name.isidentifier():
            return Name(name)
    return Name(_numbered("is_case", taken), good=False)


def is_free(name: str, taken: Collection[str]) -> bool:
    """Whether nothing is called `name` yet."""
    return name not in taken and not keyword.iskeyword(name) and not hasattr(builtins, name)


def _numbered(stem: str, taken: Collection[str]) -> str:
    number = 1
    while f"{stem}_{number}" in taken:
        number += 1
    return f"{stem}_{number}"


def _suggestions(test: ast.expr, branch: list[ast.stmt] | None) -> Iterator[list[str]]:
    read = _read(test)
    if read and len(read) <= 3:
        yield _asked(read)
    done = list(_done(branch)) if branch else []
    yield from done
    if read:
        yield _asked(read)


def _asked(words: list[str]) -> list[str]:
    if words[0] in ("no", "some"):
        return ["has", *words]
    return words if words[0] in _ASKING else ["is", *words]


# --- what a condition reads ----------------------------------------------------------------------------


def _read(test: ast.expr) -> list[str]:
    """The words for a condition: adjectives first, then what it is; [] when they would say how and not why."""
    match test:
        case ast.BoolOp(op=op, values=values):
            return _joined([_read(value) for value in values], isinstance(op, ast.Or))
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return _negated(_read(operand))
        case ast.Name(id=name):
            return _without_asking(words_of(name))
        case ast.Attribute(attr=attr):
            return _without_asking(words_of(attr))
        case ast.Call(func=ast.Name(id="isinstance"), args=[_, kind]) if isinstance(kind, ast.Name | ast.Attribute):
            return words_of(_last(kind))
        case ast.Call(func=ast.Name() | ast.Attribute() as called):
            words = words_of(_last(called))
            return _without_asking(words) if words and words[0] in _ASKING else []
        case ast.Compare(left=left, ops=[op], comparators=[right]):
            return _compared(left, op, right)
    return []


def _joined(parts: list[list[str]], is_or: bool) -> list[str]:
    if not all(parts) or len(parts) > 2:
        return []
    one, two = parts
    words = [*one, "or", *two] if is_or else [*one, *two]
    return words if len(words) <= MOST_WORDS - 1 and len(set(words)) == len(words) else []


def _negated(words: list[str]) -> list[str]:
    if not words:
        return []
    if len(words) == 1 and words[0] in _TURNED:
        return [_TURNED[words[0]]]
    return words[1:] if words[0] == "not" else ["not", *words]


def _without_asking(words: list[str]) -> list[str]:
    return words[1:] if len(words) > 1 and words[0] in ("is", "are", "was", "has") else words


def _compared(left: ast.expr, op: ast.cmpop, right: ast.expr) -> list[str]:
    if isinstance(left, ast.Constant):
        return []
    match op, right:
        case ast.Is() | ast.Eq(), ast.Constant(value=None):
            return ["no", *words_of(_last(left))]
        case ast.IsNot() | ast.NotEq(), ast.Constant(value=None):
            return words_of(_last(left))
        case ast.Eq(), ast.Constant(value=0) if type(right.value) is int:
            return ["no", *words_of(_last(left))]
        case ast.Eq() | ast.Is(), _:
            return _kind_word(right)
        case ast.NotEq() | ast.IsNot(), _:
            return _negated(_kind_word(right))
        case ast.Gt() | ast.GtE(), ast.Name() | ast.Attribute() if _last(left).endswith("_until"):
            return words_of(_last(left))[:-1]
        case ast.Gt(), ast.Constant(value=0) if _last(left):
            return ["some", *words_of(_last(left))] if len(words_of(_last(left))) == 1 else words_of(_last(left))
    return []


def _kind_word(e: ast.expr) -> list[str]:
    match e:
        case ast.Constant(value=str() as text) if re.fullmatch(r"[A-Za-z][A-Za-z _-]{1,20}", text):
            return words_of(text.replace("-", " "))
        case ast.Attribute(value=ast.Name(id=owner), attr=attr) if owner[:1].isupper():
            return words_of(attr)
        case ast.Name(id=name) if name.isupper() and len(name) > 2:
            return words_of(name)
    return []


def operands(test: ast.expr) -> list[ast.expr]:
    return list(test.values) if isinstance(test, ast.BoolOp) else [test]


def root_of(e: ast.AST) -> str | None:
    """The first name a test reads, `self` left out for what is read of it."""
    for node in ast.walk(e):
        match node:
            case ast.Attribute(value=ast.Name(id="self" | "cls"), attr=attr):
                return attr
            case ast.Attribute(value=ast.Name(id=name)):
                return name
    names = [n.id for n in ast.walk(e) if isinstance(n, ast.Name)]
    return names[0] if names else None


# --- what a branch does --------------------------------------------------------------------------------


def _done(branch: list[ast.stmt]) -> Iterator[list[str]]:
    """`must_refuse`, `can_skip`, `needs_stamp`: from what follows when a condition holds."""
    for s in branch:
        yield from _by_string(s)
    match branch[-1]:
        case ast.Raise():
            yield ["must", "refuse"]
        case ast.Continue():
            yield ["can", "skip"]
        case ast.Break():
            yield ["is", "done"]
        case ast.Return(value=None | ast.Constant(value=None | False)):
            yield ["can", "leave", "early"]
    for s in branch:
        yield from _by_call(s)


def _by_string(s: ast.stmt) -> Iterator[list[str]]:
    texts = [n.value for n in ast.walk(s) if isinstance(n, ast.Constant) and isinstance(n.value, str)]
    match s:
        case ast.Return(value=ast.Constant(value=str() as text)) if _REFUSING.search(text):
            yield ["must", "refuse"]
        case ast.Expr(value=ast.Call(func=ast.Attribute(attr="append" | "add"), args=[ast.Constant()])) if texts:
            words = words_of(re.sub(r"[^A-Za-z ]", " ", texts[0]))
            if 1 <= len(words) <= 3:
                yield ["needs", *words] if len(words) == 1 else ["goes", *words][:MOST_WORDS]


def _by_call(s: ast.stmt) -> Iterator[list[str]]:
    match s:
        case (
            ast.Expr(value=ast.Call(func=ast.Attribute(attr=attr) | ast.Name(id=attr)))
            | ast.Return(value=ast.Call(func=ast.Attribute(attr=attr) | ast.Name(id=attr)))
            | ast.Expr(value=ast.Await(value=ast.Call(func=ast.Attribute(attr=attr) | ast.Name(id=attr))))
            | ast.Return(value=ast.Await(value=ast.Call(func=ast.Attribute(attr=attr) | ast.Name(id=attr))))
        ):
            words = words_of(attr)
            if (
                words
                and attr not in _PLAIN_VERBS
                and attr[:1].islower()
                and words[0] not in _ASKING
                and len(words) <= 4
            ):
                yield ["must", *words]


# --- words ---------------------------------------------------------------------------------------------


def naming_hint(code: str) -> str:
    """What to type to give a piece of code a name, as a shell takes it."""
    return f"--name {shlex.quote(f'{code}=NAME')}"


def words_of(name: str) -> list[str]:
    """`maxKilos`, `max_kilos` and `MAX_KILOS` are `max kilos`."""
    spaced = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", name.replace("_", " "))
    return [w.lower() for w in spaced.split()]


def _last(e: ast.expr) -> str:
    match e:
        case ast.Name(id=name):
            return name
        case ast.Attribute(attr=attr):
            return attr
        case ast.Call(func=func):
            return _last(func)
        case ast.Subscript(slice=ast.Constant(value=str() as key)):
            return key
        case ast.Subscript(value=value):
            return _last(value)
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
        case ast.Call(func=ast.Attribute(value=inner, attr=attr)) if attr in _SPELT:
            return thing_name(inner)
    return _last(e)


def constant_name(words: Iterable[str], taken: Collection[str], tail: str = "") -> str:
    """A free name in capitals."""
    stem = "_".join(w for w in words if w).upper()
    stem = re.sub(r"\W", "", stem) or "VALUE"
    stem = stem if not stem[0].isdigit() else f"N_{stem}"
    for name in (stem, f"{stem}_{tail}" if tail else ""):
        if name and is_free(name, taken):
            return name
    return _numbered(stem, taken)
