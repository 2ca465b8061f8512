"""Assignments at the ends of a statement made into returns: the rewriting of return-at-once."""

from __future__ import annotations

from dreck.source.lossless import cst
from dreck.steps.support.trees import Stmt, Untouchable


def with_returns(s: Stmt, name: str) -> Stmt:
    match s:
        case cst.If():
            return s.with_changes(body=_ending(s.body, name), orelse=_elsewith_returns(s.orelse, name))
        case cst.With():
            return s.with_changes(body=_ending(s.body, name))
        case cst.Try():
            return _trywith_returns(s, name)
        case cst.Match():
            return s.with_changes(cases=[c.with_changes(body=_ending(c.body, name)) for c in s.cases])
        case cst.For() | cst.While():
            orelse = s.orelse and s.orelse.with_changes(body=_ending(s.orelse.body, name))
            return s.with_changes(body=_breaking(s.body, name), orelse=orelse)
    return s


def _elsewith_returns(orelse: cst.If | cst.Else | None, name: str) -> cst.If | cst.Else | None:
    match orelse:
        case cst.If():
            arm: cst.If = with_returns(orelse, name)
            return arm
        case cst.Else():
            return orelse.with_changes(body=_ending(orelse.body, name))
    return None


def _trywith_returns(s: cst.Try, name: str) -> cst.Try:
    if s.finalbody is not None:
        return s
    handlers = [h.with_changes(body=_ending(h.body, name)) for h in s.handlers]
    if s.orelse is not None:
        return s.with_changes(orelse=s.orelse.with_changes(body=_ending(s.orelse.body, name)), handlers=handlers)
    return s.with_changes(body=_ending(s.body, name), handlers=handlers)


def _ending(suite: cst.BaseSuite, name: str) -> cst.BaseSuite:
    """A suite whose last statement returns instead of assigning."""
    if isinstance(suite, cst.SimpleStatementSuite):
        made = as_return(suite.body[-1], name)
        return suite if made is None else suite.with_changes(body=[*suite.body[:-1], made])
    assert isinstance(suite, cst.IndentedBlock)
    last = suite.body[-1]
    if isinstance(last, cst.SimpleStatementLine):
        made = as_return(last.body[-1], name)
        if made is None:
            return suite
        last = last.with_changes(body=[*last.body[:-1], made])
    elif _sets_before(suite, name):
        # What was set first holds unless a later test says otherwise: this arm returns at its own end.
        return suite.with_changes(body=[*suite.body, _return_of(name)])
    else:
        last = with_returns(last, name)
    return suite.with_changes(body=[*suite.body[:-1], last])


def _sets_before(suite: cst.IndentedBlock, name: str) -> bool:
    """Whether a plain line of this arm sets the variable before its last statement, an `if` without else, does."""
    last = suite.body[-1]
    if not isinstance(last, cst.If) or last.orelse is not None:
        return False
    lines = [s for s in suite.body[:-1] if isinstance(s, cst.SimpleStatementLine)]
    return any(as_return(small, name) is not None for line in lines for small in line.body)


def _return_of(name: str) -> cst.SimpleStatementLine:
    return cst.SimpleStatementLine(body=[cst.Return(cst.Name(name))])


def as_return(s: cst.BaseSmallStatement, name: str) -> cst.Return | None:
    match s:
        case cst.Assign(targets=[cst.AssignTarget(target=cst.Name(value=found))], value=value) if found == name:
            pass
        case cst.AnnAssign(target=cst.Name(value=found), value=cst.BaseExpression() as value) if found == name:
            pass
        case _:
            return None
    if isinstance(value, cst.Yield | cst.StarredElement):
        raise Untouchable("the value is a yield")
    return cst.Return(value=value, semicolon=s.semicolon)


def _breaking(suite: cst.BaseSuite, name: str) -> cst.BaseSuite:
    """In a loop's body: an assignment followed by `break` returns."""
    if not isinstance(suite, cst.IndentedBlock):
        return suite
    body: list[Stmt] = []
    for s in suite.body:
        before = body[-1] if body else None
        made = _pairas_return(before, s, name)
        if made is not None:
            body[-1] = made
            continue
        body.append(_inside_loop(s, name))
    return suite.with_changes(body=body)


def _inside_loop(s: Stmt, name: str) -> Stmt:
    match s:
        case cst.If():
            orelse = s.orelse
            match orelse:
                case cst.If():
                    orelse = _inside_loop(orelse, name)
                case cst.Else():
                    orelse = orelse.with_changes(body=_breaking(orelse.body, name))
            return s.with_changes(body=_breaking(s.body, name), orelse=orelse)
        case cst.With():
            return s.with_changes(body=_breaking(s.body, name))
    return s


def _pairas_return(before: Stmt | None, s: Stmt, name: str) -> Stmt | None:
    match before, s:
        case cst.SimpleStatementLine(body=[assign]), cst.SimpleStatementLine(body=[cst.Break()]):
            made = as_return(assign, name)
            if made is None:
                return None
            comment = s.trailing_whitespace.comment
            lines = [line for line in s.leading_lines if line.comment is not None]
            if comment is not None:
                lines.append(cst.EmptyLine(comment=comment))
            return before.with_changes(leading_lines=[*before.leading_lines, *lines], body=[made])
    return None
