"""What the checker knows of a value: the types it may have, whether it is one object."""

import ast
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field

from dreck.model.ir.graph import Arena
from dreck.model.ir.terms import Term
from dreck.proof.checking.axioms import Axioms
from dreck.proof.checking.texts.of_builtins import are_left_alone
from dreck.proof.solver import Solver
from dreck.proof.state import Side
from dreck.source.walking import walk

_SCALAR = {"int", "str", "bool", "float", "bytes", "NoneType"}
WHOLE = {"int", "bool"}
_OBJECTS = {"param", "symbol", "global", "gvar", "type", "cell", "free", "maybe", "outside", "valued"}


@dataclass(slots=True)
class CheckedValues:
    """What is shared by all that the checker accepts of single acts."""

    arena: Arena
    axioms: tuple[Axioms, Axioms]
    allowed: frozenset[str]
    listed: frozenset[str]
    annotated: dict[str, frozenset[str]]
    given: Term | None
    read_once: Callable[[str], bool]
    looked: set[Term] = field(default_factory=set)
    """Values whose making was looked at: what is accepted because of it holds for such values only."""
    tests: tuple[ast.AST, ...] = ()
    """The two functions, in whose tests plain expressions may be taken to raise nothing."""
    trees: tuple[ast.Module, ...] = ()
    """The files of both versions."""
    solver: Solver = field(init=False)
    again: bool = True
    """Whether what is read was read before, and is taken to be the same still."""

    def __post_init__(self) -> None:
        self.solver = Solver(self.kinds)

    def make(self, op: str, *args: object) -> Term:
        return self.arena.terms.make(op, *args)

    def stands_in_a_test(self, source: ast.AST) -> bool:
        """Whether code like this stands in a test of one of the two, in an expression that only reads and compares."""
        wanted = {ast.dump(source)}
        match source:
            case ast.Compare(left=left, ops=[ast.In()], comparators=several):  # `not in` asks the same
                wanted.add(ast.dump(ast.Compare(left, [ast.NotIn()], several)))
        return any(ast.dump(part) in wanted for function in self.tests for part in _asked(function))

    def only_grows(self, side: Side) -> bool:
        """Whether a call appends to a list made in the function that nothing but appending and returning speaks of."""
        match side.node.source:
            case ast.Call(func=ast.Attribute(value=ast.Name(id=name), attr="append"), args=[_], keywords=[]):
                return not side.frames and all(only_collects(function, name) for function in self.tests)
        return False

    def look(self, term: Term) -> str:
        self.looked.add(term)
        return term.op

    def is_formatted(self, conversion: object, value: Term, made: Term) -> bool:
        """What a value of a known type is in an f-string; a text is itself there."""
        if made is value:
            return conversion in (-1, ord("s")) and self.kinds(value) == {"str"} and self.look(value) == "const"
        return made is self.make("formatted", conversion, value) and self.is_scalar(value)

    def may_be_too_long(self, value: Term) -> bool:
        """Whether it may be a whole number of more digits than Python writes out."""
        return "int" in self.kinds(value) and value.op not in ("const", "len")

    def is_joined(self, parts: tuple[Term, ...], made: Term) -> bool:
        """Whether an f-string of these parts is what was made: texts beside each other may be one."""
        return _spelled(parts) == _spelled(made.args if made.op == "joined" else (made,))

    # --- what a value is ---------------------------------------------------------------------------

    def kinds(self, term: Term) -> set[str]:
        """The built-in types one of which a value surely has; empty when nothing is known."""
        found = self._kinds(term)
        if found:
            self.look(term)
        return found

    def _kinds(self, term: Term) -> set[str]:
        match term.op:
            case "const":
                return {str(term.args[0])}
            case "bool":
                return {"bool"}
            case "len":
                return {"int"}
            case "joined" | "formatted":
                return {"str"}
            case "param":
                found = set(self.annotated.get(str(term.args[0]), ()))
                return found if all(are_left_alone(a.names, kind) for a in self.axioms for kind in found) else set()
            case "arith":
                return self._arithmetic_kinds(term)
        return set()

    def _arithmetic_kinds(self, term: Term) -> set[str]:
        operator_, *parts = term.args
        if operator_ == "Linear":
            return {"int"}
        kinds = [self.kinds(part) for part in parts]
        if any(not k for k in kinds):
            return set()
        every = set().union(*kinds)
        if every <= WHOLE and operator_ != "Div":
            return {"int"}
        if every == {"str"}:
            return {"str"}
        return {"float"} if operator_ == "Div" or {"float"} in kinds else {"int", "float"}

    def is_scalar(self, term: Term) -> bool:
        found = self.kinds(term)
        return bool(found) and found <= _SCALAR

    def are_total(self, left: Term, right: Term) -> bool:
        sorts = []
        for term in (left, right):
            found = self.kinds(term)
            if term.op == "const" and isinstance(term.value, float) and term.value == term.value:
                found = {"int"}
            sorts.append("number" if found and found <= WHOLE else found.pop() if found in ({"str"}, {"bytes"}) else "")
        return bool(sorts[0]) and sorts[0] == sorts[1]

    def is_object(self, term: Term) -> bool:
        self.look(term)
        while term.op == "part":
            term = term.args[1]
        return term.op in _OBJECTS


_UNSEEN = (ast.Global, ast.Nonlocal, ast.NamedExpr, ast.Yield, ast.YieldFrom, ast.Await)
_SCOPES = (ast.Lambda, ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef, ast.comprehension, ast.GeneratorExp,
           ast.ListComp, ast.SetComp, ast.DictComp)  # fmt: skip


def only_collects(function: ast.AST, name: str) -> bool:
    above: dict[ast.AST, ast.AST] = {}
    for n in walk(function):
        if isinstance(n, _UNSEEN) or getattr(n, "finalbody", None) or (isinstance(n, ast.arg) and n.arg == name):
            return False
        above |= dict.fromkeys(ast.iter_child_nodes(n), n)
    return all(_is_fine(n, above) for n in walk(function) if isinstance(n, ast.Name) and n.id == name)


def _is_fine(n: ast.Name, above: dict[ast.AST, ast.AST]) -> bool:
    """Bound to a new list, appended to in a statement, or inside a `return`; not in a scope of its own."""
    chain: list[ast.AST] = [n]
    while chain[-1] in above:
        chain.append(above[chain[-1]])
    if any(isinstance(c, _SCOPES) for c in chain[:-1]):
        return False
    match chain[1:4]:
        case [ast.Assign(targets=[ast.Name()], value=ast.List()), *_] if isinstance(n.ctx, ast.Store):
            return True
        case [ast.Attribute(attr="append") as read, ast.Call(func=called), ast.Expr()]:
            return called is read
    end = next((i for i, c in enumerate(chain) if isinstance(c, ast.Return)), 0)
    goes_on = any(isinstance(c, ast.Try | ast.TryStar | ast.With | ast.AsyncWith) for c in chain[end:])
    return end > 0 and (not goes_on or all(isinstance(c, ast.Name | ast.Tuple | ast.List) for c in chain[:end]))


def _asked(function: ast.AST) -> Iterator[ast.expr]:
    for n in walk(function):
        tops = [getattr(n, name, None) for name in ("test", "guard", "subject")] + [*getattr(n, "ifs", ())]
        tops += n.values if isinstance(n, ast.BoolOp) else []
        tops += [n] if isinstance(n, ast.Compare) else []
        tops += [n.operand] if isinstance(n, ast.UnaryOp) and isinstance(n.op, ast.Not) else []
        for top in tops:
            if isinstance(top, ast.expr):
                yield from (e for e in walk(top) if isinstance(e, ast.expr) and not _does_more(e))


def _does_more(e: ast.expr) -> bool:
    calls = [n for n in walk(e) if isinstance(n, ast.Call)]
    quiet = all(ast.unparse(c.func) in ("isinstance", "issubclass", "len", "type", "bool") or _gets(c) for c in calls)
    others = (
        ast.Await,
        ast.Yield,
        ast.YieldFrom,
        ast.NamedExpr,
        ast.Lambda,
        ast.comprehension,
        ast.Starred,
        ast.JoinedStr,
    )
    return not quiet or any(isinstance(n, others) for n in walk(e))


def _gets(call: ast.Call) -> bool:
    fixed = all(isinstance(a, ast.Constant) for a in call.args) and bool(call.args) and not call.keywords
    return fixed and isinstance(call.func, ast.Attribute) and call.func.attr == "get"


def is_constant(value: Term) -> bool:
    """Whether a value stands for one place among items."""
    return value.op == "const" and str(value.args[0]) not in ("float", "complex", "ellipsis")


def names_in(kinds: Term) -> set[str]:
    return {str(k.args[0]) for k in (kinds.args if kinds.op == "tuple" else (kinds,))}


def _spelled(parts: Iterable[Term]) -> list[object]:
    """The texts in a row as one, and what stands between them."""
    found: list[object] = [""]
    for part in parts:
        if part.op == "const" and isinstance(part.value, str):
            found[-1] = f"{found[-1]}{part.value}"
        else:
            found += [part, ""]
    return found
