"""The shape of blocks: where a function's statement lists stand, how they end, what follows them."""

import ast
import re
from collections.abc import Iterable, Iterator
from functools import lru_cache
from typing import Literal, NamedTuple, TypeAlias

from dreck.source.functions import PLAIN, FunctionNode
from dreck.source.walking import walk

Hop: TypeAlias = tuple[int, str, int]
"""One step down: the statement's index, the field its block stands in, which handler or case."""
Path: TypeAlias = tuple[Hop, ...]
Falls: TypeAlias = Literal["return", "continue", ""]


class Block(NamedTuple):
    """A list of statements in a function.

    `falls` is the exit that running off its end amounts to: `return` at the end of the function, `continue`
    at the end of a loop's body, '' when other code follows. `follows` is the statement that comes next then.
    """

    path: Path
    body: list[ast.stmt]
    falls: Falls
    in_loop: bool = False
    follows: ast.stmt | None = None
    is_elif: bool = False
    """The one-statement list that stands for an `elif`; it is part of its chain, not a block of its own."""


@lru_cache(maxsize=8)
def blocks(function: FunctionNode) -> tuple[Block, ...]:
    """Every block of a function, outermost first; nested functions are left out.

    Kept for the last few functions (nodes are told apart by identity), since every step asks.
    """
    found: list[Block] = []
    _collect(Block((), function.body, "return"), found)
    return tuple(found)


@lru_cache(maxsize=8)
def places(function: FunctionNode) -> tuple[tuple[Block, int, ast.stmt], ...]:
    """Every statement of a function with its block and its place there; an `elif` is part of its chain."""
    kept = (block for block in blocks(function) if not block.is_elif)
    return tuple((block, index, statement) for block in kept for index, statement in enumerate(block.body))


@lru_cache(maxsize=8)
def ifs(function: FunctionNode) -> tuple[tuple[Block, int, ast.If], ...]:
    """Those of its places at which an `if` stands, alone or at the head of a chain."""
    kept = (block for block in blocks(function) if not block.is_elif)
    return tuple((block, index, s) for block in kept for index, s in enumerate(block.body) if isinstance(s, ast.If))


def _collect(block: Block, found: list[Block]) -> None:
    found.append(block)
    for index, statement in enumerate(block.body):
        if type(statement) in PLAIN:
            continue
        last = index == len(block.body) - 1
        falls: Falls = block.falls if last else ""
        follows = block.follows if last else block.body[index + 1]
        for field, which, body, inherits in _inner(statement):
            path = (*block.path, (index, field, which))
            if inherits:
                arm = field == "orelse" and isinstance(statement, ast.If) and is_elif(statement)
                _collect(Block(path, body, falls, block.in_loop, follows, arm), found)
            elif field == "body" and isinstance(statement, ast.For | ast.AsyncFor | ast.While):
                _collect(Block(path, body, "continue", True), found)
            else:
                _collect(Block(path, body, "", block.in_loop), found)


def _inner(s: ast.stmt) -> Iterable[tuple[str, int, list[ast.stmt], bool]]:
    """Blocks inside a statement: field, number, body, and whether their end is the statement's end."""
    if isinstance(s, ast.If):
        body = ("body", 0, s.body, True)
        return [body, ("orelse", 0, s.orelse, True)] if s.orelse else [body]
    if isinstance(s, ast.For | ast.AsyncFor | ast.While):
        body = ("body", 0, s.body, False)
        return [body, ("orelse", 0, s.orelse, True)] if s.orelse else [body]
    if isinstance(s, ast.With | ast.AsyncWith):
        return [("body", 0, s.body, True)]
    if isinstance(s, ast.Try | ast.TryStar):
        return _inner_of_try(s)
    if isinstance(s, ast.Match):
        return [("cases", number, case.body, True) for number, case in enumerate(s.cases)]
    return []


def _inner_of_try(s: ast.Try | ast.TryStar) -> Iterator[tuple[str, int, list[ast.stmt], bool]]:
    yield "body", 0, s.body, not s.orelse and not s.finalbody
    for number, handler in enumerate(s.handlers):
        yield "handlers", number, handler.body, not s.finalbody
    if s.orelse:
        yield "orelse", 0, s.orelse, not s.finalbody
    if s.finalbody:
        yield "finalbody", 0, s.finalbody, True


def is_elif(outer: ast.If) -> bool:
    """Whether `outer` goes on with an `elif` (`else: if` on two lines is not one)."""
    if len(outer.orelse) != 1 or not isinstance(outer.orelse[0], ast.If):
        return False
    return outer.orelse[0].col_offset == outer.col_offset


def arms(chain: ast.If) -> tuple[list[ast.If], list[ast.stmt]]:
    """The `if` and its `elif`s, and the statements of the final `else` (empty when there is none)."""
    found = [chain]
    while is_elif(found[-1]):
        found.append(found[-1].orelse[0])  # type: ignore[arg-type]
    return found, found[-1].orelse


def leaves(body: list[ast.stmt]) -> bool:
    """Whether no way through `body` reaches its end, as far as its syntax tells."""
    if not body:
        return False
    match body[-1]:
        case ast.Return() | ast.Raise() | ast.Continue() | ast.Break():
            return True
        case ast.If(body=then, orelse=orelse):
            return leaves(then) and leaves(orelse)
        case ast.Try(body=tried, handlers=handlers, orelse=orelse, finalbody=last):
            return leaves(last) or (
                (leaves(tried) or leaves(orelse)) and all(leaves(handler.body) for handler in handlers)
            )
        case ast.Match(cases=cases):
            final = cases[-1]
            catch_all = final.guard is None and isinstance(final.pattern, ast.MatchAs) and final.pattern.pattern is None
            return catch_all and all(leaves(case.body) for case in cases)
    return False


def code_lines(body: list[ast.stmt]) -> int:
    """Lines from the first statement to the last."""
    return (body[-1].end_lineno or body[-1].lineno) - body[0].lineno + 1 if body else 0


def holds_test(body: list[ast.stmt]) -> bool:
    """Whether an `if`, `while` or `match` stands anywhere in `body`."""
    return any(isinstance(n, ast.If | ast.While | ast.Match) for s in body for n in walk(s))


def is_straight(body: list[ast.stmt]) -> bool:
    """Whether `body` is simple statements only."""
    return not any(hasattr(s, "body") or isinstance(s, ast.Match) for s in body)


REFUSAL_WORDS = ("error", "invalid", "refuse", "deny", "denied", "reject", "fail", "missing", "unknown", "not ", "no ")


def exceptional(body: list[ast.stmt]) -> float:
    """How much the exit of a leaving block looks like the exceptional case: raise most, a computed value least."""
    match body[-1] if body else None:
        case ast.Raise():
            return 3
        case ast.Return(value=None | ast.Constant(value=None | False)):
            return 2
        case ast.Continue() | ast.Break():
            return 2
        case ast.Return(value=ast.expr() as value) if _says_error(value):
            return 1.5
        case ast.Return(value=ast.Constant(value=value)) if value is not True:
            return 1
        case ast.Return(value=ast.List(elts=[]) | ast.Tuple(elts=[]) | ast.Dict(keys=[])):
            return 1
    return 0


def _says_error(e: ast.expr) -> bool:
    """Whether an answer tells that something is wrong: `"unknown kind"`, `{"error": told}`, `failure(told), 404`."""
    match e:
        case ast.Constant(value=str() as text):
            return any(w in text.lower() for w in REFUSAL_WORDS)
        case ast.JoinedStr(values=values):
            return any(isinstance(v, ast.Constant) and _says_error(v) for v in values)
        case ast.Dict(keys=keys, values=values):
            named = any(isinstance(k, ast.Constant) and k.value in ("error", "errors") for k in keys)
            return named or any(isinstance(v, ast.Constant) and _says_error(v) for v in values)
        case ast.Tuple(elts=[ast.Constant(value=False), _, *_]):
            return True
        case ast.Tuple(elts=[ast.Dict() | ast.Call() | ast.JoinedStr() | ast.Constant(value=str()) as told, number]):
            return _says_error(told) or _is_of_the_web(number)
        case ast.Tuple(elts=elts):
            return any(map(_says_error, elts))
        case ast.Call(func=ast.Name(id=name) | ast.Attribute(attr=name), args=args, keywords=keywords):
            given = [e for e in (*args, *(k.value for k in keywords)) if not isinstance(e, ast.Call)]
            is_status = any((k.arg or "").startswith("status") and _is_of_the_web(k.value) for k in keywords)
            return is_status or _REFUSING.search(name) is not None or any(map(_says_error, given))
    return False


def _is_of_the_web(e: ast.expr) -> bool:
    return isinstance(e, ast.Constant) and type(e.value) is int and _FIRST_OF_ERRORS <= e.value < _BEHIND_ERRORS


_FIRST_OF_ERRORS, _BEHIND_ERRORS = 400, 600
"""Answers of the web that say what is wrong."""
_REFUSING = re.compile(
    r"^_*(error|fail|failure|refuse|reject|deny|forbid)(_|$)"
    r"|^(?!on_|is_|has_|get_|handle_).*(_error|_failure|_fail|_refused|_rejected|bad_request|not_found|forbidden)$"
    r"|[a-z](Error|Failure|Failed|Refused|Rejected|Denied|Forbidden|BadRequest|NotFound)$|^(Err|Failure|Error)$"
)
"""Functions and classes that make an answer of what is wrong."""
_JOINED_WIDTH, _JOINED_OPERANDS = 84, 4


def nest(s: ast.If) -> list[ast.If]:
    """The `if`s directly in one another from `s` on, none with an else: what could be asked as one test."""
    found = [s]
    while not found[-1].orelse:
        match found[-1].body:
            case [ast.If(orelse=[]) as inner]:
                found.append(inner)
            case _:
                break
    return found if not s.orelse else [s]


def joins(tests: list[ast.If], depth: int) -> bool:
    """Whether the tests of a nest, joined by `and`, still make a line people read in one go."""
    code = " and ".join(ast.unparse(t.test) for t in tests)
    operands = sum(len(t.test.values) if isinstance(t.test, ast.BoolOp) else 1 for t in tests)
    return operands <= _JOINED_OPERANDS and len(code) + 4 * depth <= _JOINED_WIDTH


def returns_value(function: FunctionNode) -> bool:
    """Whether some `return` of the function itself gives a value."""
    return any(isinstance(s, ast.Return) and s.value is not None for block in blocks(function) for s in block.body)
