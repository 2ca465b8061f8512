"""Switches: places where one thing is compared with several kinds: types, enum members, constant codes, limits.

An if-chain, a run of guards, a `match`, a dict looked up by it: all come out as the same `Switch`.
"""

import ast
import math
from collections.abc import Iterator
from dataclasses import dataclass, field

from dreck.model.views.asked_again import number_of
from dreck.model.views.shape import arms, blocks, leaves
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk


@dataclass(frozen=True, slots=True)
class Span:
    """Numbers from `low` to `high`, either end in or out."""

    low: float = -math.inf
    high: float = math.inf
    low_in: bool = True
    high_in: bool = True

    @property
    def is_empty(self) -> bool:
        return self.low > self.high or (self.low == self.high and not (self.low_in and self.high_in))

    def meet(self, other: "Span") -> "Span":
        low, low_in = max((self.low, not self.low_in), (other.low, not other.low_in))
        high, high_in = min((self.high, self.high_in), (other.high, other.high_in))
        return Span(low, high, not low_in, high_in)

    def without(self, other: "Span") -> list["Span"]:
        """What is left when `other` is taken out."""
        parts = [
            self.meet(Span(-math.inf, other.low, True, not other.low_in)),
            self.meet(Span(other.high, math.inf, not other.high_in, True)),
        ]
        return [part for part in parts if not part.is_empty]

    def told(self, name: str) -> str:
        if self.low == self.high:
            return f"{name} == {self.low:g}"
        if self.low == -math.inf and self.high == math.inf:
            return f"any {name}"
        if self.low == -math.inf:
            return f"{name} {'<=' if self.high_in else '<'} {self.high:g}"
        if self.high == math.inf:
            return f"{name} {'>=' if self.low_in else '>'} {self.low:g}"
        return f"{self.low:g} {'<=' if self.low_in else '<'} {name} {'<=' if self.high_in else '<'} {self.high:g}"


@dataclass(frozen=True, slots=True)
class Arm:
    """One branch of a switch: the kinds it takes (constants, members, classes as code) or the numbers, its line.

    `exact` is false when more is tested than the kind; such an arm may let its kinds through.
    """

    kinds: tuple[str, ...]
    line: int
    span: Span | None = None
    exact: bool = True


@dataclass(frozen=True, slots=True)
class Switch:
    """A switch on `subject` (as code). `by` is `type`, `value` or `range`; `default` what takes the rest.

    `default` is `else`, `case _`, `after` (the code behind the guards), `get` or `KeyError` for a dict, or '' when
    nothing does.
    """

    subject: str
    by: str
    arms: tuple[Arm, ...]
    default: str
    line: int
    form: str

    @property
    def kinds(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(kind for arm in self.arms for kind in arm.kinds))


@dataclass(slots=True)
class _Draft:
    line: int
    form: str
    arms: list[tuple[str, str, Arm]] = field(default_factory=list)
    default: str = ""


def switches(function: FunctionNode, tables: dict[str, ast.Dict] | None = None) -> list[Switch]:
    """Every switch with two arms or more in the function; `tables` are dicts at the top of its module."""
    found: list[Switch] = []
    for block in blocks(function):
        if not block.is_elif:
            for draft in _in_block(block.body):
                found += _finished(draft)
    nodes = list(walk(function))
    found += list(_lookups(nodes, tables or {}))
    found = [s for s in found if not _is_part(s, found)]
    found += _scattered(nodes, {(s.subject, s.by) for s in found})
    return sorted(found, key=lambda switch: switch.line)


def _is_part(switch: Switch, others: list[Switch]) -> bool:
    """Whether another switch on the same subject begins earlier and holds its very arms."""
    lines = {arm.line for arm in switch.arms}
    return any(
        o is not switch and (o.subject, o.by) == (switch.subject, switch.by) and lines < {arm.line for arm in o.arms}
        for o in others
    )


def _scattered(nodes: list[ast.AST], known: set[tuple[str, str]]) -> Iterator[Switch]:
    """Tests on one subject that stand here and there, without a chain."""
    draft = _Draft(0, "scattered")
    for node in nodes:
        if isinstance(node, ast.If | ast.IfExp | ast.While):
            draft.arms += [entry for entry in _arm(node.test, node.lineno) if entry[1] != "range"]
    for switch in _finished(draft):
        if (switch.subject, switch.by) not in known and len(switch.kinds) >= 2:
            arms_in_order = tuple(sorted(switch.arms, key=lambda arm: arm.line))
            yield Switch(switch.subject, switch.by, arms_in_order, "", arms_in_order[0].line, "scattered")


def _in_block(body: list[ast.stmt]) -> Iterator[_Draft]:
    """If-chains; runs of guards that follow one another are one chain; `match`."""
    run: _Draft | None = None
    for s in body:
        match s:
            case ast.If():
                chain, rest = arms(s)
                while len(rest) == 1 and isinstance(rest[0], ast.If):  # `else:` with nothing but an `if` in it
                    further, rest = arms(rest[0])
                    chain = [*chain, *further]
                if run is None:
                    run = _Draft(s.lineno, "if")
                for arm in chain:
                    run.arms += _arm(arm.test, arm.lineno)
                if rest:
                    run.default = "else"
                if rest or not all(leaves(arm.body) for arm in chain):
                    yield run
                    run = None
            case ast.Match():
                yield _match(s)
                run = None
            case _:
                if run is not None:
                    run.default = "after"
                    yield run
                run = None
    if run is not None:
        yield run


def _match(s: ast.Match) -> _Draft:
    draft = _Draft(s.lineno, "match")
    subject = ast.unparse(s.subject)
    for case in s.cases:
        kinds, by = _pattern(case.pattern)
        if by == "rest" and case.guard is None:
            draft.default = "case _"
        elif kinds:
            draft.arms.append((subject, by, Arm(tuple(kinds), case.pattern.lineno, None, case.guard is None)))
    return draft


def _pattern(pattern: ast.pattern) -> tuple[list[str], str]:
    match pattern:
        case ast.MatchValue(value=value):
            return [ast.unparse(value)], "value"
        case ast.MatchSingleton(value=value):
            return [repr(value)], "value"
        case ast.MatchClass(cls=cls):
            return [ast.unparse(cls)], "type"
        case ast.MatchOr(patterns=patterns):
            parts = [_pattern(p) for p in patterns]
            return [kind for kinds, _ in parts for kind in kinds], parts[0][1]
        case ast.MatchAs(pattern=None):
            return [], "rest"
        case ast.MatchAs(pattern=ast.pattern() as inner):
            return _pattern(inner)
    return [], ""


def _arm(test: ast.expr, line: int) -> list[tuple[str, str, Arm]]:
    """What a test says about one subject; several entries when it may be read as being about several."""
    match test:
        case ast.BoolOp(op=ast.And(), values=values):
            return _all_of([_arm(value, line) for value in values], line)
        case ast.BoolOp(op=ast.Or(), values=values):
            return _any_of([_arm(value, line) for value in values], line)
        case ast.Compare(left=left, ops=[op], comparators=[right]):
            return _compared(left, op, right, line)
        case ast.Compare(left=low, ops=[first, second], comparators=[middle, high]):
            return _all_of([_compared(low, first, middle, line), _compared(middle, second, high, line)], line)
        case ast.Call(func=ast.Name(id="isinstance"), args=[subject, kinds]):
            return [(ast.unparse(subject), "type", Arm(_each(kinds), line))]
    return []


def _all_of(parts: list[list[tuple[str, str, Arm]]], line: int) -> list[tuple[str, str, Arm]]:
    found: dict[tuple[str, str], Arm] = {}
    for entries in parts:
        for subject, by, arm in entries:
            before = found.get((subject, by))
            if before is not None and before.span is not None and arm.span is not None:
                arm = Arm((), line, before.span.meet(arm.span))
            found[subject, by] = arm
    whole = len(found) == 1 and all(parts)
    return [(s, by, Arm(a.kinds, line, a.span, whole and a.exact)) for (s, by), a in found.items()]


def _any_of(parts: list[list[tuple[str, str, Arm]]], line: int) -> list[tuple[str, str, Arm]]:
    subjects = {(s, by) for entries in parts for s, by, _ in entries}
    if len(subjects) != 1 or not all(parts):
        return []
    (subject, by), *_ = subjects
    if by == "range":
        return []
    return [(subject, by, Arm(tuple(k for entries in parts for _, _, a in entries for k in a.kinds), line))]


_MIRRORED: dict[type[ast.cmpop], ast.cmpop] = {
    ast.Lt: ast.Gt(), ast.LtE: ast.GtE(), ast.Gt: ast.Lt(), ast.GtE: ast.LtE(), ast.Eq: ast.Eq(),
}  # fmt: skip


def _compared(left: ast.expr, op: ast.cmpop, right: ast.expr, line: int) -> list[tuple[str, str, Arm]]:
    if _is_kind(left) and not _is_kind(right) and type(op) in _MIRRORED:
        left, op, right = right, _MIRRORED[type(op)], left
    match left, op:
        case ast.Call(func=ast.Name(id="type"), args=[subject]), ast.Is() | ast.Eq() if not isinstance(right, ast.Call):
            return [(ast.unparse(subject), "type", Arm((ast.unparse(right),), line))]
        case ast.Attribute(value=ast.Attribute(value=subject, attr="__class__"), attr="__name__"), ast.Eq():
            return [(ast.unparse(subject), "type", Arm((str(getattr(right, "value", "?")),), line))]
        case _, ast.Eq() | ast.Is() if _is_kind(right) and not (
            isinstance(right, ast.Constant) and right.value is None
        ):
            number = number_of(right)
            span = None if number is None else Span(number, number)
            return [(ast.unparse(left), "value", Arm((ast.unparse(right),), line, span))]
        case _, ast.In() if isinstance(right, ast.Tuple | ast.List | ast.Set) and all(map(_is_kind, right.elts)):
            return [(ast.unparse(left), "value", Arm(tuple(map(ast.unparse, right.elts)), line))]
        case _, ast.Lt() | ast.LtE() | ast.Gt() | ast.GtE() if (number := number_of(right)) is not None:
            return [(ast.unparse(left), "range", Arm((), line, _span(op, number)))]
    return []


def _span(op: ast.cmpop, number: float) -> Span:
    match op:
        case ast.Lt():
            return Span(high=number, high_in=False)
        case ast.LtE():
            return Span(high=number)
        case ast.Gt():
            return Span(low=number, low_in=False)
    return Span(low=number)


def _is_kind(e: ast.expr) -> bool:
    match e:
        case ast.Constant(value=value):
            return value is not ...
        case ast.UnaryOp(op=ast.USub(), operand=ast.Constant()):
            return True
        case ast.Attribute(value=ast.Name(id=owner), attr=attr):
            return owner[:1].isupper() and (attr.isupper() or attr[:1].isupper())
    return isinstance(e, ast.Name) and e.id.isupper() and len(e.id) > 1


def _each(kinds: ast.expr) -> tuple[str, ...]:
    match kinds:
        case ast.Tuple(elts=elts):
            return tuple(map(ast.unparse, elts))
        case ast.BinOp(left=left, op=ast.BitOr(), right=right):
            return _each(left) + _each(right)
    return (ast.unparse(kinds),)


def _finished(draft: _Draft) -> Iterator[Switch]:
    """One switch for each subject that two arms or more look at."""
    by_subject: dict[tuple[str, str], list[Arm]] = {}
    for subject, by, arm in draft.arms:
        by_subject.setdefault((subject, by), []).append(arm)
    for (subject, by), found in by_subject.items():
        if len(found) >= 2 or len({k for arm in found for k in arm.kinds}) >= 2:
            yield Switch(subject, by, tuple(found), draft.default, draft.line, draft.form)


def _lookups(nodes: list[ast.AST], tables: dict[str, ast.Dict]) -> Iterator[Switch]:
    """`TABLE[kind]`, `TABLE.get(kind)`, `{...}[kind]`."""
    for node in nodes:
        match node:
            case ast.Subscript(value=table, slice=subject, ctx=ast.Load()):
                default = "KeyError"
            case ast.Call(func=ast.Attribute(value=table, attr="get"), args=[subject, *_]):
                default = "get"
            case _:
                continue
        literal = tables.get(table.id) if isinstance(table, ast.Name) else table
        if not isinstance(literal, ast.Dict) or len(literal.keys) < 2 or isinstance(subject, ast.Constant | ast.Slice):
            continue
        keys = [k for k in literal.keys if k is not None and _is_kind(k)]
        if len(keys) != len(literal.keys):
            continue
        found = tuple(Arm((ast.unparse(k),), k.lineno) for k in keys)
        match subject:
            case ast.Call(func=ast.Name(id="type"), args=[inner]):
                yield Switch(ast.unparse(inner), "type", found, default, node.lineno, "table")
            case _:
                yield Switch(ast.unparse(subject), "value", found, default, node.lineno, "table")


def tables_of(tree: ast.Module) -> dict[str, ast.Dict]:
    """Dicts assigned once at the top of a module."""
    found: dict[str, ast.Dict] = {}
    for s in tree.body:
        match s:
            case ast.Assign(targets=[ast.Name(id=name)], value=ast.Dict() as table):
                found[name] = table
            case ast.AnnAssign(target=ast.Name(id=name), value=ast.Dict() as table):
                found[name] = table
    return found
