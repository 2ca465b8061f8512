"""Wording: names for conditions and constants, from what they read and from what their branch does.

A name is at most five words long, never one that is taken, and says why where the code around it does.
When nothing good is found there is none: a person has to give it.
"""

import ast
import builtins
import keyword
import re
import shlex
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass

from dreck.source.walking import walk
from dreck.steps.support.names.amiss import blank_or_comment, found_invalid, marked, refused
from dreck.steps.support.names.bounds import beyond, enclosed
from dreck.steps.support.names.deeds import done
from dreck.steps.support.names.said import as_question, is_adjective, said_above
from dreck.steps.support.names.vocabulary import (
    ABBREVIATED,
    ASKING,
    GENERAL_THINGS,
    HOLDERS,
    HOW_OFTEN,
    MEMBERS,
    PARTICIPLES,
    SMALL,
    TURNED,
)
from dreck.steps.support.names.words import asks, is_amount, last_of, root_of, words_of

MOST_WORDS = 5
_NO_NEGATION = frozenset({"unique", "united", "universal", "unified", "unsubscribed"})
_LACKING = frozenset({"no", "missing"})
_OF_PYTHON = frozenset({"none", "true", "false", "null", "any", "all", "self"})


@dataclass(frozen=True, slots=True)
class Name:
    """A name, and whether it is a good one."""

    text: str
    good: bool = True


def predicate_name(
    test: ast.expr,
    branch: list[ast.stmt] | None,
    taken: Collection[str],
    wished: str = "",
    comment: str = "",
) -> Name:
    """A name for a condition. `branch` is what runs when it holds, `comment` what is said above it, if known."""
    if wished:
        return Name(wished)
    for words in _suggestions(test, branch, comment):
        name = "_".join(words)
        if isinstance(test, ast.BoolOp) and isinstance(test.op, ast.Or) and set(words) & _LACKING:
            continue  # of several things that may be the matter it would say one
        if (
            2 <= len(words) <= MOST_WORDS
            and len(set(words)) == len(words)
            and not set(words) & ABBREVIATED
            and is_free(name, taken)
            and name.isidentifier()
        ):
            return Name(name)
    return Name("", good=False)


def is_free(name: str, taken: Collection[str]) -> bool:
    """Whether nothing is called `name` yet."""
    return name not in taken and not keyword.iskeyword(name) and not hasattr(builtins, name)


def is_a_thing(name: str) -> bool:
    """Whether a variable is called after a thing of the trade: no abbreviation, and not after what anything may be."""
    words = words_of(name)
    return len(name) > 3 and not set(words) & GENERAL_THINGS and all(len(w) > 2 for w in words)


def _numbered(stem: str, taken: Collection[str]) -> str:
    number = 1
    while f"{stem}_{number}" in taken:
        number += 1
    return f"{stem}_{number}"


def _suggestions(test: ast.expr, branch: list[ast.stmt] | None, comment: str) -> Iterator[list[str]]:
    """What is said above it, what it reads when that is short, what follows from it, what it reads."""
    yield from said_above(comment)
    read = _read(test)
    if read and len(read) <= 3:
        yield as_question(read)
    yield from done(branch, test) if branch else ()
    yield from refused(branch, test) if branch else ()
    if read:
        yield as_question(read)


# --- what a condition reads ----------------------------------------------------------------------------


def _read(test: ast.expr) -> list[str]:
    """The words for a condition: adjectives first, then what it is; [] when they would say how and not why."""
    match test:
        case ast.BoolOp(op=ast.And(), values=values):
            left = _without_presence(values)
            alone = marked(left[0]) if len(left) == 1 else []
            return enclosed(values) or found_invalid(left) or alone or _both(left)
        case ast.BoolOp(values=values):
            return _either(values)
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            called = words_of(last_of(operand.func if isinstance(operand, ast.Call) else operand))
            return ["has", "no", *called[1:]] if called[:1] == ["has"] and called[1:] else _negated(_read(operand))
        case ast.Name(id=name):
            return _without_asking(words_of(name))
        case ast.Attribute(attr=attr):
            return _without_asking(words_of(attr))
        case ast.Subscript(slice=ast.Constant(value=str() as key)) if key.isidentifier():
            return _without_asking(words_of(key))
        case ast.Call(func=ast.Name(id="isinstance"), args=[what, ast.Name() | ast.Attribute() as kind]):
            return [] if _is_one_item(what) else words_of(last_of(kind))
        case ast.Call(func=ast.Attribute(attr="get"), args=[ast.Constant(value=str() as key)]) if key.isidentifier():
            return _without_asking(words_of(key))
        case ast.Call(func=ast.Name() | ast.Attribute() as called):
            words = words_of(last_of(called))
            return _without_asking(words) if words and words[0] in ASKING else []
        case ast.Compare(left=left, ops=[op], comparators=[right]):
            return _compared(left, op, right)
    return []


def _is_one_item(e: ast.expr) -> bool:
    """Whether it is one of several: what the first, or the last, is says nothing of them all."""
    return isinstance(e, ast.Subscript) and not isinstance(getattr(e.slice, "value", 0), str)


def _without_presence(values: list[ast.expr]) -> list[ast.expr]:
    """Operands without those that only see to it that there is something for a later one to look into."""
    kept = []
    for at, value in enumerate(values):
        there = _there(value)
        later = [n for other in values[at + 1 :] for n in walk(other)]
        looked_into = any(_looks_into(n, there) for n in later)
        if not there or not looked_into:
            kept.append(value)
    return kept


def _looks_into(n: ast.AST, there: str) -> bool:
    match n:
        case ast.Attribute(value=inner) | ast.Subscript(value=inner):
            return ast.dump(inner) == there
        case ast.Compare(ops=[ast.In()], comparators=[inner]):
            return ast.dump(inner) == there
        case ast.Compare(left=left, ops=[ast.Eq() | ast.NotEq()], comparators=[ast.Name() as inner]):
            return ast.dump(inner) == there and bool(_one_sought(left, inner))
        case ast.UnaryOp(op=ast.Not(), operand=ast.Call(args=[inner, *_])) if found_invalid([n]):
            return ast.dump(inner) == there
        case ast.Compare(left=left, ops=[ast.Lt() | ast.LtE() | ast.Gt() | ast.GtE()], comparators=[inner]):
            return there in (ast.dump(left), ast.dump(inner))
    return False


def _there(e: ast.expr) -> str:
    """The dump of what `x` or `x is not None` asks for; '' for other tests."""
    match e:
        case ast.Compare(left=left, ops=[ast.IsNot() | ast.NotEq()], comparators=[ast.Constant(value=None)]):
            return ast.dump(left)
        case ast.Name() | ast.Attribute():
            return ast.dump(e)
    return ""


def _both(values: list[ast.expr]) -> list[str]:
    """What two conditions say of one thing; more of them, or a `not` in the middle, would be read letter for letter."""
    if len(values) == 1:
        return _held(values[0])
    if len(values) != 2 or len({root_of(v) for v in values}) > 1:
        return []
    parts = [_read(value) for value in values]
    if not all(parts) or any(part[0] in ("not", "no", "some", "has") for part in parts):
        return []
    if any(words_of(last_of(value).strip("_"))[:1] == ["has"] for value in values):
        return []
    adjectives = [is_adjective(part[-1]) for part in parts]
    if not any(adjectives):
        return []  # two things in a row say nothing of either
    words = [*parts[0], *(["and"] if all(adjectives) else []), *parts[1]]
    return words if len(words) <= 3 + all(adjectives) and len(set(words)) == len(words) else []


def _held(e: ast.expr) -> list[str]:
    """What is left when it is sure that there is something: a thing that it has, or what it is."""
    words = _read(e)
    match e:
        case ast.UnaryOp(op=ast.Not(), operand=ast.Attribute() | ast.Subscript() as held) if not asks(last_of(held)):
            told = _read(held)
            return ["no", *told] if told and not is_adjective(told[-1]) else words
    if words and words[0] in HOW_OFTEN:
        return words
    if words and words_of(last_of(e).strip("_"))[:1] == ["has"]:
        return ["has", *words]
    is_plain = isinstance(e, ast.Attribute | ast.Subscript | ast.Call) and bool(words) and not asks(last_of(e))
    return ["has", *words] if is_plain and not is_adjective(words[-1]) else words


def _either(values: list[ast.expr]) -> list[str]:
    """`kind == "error" or kind == "warning"`: one of two kinds of the same thing."""
    whole = _out_of_range(values) or found_invalid(values) or blank_or_comment(values)
    if whole:
        return whole
    parts = [_read(value) for value in values]
    alike = {ast.dump(v.left) if isinstance(v, ast.Compare) else ast.dump(v) for v in values}
    if len(parts) != 2 or len(alike) > 1 or not all(parts) or any(part[0] in ("not", "no", "some") for part in parts):
        return []
    words = [*parts[0], "or", *parts[1]]
    are_many = any(part[-1].endswith("s") and not part[-1].endswith("ss") for part in parts)
    return words if len(words) <= MOST_WORDS - 1 and not are_many else []


def _out_of_range(values: list[ast.expr]) -> list[str]:
    """`kilos < 0 or kilos > 900`: of one thing, below a limit and above another."""
    sides: set[str] = set()
    things: set[str] = set()
    for value in values:
        match value:
            case ast.Compare(left=thing, ops=[ast.Lt() | ast.LtE()], comparators=[_]):
                sides.add("below")
            case ast.Compare(left=thing, ops=[ast.Gt() | ast.GtE()], comparators=[_]):
                sides.add("above")
            case _:
                return []
        things.add(_thing(thing))
    return ["out", "of", "range"] if sides == {"below", "above"} and len(things) == 1 else []


def _negated(words: list[str]) -> list[str]:
    if not words:
        return []
    if len(words) == 1 and words[0] in TURNED:
        return [TURNED[words[0]]]
    if len(words) == 1 and words[0].startswith("un") and is_adjective(words[0]) and words[0] not in _NO_NEGATION:
        return [words[0].removeprefix("un")]
    if words[0] in ASKING:
        return []
    return words[1:] if words[0] == "not" else ["not", *words]


def _without_asking(words: list[str]) -> list[str]:
    words = words[1:] if len(words) > 1 and words[0] in ("is", "are", "was", "has") else words
    return [] if any(len(w) < 3 for w in words if w not in SMALL) else words


def _compared(left: ast.expr, op: ast.cmpop, right: ast.expr) -> list[str]:
    if isinstance(left, ast.Constant):
        return []
    match op, right:
        case ast.Is() | ast.Eq(), ast.Constant(value=None):
            return _with("no", left)
        case ast.IsNot() | ast.NotEq(), ast.Constant(value=None):
            return _with("has", left)
        case ast.Eq(), ast.Constant(value=0) if type(right.value) is int and is_amount(_thing(left)):
            return _with("no", left)
        case ast.Eq() | ast.Is(), _:
            return _of_whom(_kind_word(right), left) or _one_sought(left, right)
        case ast.NotEq() | ast.IsNot(), _:
            return _negated(_kind_word(right) or _one_sought(left, right))
        case ast.Gt() | ast.GtE(), ast.Name() | ast.Attribute() if last_of(left).endswith("_until"):
            words = words_of(last_of(left))[:-1]
            return words if words and is_adjective(words[-1]) else []
        case ast.Gt() | ast.GtE() | ast.Lt() | ast.LtE(), ast.Name() | ast.Attribute() if beyond(op, right):
            return beyond(op, right)
        case ast.Gt(), ast.Constant(value=0) if len(words_of(_thing(left))) == 1 and is_amount(_thing(left)):
            return _with("some", left)
        case ast.In(), ast.Name() | ast.Attribute():
            return _member_of(words_of(_thing(right)))
    return []


def _one_sought(left: ast.expr, right: ast.expr) -> list[str]:
    """`wanted kind` for `load.kind == wanted_kind`: one of its sort that has a name of its own."""
    sort, words = words_of(_thing(left).strip("_")), words_of(_thing(right).strip("_"))
    is_one = isinstance(right, ast.Name) and len(words) == 2 and words[1:] == sort and len(words[1]) > 2
    return words if is_one and is_adjective(words[0]) else []


def _of_whom(words: list[str], left: ast.expr) -> list[str]:
    """`is_for_block` for `blocks[-1] == "FOR"`: a word of the language says nothing without what it is said of."""
    if len(words) != 1 or not (keyword.iskeyword(words[0]) or words[0] in SMALL):
        return words
    held = left.value if isinstance(left, ast.Subscript) else left
    thing = words_of(_thing(held).strip("_"))
    while thing and thing[-1] in HOLDERS:
        thing.pop()
    return [*words, *thing] if 1 <= len(thing) <= 2 else []


def _member_of(words: list[str]) -> list[str]:
    """`name in ignored`, `key in used_keys`: what is said of all that is in there."""
    told = [MEMBERS.get(w, w) for w in words]
    return told[:1] if told and (told[0].endswith("ed") or told[0] in PARTICIPLES) and len(told[0]) > 3 else []


def _with(word: str, e: ast.expr) -> list[str]:
    """`has weight`, `no weight`: nothing for what has no word of its own, such as an item found by a variable."""
    words = words_of(_thing(e))
    return [word, *words] if words and all(len(w) > 2 for w in words) else []


def _thing(e: ast.expr) -> str:
    match e:
        case ast.Name(id=name) | ast.Attribute(attr=name):
            return name
        case ast.Subscript(slice=ast.Constant(value=str() as key)) if key.isidentifier():
            return key
        case ast.Call(func=ast.Attribute(attr="get"), args=[ast.Constant(value=str() as key), *_]) if (
            key.isidentifier()
        ):
            return key
    return ""


def _kind_word(e: ast.expr) -> list[str]:
    match e:
        case ast.Constant(value=str() as text) if re.fullmatch(r"[A-Za-z][A-Za-z _-]{2,20}", text):
            return [] if text.lower() in _OF_PYTHON else words_of(text.replace("-", " "))
        case ast.Attribute(value=ast.Name(id=owner), attr=attr) if owner[:1].isupper() and len(attr) > 2:
            return words_of(attr)
        case ast.Name(id=name) if name.isupper() and len(name) > 2:
            return words_of(name)
    return []


def naming_hint(code: str, name: str = "NAME") -> str:
    """What to type to give a piece of code a name, as a shell takes it; `name` where one was found."""
    return f"--name {shlex.quote(f'{code}={name}')}"


def constant_name(words: Iterable[str], taken: Collection[str], tail: str = "") -> str:
    """A free name in capitals."""
    stem = "_".join(w for w in words if w).upper()
    stem = re.sub(r"\W", "", stem) or "VALUE"
    stem = stem if not stem[0].isdigit() else f"N_{stem}"
    for name in (stem, f"{stem}_{tail}" if tail else ""):
        if name and is_free(name, taken):
            return name
    return _numbered(stem, taken)
