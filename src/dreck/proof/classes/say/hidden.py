"""Classes of the files that stand in no table: in functions, in other classes, under a condition, made by a call.

They may derive from a class that does, and give its methods or its kin another meaning (language reference, 3.3.3,
"Customizing class creation"). What they derive from is told by the last word of each base; a word that anything else
may stand under (a parameter, a variable) may be any class.
"""

import ast
import builtins
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from itertools import permutations, repeat

from dreck.model.names.bindings import bound_by, statements_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.model.names.scopes import param_names
from dreck.proof.classes.put_later import specials_put
from dreck.proof.classes.say.standing import surely_means
from dreck.proof.classes.table import STRANGE, ClassTable
from dreck.source.functions import FunctionNode

_MAKING = frozenset({"type", "new_class", "make_dataclass", "ABCMeta", "EnumMeta", "EnumType", "NamedTupleMeta"})
_BINDING_ANYTHING = frozenset({"exec", "eval", "locals", "vars", "setattr", "globals", "__dict__"})


@dataclass(frozen=True, slots=True)
class Hidden:
    """`bases`: for each base the classes of the table that it may be; None: any of them.

    `bound`: the names it may give a meaning of its own; None: any name.
    """

    bases: tuple[frozenset[str] | None, ...]
    bound: frozenset[str] | None


def may_override(table: ClassTable, kind: str, name: str) -> bool:
    """Whether objects of a hidden class below `kind` may have something of their own under `name`."""
    for hidden in _hidden(table):
        above = [base for base in hidden.bases if base is None or _leads_to(table, base, kind)]
        if not above:
            continue
        if hidden.bound is None or name in hidden.bound or any(_brings(table, b, kind, name) for b in hidden.bases):
            return True
    return False


def is_above_hidden(table: ClassTable, kind: str, named: bool = False) -> bool:
    """Whether a hidden class may derive from `kind`; `named`: whether it says so."""
    bases = (base for hidden in _hidden(table) for base in hidden.bases)
    return any(not named if base is None else _leads_to(table, base, kind) for base in bases)


def may_join(table: ClassTable, a: str, b: str) -> bool:
    """Whether a hidden class may derive from both, by way of two bases."""
    pairs = (pair for hidden in _hidden(table) for pair in permutations(hidden.bases, 2))
    return any(all(base is None or _leads_to(table, base, k) for base, k in zip(p, (a, b), strict=True)) for p in pairs)


def _leads_to(table: ClassTable, base: frozenset[str], kind: str) -> bool:
    return any(table.may_derive(one, kind) for one in base)


def _brings(table: ClassTable, base: frozenset[str] | None, kind: str, name: str) -> bool:
    """Whether a base that does not lead to `kind` may have the name, too."""
    if base is None:
        return False if len(table.classes) == 1 else any(table.may_bind(k, name) for k in table.classes if k != kind)
    if _leads_to(table, base, kind):
        return False
    return not base or any(table.order(k) is None or table.may_bind(n, name) for k in base for n in table.lineage(k))


def _hidden(table: ClassTable) -> tuple[Hidden, ...]:
    return _hidden_of(table.names)


@lru_cache(maxsize=16)
def _hidden_of(names: ModuleNames) -> tuple[Hidden, ...]:
    trees = (names.tree, *names.trees, *names.others)
    table = {n: d for n, d in names.definitions.items() if isinstance(d, ast.ClassDef)}
    seen = {id(d) for d in (*table.values(), *getattr(names, "originals", {}).values())}
    nodes = [n for tree in trees for n in every_node(tree)]
    words = _Words.of(trees, set(table), seen)
    found = [_of_class(n, words) for n in nodes if isinstance(n, ast.ClassDef) and id(n) not in seen and n.bases]
    found += [made for n in nodes if isinstance(n, ast.Call) for made in _of_call(n, words)]
    if "__bases__" in specials_put(names) or any(map(_decides_on_bases, nodes)) or _gives_on(nodes, "type"):
        found.append(Hidden((None, None), None))  # what derives from what is not what is written
    return tuple(found)


@dataclass(frozen=True, slots=True)
class _Words:
    """What a word may stand for: `classes` of the table by last word, others that are `hidden`, and `open` where
    something else may be bound to it."""

    classes: dict[str, frozenset[str]]
    hidden: dict[str, tuple[ast.ClassDef, ...]]
    open: frozenset[str]
    imported: dict[str, str]
    metaclasses: frozenset[str]
    """Classes that make classes, as far as their bases tell."""
    trees: tuple[ast.Module, ...]

    @classmethod
    def of(cls, trees: tuple[ast.Module, ...], table: set[str], seen: set[int]) -> "_Words":
        """`seen`: the classes of the table, by their identity."""
        nodes = [n for tree in trees for n in every_node(tree)]
        bound, imported = set[str](), dict[str, str]()
        for n in nodes:
            match n:
                case ast.Name(id=name, ctx=ast.Store() | ast.Del()) | ast.arg(arg=name):
                    bound.add(name)
                case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name):
                    bound.add(name)
                case ast.ExceptHandler(name=str() as name) | ast.MatchAs(name=str() as name):
                    bound.add(name)
                case ast.MatchStar(name=str() as name) | ast.MatchMapping(rest=str() as name):
                    bound.add(name)
                case ast.Attribute(attr=name, ctx=ast.Store() | ast.Del()):
                    bound.add(name)
                case ast.alias(name=name, asname=other):
                    word = (other or name).rpartition(".")[2]
                    if imported.setdefault(word, name.rpartition(".")[2]) != name.rpartition(".")[2]:
                        bound.add(word)
        classes: dict[str, set[str]] = {}
        for kind in table:
            classes.setdefault(kind.rpartition(".")[2], set()).add(kind)
        kinds = [n for n in nodes if isinstance(n, ast.ClassDef)]
        hidden: dict[str, tuple[ast.ClassDef, ...]] = {}
        for n in kinds:
            if id(n) not in seen:
                hidden[n.name] = (*hidden.get(n.name, ()), n)
        named = {w: frozenset(k) for w, k in classes.items()}
        return cls(named, hidden, frozenset(bound), imported, frozenset(_metaclasses(kinds)), trees)

    def meant(
        self, base: ast.expr, under: ast.ClassDef | None = None, within: frozenset[str] = frozenset()
    ) -> frozenset[str] | None:
        """The classes of the table that a base of `under` may be, or derive from by way of hidden ones; None: any."""
        e = base.value if isinstance(base, ast.Subscript) else base
        word = _last(base)
        if not word or word in self.open:
            return None
        told = self.imported.get(word, word)
        if {word, told} & {*self.classes, *self.hidden}:
            found = self.classes.get(word, frozenset()) | self.classes.get(told, frozenset())
            hidden = [n for w in {word, told} for n in self.hidden.get(w, ())]
            if hidden and (under is None or not surely_means(base, under, hidden, self.trees)):
                return None
            above = [self._above(n, within | {word, told}) for n in hidden if n.name not in within]
            return None if None in above else found.union(*filter(None, above))
        while isinstance(e, ast.Attribute):
            e = e.value
        root = e.id if isinstance(e, ast.Name) else ""
        of_import = root in self.imported and root not in self.open
        return frozenset() if of_import or (root == word and hasattr(builtins, word)) else None

    def _above(self, node: ast.ClassDef, within: frozenset[str]) -> frozenset[str] | None:
        """The same for what a hidden class derives from; None where its statement does not tell."""
        if node.decorator_list or node.keywords:
            return None
        meant = [self.meant(base, node, within) for base in node.bases]
        return None if None in meant else frozenset[str]().union(*filter(None, meant))


def _decides_on_bases(n: ast.AST) -> bool:
    """What makes a class derive from others than its statement names."""
    match n:
        case ast.FunctionDef(name="mro" | "__mro_entries__" | "__class_getitem__"):
            return True
        case ast.Call(func=ast.Attribute(attr="__new__" | "__call__"), args=args) if len(args) > 3:
            return True  # `type.__new__(kind, name, bases, names)`
        case ast.Call(keywords=options, func=called) if any(k.arg == "type" for k in options):
            return _last(called).endswith(("Enum", "Flag"))
        case ast.alias(name="type"):
            return True
    return False


def _gives_on(nodes: list[ast.AST], word: str) -> bool:
    """Whether a word stands anywhere but where it is called, asked for, compared with, or noted as a type."""
    said = [n for n in nodes if isinstance(n, ast.Name) and n.id == word and isinstance(n.ctx, ast.Load)]
    if not said:
        return False
    plain: set[ast.AST] = set()
    for n in nodes:
        match n:
            case ast.Call(func=ast.Name(id="isinstance" | "issubclass"), args=[_, kinds]):
                plain |= {n.func, *every_node(kinds)}
            case ast.Call(func=called):
                plain.add(called)
            case ast.ClassDef(bases=bases, keywords=options):
                plain |= {*bases, *(k.value for k in options)}
            case ast.Compare(left=left, comparators=others):
                plain |= {left, *others}
            case ast.Subscript(value=base):
                plain.add(base)
            case ast.arg(annotation=ast.expr() as noted) | ast.AnnAssign(annotation=noted):
                plain |= set(every_node(noted))
            case ast.FunctionDef(returns=ast.expr() as noted) | ast.AsyncFunctionDef(returns=ast.expr() as noted):
                plain |= set(every_node(noted))
    loose = [n for n in said if n not in plain]
    return bool(loose) and not set(loose) <= _where_it_is_a_local(nodes, word)


def _where_it_is_a_local(nodes: list[ast.AST], word: str) -> set[ast.AST]:
    """What stands in functions with a parameter of that name."""
    found: set[ast.AST] = set()
    for f in nodes:
        if isinstance(f, FunctionNode) and word in param_names(f.args):
            found.update(n for s in f.body for n in every_node(s))
    return found


def _metaclasses(nodes: list[ast.ClassDef]) -> set[str]:
    """The classes below `type`, by the last words of their bases."""
    found = {"type", "ABCMeta", "EnumMeta", "EnumType"}
    known = {n.name for n in nodes}
    grown = True
    while grown:
        more = {n.name for n in nodes for b in n.bases if _last(b) in found or _is_like_one(_last(b), known)}
        grown, found = not more <= found, found | more
    return found


def _is_like_one(word: str, known: set[str]) -> bool:
    return not word or (word not in known and word.lower().endswith(("meta", "metaclass", "type")))


def _last(base: ast.expr) -> str:
    e = base.value if isinstance(base, ast.Subscript) else base
    return e.attr if isinstance(e, ast.Attribute) else getattr(e, "id", "")


def _of_class(node: ast.ClassDef, words: _Words) -> Hidden:
    said = {n.id for n in every_node(node) if isinstance(n, ast.Name)}
    said |= {n.attr for n in every_node(node) if isinstance(n, ast.Attribute)}
    own = {name for s in statements_of(node.body) for name in bound_by(s)}
    opens = said & _BINDING_ANYTHING or own & STRANGE or node.decorator_list or node.keywords
    return Hidden(tuple(words.meant(base, node) for base in node.bases), None if opens else frozenset(own))


def class_calls(names: ModuleNames) -> Iterator[ast.Call]:
    """The calls of the files that make a class, by what they are called: `type`, a metaclass, the type of something."""
    making = _MAKING | metaclasses_of(names)
    for n in (
        n for tree in (names.tree, *names.trees, *names.others) for n in every_node(tree) if isinstance(n, ast.Call)
    ):
        asks = _last(n.func) == "type" and len(n.args) == 1 and not (n.keywords or isinstance(n.args[0], ast.Starred))
        of_a_type = isinstance(n.func, ast.Call) and _last(n.func.func) == "type"
        if not asks and (of_a_type or _last(n.func) in making):
            yield n


def hands_makers_on(names: ModuleNames) -> bool:
    """Whether `type`, or a metaclass of the files, may be called under another name."""
    nodes = [n for tree in (names.tree, *names.trees, *names.others) for n in every_node(tree)]
    return any(map(_gives_on, repeat(nodes), ("type", *sorted(metaclasses_of(names)))))


@lru_cache(maxsize=16)
def metaclasses_of(names: ModuleNames) -> frozenset[str]:
    """The classes of the files that make classes, as far as their bases tell."""
    nodes = [
        n for tree in (names.tree, *names.trees, *names.others) for n in every_node(tree) if isinstance(n, ast.ClassDef)
    ]
    return frozenset(_metaclasses(nodes) & {n.name for n in nodes})


def _of_call(node: ast.Call, words: _Words) -> Iterator[Hidden]:
    """Classes that a call makes: `type(name, bases, names)`, what stands in `types.new_class`."""
    word = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
    if word not in _MAKING and not _may_call_a_metaclass(node, word, words):
        return
    if word == "type" and len(node.args) == 1 and not isinstance(node.args[0], ast.Starred) and not node.keywords:
        return
    bases: tuple[frozenset[str] | None, ...] = (None, None)
    bound: frozenset[str] | None = None
    match node.args:
        case [_, ast.Tuple(elts=elts), *_] if not any(isinstance(e, ast.Starred) for e in elts):
            bases = tuple(map(words.meant, elts))
    match node.args:
        case [_, _, ast.Dict(keys=keys)] if all(isinstance(k, ast.Constant) for k in keys):
            told = frozenset(str(k.value) for k in keys if isinstance(k, ast.Constant))
            bound = None if told & STRANGE else told
    yield Hidden(bases, bound)


def _may_call_a_metaclass(node: ast.Call, word: str, words: _Words) -> bool:
    """Whether something else than `type` may be called as it is: with a name, bases and a dict."""
    if len(node.args) != 3:
        return False
    if {word, words.imported.get(word, word)} & words.metaclasses:
        return True
    if isinstance(node.func, ast.Call) and _last(node.func.func) == "type":
        return True
    if isinstance(node.args[1], ast.Constant | ast.JoinedStr):
        return False  # no tuple of bases
    may_be_one = not word or word in words.open or word in words.hidden
    return may_be_one and isinstance(node.args[2], ast.Dict | ast.DictComp | ast.Call)
