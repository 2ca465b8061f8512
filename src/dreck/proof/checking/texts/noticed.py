"""What special methods and properties of the files lead to, followed once more; and what `__eq__` says to a constant.

The prover sorts the forms in which an `__eq__` may be written. Here it is carried out, with a constant for the other.
"""

import ast
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from dreck.model.names.bindings import bindings_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.proof.checking.texts.closed import is_closed, is_of_no_constant
from dreck.proof.checking.texts.inverting import has_equality_of_pythons, those_of
from dreck.proof.checking.texts.lasting import is_lasting, walked_in
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

UNKNOWN = "?"
"""The outcome of a test that has no effect, and of which nothing else is known."""
_OPERATORS: dict[type[ast.cmpop], str] = {
    ast.Eq: "eq", ast.NotEq: "eq", ast.Lt: "order", ast.LtE: "order", ast.Gt: "order", ast.GtE: "order",
    ast.In: "in", ast.NotIn: "in", ast.Is: "", ast.IsNot: "",
}  # fmt: skip
_THROUGH = ".__iter__ .__getitem__ .__next__ .__len__ .__length_hint__"
_CALLS: dict[str, str] = {
    "isinstance": "isinstance", "len": ".__len__", "bool": "truth", "type": "", "id": "", "hash": "hash", "str": "told",
    "repr": "told", "abs": "number", "round": "number index", "int": "number index .__str__",
    "float": "number index .__str__",
    "tuple": _THROUGH, "iter": _THROUGH, "sum": f"{_THROUGH} number index", "min": f"{_THROUGH} order compared",
    "max": f"{_THROUGH} order compared",
}  # fmt: skip
_OPTIONS = {"default", "start", "base", "ndigits", "encoding", "errors"}
"""Keywords of these under which nothing is handed over that is called."""


def comes_to(s: FunctionNode, trees: tuple[ast.Module, ...]) -> set[str]:
    """The attributes (`.name`) and kinds of special methods that a body may run; `anything` where it may use up what
    it goes through."""
    nodes = [n for b in s.body for n in walk(b)]
    found = {told for n in nodes for told in _comes_to(n)}
    walked = [e for n in nodes for e in walked_in(n)]
    return found | ({"anything"} if any(not is_lasting(e, s, trees) for e in walked) else set())


def _comes_to(n: ast.AST) -> Iterator[str]:
    if isinstance(n, ast.Attribute):
        yield from (f".{n.attr}", "lookup")
    elif isinstance(n, ast.Compare):
        sides = [n.left, *n.comparators]
        for i, op in enumerate(n.ops):
            plain = any(isinstance(e, ast.Constant) for e in sides[i : i + 2])
            yield "constant" if plain and _OPERATORS[type(op)] == "eq" else _OPERATORS[type(op)]
            yield from ("eq", "hash") if isinstance(op, ast.In | ast.NotIn) else ()
        yield "compared"
    elif isinstance(n, ast.BoolOp | ast.If | ast.IfExp) or (isinstance(n, ast.UnaryOp) and isinstance(n.op, ast.Not)):
        yield "truth"
    elif isinstance(n, ast.BinOp | ast.UnaryOp):
        yield from ("number", "index")
        if isinstance(n, ast.BinOp) and isinstance(n.op, ast.Mod):  # of a text, it writes what stands behind it
            yield from ("told", "item", "in", "hash", "eq", "lookup")
    elif isinstance(n, ast.Subscript):
        yield from (".__getitem__", "item", "eq", "hash", "index", "compared")
    elif isinstance(n, ast.JoinedStr):
        yield "told"
    elif isinstance(n, ast.Call):
        if any(k.arg not in _OPTIONS for k in n.keywords) or (getattr(n.func, "id", "") == "iter" and len(n.args) > 1):
            yield "anything"
        of_hash = getattr(n.func, "attr", "") == "__hash__" and not [*n.args, *n.keywords]
        yield from ["hash"] if of_hash else _CALLS.get(getattr(n.func, "id", ""), "anything").split()


def parts_of(body: list[ast.stmt]) -> Iterator[ast.stmt]:
    """The statements of a class body that may bind a name there, those of an `if` and a `try` among them."""
    for s in body:
        if isinstance(s, ast.If) and not _looks_at_the_body([s.test]):
            yield from parts_of(s.body + s.orelse)
        elif isinstance(s, ast.Try) and all(h.name is None for h in s.handlers):
            yield from parts_of(s.body + [x for h in s.handlers for x in h.body] + s.orelse + s.finalbody)
        elif not (isinstance(s, ast.Expr) and isinstance(s.value, ast.Call) and _only_fills(s.value, body)):
            yield s


def _only_fills(call: ast.Call, body: list[ast.stmt]) -> bool:
    """`TOLD.update({…})`, where `TOLD = {…}` stands above it."""
    of = call.func.value if isinstance(call.func, ast.Attribute) else None
    if not isinstance(of, ast.Name) or _looks_at_the_body([call]):
        return False
    made = [s for s in body if isinstance(s, ast.Assign) and of.id in [getattr(t, "id", "") for t in s.targets]]
    known = len(made) == 1 and type(made[0].value) in (ast.List, ast.Dict, ast.Set, ast.ListComp, ast.DictComp)
    return known and call.func.attr in {"append", "extend", "add", "update", "setdefault"}  # type: ignore[attr-defined]


def is_tame(s: ast.stmt) -> bool:
    """Whether it is clear what a statement of a class body binds."""
    match s:
        case ast.FunctionDef() | ast.AsyncFunctionDef():
            spec = s.args
            notes = [a.annotation for a in walk(spec) if isinstance(a, ast.arg)]
            return not _looks_at_the_body([*s.decorator_list, *spec.defaults, *spec.kw_defaults, *notes, s.returns])
        case ast.Assign() | ast.AnnAssign() | ast.AugAssign():
            return not _looks_at_the_body([s])
        case ast.Import(names=aliases) | ast.ImportFrom(names=aliases):
            return all(alias.name != "*" for alias in aliases)
        case ast.Pass() | ast.Expr(value=ast.Constant()) | ast.ClassDef(decorator_list=[]):
            return True
    return False


def _looks_at_the_body(code: list[ast.AST | None]) -> bool:
    words = {"exec", "eval", "locals", "vars", "_getframe", "currentframe"}
    nodes = [n for e in code if e is not None for n in walk(e)]
    return any(isinstance(n, ast.NamedExpr) or words & {getattr(n, "id", ""), getattr(n, "attr", "")} for n in nodes)


def declines_constants(s: FunctionNode, node: ast.ClassDef, tree: ast.Module, names: ModuleNames) -> bool:
    """Whether an `__eq__` answers "not equal" to a constant with no look at its object, an `__ne__` the opposite."""
    spec = s.args
    if s.decorator_list or len(spec.args) != 2 or spec.vararg or spec.kwarg or spec.kwonlyargs:
        return False
    own, other = (a.arg for a in spec.args)
    if _own_classes(tree).get(node.name) is not node:
        return False
    nodes = list(walk(s))
    loads = {id(n) for n in nodes if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Load)}
    others = {getattr(n, field, None) for n in nodes if id(n) not in loads for field in ("id", "arg", "name", "asname")}
    if others & _WORDS:
        return False
    every = (names.tree, *names.trees)
    told = _Told(tree, node, own, other, any(map(_tells_classes_otherwise, every)), names)
    try:
        answers = told.answers(s.body)
    except _NoticedError:
        return s.name == "__ne__" and told.is_opposite(s.body)
    if s.name == "__ne__":
        return answers == {True} and not has_equality_of_pythons(node, names)
    return s.name == "__eq__" and answers <= {False, NotImplemented}


_WORDS = frozenset({"isinstance", "type", "NotImplemented"})
"""What a special method says of Python's own."""


class _NoticedError(Exception):
    """The code does what is not known to be without effect."""


@dataclass(frozen=True, slots=True)
class _Told:
    """A special method that is carried out with a constant for `other`."""

    tree: ast.Module
    node: ast.ClassDef
    own: str
    other: str
    lying: bool
    names: ModuleNames

    def answers(self, body: list[ast.stmt]) -> set[object]:
        for i, s in enumerate(body):
            if isinstance(s, ast.Return) and s.value is not None:
                return {self.value(s.value)}
            if isinstance(s, ast.If):
                outcome = self.value(s.test)
                rest = body[i + 1 :]
                ways = [way + rest for way, runs in ((s.body, True), (s.orelse, False)) if outcome in (runs, UNKNOWN)]
                if outcome not in (True, False, UNKNOWN):
                    raise _NoticedError
                return {answer for way in ways for answer in self.answers(way)}
            if not (isinstance(s, ast.Expr) and isinstance(s.value, ast.Constant)):
                raise _NoticedError
        return {None}

    def value(self, e: ast.expr) -> object:
        match e:
            case ast.Constant(value=bool() as value):
                return value
            case ast.Name(id="NotImplemented"):
                return NotImplemented
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                inner = self.value(operand)
                return (not inner) if isinstance(inner, bool) else self._unknown(inner)
            case ast.BoolOp(op=op, values=values):
                return self._several(values, isinstance(op, ast.Or))
            case ast.Compare(left=left, ops=[op], comparators=[right]):
                return self._compared(left, op, right)
            case ast.Call(func=ast.Name(id="isinstance"), args=[ast.Name(id=asked), kinds], keywords=[]):
                named = kinds.elts if isinstance(kinds, ast.Tuple) else [kinds]
                if asked == self.other and all(map(self._is_no_class_of_constants, named)):
                    return False
        raise _NoticedError

    def _unknown(self, value: object) -> object:
        if value != UNKNOWN:
            raise _NoticedError
        return value

    def _several(self, values: list[ast.expr], ends: bool) -> object:
        unsure = False
        for e in values:
            value = self.value(e)
            if value is ends:
                return UNKNOWN if unsure and ends else ends
            unsure = unsure or (value is not (not ends) and self._unknown(value) == UNKNOWN)
        return UNKNOWN if unsure else not ends

    def _compared(self, left: ast.expr, op: ast.cmpop, right: ast.expr) -> object:
        classes = {self._of_class(left), self._of_class(right)}
        if classes == {self.own, self.other} and isinstance(op, ast.Is | ast.Eq | ast.IsNot | ast.NotEq):
            return isinstance(op, ast.IsNot | ast.NotEq)
        if {getattr(left, "id", ""), getattr(right, "id", "")} == {self.own, self.other} and isinstance(op, ast.Is):
            return False  # it is an object of a class of the file
        plain = all(isinstance(e, ast.Name | ast.Constant) for e in (left, right))
        if plain and isinstance(op, ast.Is | ast.IsNot):
            return UNKNOWN
        raise _NoticedError

    def is_opposite(self, body: list[ast.stmt]) -> bool:
        """`return not self == other`, `return not self.__eq__(other)`."""
        said = [s for s in body if not (isinstance(s, ast.Expr) and isinstance(s.value, ast.Constant))]
        match said:
            case [ast.Return(value=ast.UnaryOp(op=ast.Not(), operand=asked))]:
                code = ast.unparse(asked)
            case _:
                return False
        if code == f"{self.own} == {self.other}":
            return True
        equal = [s for s in parts_of(self.node.body) if getattr(s, "name", "") == "__eq__"]
        every = (
            n
            for tree in (self.names.tree, *self.names.trees)
            for n in every_node(tree)
            if getattr(n, "name", "") == "__eq__"
        )
        unsure = any(getattr(n, "id", "") == "NotImplemented" for s in every for n in walk(s))
        return code == f"{self.own}.__eq__({self.other})" and len(equal) == 1 and not unsure

    def _of_class(self, e: ast.expr) -> str:
        """`x` of `type(x)`, and of `x.__class__` where nothing gives that another meaning."""
        match e:
            case ast.Call(func=ast.Name(id="type"), args=[ast.Name(id=x)], keywords=[]):
                return x
            case ast.Attribute(value=ast.Name(id=x), attr="__class__") if not self.lying:
                return x
        return ""

    def _is_no_class_of_constants(self, kind: ast.expr) -> bool:
        if self._of_class(kind) == self.own:
            return all(is_closed(kind, self.names) for kind in those_of(self.node, self.names))
        if getattr(kind, "id", "") in (self.own, self.other):
            return False
        found = _own_classes(self.tree).get(getattr(kind, "id", ""))
        return is_of_no_constant(kind, self.tree) if found is None else is_closed(found, self.names)


@once_per_tree
def _own_classes(tree: ast.Module) -> dict[str, ast.ClassDef]:
    """The classes at the top of a file by names that stand for nothing else in it."""
    meant: dict[str, list[ast.AST]] = {}
    stars = [n.lineno for n in every_node(tree) if isinstance(n, ast.ImportFrom) and n.names[0].name == "*"]
    for n in every_node(tree):
        for field in ("name", "arg", "asname", "rest"):
            if not isinstance(n, ast.keyword) and isinstance(name := getattr(n, field, None), str):
                meant.setdefault(name.partition(".")[0] if isinstance(n, ast.alias) else name, []).append(n)
        if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load):
            meant.setdefault(n.id, []).append(n)
    known = bindings_of(tree)
    if known.dynamic or _WORDS & (known.of.keys() | known.rebound):
        return {}
    keeping = {"dataclass", "total_ordering", "final", "runtime_checkable"}
    imported = {
        a.name
        for n in tree.body
        if isinstance(n, ast.ImportFrom) and n.module in ("dataclasses", "functools", "typing")
        for a in n.names
        if a.asname is None and len(meant[a.name]) == 1
    }
    return {
        s.name: s
        for s in tree.body
        if isinstance(s, ast.ClassDef)
        and len(meant[s.name]) == 1
        and s.name not in known.rebound
        and s.lineno > max(stars, default=0)
        and {_word(d.func if isinstance(d, ast.Call) else d) for d in s.decorator_list} <= keeping & imported
    }


@once_per_tree
def _tells_classes_otherwise(tree: ast.Module) -> bool:
    """Whether `__class__` or `__getattribute__` is defined, set or spoken of as a text."""
    words = ("__class__", "__getattribute__")
    for n in every_node(tree):
        loads = isinstance(n, ast.Name | ast.Attribute) and isinstance(n.ctx, ast.Load)
        said = (getattr(n, field, None) for field in ("name", "id", "attr", "value", "asname"))
        if not loads and any(isinstance(word, str) and word in words for word in said):
            return True
    return False


def _word(e: ast.expr) -> str:
    return getattr(e, "id", "") or getattr(e, "attr", "")


@lru_cache(maxsize=32)
def reads_only(tree: ast.Module, methods: tuple[str, ...]) -> bool:
    """Whether methods of these names only read wherever a file has them, and no dict fills itself in."""
    for n in every_node(tree):
        match n:
            case ast.Name(id="defaultdict") | ast.Attribute(attr="defaultdict") | ast.alias(name="defaultdict"):
                return False
            case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) if name in methods:
                if any(isinstance(inside, _DOES_MORE) for s in n.body for inside in walk(s)):
                    return False
    return True


_DOES_MORE = (ast.Call, ast.Store, ast.Del, ast.Await, ast.Yield, ast.YieldFrom, ast.Raise)
