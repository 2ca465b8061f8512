"""Classes of the files that may derive from a built-in type, looked for once more by the words of their bases."""

import ast
import builtins
from collections import Counter
from collections.abc import Iterable, Iterator
from functools import lru_cache

from dreck.model.names.elsewhere.library_bases import built_ins_above
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.proof.checking.texts.binding import bound_at
from dreck.proof.checking.texts.noticed import is_tame, parts_of
from dreck.proof.checking.texts.shaping import may_get
from dreck.source.walking import walk

_QUESTIONS = (
    "eq ne lt le gt ge hash bool len contains iter next getitem missing index int float complex round trunc floor ceil "
    "abs neg pos invert divmod rdivmod getattribute getattr class dict"
)
_OPERATORS = "add sub mul truediv floordiv mod pow lshift rshift and or xor matmul"
_ASKED = frozenset(
    f"__{word}__" for word in (*_QUESTIONS.split(), *_OPERATORS.split(), *(f"r{word}" for word in _OPERATORS.split()))
)
"""The special methods that asking, comparing and working out come to."""
_MOST_FILES = 120
_WITHOUT_HEIRS: frozenset[type | None] = frozenset({bool, range, slice, memoryview})
"""No class can derive from these."""
_TOLD = ("__str__", "__repr__", "__format__")


def below(names: ModuleNames, nodes: Iterable[ast.ClassDef], kinds: set[str]) -> bool:
    """Whether any of these classes may derive from a built-in type, or stand above one that does."""
    types = [getattr(builtins, kind, None) for kind in kinds]
    if types and _WITHOUT_HEIRS.issuperset(types):
        return False
    wanted = frozenset(t for t in types if isinstance(t, type))
    family = _family(names, wanted)
    return any(node in family for node in nodes)


@lru_cache(maxsize=256)
def are_left_alone(names: ModuleNames, kind: str) -> bool:
    """Whether no class that may derive from a built-in type says itself how it is asked, compared or added up."""
    if kind == "bool" or not isinstance(getattr(builtins, kind, None), type):
        return True
    if any(may_get(names, word) for word in _ASKED):
        return False
    trees = (names.tree, *names.trees, *names.others)
    for n in (n for tree in trees for n in every_node(tree)):
        told = {getattr(n, "value", None) if isinstance(n, ast.Constant) else None, getattr(n, "arg", None)}
        put = n.attr if isinstance(n, ast.Attribute) and not isinstance(n.ctx, ast.Load) else None
        if _ASKED & {word for word in (*told, put) if isinstance(word, str)}:
            return False
    return not any(_speaks(node) for node in _family(names, frozenset({getattr(builtins, kind)})))


def _speaks(node: ast.ClassDef) -> bool:
    parts = list(parts_of(node.body))
    if not all(map(is_tame, parts)):
        return True
    bound = {name: s for s in parts for n in (s, *walk(s)) for name in bound_at(n)}
    bound |= {s.name: s for s in parts if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef)}
    own = {s.name for s in parts if isinstance(s, ast.FunctionDef) and s.name in _TOLD and _only_tells(s)}
    return bool(bound.keys() & {*_ASKED, *_TOLD} - own)


def _only_tells(s: ast.FunctionDef) -> bool:
    """Whether a method that makes a text does no more than return what is made of names and attributes."""
    allowed = (ast.Return, ast.Expr, ast.Constant, ast.Name, ast.Attribute, ast.JoinedStr, ast.FormattedValue, ast.Load)
    return not s.decorator_list and all(isinstance(n, allowed) for b in s.body for n in walk(b))


@lru_cache(maxsize=64)
def _family(names: ModuleNames, wanted: frozenset[type]) -> frozenset[ast.ClassDef]:
    words = _Words(names)
    kinds = [node for nodes in words.classes.values() for node in nodes]
    everything = object in wanted
    found = {n for n in kinds if everything or any(words.may_lead(b, wanted, frozenset()) for b in n.bases)}
    pending = list(found)
    while pending:
        above = [n for b in pending.pop().bases for n in words.classes.get(_last(b), ())]
        pending += [n for n in above if n not in found]
        found.update(above)
    return frozenset(found)


class _Words:
    """What each word may stand for anywhere in the files."""

    def __init__(self, names: ModuleNames) -> None:
        self.classes: dict[str, list[ast.ClassDef]] = {}
        self.imports: dict[str, set[str]] = {}
        self.modules: dict[str, set[str]] = {}
        self.bound = Counter[str]()
        self.named: dict[str, list[ast.expr]] = {}
        """What a name stands for where a statement gives it another one."""
        pending = {id(tree): (tree, names.called(tree)) for tree in (names.tree, *names.trees, *names.others)}
        known = set(pending)
        while pending and len(known) < _MOST_FILES:
            for tree, called in pending.values():
                self._read(tree, called)
            pending = {key: found for key, found in self._further(names) if key not in known}
            known |= pending.keys()

    def _further(self, names: ModuleNames) -> Iterator[tuple[int, tuple[ast.Module, str]]]:
        """Files of the project that hold bases of classes, and have not been read."""
        bases = [b for nodes in self.classes.values() for n in nodes for b in n.bases]
        for base in (b.value if isinstance(b, ast.Subscript) else b for b in bases):
            for source in self._sources(base, _last(base)) if _last(base) not in self.classes else ():
                module = source.rpartition(".")[0]
                found = names.module_called(module) if module and names.is_of_project(source) else None
                if found is not None:
                    yield id(found.tree), (found.tree, module)

    def _read(self, tree: ast.Module, called: str) -> None:
        """`called`: what the module is called, from which its relative imports start."""
        for n in every_node(tree):
            match n:
                case ast.ClassDef(name=name):
                    self.classes.setdefault(name, []).append(n)
                case ast.ImportFrom(module=of, names=aliases, level=level):
                    above = called.split(".")[: -level or None] if called and level else []
                    home = ".".join([*above, *filter(None, [of])]) if above else f"{'.' * level}{of or ''}"
                    for a in aliases:
                        self.imports.setdefault(a.asname or a.name, set()).add(f"{home}.{a.name}")
                case ast.Import(names=aliases):
                    for a in aliases:
                        bound = a.asname or a.name.partition(".")[0]
                        self.modules.setdefault(bound, set()).add(a.name if a.asname else bound)
                case ast.arg(arg=name):
                    self.bound[name] += 1
                case ast.Assign(targets=[ast.Name(id=name)], value=ast.Name() | ast.Attribute() as value):
                    self.named.setdefault(name, []).append(value)
                case ast.alias():
                    pass
                case _:
                    self.bound.update(bound_at(n))

    def may_lead(self, base: ast.expr, wanted: frozenset[type], seen: frozenset[str]) -> bool:
        """Whether what stands among the bases of a class may be one of these types, or derive from one."""
        e = base.value if isinstance(base, ast.Subscript) else base
        if isinstance(e, ast.Call):
            return tuple in wanted if _last(e.func) in ("namedtuple", "NamedTuple") else True
        word = _last(e)
        if word in seen:
            return False
        if not word:
            return True
        if isinstance(e, ast.Name) and word in self.bound:
            others = self.named.get(word, [])
            alone = len(others) == self.bound[word] and word not in self.classes and word not in self.imports
            return not alone or any(self.may_lead(other, wanted, seen | {word}) for other in others)
        found = self.classes.get(word, [])
        sources = self._sources(e, word)
        above = [built_ins_above(source) for source in sources if not self._is_of_files(source)]
        if any(types is None or types & wanted for types in above):
            return True
        told = {source.rpartition(".")[2] for source in sources} - {word}
        found = [*found, *(n for other in told for n in self.classes.get(other, ()))]
        if not found and not sources:
            built_in = getattr(builtins, word, None)
            return not isinstance(built_in, type) or any(issubclass(built_in, kind) for kind in wanted)
        return any(self.may_lead(b, wanted, seen | {word}) for n in found for b in n.bases)

    def _sources(self, e: ast.expr, word: str) -> set[str]:
        if isinstance(e, ast.Attribute):
            of = self.modules.get(e.value.id, set()) if isinstance(e.value, ast.Name) else set()
            return {f"{module}.{word}" for module in of} or {"?"}
        return self.imports.get(word, set())

    def _is_of_files(self, source: str) -> bool:
        """Whether an import asks for a class of the files: one of that name stands there, and no library is read."""
        return source.rpartition(".")[2] in self.classes


def _last(e: ast.expr) -> str:
    e = e.value if isinstance(e, ast.Subscript) else e
    return e.attr if isinstance(e, ast.Attribute) else getattr(e, "id", "")
