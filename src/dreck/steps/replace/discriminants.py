"""Discriminants: what the tests of a function are about, and what a value of one kind answers to them."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.steps.naming.predicates import own_expressions, statements
from dreck.steps.replace.folding import Answer, test_of
from dreck.steps.support.chains import Reader, each_class, is_plain

CLASS = "isinstance"
"""How a value is asked for its kind: `==`, `is`, or by its class."""


@dataclass(frozen=True, slots=True)
class Discriminant:
    """What the tests are about, the kinds it is compared with (as code), or `truth` when it is just asked.

    `asked`: how it is asked for its kind (`==`, `is`, `isinstance`).
    """

    term: ast.expr
    kinds: tuple[ast.expr, ...]
    tests: int
    truth: bool = False
    asked: str = "=="

    @property
    def code(self) -> str:
        return ast.unparse(self.term)


def discriminants_of(function: FunctionNode) -> list[Discriminant]:
    """Terms that tests compare with constants or classes, or just ask, those with most tests first."""
    found: dict[str, Discriminant] = {}
    for e in asked_for_truth(function):
        about = about_of(e)
        if about is None or not _is_stable(about.term):
            continue
        key = f"{ast.dump(about.term)} {about.truth} {about.asked == CLASS}"
        had = found.get(key)
        known = {ast.dump(k) for k in had.kinds} if had is not None else set()
        more = tuple({ast.dump(k): k for k in about.kinds if ast.dump(k) not in known}.values())
        asked = had.asked if had is not None else about.asked
        kinds = (*(had.kinds if had else ()), *more)
        found[key] = Discriminant(about.term, kinds, (had.tests if had else 0) + 1, about.truth, asked)
    return sorted(found.values(), key=lambda d: (d.truth, -d.tests))


def _is_stable(e: ast.expr) -> bool:
    match e:
        case ast.Call(func=ast.Name(id="type"), args=[inner], keywords=[]):
            return is_plain(inner)
        case ast.Attribute(value=inner, attr="__class__" | "__name__"):
            return _is_stable(inner)
    return is_plain(e)


def asked_for_truth(function: FunctionNode) -> Iterator[ast.expr]:
    """Everything that is asked for its truth, operand by operand."""
    for s in statements(function.body):
        tops = [s.test] if isinstance(s, ast.If | ast.While | ast.Assert) else []
        tops += [n.test for e in own_expressions(s) for n in walk(e) if isinstance(n, ast.IfExp)]
        for top in tops:
            yield from operands_of(top)
        asked = [test_of(s.subject, case) for case in s.cases] if isinstance(s, ast.Match) else []
        for test in asked:
            if test is not None and not isinstance(test, ast.Constant):
                yield from operands_of(test)


def operands_of(e: ast.expr) -> Iterator[ast.expr]:
    """The tests that stand alone in one."""
    match e:
        case ast.BoolOp(values=values):
            for value in values:
                yield from operands_of(value)
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            yield from operands_of(operand)
        case _:
            yield e


@dataclass(frozen=True, slots=True)
class About:
    """What one test asks: a term, the kinds it would be, how; `turned` when it asks for none of them."""

    term: ast.expr
    kinds: tuple[ast.expr, ...]
    truth: bool = False
    asked: str = "=="
    turned: bool = False


def about_of(e: ast.expr) -> About | None:
    """What a test that stands alone is about; None when it compares nothing with kinds."""
    turned = True
    match e:
        case ast.Call(func=ast.Name(id="isinstance"), args=[term, kinds], keywords=[]):
            return About(term, each_class(kinds), asked=CLASS)
        case ast.Compare(left=left, ops=[ast.NotEq()], comparators=[right]):
            e = ast.Compare(left, [ast.Eq()], [right])
        case ast.Compare(left=left, ops=[ast.NotIn()], comparators=[right]):
            e = ast.Compare(left, [ast.In()], [right])
        case ast.Compare(left=left, ops=[ast.IsNot()], comparators=[right]):
            e = ast.Compare(left, [ast.Is()], [right])
        case ast.Compare():
            turned = False
        case _ if is_plain(e):
            return About(e, (), truth=True)
        case _:
            return None
    asked = Reader()(e)
    if asked is None or len(asked[0]) != 1:
        return None
    how = "is" if isinstance(e, ast.Compare) and isinstance(e.ops[0], ast.Is) else "=="
    return About(asked[0][0], asked[1], asked=how, turned=turned)


def answer_of_kind(d: Discriminant, kind: ast.expr | None, above: frozenset[str] = frozenset()) -> Answer:
    """What an object of that kind, or of none that is known, answers to tests about it.

    `above` are the dumps of classes that the kind derives from.
    """
    term = ast.dump(d.term)
    own = ({ast.dump(kind)} if kind is not None else set()) | above
    known = {ast.dump(k) for k in d.kinds}

    def answer(e: ast.expr) -> bool | None:
        about = about_of(e) if isinstance(e, ast.Compare | ast.Call) else None
        if about is None or about.truth or ast.dump(about.term) != term or (about.asked == CLASS) != (d.asked == CLASS):
            return None
        asked = {ast.dump(k) for k in about.kinds}
        return None if not asked <= known else bool(own & asked) is not about.turned

    return answer
