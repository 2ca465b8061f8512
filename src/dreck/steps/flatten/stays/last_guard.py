"""The last of a run of guards: an `else` that does, behind a guard, what the guard does."""

import ast

from dreck.model.views.shape import REFUSAL_WORDS, Block, arms, code_lines, exceptional, is_straight, leaves
from dreck.source.walking import walk

_SMALL = 3
_FEW = 2


def follows_a_guard(block: Block, index: int) -> bool:
    """Whether the statement before is an `if` without an else that leaves."""
    before = block.body[index - 1] if index else None
    return isinstance(before, ast.If) and not before.orelse and leaves(before.body)


def guard_before(block: Block, index: int) -> int:
    """Where the guard stands that comes before a statement, with nothing between but what gives names a value; -1."""
    at = index - 1
    while at >= 0 and isinstance(block.body[at], ast.Assign | ast.AnnAssign):
        at -= 1
    return at if at >= 0 and follows_a_guard(block, at + 1) else -1


def is_last_before_exit(block: Block, index: int, s: ast.If) -> bool:
    """Whether a short else does what the guards before it do, and the answer that they have given comes next."""
    match block.body[index + 1 :]:
        case [ast.Return(value=ast.expr() as value) as last] if is_plain_answer(value):
            at = guard_before(block, index)
            is_short = bool(s.orelse) and is_straight(s.orelse) and len(s.orelse) <= _FEW and not leaves(s.orelse)
            if at < 0 or not is_short or leaves(s.body) or sets(s.orelse, value):
                return False
            guard = block.body[at]
            given = isinstance(guard, ast.If) and ast.dump(guard.body[-1]) == ast.dump(last)
            return given and does_as_a_guard(block, at + 1, s)
    return False


def ends_as_the_guard(block: Block, index: int, s: ast.If) -> bool:
    """Whether the else, behind a guard, leaves with the very answer of the guard, and the body with another."""
    before = block.body[index - 1] if index else None
    if not (follows_a_guard(block, index) and s.orelse and leaves(s.body) and len(s.orelse) <= _SMALL):
        return False
    if not is_straight(s.orelse) and not _is_almost_straight(s.orelse, s.body):
        return False
    assert isinstance(before, ast.If)
    guards, ours, theirs = before.body[-1], s.body[-1], s.orelse[-1]
    if not isinstance(guards, ast.Return | ast.Raise):
        return False
    said = ast.dump(guards)
    return said == ast.dump(theirs) != ast.dump(ours) and not is_boolean(s.body)


def _is_almost_straight(orelse: list[ast.stmt], body: list[ast.stmt]) -> bool:
    """One plain test among plain lines, in a branch that is far shorter than the other."""
    tests = [s for s in orelse if not is_straight([s])]
    match tests:
        case [ast.If(body=inner, orelse=[])] if is_straight(inner) and not leaves(inner):
            return code_lines(body) >= _FEW * code_lines(orelse)
    return False


def falls_as_the_guard(block: Block, index: int, s: ast.If) -> bool:
    """Whether the else, behind a guard, does no more than the body and comes to the very exit of the guard, which
    follows, and the body leaves with another answer."""
    before, last = block.body[index - 1] if index else None, exit_behind(block, index)
    is_small = bool(s.orelse) and is_straight(s.orelse) and len(s.orelse) <= min(_SMALL, code_lines(s.body))
    if not (is_small and follows_a_guard(block, index) and leaves(s.body) and not leaves(s.orelse)):
        return False
    assert isinstance(before, ast.If)
    return last is not None and ast.dump(before.body[-1]) == ast.dump(last) != ast.dump(s.body[-1])


def exit_behind(block: Block, index: int) -> ast.Return | None:
    """The plain return that comes next behind a statement, in its block or further out; what is worked out on the
    way is no plain one."""
    rest = block.body[index + 1 :]
    match rest if rest or block.falls else [block.follows]:
        case [ast.Return(value=None | ast.Constant()) as last]:
            return last
    return None


AN_ERROR = 1.5
"""How exceptional an exit has to look to be told first although both branches leave."""


def begins_anew(guards: list[ast.If], rest: ast.If) -> bool:
    """Whether the chain `rest` asks another question than the few arms in front of it, which leave, and goes on."""
    ifs, last = arms(rest)
    if not 0 < len(guards) <= _FEW or not (_refuses_at_last(guards, ifs, last) or _goes_on(ifs, last)):
        return False
    asked = {subject_of(arm.test) for arm in guards}
    return all(leaves(arm.body) for arm in guards) and not asked & {subject_of(arm.test) for arm in ifs}


def _goes_on(ifs: list[ast.If], last: list[ast.stmt]) -> bool:
    return not any(leaves(arm.body) for arm in ifs) and not leaves(last)


def _refuses_at_last(guards: list[ast.If], ifs: list[ast.If], last: list[ast.stmt]) -> bool:
    """Whether all but the one arm of the rest say that something is wrong: its else is one more guard."""
    if len(ifs) != 1 or not leaves(ifs[0].body) or not leaves(last):
        return False
    refused = [exceptional(body) for body in (*(arm.body for arm in guards), last)]
    return min(refused) >= AN_ERROR > exceptional(ifs[0].body)


def subject_of(test: ast.expr) -> str:
    match test:
        case ast.Compare(left=left):
            return ast.dump(left)
        case ast.Call(func=func, args=[first, *_]):
            return ast.dump(func) + ast.dump(first)
    return ast.dump(test)


def comes_to_its_answer(block: Block, index: int) -> bool:
    """Whether nothing comes next behind a statement, in its block or further out, but the return of what is there."""
    rest = block.body[index + 1 :]
    match rest if rest or block.falls else [block.follows]:
        case [ast.Return(value=value)]:
            return is_plain_answer(value)
    return False


def is_plain_answer(value: ast.expr | None) -> bool:
    """Nothing, a constant, a name, or a tuple of these."""
    if isinstance(value, ast.Tuple):
        return all(map(is_plain_answer, value.elts))
    return value is None or isinstance(value, ast.Name | ast.Constant)


def sets(body: list[ast.stmt], value: ast.expr) -> bool:
    """Whether a block gives a value to a name that stands in an expression."""
    named = {n.id for n in walk(value) if isinstance(n, ast.Name)}
    return any(
        isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load) and n.id in named for s in body for n in walk(s)
    )


def says_what_is_wrong(body: list[ast.stmt]) -> bool:
    """Whether a branch reports, or gives something a word of refusal: `log.error(...)`, `slip.state = "refused"`."""
    if any(called.rpartition(".")[2] in _REPORTS for called in _called(body)):
        return True
    plain = [s for s in body if is_straight([s])]
    texts = (n.value.lower() for s in plain for n in walk(s) if isinstance(n, ast.Constant) and type(n.value) is str)
    return any(word in text for text in texts for word in REFUSAL_WORDS)


def does_alike(one: list[ast.stmt], other: list[ast.stmt]) -> bool:
    """Whether plain lines call the same: `errors.append(...)` here and there."""
    return bool(_called(one)) and _called(one) == _called(other) and is_straight(one)


def is_boolean(body: list[ast.stmt]) -> bool:
    """`return True` or `return False` and nothing else: the test itself is the answer, there is no guard."""
    match body:
        case [ast.Return(value=ast.Constant(value=bool()))]:
            return True
    return False


def does_as_a_guard(block: Block, index: int, s: ast.If) -> bool:
    """Whether the else, behind a guard, only reports, or calls what the guard calls, and the body does neither."""
    before = block.body[index - 1] if index else None
    if not (isinstance(before, ast.If) and not before.orelse and leaves(before.body)):
        return False
    told = _called(before.body)
    if only_reports(s.orelse) and not only_reports(s.body):
        return True
    return bool(_called(s.orelse)) and _called(s.orelse) <= told and not told & _called(s.body)


_REPORTS = frozenset(
    {"print", "echo", "warn", "warning", "error", "exception", "critical", "skip", "fail", "refuse", "reject"}
)


def only_reports(body: list[ast.stmt]) -> bool:
    """Whether a block does nothing but say that something is not as it should be."""
    return (
        all(called.rpartition(".")[2] in _REPORTS for called in _called(body))
        and bool(_called(body))
        and all(isinstance(s, ast.Expr) for s in body)
    )


def _called(body: list[ast.stmt]) -> set[str]:
    """What the plain lines of a block call, by the text of it."""
    acts = [n.value.value if isinstance(n.value, ast.Await) else n.value for n in body if isinstance(n, ast.Expr)]
    return {ast.unparse(act.func) for act in acts if isinstance(act, ast.Call)}
