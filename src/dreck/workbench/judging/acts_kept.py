"""Whether what the arms of a switch do still stands there word for word, in the same order.

Two variables that a run of statements is given may be of one object, or one of them a part of the other. As long as
each arm does what it did, that is no matter; where its lines were moved through one another, it may be.
"""

import ast
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from dreck.model.names.bindings import bound_by
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_ANSWERING = frozenset({"isinstance", "issubclass", "len", "type", "hasattr", "callable", "bool"})
"""Functions of Python that only look at what they are given."""


@dataclass(frozen=True, slots=True)
class _Block:
    """Statements as texts, for those that do something; what is done with the value of the last is left apart."""

    told: tuple[str, ...]
    last: ast.AST | None = field(compare=False)


def acts_are_kept(old: Sequence[ast.stmt], new: Sequence[ast.stmt], before: ast.Module, after: ast.Module) -> bool:
    """Whether each block of the one run that does something stands in the other, or in what was made for it."""
    known = {name for s in _statements(before) for name in bound_by(s)}
    added = [s for s in _statements(after) if any(name not in known for name in bound_by(s))]
    made = {name for s in added for name in bound_by(s)} - known
    bodies = [new, *(body for s in added for body in _bodies(s))]
    if not any(_does_something(s) for body in (old, *bodies) for s in body):
        return True
    if not isinstance(old[0], ast.If | ast.Match) or _calls_in_tests(old) != _calls_in_tests(new):
        return False
    return _stand_there(set(_arms(_with_what_follows(old))), bodies, made)


def _stand_there(mine: set[_Block], bodies: list[Sequence[ast.stmt]], made: set[str]) -> bool:
    theirs: list[_Block] = []
    for body in bodies:
        whole = _block(body)
        theirs += [whole] if whole in mine else _arms(body)
    there = set(theirs)
    return all(m in there or _is_one_act(m, made) for m in mine) and all(
        t in mine or _is_one_act(t, made) for t in theirs
    )


def _with_what_follows(body: Sequence[ast.stmt]) -> list[ast.stmt]:
    """A ladder with what follows it put at the end of each arm."""
    ladder, *rest = body
    if isinstance(ladder, ast.If):
        return [_followed(ladder, rest)]
    assert isinstance(ladder, ast.Match)
    cases = [ast.match_case(c.pattern, c.guard, [*c.body, *rest]) for c in ladder.cases]
    return [ast.Match(ladder.subject, cases), *rest]


def _followed(ladder: ast.If, rest: list[ast.stmt]) -> ast.If:
    match ladder.orelse:
        case [ast.If() as inner]:
            otherwise: list[ast.stmt] = [_followed(inner, rest)]
        case _:
            otherwise = [*ladder.orelse, *rest]
    return ast.If(ladder.test, [*ladder.body, *rest], otherwise)


def _statements(tree: ast.Module) -> Iterator[ast.stmt]:
    """Those at the top of a module, and in the bodies of its classes."""
    for s in tree.body:
        yield s
        if isinstance(s, ast.ClassDef):
            yield from s.body


def _bodies(s: ast.stmt) -> Iterator[Sequence[ast.stmt]]:
    """The body of a new function, or of each function of a new table."""
    if isinstance(s, FunctionNode):
        yield s.body
    elif not isinstance(s, ast.ClassDef):
        yield from ([ast.Return(n.body)] for n in walk(s) if isinstance(n, ast.Lambda))


def _arms(body: Sequence[ast.stmt]) -> Iterator[_Block]:
    """What is done between the tests that choose an arm, and in each arm, as far as anything is."""
    run: list[ast.stmt] = []
    found: list[_Block] = []
    for s in body:
        if not isinstance(s, ast.If | ast.Match):
            run.append(s)
            continue
        found += [_block(run)]
        run = []
        found += [_block(s.body), *_arms(s.orelse)] if isinstance(s, ast.If) else [_block(c.body) for c in s.cases]
    yield from (block for block in (*found, _block(run)) if block.told)


def _block(body: Sequence[ast.stmt]) -> _Block:
    """An answer at the end that does nothing counts for nothing, nor do statements none of which does anything."""
    kept = [s for s in body if not isinstance(s, ast.Pass | ast.Continue | ast.Break) and not _is_docstring(s)]
    while kept and isinstance(kept[-1], ast.Return) and not _does_something(kept[-1]):
        kept.pop()
    if not any(map(_does_something, kept)):
        return _Block((), None)
    *first, last = kept
    value = last.value if isinstance(last, ast.Return | ast.Expr | ast.Assign) and _is_simple(last) else last
    return _Block((*map(ast.dump, first), ast.dump(value) if value is not None else ""), None if first else value)


def _is_docstring(s: ast.stmt) -> bool:
    return isinstance(s, ast.Expr) and isinstance(s.value, ast.Constant)


def _is_simple(s: ast.stmt) -> bool:
    return not isinstance(s, ast.Assign) or all(isinstance(t, ast.Name) for t in s.targets)


def _does_something(s: ast.AST) -> bool:
    return any(map(_is_act, walk(s)))


def _is_act(n: ast.AST) -> bool:
    match n:
        case ast.Call(func=ast.Name(id=name)):
            return name not in _ANSWERING
        case ast.Call() | ast.Await() | ast.Raise() | ast.AugAssign() | ast.Delete():
            return True
        case ast.Attribute(ctx=ast.Store() | ast.Del()) | ast.Subscript(ctx=ast.Store() | ast.Del()):
            return True
        case ast.For() | ast.AsyncFor() | ast.With() | ast.AsyncWith() | ast.comprehension() | ast.Starred():
            return True
        case ast.Tuple(ctx=ast.Store()) | ast.List(ctx=ast.Store()):
            return True  # what is taken apart may be gone through only once
        case ast.Compare(ops=[ast.In() | ast.NotIn()], comparators=[ast.Name(id=name)]):
            return not name.strip("_").isupper()
    return False


def _calls_in_tests(body: Sequence[ast.stmt]) -> list[str]:
    """What the tests that choose an arm do, in the order they are asked."""
    found: list[str] = []
    for s in body:
        if isinstance(s, ast.If):
            found += [ast.dump(n) for n in walk(s.test) if _is_act(n)] + _calls_in_tests(s.orelse)
        elif isinstance(s, ast.Match):
            asked = (s.subject, *(c.guard for c in s.cases if c.guard is not None))
            found += [ast.dump(n) for e in asked for n in walk(e) if _is_act(n)]
    return found


def _is_one_act(block: _Block, made: set[str]) -> bool:
    """Whether a block does one thing alone, so that nothing can be moved through anything.

    It calls something with plain values, or puts a value that it does not call for, or that what was made gives, into
    a place.
    """
    match block.last:
        case ast.Call() as call:
            return _is_plain_call(call)
        case ast.Raise(exc=ast.Call() as call, cause=None):
            return _is_plain_call(call)
        case ast.Assign(targets=[ast.Attribute(value=ast.Name()) | ast.Subscript(value=ast.Name())], value=value):
            told = [n for n in walk(value) if _is_act(n)]
            return not told or (told == [value] and isinstance(value, ast.Call) and _leads(value, made))
        case ast.AugAssign(target=ast.Name() | ast.Attribute(value=ast.Name()), value=value):
            return not any(map(_is_act, walk(value)))
    return False


def _is_plain_call(call: ast.Call) -> bool:
    given = (*call.args, *(k.value for k in call.keywords))
    called = (_is_act(n) and not _looks_up(n) for n in walk(call.func))
    return not any(map(_does_something, given)) and not any(called)


def _looks_up(n: ast.AST) -> bool:
    """`TABLE.get(kind, other)`, before what it gives is called."""
    return isinstance(n, ast.Call) and isinstance(n.func, ast.Attribute) and n.func.attr == "get"


def _leads(call: ast.Call, made: set[str]) -> bool:
    """Whether it calls what was made, with variables as they are."""
    words = {getattr(n, "id", getattr(n, "attr", "")) for n in walk(call.func)}
    return bool(words & made) and _is_plain_call(call)
