"""What two versions ask of their arguments another number of times, where classes of the files have a say in that.

A trial plays arguments by objects made up, or by such as annotations name. Of a class that nobody names there, a
property that does more than to return, a `__bool__` or `__len__` with an effect is not among them.
"""

import ast
from collections import Counter
from collections.abc import Iterator

from dreck.model.ir.truth import was_asked, without_not
from dreck.model.names.bindings import bound_by
from dreck.model.names.modules import ModuleNames
from dreck.proof.classes.say.inverting import comparing_gives_bools
from dreck.proof.classes.say.taken_back import having_a_say, taken_back_by
from dreck.source.walking import walk
from dreck.workbench.judging.candidates import Candidate
from dreck.workbench.judging.written_out import written_out

_ANNOTATE = "annotate the parameter with its class, so that such objects are tried"
_BOOLS = frozenset({"isinstance", "issubclass", "callable", "hasattr", "any", "all", "bool"})


def asked_otherwise(old: Candidate, new: Candidate) -> str:
    """What one of them asks more often, and which class has a say in it; '' when there is nothing such."""
    for c in (old, new):
        taken = taken_back_by(c.names)
        for name in sorted(taken.attributes - {"*"}):
            if _reads(old, name) != _reads(new, name):
                told = "and there is a class of the files in which that does more than to read"
                return f"`.{name}` is read more often in one of them, {told}; {_ANNOTATE}"
        for what, counted in (("truth", _truths), ("truth", _lengths)):
            if what in taken.comparisons and counted(old) != counted(new):
                kinds = having_a_say(c.names, what)
                told = f"{kinds[0]} says what that is" if kinds else "a class of the files says what that is"
                asked = "the truth of a value" if counted is _truths else "a length"
                return f"{asked} is asked for more often in one of them, and {told}; {_ANNOTATE}"
    return ""


def defaults_apart(old: Candidate, new: Candidate) -> str:
    """A name of its class that a default reads, and that is not the same there: a trial gives every argument."""
    told = [_in_the_class(c) for c in (old, new)]
    apart = sorted(name for name in told[0].keys() & told[1].keys() if told[0][name] != told[1][name])
    return f"a default reads `{apart[0]}` of its class, which is not the same" if apart else ""


def _in_the_class(c: Candidate) -> dict[str, list[str]]:
    """By name, the statements of its class that bind what its defaults read."""
    spec, kind = c.node.args, c.names.definitions.get(c.owner)
    read = {
        n.id for d in (*spec.defaults, *spec.kw_defaults) if d is not None for n in walk(d) if isinstance(n, ast.Name)
    }
    body = kind.body if isinstance(kind, ast.ClassDef) else []
    return {name: [ast.dump(s) for s in body if name in bound_by(s)] for name in read}


def _reads(c: Candidate, name: str) -> int:
    """How often an attribute is read of what may be an object of any class."""
    known = _known(c)
    return sum(
        isinstance(n, ast.Attribute) and n.attr == name and isinstance(n.ctx, ast.Load) and _root(n) not in known
        for n in walk(c.node)
    )


def _known(c: Candidate) -> frozenset[str]:
    """Parameters of which a trial makes the very objects: the method's own, and annotated ones."""
    args = [*c.node.args.posonlyargs, *c.node.args.args]
    own = {args[0].arg} if c.owner and args else set()
    return frozenset(own | {a.arg for a in (*args, *c.node.args.kwonlyargs) if a.annotation is not None})


def _root(e: ast.expr) -> str:
    while isinstance(e, ast.Attribute):
        e = e.value
    return e.id if isinstance(e, ast.Name) else ""


def _lengths(c: Candidate) -> Counter[str]:
    nodes = walk(written_out(c))
    calls = (n for n in nodes if isinstance(n, ast.Call) and getattr(n.func, "id", "") == "len" and n.args)
    return Counter(ast.unparse(n.args[0]) for n in calls if _root(n.args[0]) not in _known(c))


def _truths(c: Candidate) -> Counter[str]:
    """What is asked for its truth, as it is written, and how often."""
    asked = (e for n in walk(written_out(c)) for e in _asked_by(n, c.names))
    return Counter(ast.unparse(e) for e in asked if _root(e) not in _known(c) or not isinstance(e, ast.Name))


def _asked_by(n: ast.AST, names: ModuleNames) -> Iterator[ast.expr]:
    match n:
        case ast.If(test=test) | ast.While(test=test) | ast.IfExp(test=test) | ast.Assert(test=test):
            yield from _tested(test, names)
        case ast.comprehension(ifs=tests):
            yield from (e for test in tests for e in _tested(test, names))
        case ast.match_case(guard=ast.expr() as guard):
            yield from _tested(guard, names)
        case ast.Call(func=ast.Name(id="bool"), args=[one]):
            yield one
        case ast.Call(func=ast.Name(id="any" | "all"), args=[ast.GeneratorExp(elt=element)]):
            yield element if was_asked(without_not(element)) else without_not(element)
        case ast.Return(value=ast.expr() as value) | ast.Assign(value=value) | ast.Expr(value=value):
            yield from _worked_out(value, names)


def _tested(test: ast.expr, names: ModuleNames) -> Iterator[ast.expr]:
    """In a test each operand is asked once."""
    match test:
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            yield from _tested(operand, names)
        case ast.BoolOp(values=values):
            yield from (e for value in values for e in _tested(value, names))
        case _ if not _is_a_bool(test, names):
            yield test


def _worked_out(value: ast.expr, names: ModuleNames) -> Iterator[ast.expr]:
    """In a value the last operand is not asked, and what comes of the others may be asked once more."""
    match value:
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            inner = without_not(operand)
            yield from [inner] if not _is_a_bool(inner, names) else []
            yield from _worked_out(inner, names) if was_asked(inner) else ()
        case ast.BoolOp(values=values):
            for e in values[:-1]:
                yield from [e] if not _is_a_bool(e, names) else []
            yield from (e for v in values for e in _worked_out(v, names))


def _is_a_bool(e: ast.expr, names: ModuleNames) -> bool:
    match e:
        case ast.Compare(ops=ops):
            return comparing_gives_bools(names) or all(isinstance(op, ast.Is | ast.IsNot) for op in ops)
        case ast.Call(func=ast.Name(id=word)):
            return word in _BOOLS
        case ast.Constant():
            return True
    return isinstance(e, ast.UnaryOp) and isinstance(e.op, ast.Not) and not was_asked(without_not(e))
