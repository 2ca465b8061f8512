"""Deeds: what a branch does when a condition holds, as a name for the condition."""

import ast
import builtins
import keyword
import re
import sys
from collections.abc import Iterator
from typing import TypeGuard

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.steps.support.names.said import is_adjective, told_to_people
from dreck.steps.support.names.vocabulary import ABBREVIATED, ASKING, HOW_MANY, IDLE, OF_ANY_ERROR, REFUSING, TOOLS
from dreck.steps.support.names.words import last_of, root_of, several, words_of

_AMISS = frozenset({"missing", "invalid", "unknown", "unsupported", "duplicate"})


def done(branch: list[ast.stmt], test: ast.expr) -> Iterator[list[str]]:
    """`must_refuse`, `needs_stamp`, `is_expired`: from what follows when a condition holds."""
    for s in branch:
        yield from told_to_people(s)
    match branch[-1]:
        case ast.Raise(exc=error):
            yield from _by_error(error)
            if error is not None and REFUSING.search(ast.unparse(error)):
                yield ["must", "refuse"]
    if len(branch) == 1 and (isinstance(branch[0], ast.Expr) or _is_done_to_what_is_asked(branch[0], test)):
        asked = {n.id for n in walk(test) if isinstance(n, ast.Name)}
        yield from _by_call(branch[0], asked)


def _is_done_to_what_is_asked(s: ast.stmt, test: ast.expr) -> bool:
    """Whether an answer is what something does that the condition looks at: `gate.is_open`, `gate.lift(load)`."""
    looked_at = {ast.dump(n.value) for n in walk(test) if isinstance(n, ast.Attribute)}
    looked_at -= {ast.dump(n.func.value) for n in walk(test) if isinstance(n, ast.Call) and _is_method(n.func)}
    return any(ast.dump(n.func.value) in looked_at for n in walk(s) if isinstance(n, ast.Call) and _is_method(n.func))


def _is_method(func: ast.expr) -> TypeGuard[ast.Attribute]:
    return isinstance(func, ast.Attribute)


def _by_error(error: ast.expr | None) -> Iterator[list[str]]:
    """`PermitExpired` is raised where it `is_expired`; an error of Python's own says nothing."""
    kind = last_of(error.func if isinstance(error, ast.Call) else error) if error is not None else ""
    if not kind or hasattr(builtins, kind):
        return
    words = [w for w in words_of(kind) if w not in ("error", "exception", "warning")]
    if words and words[-1].endswith("ed") and len(words[-1]) > 4:
        turned = next((at for at, word in enumerate(words) if word == "not" or word.endswith("ly")), len(words) - 1)
        yield ["is", *words[turned:]]
    elif words and words[0] in _AMISS and len(words) <= 3 and not set(words) & OF_ANY_ERROR:
        yield ["is", *words]


def _by_call(s: ast.stmt, asked: set[str]) -> Iterator[list[str]]:
    match s:
        case (
            ast.Expr(value=ast.Call(func=ast.Attribute(attr=attr) | ast.Name(id=attr)))
            | ast.Expr(value=ast.Await(value=ast.Call(func=ast.Attribute(attr=attr) | ast.Name(id=attr))))
            | ast.Return(value=ast.Call(func=ast.Attribute(attr=attr)))
            | ast.Return(value=ast.Await(value=ast.Call(func=ast.Attribute(attr=attr))))
        ):
            words = words_of(attr)
            most = 1 if isinstance(s, ast.Return) else 2
            if (root_of(s) or "") in sys.stdlib_module_names:
                return  # what a library calls it is no word of the trade
            if attr in asked or not all(map(can_be_read, words)):
                return
            if words and len(words) <= most and attr[:1].islower() and _is_a_deed(attr, words[0]):
                yield ["should", *words]


def _is_a_deed(called: str, verb: str) -> bool:
    """Whether what is called is something that people of the trade do, and no tool of the language's or of a log."""
    idle = verb in IDLE or verb in ASKING or is_adjective(verb) or words_of(called)[-1] in HOW_MANY
    return called not in TOOLS and not idle and len(verb) > 2


def with_each(function: FunctionNode, stem: str, item: str) -> str:
    """`weigh` of `weigh_all`, `volume` of `total_volume`: what is done with an item of a loop, or asked of it; '' where
    no loop goes through them, or the name speaks of nothing more."""
    loops = [n for n in walk(function) if isinstance(n, ast.For) and isinstance(n.target, ast.Name)]
    if not any(isinstance(n.target, ast.Name) and n.target.id == item for n in loops):
        return ""
    words = words_of(stem)
    kept = [word for word in words if word not in _OF_THEM_ALL]
    if len(kept) > 1 and kept[-1] == several(item):
        kept.pop()
    name = "_".join(kept)
    return name if kept != words and name.isidentifier() and not keyword.iskeyword(name) else ""


_OF_THEM_ALL = frozenset({"all", "each", "every", "total", "sum", "whole"})


def can_be_read(word: str) -> bool:
    """Whether it is no abbreviation: `srf`, `fprintf`."""
    known = word not in ABBREVIATED and not word.endswith(("printf", "header", "cb"))
    return len(word) > 2 and known and re.search(r"[aeiouy]", word) is not None
