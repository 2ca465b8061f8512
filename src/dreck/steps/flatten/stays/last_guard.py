"""The last of a run of guards: an `else` that does, behind a guard, what the guard does."""

import ast

from dreck.model.views.shape import REFUSAL_WORDS, Block, code_lines, is_straight, leaves
from dreck.source.walking import walk

_SMALL = 3


def follows_a_guard(block: Block, index: int) -> bool:
    """Whether the statement before is an `if` without an else that leaves."""
    before = block.body[index - 1] if index else None
    return isinstance(before, ast.If) and not before.orelse and leaves(before.body)


def ends_as_the_guard(block: Block, index: int, s: ast.If) -> bool:
    """Whether the else, behind a guard, leaves with the very answer of the guard, and the body with another."""
    before = block.body[index - 1] if index else None
    if not (follows_a_guard(block, index) and s.orelse and leaves(s.body) and len(s.orelse) <= _SMALL):
        return False
    assert isinstance(before, ast.If)
    guards, ours, theirs = before.body[-1], s.body[-1], s.orelse[-1]
    if not isinstance(guards, ast.Return | ast.Raise) or not is_straight(s.orelse):
        return False
    said = ast.dump(guards)
    return said == ast.dump(theirs) != ast.dump(ours) and not is_boolean(s.body)


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
