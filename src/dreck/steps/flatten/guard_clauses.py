"""guard-clauses: turn a test round, deal with the exceptional case at once and leave."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterable, Iterator, Sequence
from functools import partial

from dreck.model.views.shape import (
    Block,
    code_lines,
    exceptional,
    holds_test,
    ifs,
    is_elif,
    is_straight,
    joins,
    leaves,
    nest,
    returns_value,
)
from dreck.source.functions import FunctionNode
from dreck.source.lossless import cst
from dreck.source.walking import walk
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.flatten.stays.last_guard import (
    does_as_a_guard,
    ends_as_the_guard,
    exit_behind,
    falls_as_the_guard,
    follows_a_guard,
    is_boolean,
    is_last_before_exit,
    is_plain_answer,
    says_what_is_wrong,
    sets,
)
from dreck.steps.flatten.stays.sizes import SMALL, is_deep, is_long, is_small, is_weighty, may_refuse
from dreck.steps.support.negate import is_clean, negations
from dreck.steps.support.trees import (
    BetterNot,
    Stmt,
    Tree,
    Untouchable,
    as_block,
    code_of,
    comment_lines,
    ended,
    exit_line,
    has_comment,
    spliced,
    unwrapped,
    width,
    with_exit,
    with_leading,
)

_LONG_PATH = 12


def find(function: FunctionNode) -> Iterator[Site]:
    """Places where an `if` wraps the success path, outermost first."""
    for block, index, statement in ifs(function):
        if not is_elif(statement):
            yield from _sites(function, block, index, statement)


def _sites(function: FunctionNode, block: Block, index: int, s: ast.If) -> Iterator[Site]:
    kind = _kind(block, index, s, block.body[index + 1 :])
    if kind is None:
        return
    exit_: str = block.falls
    if exit_ == "return" and returns_value(function):
        exit_ = "return None"
    reason = {
        "else leaves": "the else branch leaves: it stands at its test now",
        "whole body": f"everything to the end stood inside this if: leave with `{exit_}` when it is not so",
        "short else": f"the short else case is dealt with first and leaves with `{exit_}`",
        "short body": f"the short case is dealt with first and leaves with `{exit_}`",
        "result follows": "everything to the end stood inside this if: leave with the result when it is not so",
        "short else, result follows": "the short else case is dealt with first and leaves with the result",
        "short else, exit further out": "the short else case is dealt with first and leaves with the result",
        "else as the guards": "the else comes to the exit of the guards before it: it is the last of them",
        "exit follows": "the exit that followed stands at its test now",
    }[kind]
    if kind == "short else, exit further out":
        exit_ = ast.unparse(exit_behind(block, index) or ast.Return())
    if kind == "result follows":
        exit_ = _still_constant(block, index)
    finishes = kind == "short else" and does_as_a_guard(block, index, s)
    yield Site(block.path, index, s.lineno, reason, kind, exit_, finishes)


def _kind(block: Block, index: int, s: ast.If, rest: list[ast.stmt]) -> str | None:
    if s.orelse and leaves(s.orelse):
        return "else leaves" if _else_is_the_guard(block, index, s) else None
    if falls_as_the_guard(block, index, s) and not isinstance(s.test, ast.BoolOp):
        return "else as the guards" if rest else "short else, exit further out"
    if not rest and not block.falls and _is_refused(block, index, s):
        return "short else, exit further out"
    if s.orelse:
        if rest or not block.falls:
            return "short else, result follows" if is_last_before_exit(block, index, s) else _before_exit(s, rest)
        return _by_size(s) or _as_the_guards(block, index, s)
    if not rest and block.falls and (not leaves(s.body) or (holds_test(s.body) and exceptional(s.body) == 0)):
        return "whole body" if (is_long(s.body) or is_deep(s)) and not _to_be_joined(block, s) else None
    if _before_exit(s, rest):
        return "result follows" if not _to_be_joined(block, s) else None
    if len(rest) == 1 and _is_exit(rest[0]) and leaves(s.body):
        return "exit follows" if _exit_is_the_guard(s, rest) else None
    return None


def _is_refused(block: Block, index: int, s: ast.If) -> bool:
    """Whether a short else says what is wrong, and nothing but a plain return follows, further out."""
    if not s.orelse or leaves(s.orelse) or exit_behind(block, index) is None or isinstance(s.test, ast.BoolOp):
        return False
    is_said = says_what_is_wrong(s.orelse) and not says_what_is_wrong(s.body)
    return is_said and is_small(s.orelse) and is_weighty(s.body)


def _else_is_the_guard(block: Block, index: int, s: ast.If) -> bool:
    if not is_straight(s.orelse):
        return ends_as_the_guard(block, index, s)
    if len(s.orelse) > SMALL and exceptional(s.orelse) < 3:
        return False
    if not leaves(s.body):
        return True
    if is_boolean(s.body) and is_boolean(s.orelse):
        return False
    if ends_as_the_guard(block, index, s):
        return True
    if _is_long_row(s.test):
        return False
    ours, theirs = exceptional(s.body), exceptional(s.orelse)
    if holds_test(s.body):
        return theirs >= ours or ours < 3
    if ours != theirs:
        return theirs > ours
    if code_lines(s.body) != code_lines(s.orelse):
        return code_lines(s.orelse) < code_lines(s.body)
    return follows_a_guard(block, index) and _turns_cleanly(s.test)


def _is_long_row(test: ast.expr) -> bool:
    """Three tests or more in a row: turned round, a reader has to think about each of them."""
    return isinstance(test, ast.BoolOp) and len(test.values) > 2


def _turns_cleanly(test: ast.expr) -> bool:
    return is_clean(cst.parse_expression(ast.unparse(test)))


def _before_exit(s: ast.If, rest: list[ast.stmt]) -> str | None:
    """A long success path, then only `return result`: the guard may return it as well."""
    match rest:
        case [ast.Return(value=value)] if is_plain_answer(value) and not (
            isinstance(value, ast.Tuple) and sets(s.orelse, value)
        ):
            if leaves(s.body) or not (holds_test(s.body) and (is_long(s.body) or is_deep(s))):
                return None
            if not s.orelse:
                return "result follows"
            return "short else, result follows" if is_small(s.orelse) and not leaves(s.orelse) else None
    return None


def _to_be_joined(block: Block, s: ast.If) -> bool:
    """Tests directly in one another around a plain line or two are to be joined, not turned round."""
    tests = nest(s)
    return len(tests) > 1 and is_small(tests[-1].body) and joins(tests, len(block.path) + 1)


def _by_size(s: ast.If) -> str | None:
    if (is_small(s.orelse) or may_refuse(s.orelse)) and is_weighty(s.body):
        return "short else"
    if is_small(s.body) and is_weighty(s.orelse):
        return "short body"
    return None


def _still_constant(block: Block, index: int) -> str:
    """`return None` where the result that follows still is the constant it began with; else ''."""
    match block.body[-1]:
        case ast.Return(value=ast.Name(id=name)):
            pass
        case _:
            return ""
    known = ""
    for s in block.body[:index]:
        match s:
            case ast.Assign(targets=[ast.Name(id=found)], value=ast.Constant(value=value)) if found == name:
                known = f"return {value!r}" if value is None or isinstance(value, bool | int) else ""
            case _ if any(isinstance(n, ast.Name) and n.id == name for n in walk(s)):
                known = ""
    return known


def _as_the_guards(block: Block, index: int, s: ast.If) -> str | None:
    """Behind guards, a last test whose else does what the guards do: it is the last of them."""
    if not (is_small(s.orelse) and not leaves(s.body) and (does_as_a_guard(block, index, s))):
        return None
    return "short else"


def _is_exit(s: ast.stmt) -> bool:
    return isinstance(s, ast.Return | ast.Raise | ast.Continue | ast.Break)


def _exit_is_the_guard(s: ast.If, rest: list[ast.stmt]) -> bool:
    ours, theirs = exceptional(s.body), exceptional(rest)
    return theirs >= 1 and theirs > ours and is_long(s.body)


# --- carrying it out -----------------------------------------------------------------------------------


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """The guard first, then the statements it guards, one level up."""
    block = tree.block(site.path)
    statement = block.body[site.index]
    if not isinstance(statement, cst.If):
        raise Untouchable("no plain if stands there")
    if site.kind == "short body":
        yield Rewrite(tree.edit(site.path, lambda b: _keep_test(b, site)))
        return
    for test, only_if_proved in negations(statement.test):
        _check_width(tree, site, options, statement, test)
        turned = _with_room(tree, site, options, _spaced(statement, test))
        yield Rewrite(tree.edit(site.path, partial(_turned, site=site, guard=turned)), only_if_proved)


def _check_width(tree: Tree, site: Site, options: Options, s: cst.If, test: cst.BaseExpression) -> None:
    """A guard over several lines is worth it before a long success path only."""
    wide = [width(tree, site.path, f"if {code_of(t)}:") for t in (s.test, test)]
    if wide[0] <= options.line_length < wide[1] and code_of(s.body).count("\n") < _LONG_PATH:
        raise BetterNot("the turned test would not fit the line")


def _spaced(statement: cst.If, test: cst.BaseExpression) -> cst.If:
    return statement.with_changes(test=test, whitespace_before_test=cst.SimpleWhitespace(" "))


def _with_room(tree: Tree, site: Site, options: Options, s: cst.If) -> cst.If:
    """What is said beside the `else` stands in its branch where the line of the turned test has no room for it."""
    if not isinstance(s.orelse, cst.Else):
        return s
    other = as_block(s.orelse.body)
    told = other.header.comment
    if told is None or width(tree, site.path, f"if {code_of(s.test)}:  {told.value}") <= options.line_length:
        return s
    first: Stmt = other.body[0]
    told_above = with_leading(first, [*comment_lines(other.header), *first.leading_lines])
    bare = other.with_changes(header=cst.TrailingWhitespace(), body=[told_above, *other.body[1:]])
    return s.with_changes(orelse=s.orelse.with_changes(body=bare))


def _turned(block: cst.IndentedBlock, site: Site, guard: cst.If) -> cst.IndentedBlock:
    success = as_block(guard.body)
    if site.kind == "exit follows":
        return _with_following_exit(block, site, guard, success)
    if site.kind in ("whole body", "result follows"):
        leaving = exit_line(site.exit) if site.exit else _copied(block.body[site.index + 1])
        only = cst.IndentedBlock(body=[leaving])
        made = guard.with_changes(body=only, orelse=None)
        made, success = _told_of_the_test(made, success)
        return spliced(block, site.index, [made, *unwrapped(success)], footer=success.footer)
    other = guard.orelse
    assert isinstance(other, cst.Else)
    refused = as_block(other.body)
    if site.kind in ("short else", "short else, exit further out"):
        refused = with_exit(refused, site.exit)
    elif site.kind == "short else, result follows":
        refused = ended(refused, _copied(block.body[site.index + 1]))
    elif site.kind == "else as the guards":
        refused = ended(refused, _without_blank_lines(block.body[site.index + 1]))
    above, over_success = _shared_out(guard.leading_lines, other.leading_lines)
    made = guard.with_changes(leading_lines=above, body=refused, orelse=None)
    gone = 2 if site.kind == "else as the guards" else 1
    return spliced(block, site.index, [made, *unwrapped(success, over_success)], gone, success.footer)


_OF_THE_TEST = re.compile(r"#\s*(only|just|if|when|skip|ignore|avoid|prevent|check)\b", re.I)


def _told_of_the_test(guard: cst.If, success: cst.IndentedBlock) -> tuple[cst.If, cst.IndentedBlock]:
    """A comment on the test stays with it: one beside it, or by itself at the head of the body."""
    if success.header.comment is not None and _OF_THE_TEST.match(success.header.comment.value):
        beside = guard.with_changes(body=as_block(guard.body).with_changes(header=success.header))
        return beside, success.with_changes(header=cst.TrailingWhitespace())
    first: Stmt = success.body[0]
    *told, last = first.leading_lines or [None]
    speaks = any(line.comment is not None and _OF_THE_TEST.match(line.comment.value) for line in told[:1])
    if not speaks or last is None or last.comment is not None or has_comment(guard.leading_lines):
        return guard, success
    above = guard.with_changes(leading_lines=[*guard.leading_lines, *told])
    return above, success.with_changes(body=[with_leading(first, [last]), *success.body[1:]])


def _copied(leaving: Stmt) -> Stmt:
    """The exit that follows once more, without what is said beside it."""
    return leaving.with_changes(leading_lines=[], trailing_whitespace=cst.TrailingWhitespace())


def _shared_out(
    ours: Sequence[cst.EmptyLine], theirs: Sequence[cst.EmptyLine]
) -> tuple[list[cst.EmptyLine], list[cst.EmptyLine]]:
    """Comments above the `if` and above its `else`, shared out to the guard and to the code it guards.

    Where both have their own, each goes with its branch; a comment above the `if` alone speaks of the whole.
    """
    if not (has_comment(ours) and has_comment(theirs)):
        return [*ours, *(line for line in theirs if line.comment is not None)], []
    first = next(i for i, line in enumerate(ours) if line.comment is not None)
    told = [line for line in theirs if line.comment is not None]
    return [*ours[:first], *told], list(ours[first:])


def _with_following_exit(
    block: cst.IndentedBlock, site: Site, guard: cst.If, success: cst.IndentedBlock
) -> cst.IndentedBlock:
    leaving = block.body[site.index + 1]
    made = guard.with_changes(body=cst.IndentedBlock(body=[_without_blank_lines(leaving)]))
    new = spliced(block, site.index, [made, *unwrapped(success)], dropped=2)
    return new.with_changes(footer=[*success.footer, *new.footer])


def _without_blank_lines(statement: Stmt) -> Stmt:
    kept = [line for line in statement.leading_lines if line.comment is not None]
    return with_leading(statement, kept)


def _keep_test(block: cst.IndentedBlock, site: Site) -> cst.IndentedBlock:
    guard = block.body[site.index]
    assert isinstance(guard, cst.If)
    assert isinstance(guard.orelse, cst.Else)
    body = with_exit(as_block(guard.body), site.exit)
    main = as_block(guard.orelse.body)
    made = guard.with_changes(body=body, orelse=None)
    after = unwrapped(main, guard.orelse.leading_lines)
    return spliced(block, site.index, [made, *after], footer=main.footer)


STEP = Step(
    name="guard-clauses",
    group="flatten",
    order=50,
    summary="Turn the test round, deal with the exceptional case at once and leave.",
    why=(
        "The error then stands beside its test instead of pages below it, and the success path stands last and "
        "unindented: a reader who is past a guard can forget it."
    ),
    when_not=(
        "When both branches are equally normal and short, when the `if` is followed by more than one exit, or "
        "when the body is three plain lines or less: there is nothing to gain."
    ),
    before="""\
def admit(load, permit):
    if permit is not None:
        if load.kilos > 0:
            book(load)
            return "in"
        else:
            raise EmptyLoad(load)
    else:
        return "no permit"
""",
    after="""\
def admit(load, permit):
    if permit is None:
        return "no permit"
    if load.kilos <= 0:
        raise EmptyLoad(load)
    book(load)
    return "in"
""",
    traps=(
        "`not a < b` is `a >= b` only where there is a total order: NaN and sets have none.",
        "Two guards do not change places: the second test may raise what the first one protects it from.",
        "In `try ... finally` and `with`, leaving early still runs what was to be run at the end.",
        "A loop's `else` runs after `continue`, not after `break`.",
    ),
    needs="if",
    find=find,
    apply=apply,
)
