"""What a reviewer would leave as it is, though a step applies: rows that will grow, twins, comments that would lie.

Only steps that nobody has asked for by name are held back by it.
"""

import ast
import re
from collections.abc import Callable, Iterator

from dreck.model.names.scopes import assigned_in
from dreck.model.views.shape import (
    Block,
    arms,
    blocks,
    code_lines,
    exceptional,
    holds_test,
    is_elif,
    is_straight,
    leaves,
)
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.steps.catalogue import Site, Step
from dreck.steps.flatten.stays.comments import comment_would_lie, head_of_else
from dreck.steps.flatten.stays.last_guard import (
    AN_ERROR,
    begins_anew,
    does_as_a_guard,
    ends_as_the_guard,
    only_reports,
)
from dreck.steps.flatten.stays.left_tests import binds_on_the_way, does_nothing, in_an_arm
from dreck.steps.flatten.stays.twins import shapes, twins_of

_SHORT = 3
_LONG = 6
_LONG_CASE = 10
_TURNING = frozenset(
    {"else leaves", "whole body", "result follows", "short else", "short else, result follows", "exit follows",
     "else as the guards", "short else, exit further out"}
)  # fmt: skip


def left_alone(step: Step, site: Site, function: FunctionNode, line_of: Callable[[int], str]) -> str:
    """Why a place is left alone; '' when nothing stands against the step. `line_of` gives a line of the file."""
    block = next((b for b in blocks(function) if b.path == site.path), None)
    if block is None or site.index >= len(block.body):
        return ""
    statement = block.body[site.index]
    if not isinstance(statement, ast.If):
        return ""
    for reason in _reasons(step.name, site, block, statement, line_of):
        return reason
    if step.name == "guard-clauses" and site.kind in _BY_FALLING_OFF and in_an_arm(function, block):
        return "one case of what is around it: what is added behind that would be passed by"
    return _twin(step, site, function, line_of) if step.name in _SEEN_BESIDE else ""


_BY_FALLING_OFF = frozenset({"whole body", "short else", "short body"})


_SEEN_BESIDE = frozenset({"guard-clauses", "exit-without-else", "elif-chain", "right-way-round"})


def _reasons(step: str, site: Site, block: Block, s: ast.If, line_of: Callable[[int], str]) -> Iterator[str]:
    if step == "guard-clauses":
        yield from _guard_reasons(site, block, s, line_of)
    if step == "join-tests" and does_nothing(s.body):
        yield "a case in which nothing is done says that it was thought of"
    if step == "elif-chain":
        yield from _elif_reasons(s, line_of)
    if step == "exit-without-else" and _is_a_switch(s):
        yield "cases of one switch"
    if step == "shared-lines" and len(s.body) >= _SHORT and s.orelse and shapes(s.body) == shapes(s.orelse):
        yield "both halves tell the same story, line by line"
    if step == "return-at-once" and all(len(half) >= _SHORT and is_straight(half) for half in (s.body, s.orelse)):
        yield "two ways of the same length to one result"


def _guard_reasons(site: Site, block: Block, s: ast.If, line_of: Callable[[int], str]) -> Iterator[str]:
    if site.kind in _TURNING and binds_on_the_way(s.test):
        yield "its test gives a name on the way, which is hard to read in a row of `or`"
    if site.kind in ("whole body", "result follows"):
        yield from _reasons_for_the_whole(site, block, s)
    if site.kind in ("else leaves", "exit follows") and leaves(s.body):
        other = s.orelse or block.body[site.index + 1 :][:1]
        is_last_guard = ends_as_the_guard(block, site.index, s)
        if not is_last_guard and (_is_one_case(s.test) or _follows_its_like(block, site.index, s)):
            yield "one case of several, to which others will be added"
        if not is_last_guard and not _is_the_exception(s.body, other):
            yield "both ways leave, and neither is the exception"
    if site.kind in ("short else", "short body") and _choose_a_value(s):
        yield "both ways end in giving one thing its value"
    is_one_more = site.kind == "short else" and does_as_a_guard(block, site.index, s)
    if site.kind in ("short else", "short body") and not _stands_out(s, site.kind) and not is_one_more:
        yield "two ways that are both normal, and neither is long"
    if site.kind == "short else, result follows" and _works_out_the_result(block, site.index, s):
        yield "both ways work out what is returned behind them"
    if site.kind in _TURNING and comment_would_lie(s, line_of):
        yield "the comment above speaks of the test as it stands"


def _reasons_for_the_whole(site: Site, block: Block, s: ast.If) -> Iterator[str]:
    """Against a guard in front of all that follows."""
    if _ends_a_row(block, site.index):
        yield "the last of a row of ifs, to which somebody will add"
    if _is_one_case(s.test) and code_lines(s.body) < _LONG_CASE:
        yield "one case of several, to which others will be added"
    if _is_the_next_case(block, site.index, s):
        yield "one case of several, each with its answer"
    if _tells_of_itself(s.body):
        yield "what stands in its documentation would keep its indent"
    if _answers_as_before(block, site.index, s):
        yield "one test of several that come to the same answer"
    if _is_an_addition(block, site.index, s) or _has_its_result(block, site.index, s):
        yield "an optional addition behind the main work"


def _is_one_case(test: ast.expr) -> bool:
    """`name == "glass"`: turned round, the case would be what is left when it is not another."""
    match test:
        case ast.Compare(ops=[ast.Eq()], comparators=[ast.Constant(value=str())]):
            return True
    return False


def _follows_its_like(block: Block, index: int, s: ast.If) -> bool:
    """Whether the `if` before it asks the same of the same thing, and does as much: `if x.is_of(A): ...`, then B."""
    before = block.body[index - 1] if index else None
    if not isinstance(before, ast.If) or before.orelse or not leaves(before.body) or len(before.body) < _SEVERAL:
        return False
    return _asked_of(before.test) is not None and _asked_of(before.test) == _asked_of(s.test)


_SEVERAL = 2


def _asked_of(test: ast.expr) -> tuple[str, ...] | None:
    """What is asked, and of what, but for what it is asked about; None for a test of another form."""
    match test:
        case ast.Call(func=ast.Name(id="isinstance" | "issubclass" as name), args=[subject, _]):
            return name, ast.dump(subject)
        case ast.Call(func=ast.Attribute() as func, args=[_, *_]):
            return ("", ast.dump(func))
        case ast.Compare(left=left, ops=[op]):
            return type(op).__name__, ast.dump(left)
    return None


def _stands_out(s: ast.If, kind: str) -> bool:
    """Whether one way is so much longer than the other that taking it out of its indent helps."""
    short, long = (s.orelse, s.body) if kind == "short else" else (s.body, s.orelse)
    return code_lines(long) >= max(_LONG, 3 * code_lines(short))


def _choose_a_value(s: ast.If) -> bool:
    """Whether the last thing that both halves do, whichever way they go, is to give one thing its value."""
    ends = {end for half in (s.body, s.orelse) for end in _set_last(half)}
    return len(ends) == 1 and "" not in ends


def _set_last(body: list[ast.stmt]) -> Iterator[str]:
    """What each way through a block gives a value last; '' where it does something else."""
    match body[-1] if body else None:
        case ast.If(body=inner, orelse=other):
            yield from _set_last(inner)
            yield from _set_last(other)
        case ast.stmt() as last:
            yield " ".join(map(ast.dump, _set_by(last)))
        case None:
            yield ""


def _works_out_the_result(block: Block, index: int, s: ast.If) -> bool:
    match block.body[index + 1 :]:
        case [ast.Return(value=ast.Name(id=name))]:
            return name in assigned_in(s.body) and name in assigned_in(s.orelse)
    return False


def _ends_a_row(block: Block, index: int) -> bool:
    before = block.body[index - 1] if index else None
    return isinstance(before, ast.If) and not before.orelse and not leaves(before.body)


def _is_an_addition(block: Block, index: int, s: ast.If) -> bool:
    """Whether most of the work is done before it, and this only adds to it."""
    done = [b for b in block.body[:index] if not _is_preparation(b)]
    return 2 * sum(code_lines([b]) for b in done) >= code_lines(s.body)


def _has_its_result(block: Block, index: int, s: ast.If) -> bool:
    """Whether what is returned behind it has been worked out by a call before it, and this leaves it as it is."""
    match block.body[index + 1 :]:
        case [ast.Return(value=ast.Name(id=name))] if name not in assigned_in(s.body):
            pass
        case _:
            return False
    given = [b.value for b in block.body[:index] if isinstance(b, ast.Assign) and name in assigned_in([b])]
    return bool(given) and isinstance(given[-1], ast.Call | ast.Await) and isinstance(s.test, ast.Name)


def _is_the_next_case(block: Block, index: int, s: ast.If) -> bool:
    """Whether two tests of the same thing stand before it, each of which gives an answer of its own, as it does."""
    cases = [*block.body[max(index - 2, 0) : index], s]
    if len(cases) < 3 or not any(isinstance(n, ast.Return) for b in s.body for n in walk(b)):
        return False
    subjects = {_asked_about(c.test) for c in cases if isinstance(c, ast.If) and not c.orelse}
    answers = [_answer(c) for c in cases[:2]]
    return len(subjects) == 1 and None not in subjects and "" not in answers and len(set(answers)) == 2


def _asked_about(test: ast.expr) -> str | None:
    """The first thing that a test speaks of: a variable, an attribute of the function's own object."""
    for n in walk(test):
        match n:
            case ast.Attribute(value=ast.Name(id="self" | "cls"), attr=attr):
                return attr
            case ast.Name(id=name) if name not in ("self", "cls", "isinstance", "len", "getattr"):
                return name
    return None


def _answer(s: ast.stmt) -> str:
    """What a guard returns, '' where it is no guard that returns something."""
    match s:
        case ast.If(body=[*_, ast.Return(value=ast.expr() as value)]):
            return ast.dump(value)
    return ""


def _tells_of_itself(body: list[ast.stmt]) -> bool:
    """Whether a function or class is defined in it with a docstring of several lines."""
    made = (n for b in body for n in walk(b) if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef))
    return any("\n" in (ast.get_docstring(n, clean=False) or "") for n in made)


def _answers_as_before(block: Block, index: int, s: ast.If) -> bool:
    """Whether it is short, and leaves on some way with the very answer of the guard before it."""
    before = block.body[index - 1] if index else None
    if not isinstance(before, ast.If) or before.orelse or code_lines(s.body) > _LONG:
        return False
    match before.body[-1]:
        case ast.Return(value=ast.expr()) as answer:
            said = ast.dump(answer)
            return any(isinstance(n, ast.Return) and ast.dump(n) == said for b in s.body for n in walk(b))
    return False


def _is_preparation(s: ast.stmt) -> bool:
    match s:
        case ast.If(orelse=[]) if leaves(s.body):
            return True
        case ast.Expr(value=ast.Constant()) | ast.Pass():
            return True
        case ast.Assign(targets=[ast.Name()]) | ast.AnnAssign(target=ast.Name()):
            return True
    return isinstance(s, ast.Import | ast.ImportFrom | ast.Global | ast.Nonlocal | ast.Assert)


def _is_the_exception(body: list[ast.stmt], other: list[ast.stmt]) -> bool:
    ours, theirs = exceptional(body), exceptional(other)
    if holds_test(body) and code_lines(body) >= max(_LONG, 3 * code_lines(other)):
        return theirs >= 1  # a plain answer, told before a nest of tests
    if theirs == AN_ERROR and code_lines(body) <= code_lines(other):
        return False  # two answers, each said in a line
    is_plain = not _keeps_something(other) and not (len(body) == 1 and _does_something(other))
    return theirs >= AN_ERROR and theirs > ours and code_lines(other) <= _SHORT and is_plain


def _does_something(body: list[ast.stmt]) -> bool:
    """Whether a branch does more than to report before it gives its answer."""
    return len(body) > 1 and not isinstance(body[-1], ast.Raise) and not only_reports(body[:-1])


def _keeps_something(body: list[ast.stmt]) -> bool:
    """Whether a branch changes an object before it gives its answer: a case of its own, not what goes wrong."""
    targets = (t for s in body for t in _set_by(s))
    return not isinstance(body[-1], ast.Raise) and any(isinstance(t, ast.Attribute | ast.Subscript) for t in targets)


def _set_by(s: ast.stmt) -> list[ast.expr]:
    match s:
        case ast.Assign(targets=targets) | ast.Delete(targets=targets):
            return targets
        case ast.AugAssign(target=target) | ast.AnnAssign(target=target):
            return [target]
    return []


def _elif_reasons(s: ast.If, line_of: Callable[[int], str]) -> Iterator[str]:
    if not is_elif(s) and shapes(s.body) == shapes(s.orelse):
        yield "both halves ask in the same way"
    guards, before = [s], list(s.body)
    while is_elif(arm := guards[-1]):
        guards.append(arm.orelse[0])  # type: ignore[arg-type]
        before += guards[-1].body
    match arm.orelse:
        case [ast.If() as inner]:
            if begins_anew(guards, inner):
                yield "the branch before it leaves, and another question begins: the else goes (exit-without-else)"
            if inner.orelse and "#" in head_of_else(arm, line_of):
                yield "the comment in the else speaks of both its branches"
            if not inner.orelse and _may_do_something(inner.test) and "#" in head_of_else(arm, line_of):
                yield "the comment in the else says what its test does"
            asked = ast.dump(inner.test)
            if any(isinstance(n, ast.If | ast.IfExp) and ast.dump(n.test) == asked for b in before for n in walk(b)):
                yield "both halves ask the same"


_ASKING = re.compile(
    r"_*(is|has|can|should|was|are|does|isinstance|issubclass|hasattr|callable|len|any|all|bool|int|str|type|get|getattr"
    r"|startswith|endswith|match|search|fullmatch|find|count|lower|upper|strip|keys|values|items|exists)(_|$|[A-Z])"
    r"|is(digit|alpha|space|alnum|file|dir|upper|lower)"
)


def _may_do_something(test: ast.expr) -> bool:
    """Whether a test calls what may be more than a question, going by its name."""
    called = (n.func for n in walk(test) if isinstance(n, ast.Call))
    names = (f.attr if isinstance(f, ast.Attribute) else getattr(f, "id", "") for f in called)
    return any(_ASKING.match(name) is None for name in names)


def _is_a_switch(s: ast.If) -> bool:
    """Two tests or more on what one thing is equal to: a reader sees the cases at a glance."""
    ifs, _ = arms(s)
    subjects = set()
    for arm in ifs:
        match arm.test:
            case ast.Compare(left=left, ops=[ast.Eq() | ast.Is() | ast.In()], comparators=[_]):
                subjects.add(ast.dump(left))
            case ast.Call(func=ast.Name(id="isinstance"), args=[left, _]):
                subjects.add(ast.dump(left))
            case _:
                return False
    return len(ifs) > 1 and len(subjects) == 1


# --- twins -----------------------------------------------------------------------------------------------


def _is_more_of_a_chain(one: ast.stmt, other: ast.stmt) -> bool:
    """Whether the twin has become a chain already, which tells the two apart in nothing else."""
    return isinstance(one, ast.If) and isinstance(other, ast.If) and len(arms(one)[0]) > len(arms(other)[0])


def _twin(step: Step, site: Site, function: FunctionNode, line_of: Callable[[int], str]) -> str:
    """Siblings of one shape: both change, or neither."""
    twins = list(twins_of(function, site.path, site.index))
    if not twins:
        return ""
    sites = {(other.path, other.index): other for other in step.find(function)}
    known = {block.path: block for block in blocks(function)}
    for path, index in twins:
        other, s = sites.get((path, index)), known[path].body[index]
        if other is None and step.name == "elif-chain" and _is_more_of_a_chain(s, known[site.path].body[site.index]):
            continue
        if other is None or (isinstance(s, ast.If) and any(_reasons(step.name, other, known[path], s, line_of))):
            return "its twin would stay as it is"
    return ""
