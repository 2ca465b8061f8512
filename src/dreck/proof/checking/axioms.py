"""Axioms: what a proof takes from outside its core, each kind with a small check of its own.

Classes are checked on a skeleton: real classes with the same names, bases and order of bindings, so that Python itself
says what is found where. Functions and constants are looked for on the plain tree, once more and in another way.
"""

import ast
import builtins
import contextlib
import inspect
import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from dreck.model.names.elsewhere.apart import are_apart
from dreck.model.names.modules import ModuleNames
from dreck.model.names.private import means_several
from dreck.proof.checking.setting import is_private, makes_by_hand, sets, sets_by_name
from dreck.proof.checking.texts.binding import bound_at_the_top, counted_in, gives_it_back, taken_away
from dreck.proof.checking.texts.elsewhere import sole_method
from dreck.proof.checking.texts.members import VALUED, hands_on, may_put_members, members_made
from dreck.proof.checking.texts.nested import are_joined, says_anything
from dreck.proof.checking.texts.noticed import reads_only
from dreck.proof.checking.texts.overriding import puts_special, says_special
from dreck.proof.checking.texts.slots import slots_in
from dreck.proof.classes.above import roots_of
from dreck.proof.classes.known import KnownClasses
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_ELSEWHERE: dict[str, type] = {
    "enum.Enum": object,
    "typing.NamedTuple": tuple,
    "typing.Protocol": object,
    "abc.ABC": object,
}
_PLAIN = (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef, ast.Assign, ast.AnnAssign, ast.Pass, ast.Expr)


@dataclass(slots=True)
class Axioms:
    """The axioms of one version. `used` are (kind, what it says, line)."""

    names: ModuleNames
    classes: KnownClasses
    used: dict[tuple[str, str, int], None] = field(default_factory=dict)
    _skeleton: dict[str, type] | None = None
    _bound: Counter[str] | None = None
    _sole: dict[tuple[str, str, bool, str], FunctionNode | None] = field(default_factory=dict)

    def _note(self, kind: str, says: str, node: ast.AST | None) -> bool:
        self.used[(kind, says, getattr(node, "lineno", 0))] = None
        return True

    def by_solver(self, says: str) -> bool:
        """A conclusion that a general solver comes to, asked anew."""
        return self._note("solver", says, None)

    def reads_only(self, *methods: str) -> bool:
        """No class of the files gives one of these methods a will of its own, and no dict fills in what it lacks."""
        trees = (self.names.tree, *getattr(self.names, "trees", ()))
        return all(reads_only(tree, methods) for tree in trees)

    # --- names -------------------------------------------------------------------------------------

    def is_bound_once(self, name: str) -> bool:
        """One statement of the module binds the name, or it is a builtin that none binds."""
        if "." in name:
            return self._note("name", f"{name} is bound once in its file", None)
        count = self._counted()[name]
        if count == 0:
            return self.is_builtin(name)
        if self._counted()["*"] or count > 1:
            return False
        statement = bound_at_the_top(self.names.tree).get(name)
        return statement is not None and self._note("name", f"{name} is bound once", statement)

    def stays(self, name: str) -> bool:
        """The name means one thing for good: a definition, an import, a builtin, a constant in capitals."""
        statement = bound_at_the_top(self.names.tree).get(name)
        kept = not isinstance(statement, ast.Assign | ast.AnnAssign | ast.AugAssign) or name.isupper()
        return kept and self.is_bound_once(name)

    def is_builtin(self, name: str) -> bool:
        """Nothing in the module binds the name, so that it is the builtin."""
        counted = self._counted()
        if not hasattr(builtins, name) or counted[name] or counted["*"] or counted["import *"]:
            return False
        return self._note("name", f"{name} is the builtin", None)

    def _counted(self) -> Counter[str]:
        if self._bound is None:
            self._bound = counted_in(self.names.tree)
        return self._bound

    def binds(self, name: str) -> bool:
        """Whether something in the module gives the name a meaning, and nothing takes it away."""
        kept = name not in taken_away(self.names.tree)
        return kept and ("." in name or any(self._counted()[told] for told in (name, "*", "import *")))

    def function(self, name: str) -> FunctionNode | None:
        """The one function of that name at the top of the module, without decorators."""
        node = self.names.definitions.get(name)
        if not isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) or node.decorator_list:
            return None
        if "." not in name and (node not in self.names.tree.body or not self.is_bound_once(name)):
            return None
        self._note("function", f"{name} is this function", node)
        return node

    # --- classes -----------------------------------------------------------------------------------

    @property
    def skeleton(self) -> dict[str, type]:
        """A real class for each class of the module whose bases are known."""
        if self._skeleton is None:
            self._skeleton = {}
            for name in self.classes.table.classes:
                self._make(name, set())
        return self._skeleton

    def _make(self, name: str, open_: set[str]) -> type | None:
        assert self._skeleton is not None
        if name in self._skeleton or name in open_:
            return self._skeleton.get(name)
        node = self.classes.table.classes[name]
        if not self.is_bound_once(name):
            return None
        bases: list[type] = []
        for b in node.bases:
            known = self.names.canonical(b.id) if isinstance(b, ast.Name) else ""
            if isinstance(b, ast.Attribute) and isinstance(b.value, ast.Name):
                known = self.names.of_module(b.value.id, b.attr)
            source = self.names.stands_for(b)
            known = source if source in self.classes.table.classes else known
            made = self._make(known, open_ | {name}) if known in self.classes.table.classes else _ELSEWHERE.get(source)
            if made is None and source.startswith("builtins."):
                made = getattr(builtins, source.removeprefix("builtins."), None)
            if made is None:
                return None
            bases.append(made)
        if node.keywords or not all(gives_it_back(d) for d in node.decorator_list):
            return None
        try:
            bound = {n: s for n, s in _members(node) if n != "__slots__"} | dict(slots_in(node.body, self.names.tree))
            self._skeleton[name] = type(name, tuple(bases), bound)
        except TypeError:
            return None
        return self._skeleton[name]

    def holds(self, kind: str, name: str, holder: str) -> ast.stmt | None:
        """The statement by which `holder` gives `kind` what it has under `name`, as Python finds it."""
        made = self.skeleton.get(kind) if not self._means_several(name) else None
        found = inspect.getattr_static(made, name, None) if made is not None else None
        if not isinstance(found, ast.stmt) or found not in self.classes.table.classes[holder].body:
            return None
        self._note("member", f"{kind}.{name} is that of {holder}", found)
        return found

    def is_all_seen(self, made: type) -> bool:
        """Whether the bodies of a class and of those above it bind nothing but by plain statements."""
        own = (k.__name__ for k in made.__mro__ if k.__name__ in self.skeleton)
        return all(isinstance(s, _PLAIN) for k in own for s in self.classes.table.classes[k].body)

    def is_a_slot(self, made: type, name: str) -> bool:
        found = inspect.getattr_static(made, name, None)
        return isinstance(found, ast.Assign) and any(getattr(t, "id", "") == "__slots__" for t in found.targets)

    def method(self, kind: str, name: str, form: str) -> FunctionNode | None:
        """A function a class has under a name, of the form that its decorators say."""
        found = self.holds(kind, name, kind)
        decorators = {"method": [], "property": ["property"], "static": ["staticmethod"], "class": ["classmethod"]}[
            form
        ]
        if not isinstance(found, ast.FunctionDef | ast.AsyncFunctionDef):
            return None
        told = [ast.unparse(d).rpartition(".")[2] for d in found.decorator_list]
        return found if told == decorators or (form == "method" and told == ["abstractmethod"]) else None

    def has_own(self, kind: str, name: str) -> bool:
        """Whether a class that is not in the skeleton may have something else under a name than its one base."""
        node = self.classes.table.classes[kind]
        return len(node.bases) > 1 or says_anything(node, name) or not all(isinstance(s, _PLAIN) for s in node.body)

    def registers(self, holder: str, name: str, default: ast.stmt) -> bool:
        """A generic method, for which all is registered that its class decorates with it, and nothing else is."""
        told = default.decorator_list if isinstance(default, FunctionNode) else []
        if [ast.unparse(d).rpartition(".")[2] for d in told] != ["singledispatchmethod"]:
            return False
        named = [n for n in walk(self.classes.table.classes[holder]) if isinstance(n, ast.Name) and n.id == name]
        registry = self.classes.registry(f"{holder}:{name}")
        every = list({id(f): f for f in registry.functions.values()}.values()) if registry is not None else []
        bound = {n for n, _ in _members(self.classes.table.classes[holder])}
        if registry is None or bound & {"singledispatchmethod", "type", *registry.kinds}:
            return False
        return default in every and len(named) == sum(len(f.decorator_list) for f in every) - 1

    def is_set(self, name: str) -> bool:
        """Whether something in the files sets an attribute of that name, or one whose name nobody can read."""
        return any(sets(tree, name) for tree in _trees(self.names))

    def is_named_set(self, name: str) -> bool:
        """The same, for what is set under that name for all to read."""
        return any(sets_by_name(tree, name) for tree in _trees(self.names))

    def is_replaced(self, name: str, trusted: bool) -> bool:
        """Whether something may put another thing in the place of a method; not where it is private and `trusted`."""
        if self.is_named_set(name) or not self.is_set(name):
            return self.is_named_set(name)
        return not (trusted and is_private(name, _trees(self.names), _trees(self.classes.other)))

    def private_method(self, kind: str, name: str, trusted: bool, decorated: str = "") -> FunctionNode | None:
        """The only function under a private name, in a class of which not all bases are known; where it is trusted."""
        asked = kind, name, trusted, decorated
        if asked not in self._sole:
            private = trusted and is_private(name, _trees(self.names), _trees(self.classes.other))
            free = private and not self.is_named_set(name) and self.is_bound_once(kind)
            self._sole[asked] = sole_method(self.names, kind, name, decorated) if free else None
        found = self._sole[asked]
        if found is not None:
            self._note("member", f"{kind}.{name} is the only one of that name", found)
        return found

    def constant(self, kind: str, name: str, value: object) -> bool:
        made = self.skeleton.get(kind) if not self._means_several(name) else None
        found = inspect.getattr_static(made, name, None) if made is not None else None
        if not isinstance(found, ast.Assign | ast.AnnAssign) or not isinstance(found.value, ast.Constant):
            return False
        same = type(found.value.value) is type(value) and repr(found.value.value) == repr(value)
        return same and self._note("constant", f"{kind}.{name} is {value!r}", found)

    def is_enum(self, kind: str) -> bool:
        node = self.classes.table.classes.get(kind)
        return node is not None and [self.names.stands_for(b) for b in node.bases] == ["enum.Enum"]

    def member(self, kind: str, name: str) -> bool:
        """A member of an enum whose members are all different and which says nothing of comparing."""
        return self.is_enum(kind) and self._is_member(kind, name)

    def valued(self, kind: str, name: str) -> bool:
        """A member of an enum over whole numbers or texts, all different, which compares as its value does."""
        node = self.classes.table.classes.get(kind)
        over = VALUED.get(tuple(map(self.names.stands_for, node.bases))) if node is not None else None
        return over is not None and self._is_member(kind, name, over)

    def _is_member(self, kind: str, name: str, data: type = object) -> bool:
        node, trees = self.classes.table.classes[kind], _trees(self.names)
        if any(makes_by_hand(tree, kind) for tree in trees) or not self._is_bare(node):
            return False
        word = re.split(r"\W", kind)[-1]
        if any(says_special(self.names, what) for what in ("eq", "hash", "truth")):
            return False
        if any(may_put_members(t) or hands_on(t, word) for t in (*trees, *getattr(self.names, "others", ()))):
            return False
        return name in members_made(node, data) and self._note("member", f"{kind}.{name}", node)

    def _is_bare(self, node: ast.ClassDef) -> bool:
        """Whether nothing but `unique`, which only looks at it, decorates a class."""
        return {self.names.stands_for(d) for d in node.decorator_list} <= {"enum.unique"}

    def are_apart(self, kind: str, words: tuple[str, ...], assumed: bool) -> bool:
        """The constants of a class are different ones: seen in the file, or assumed of what is from elsewhere."""
        if not kind:
            return self._classes_apart(words, assumed)
        written, kind = kind, self.names.canonical(kind)
        node = self.classes.table.classes.get(kind)
        if node is None:
            source = self.names.stands_for(ast.Name(written, ast.Load()))
            return assumed and are_apart(source, words, self.names) is not False
        told = f"{kind} has different constants"
        data = object if self.is_enum(kind) else VALUED.get(tuple(map(self.names.stands_for, node.bases)))
        if data is not None:
            special = any(puts_special(self.names, what) for what in ("eq", "hash"))
            made = self._is_bare(node) and bool(members_made(node, data))
            return made and not special and self._note("class", told, node)
        given = [s.value for s in node.body if isinstance(s, ast.Assign | ast.AnnAssign) and s.value is not None]
        values = [v.value for v in given if isinstance(v, ast.Constant)]
        apart = len(given) == len(values) == len(set(values)) and not node.bases and not self._may_be_put(kind, node)
        return apart and self._note("class", told, node)

    def _classes_apart(self, words: tuple[str, ...], assumed: bool) -> bool:
        """Classes under different names are different ones, and what makes them does not say otherwise."""
        found = list[object]()
        for word in map(self.names.canonical, words):
            node = self.classes.table.classes.get(word)
            if node is None and not self.is_builtin(word):
                return False
            if node is not None and word not in self.skeleton:
                told = not node.keywords and all(map(gives_it_back, node.decorator_list)) and self.is_bound_once(word)
                if not (assumed and told) or roots_of(node, self.names) & {"?", "builtins.type"}:
                    return False
            found.append(self.skeleton.get(word, word) if node is not None else getattr(builtins, word))
        return len(set(found)) == len(found)

    def _may_be_put(self, kind: str, node: ast.ClassDef) -> bool:
        """Whether something may give the class another constant once it is there."""
        trees, word = (*_trees(self.names), *getattr(self.names, "others", ())), re.split(r"\W", kind)[-1]
        named = {name for name, _ in _members(node)}
        return any(may_put_members(t) or hands_on(t, word) or any(sets(t, name) for name in named) for t in trees)

    def fields(self, kind: str) -> list[tuple[str, ast.Constant | None]] | None:
        found = self.classes.records.fields(kind)
        if any(self._means_several(name) for name, _ in found or ()):
            return None
        if found is not None:
            self._note("record", f"{kind} holds {', '.join(n for n, _ in found)}", self.classes.table.classes.get(kind))
        return found

    def _means_several(self, name: str) -> bool:
        return means_several(name, (*_trees(self.names), *self.names.others))

    def is_class(self, name: str) -> bool:
        builtin = isinstance(getattr(builtins, name, None), type) and self._counted()[name] == 0
        if name in self.skeleton and any(
            self.names.stands_for(b) == "typing.Protocol" for b in self.classes.table.classes[name].bases
        ):
            return False  # asking for it raises, or reads attributes
        return (builtin or name in self.skeleton) and self._note("class", f"{name} is a class", None)

    def outcome(self, asked: set[str], are: list[set[str]], are_not: set[str]) -> bool | None:
        """Whether a value is of one of `asked`: gone through for every class it may be of, those elsewhere included."""
        known: dict[str, type] = {**self.skeleton}
        for name in asked.union(are_not, *are):
            builtin = getattr(builtins, name, None)
            if name not in known and isinstance(builtin, type) and self._counted()[name] == 0:
                known[name] = builtin
        every = asked.union(are_not, *are)
        outcomes: set[bool] = set()
        for kind in [*known.values(), *_pairs(known, every, self.classes)]:
            fits = all(_is_one(kind, kinds, known) for kinds in are) and not _is_one(kind, are_not, known)
            if fits:
                outcomes.add(_is_one(kind, asked, known))
        if not every <= known.keys():
            return None
        self._note("classes", f"how {', '.join(sorted(every))} derive from one another", None)
        return outcomes.pop() if len(outcomes) == 1 else None


def _trees(names: ModuleNames) -> tuple[ast.Module, ...]:
    return (names.tree, *getattr(names, "trees", ()))


def _is_one(kind: type, asked: set[str], known: dict[str, type]) -> bool:
    return any(name in known and issubclass(kind, known[name]) for name in asked)


def _pairs(known: dict[str, type], every: set[str], classes: KnownClasses) -> Iterator[type]:
    """Classes elsewhere that may derive from two of those asked for: not from two that the file holds apart."""
    names = sorted(every & known.keys())
    yield type("elsewhere", (), {})
    for at, one in enumerate(names):
        for other in names[at + 1 :]:
            mine = {one, other} <= classes.table.classes.keys()
            known_both = mine and classes.hierarchy.is_known(one) and classes.hierarchy.is_known(other)
            if known_both and not are_joined(classes.names, one, other):
                continue
            for bases in ((known[one], known[other]), (known[other], known[one])):
                with contextlib.suppress(TypeError):  # their layouts differ, or there is no order
                    yield type("both", bases, {})


def _members(node: ast.ClassDef) -> Iterator[tuple[str, Any]]:
    """What a class body binds, in order: of two bindings of a name the last one counts."""
    for s in node.body:
        match s:
            case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
                yield name, s
            case ast.Assign(targets=targets):
                for n in (n for t in targets for n in walk(t) if isinstance(n, ast.Name)):
                    yield n.id, s
            case ast.AnnAssign(target=ast.Name(id=name), value=ast.expr()):
                yield name, s


def signature_of(node: FunctionNode) -> inspect.Signature:
    """The parameters of a function as Python binds arguments to them; defaults are their expressions."""
    spec = node.args
    kind = inspect.Parameter
    positional = [*spec.posonlyargs, *spec.args]
    defaults: list[Any] = [kind.empty] * (len(positional) - len(spec.defaults)) + list(spec.defaults)
    found = [
        kind(a.arg, kind.POSITIONAL_ONLY if a in spec.posonlyargs else kind.POSITIONAL_OR_KEYWORD, default=d)
        for a, d in zip(positional, defaults, strict=True)
    ]
    for a, d in zip(spec.kwonlyargs, spec.kw_defaults, strict=True):
        found.append(kind(a.arg, kind.KEYWORD_ONLY, default=kind.empty if d is None else d))
    return inspect.Signature(found)
