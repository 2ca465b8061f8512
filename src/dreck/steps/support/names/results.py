"""What a run of statements does that is there for one result: `compute_fee`, `collect_lines`, `choose_bay`."""

import ast
from collections.abc import Iterator, Sequence

from dreck.source.walking import walk
from dreck.steps.support.names.deeds import can_be_read
from dreck.steps.support.names.vocabulary import ABBREVIATED, DEEDS, GENERAL_THINGS, HOLDERS, OF_ANYTHING, TAKING
from dreck.steps.support.names.words import words_of

_FILLING = frozenset({"append", "add", "extend", "update", "insert", "setdefault"})
_EMPTY = frozenset({"list", "dict", "set", "defaultdict", "OrderedDict", "Counter", "deque"})
_WORKING_OUT = ("compute", "calculate", "determine", "calc")
_SAYING_LITTLE = GENERAL_THINGS | HOLDERS | ABBREVIATED | DEEDS | OF_ANYTHING
"""What a variable may be called whatever comes of it."""


def by_result(body: Sequence[ast.stmt], result: str, tree: ast.Module) -> Iterator[list[str]]:
    """What a block does whose one result is called so; nothing where it does more than come to it."""
    words = words_of(result)
    if not words or words[-1] in _SAYING_LITTLE or not all(map(can_be_read, words)):
        return
    if all(_is_for(s, result) for s in body) and (verb := _verb(body, result, tree)):
        yield [verb, *words]


def _is_for(s: ast.stmt, result: str) -> bool:
    """Whether a statement works towards the result alone: all it changes are names, and what the result holds."""
    if isinstance(s, ast.Assign | ast.AnnAssign | ast.AugAssign):
        targets = s.targets if isinstance(s, ast.Assign) else [s.target]
        return all(_is_own(t, result) for t in targets) and not _does_more(s)
    if isinstance(s, ast.Expr):
        return _fills(s.value, result)
    if isinstance(s, ast.If | ast.For | ast.While):
        inside = [*s.body, *s.orelse]
        heads = [s.iter, s.target] if isinstance(s, ast.For) else [s.test]
        return all(_is_for(i, result) for i in inside) and not any(
            isinstance(n, _DOING) for h in heads for n in walk(h)
        )
    return isinstance(s, ast.Raise | ast.Pass | ast.Continue | ast.Break | ast.Assert)


def _does_more(part: ast.AST) -> bool:
    """Whether something goes on beside the working out: a wait, or a call that takes what it gives from somewhere."""
    called = (n.func for n in walk(part) if isinstance(n, ast.Call))
    takes = any((f.attr if isinstance(f, ast.Attribute) else getattr(f, "id", "")) in TAKING for f in called)
    return takes or any(isinstance(n, _DOING) for n in walk(part))


_DOING = (ast.Await, ast.Yield, ast.YieldFrom, ast.Lambda, ast.NamedExpr)


def _is_own(target: ast.expr, result: str) -> bool:
    match target:
        case ast.Name():
            return True
        case ast.Tuple(elts=elts):
            return all(isinstance(e, ast.Name) for e in elts)
        case ast.Subscript(value=ast.Name(id=name)):
            return name == result
    return False


def _fills(e: ast.expr, result: str) -> bool:
    match e:
        case ast.Call(func=ast.Attribute(value=value, attr=attr)) if attr in _FILLING:
            held = value.value if isinstance(value, ast.Subscript) else value
            return isinstance(held, ast.Name) and held.id == result
    return False


def _verb(body: Sequence[ast.stmt], result: str, tree: ast.Module) -> str:
    values = [v for s in body for n in walk(s) if (v := _given_to(n, result)) is not None]
    if not values or not _is_begun(body, result):
        return ""
    if _is_empty(values[0]):
        return "collect" if any(isinstance(s, ast.For | ast.While) for s in body) and len(values) == 1 else ""
    if _is_read(values, result):
        return "read"
    if picked := _picked(body, values):
        return picked
    if all(_is_fixed(v) for v in values):
        is_told = all(isinstance(v, ast.Constant) and isinstance(v.value, bool) for v in values)
        return "choose" if len(values) > 1 and not is_told else ""
    if any(_of_texts(v) for v in values):
        return ""
    return _working_out(tree) if any(_is_number(v) for v in values) else ""


def _is_read(values: Sequence[ast.expr], result: str) -> bool:
    """Whether it is what something holds under its name, `row.get("date")`, and then more is made of it."""
    match values[0]:
        case (
            ast.Call(func=ast.Attribute(value=ast.Name(), attr="get"), args=[ast.Constant(value=key), *_])
            | ast.Subscript(value=ast.Name(), slice=ast.Constant(value=key))
        ):
            return len(values) > 1 and isinstance(key, str) and words_of(key)[-1:] == words_of(result)[-1:]
    return False


def _picked(body: Sequence[ast.stmt], values: Sequence[ast.expr]) -> str:
    """`find` for one of those that a loop goes through, if there is one; `choose` for one that takes the place of
    another; '' for anything else."""
    loops = [n for s in body for n in walk(s) if isinstance(n, ast.For)]
    gone_through = {n.id for loop in loops for n in walk(loop.target) if isinstance(n, ast.Name)}
    first, *others = values
    if not others or not all(isinstance(v, ast.Name) and v.id in gone_through for v in others):
        return ""
    if isinstance(first, ast.Constant):
        return "find" if first.value is None else ""
    return "choose" if isinstance(first, ast.Name | ast.Attribute | ast.Subscript) else ""


def _given_to(n: ast.AST, result: str) -> ast.expr | None:
    """The value that a statement gives to the result; of `+=` all that is added up."""
    match n:
        case ast.Assign(targets=[ast.Name(id=name)], value=value) if name == result:
            return value
        case ast.AnnAssign(target=ast.Name(id=name), value=ast.expr() as value) if name == result:
            return value
        case ast.AugAssign(target=ast.Name(id=name) as target, op=op, value=value) if name == result:
            return ast.BinOp(target, op, value)
    return None


def _is_begun(body: Sequence[ast.stmt], result: str) -> bool:
    """Whether the result has no value before."""
    first = next((n for s in body for n in ast.walk(s) if isinstance(n, ast.Name) and n.id == result), None)
    return first is not None and isinstance(first.ctx, ast.Store) and not _is_changed_first(body, result)


def _is_changed_first(body: Sequence[ast.stmt], result: str) -> bool:
    """Whether `+=` is what comes first."""
    found = [n for s in body for n in walk(s) if isinstance(n, ast.Assign | ast.AugAssign | ast.AnnAssign)]
    own = [n for n in found if _given_to(n, result) is not None]
    return bool(own) and isinstance(min(own, key=lambda n: n.lineno), ast.AugAssign)


def _is_empty(e: ast.expr) -> bool:
    match e:
        case ast.List(elts=[]) | ast.Dict(keys=[]):
            return True
        case ast.Call(func=ast.Name(id=name) | ast.Attribute(attr=name)):
            return name in _EMPTY
    return False


def _is_fixed(e: ast.expr) -> bool:
    return isinstance(e, ast.Constant) or (isinstance(e, ast.Name | ast.Attribute) and ast.unparse(e).isupper())


def _is_number(e: ast.expr) -> bool:
    """Whether it is one for all that is done with it: what is only added up may be anything."""
    match e:
        case ast.BinOp(left=left, op=op, right=right):
            if isinstance(op, ast.Sub | ast.Mult | ast.Div | ast.FloorDiv | ast.Pow | ast.LShift | ast.RShift):
                return True
            return isinstance(op, ast.Add) and (_is_number(left) or _is_number(right))
        case ast.Constant(value=value):
            return isinstance(value, int | float) and not isinstance(value, bool)
    return False


def _of_texts(e: ast.expr) -> bool:
    """Whether a text or a list is among what is added up."""
    match e:
        case ast.BinOp(left=left, right=right):
            return _of_texts(left) or _of_texts(right)
        case ast.JoinedStr() | ast.List() | ast.ListComp() | ast.Tuple():
            return True
        case ast.Constant(value=value):
            return isinstance(value, str | bytes)
        case ast.Call(func=ast.Name(id=name) | ast.Attribute(attr=name)):
            return name in _TEXTS
    return False


_TEXTS = frozenset({"str", "repr", "format", "join", "upper", "lower", "strip", "list", "tuple", "sorted", "bytes"})


def _working_out(tree: ast.Module) -> str:
    """The verb of the module's own functions for it."""
    own = [n.name.strip("_") for n in walk(tree) if isinstance(n, ast.FunctionDef)]
    return next((verb for verb in _WORKING_OUT if any(name.startswith(f"{verb}_") for name in own)), _WORKING_OUT[0])
