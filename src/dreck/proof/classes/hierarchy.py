"""Kin: the classes of a module as a proof may look into them, and the names only one of two versions has.

What one version alone defines (a helper, a method, a small class that only holds values) cannot be met by
the other version as an act; it is looked into instead. That no class outside the module overrides what was
looked into, or derives from two classes the module holds apart, is the assumption `closed-families`.
"""

import ast
import builtins
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import lru_cache

from dreck.model.names.scopes import ModuleNames
from dreck.source.functions import FunctionNode

_VALUE_HOLDERS = frozenset({"dataclass", "dataclasses.dataclass"})
_PLAIN_ENUM = frozenset({"Enum", "enum.Enum"})
_SOLID = frozenset(
    {"int", "str", "float", "list", "dict", "tuple", "set", "frozenset", "bytes", "bytearray", "complex"}
)


@dataclass(frozen=True, slots=True)
class Member:
    """A member of an enum that both versions define alike. Members of one enum are never equal."""

    enum: str
    name: str

    def __repr__(self) -> str:
        return f"{self.enum}.{self.name}"


@dataclass(frozen=True, slots=True)
class Found:
    """What a class has under a name: `form` is method, property, static, class or constant."""

    form: str
    holder: str
    function: FunctionNode | None = None
    value: ast.expr | None = None


@dataclass(frozen=True, slots=True)
class Registry:
    """The functions of a generic function by class, the default under ''; `kinds` derived classes first."""

    functions: dict[str, ast.FunctionDef]
    kinds: tuple[str, ...]


@dataclass(slots=True)
class Kin:
    """The classes of one version of a module, seen beside the other version."""

    names: ModuleNames
    other: ModuleNames
    apart: frozenset[str] = frozenset()
    """Attributes that of the two functions only this version's speaks of."""
    _fields: dict[str, list[tuple[str, ast.expr | None]] | None] = field(default_factory=dict)
    _found: dict[tuple[str, str], Found | None] = field(default_factory=dict)
    _classes: dict[str, ast.ClassDef] | None = None
    _said: tuple["_Said", "_Said"] | None = None
    _registries: dict[str, "Registry | None"] = field(default_factory=dict)

    @property
    def classes(self) -> dict[str, ast.ClassDef]:
        if self._classes is None:
            self._classes = {n: d for n, d in self.names.definitions.items() if isinstance(d, ast.ClassDef)}
        return self._classes

    def is_own(self, name: str) -> bool:
        """Whether only this version defines `name` at the top of the module."""
        return name in self.names.definitions and name not in self.other.definitions

    def is_own_attribute(self, name: str) -> bool:
        """Whether only this version, or its function, speaks of an attribute, and nothing sets it on an object."""
        if self.names is self.other and name not in self.apart:
            return False
        if self._said is None:
            self._said = _Said(self.names), _Said(self.other)
        here, there = self._said
        if name not in here.names or name in here.stored:
            return False
        return name not in there.names or (name in self.apart and self._is_computed(name))

    def _is_computed(self, name: str) -> bool:
        """Whether it is a property wherever a class has it: code elsewhere cannot set another in its place."""
        return all(found.form == "property" for k in self.classes if (found := self.found(k, name)) is not None)

    def is_stored(self, name: str) -> bool:
        """Whether something sets an attribute `name` on an object."""
        if self._said is None:
            self._said = _Said(self.names), _Said(self.other)
        return name in self._said[0].stored

    # --- what a class has --------------------------------------------------------------------------

    def found(self, kind: str, name: str) -> Found | None:
        """What instances of the class `kind` have under `name`, as far as the module's classes define it."""
        key = kind, name
        if key not in self._found and any(self._in_class(k, "__getattribute__") for k in self.lineage(kind)):
            self._found[key] = None
        if key not in self._found:
            self._found[key] = next((f for k in self.lineage(kind) if (f := self._in_class(k, name))), None)
        return self._found[key]

    def _in_class(self, kind: str, name: str) -> Found | None:
        for s in self.classes[kind].body:
            match s:
                case ast.FunctionDef() | ast.AsyncFunctionDef() if s.name == name:
                    form = _form(s)
                    if form == "property" and self._catches_missing(kind):
                        return None
                    return Found(form, kind, s) if form else None
                case ast.Assign(targets=[ast.Name(id=target)], value=value) if target == name:
                    return Found("constant", kind, value=value) if self._is_ordinary(kind) else None
                case ast.AnnAssign(target=ast.Name(id=target), value=ast.expr() as value) if target == name:
                    return Found("constant", kind, value=value) if self._is_ordinary(kind) else None
        return None

    def _catches_missing(self, kind: str) -> bool:
        """Whether an AttributeError inside a property ends in `__getattr__` instead of going on."""
        return any(
            isinstance(s, ast.FunctionDef) and s.name == "__getattr__"
            for own in (kind, *self.below(kind))
            for name in self.lineage(own)
            for s in self.classes[name].body
        )

    def _is_ordinary(self, kind: str) -> bool:
        """Whether a name assigned in the class is just that: no field of a dataclass, no member of an enum."""
        nodes = [self.classes[name] for name in self.lineage(kind)]
        if any(node.decorator_list or node.keywords or _makes_classes(node) for node in nodes):
            return False
        return all(isinstance(b, ast.Name) and b.id in self.classes for node in nodes for b in node.bases)

    def lineage(self, kind: str) -> list[str]:
        """`kind` and its bases in this module, nearest first."""
        found: list[str] = []
        pending = [kind]
        while pending:
            name = pending.pop(0)
            if name in self.classes and name not in found:
                found.append(name)
                pending += [b.id for b in self.classes[name].bases if isinstance(b, ast.Name)]
        return found

    def below(self, kind: str) -> list[str]:
        """Every class of the module that derives from `kind`, itself left out."""
        return [name for name in self.classes if name != kind and kind in self.lineage(name)]

    def holders(self, name: str) -> list[str]:
        """Classes to be told apart to know what `name` is on a value: derived ones before those they derive from."""
        having = [k for k in self.classes if not self.is_own(k) and self.found(k, name)]
        apart = [k for k in having if not any(self._same(k, base, name) for base in self.lineage(k)[1:])]
        return sorted(apart, key=lambda k: -len(self.lineage(k)))

    def _same(self, kind: str, base: str, name: str) -> bool:
        return not self.is_own(base) and self.found(kind, name) == self.found(base, name)

    def meant(self, kind: str) -> list[str]:
        """The classes an `isinstance` with `kind` asks for: a base only this version has stands for those below it."""
        if not self.is_own(kind) or kind not in self.classes:
            return [kind]
        return [name for name in self.below(kind) if not self.is_own(name)]

    def implied(self, asked: set[str], are: list[set[str]], are_not: set[str]) -> bool | None:
        """Whether a value is an instance of one of `asked`, when it is one of each of `are` and none of `are_not`."""
        for kinds in are:
            left = {k for k in kinds if not any(self._derives(k, no) for no in are_not)}
            if left and all(any(self._derives(k, a) for a in asked) for k in left):
                return True
            if left and not any(self._may_share(k, a) for k in left for a in asked):
                return False
        if asked and all(any(self._derives(a, no) for no in are_not) for a in asked):
            return False
        return None

    def is_below(self, kind: str, asked: set[str]) -> bool | None:
        """Whether an instance of exactly `kind` is one of a class in `asked`; None when its bases are not known."""
        if any(self._derives(kind, a) for a in asked):
            return True
        known = (kind in self.classes and self._rooted(kind)) or _builtin(kind, self.names) is not None
        return False if known and all(a in self.classes or _builtin(a, self.names) for a in asked) else None

    def registry(self, name: str) -> "Registry | None":
        """What is registered for a generic function that only this version has; None when that is not plain to see."""
        if name not in self._registries:
            own = self.is_own(name) or name in self.names.definitions
            self._registries[name] = _registry(self.names.tree, name, self) if own else None
        return self._registries[name]

    def in_order(self, kinds: list[str]) -> list[str]:
        """Classes so that those that derive from others come before them."""
        return sorted(kinds, key=lambda k: -sum(self._derives(k, other) for other in kinds))

    def _derives(self, kind: str, base: str) -> bool:
        if kind == base or base == "object" or base in self.lineage(kind):
            return True
        one, two = _builtin(kind, self.names), _builtin(base, self.names)
        return one is not None and two is not None and issubclass(one, two)

    def _may_share(self, a: str, b: str) -> bool:
        """Whether some value may be an instance of both."""
        if self._derives(a, b) or self._derives(b, a):
            return True
        if a in self.classes and b in self.classes and self._rooted(a) and self._rooted(b):
            return any(b in self.lineage(name) for name in self.below(a))
        return not (a in _SOLID and b in _SOLID and self.names.is_builtin(a) and self.names.is_builtin(b))

    def _rooted(self, kind: str) -> bool:
        """Whether every base of the class is known."""
        known = {"object", "NamedTuple", "Protocol", "ABC", "Enum", "Exception"}
        bases = [b for name in self.lineage(kind) for b in self.classes[name].bases]
        return all(isinstance(b, ast.Name) and (b.id in self.classes or b.id in known) for b in bases)

    # --- small classes that hold values ------------------------------------------------------------

    def fields(self, kind: str) -> list[tuple[str, ast.expr | None]] | None:
        """The fields of a class of this version alone whose instances only hold what they are given."""
        if kind not in self._fields:
            own = self.is_own(kind) and kind in self.classes
            bare = self._without_own_bases(self.classes[kind]) if own else None
            self._fields[kind] = _held(bare) if bare is not None else None
        return self._fields[kind]

    def _without_own_bases(self, node: ast.ClassDef) -> ast.ClassDef | None:
        """The class with those bases left out that only this version has and that hold nothing."""
        left = []
        for base in node.bases:
            if not (isinstance(base, ast.Name) and self.is_own(base.id) and base.id in self.classes):
                left.append(base)
            elif self.fields(base.id) != []:
                return None
        return ast.ClassDef(node.name, left, node.keywords, node.body, node.decorator_list)

    def is_tuple(self, kind: str) -> bool:
        return any(ast.unparse(base) in ("NamedTuple", "typing.NamedTuple") for base in self.classes[kind].bases)

    def member(self, enum: str, name: str) -> Member | None:
        """A member of a plain enum that both versions define alike."""
        mine, theirs = self.classes.get(enum), self.other.definitions.get(enum)
        if mine is None or not isinstance(theirs, ast.ClassDef):
            return None
        values = self._members(mine)
        if values is None or values != _members(theirs) or name not in values:
            return None
        return Member(enum, name)

    def has_distinct_members(self, kind: str) -> bool:
        """Whether the constants of a class are plainly different ones."""
        if self._members(self.classes[kind]) is not None:
            return True
        if not self._is_ordinary(kind):
            return False
        values = [s.value for s in self.classes[kind].body if isinstance(s, ast.Assign)]
        known = [v.value for v in values if isinstance(v, ast.Constant)]
        return len(known) == len(values) == len(set(known))

    def member_names(self, enum: str) -> list[str]:
        return list(self._members(self.classes[enum]) or {})

    def _members(self, node: ast.ClassDef) -> dict[str, str] | None:
        """The members of a class that derives from the `Enum` of the standard library."""
        return _members(node) if _has_enum(self.names) and _has_enum(self.other) else None


class _Said:
    """The attribute names a module speaks of, and the modules it is linked with."""

    def __init__(self, names: ModuleNames) -> None:
        parts = [_spoken(tree) for tree in (names.tree, *getattr(names, "trees", ()))]
        self.names = frozenset[str]().union(*(named for named, _ in parts))
        self.stored = frozenset[str]().union(*(stored for _, stored in parts))


@lru_cache(maxsize=128)
def _spoken(tree: ast.Module) -> tuple[frozenset[str], frozenset[str]]:
    """The attribute names a module speaks of, and those it sets on objects."""
    names: set[str] = set()
    stored: set[str] = set()
    for node in ast.walk(tree):
        match node:
            case ast.Attribute(attr=attr, ctx=ctx):
                names.add(attr)
                if not isinstance(ctx, ast.Load):
                    stored.add(attr)
            case ast.ClassDef(body=body):
                names.update(_defined(body))
            case ast.Constant(value=str() as text) if text.isidentifier():
                names.add(text)
            case ast.Call(func=ast.Name(id="setattr" | "delattr" | "__import__")):
                stored.update(("", *_texts(node)))
    return frozenset(names), frozenset(stored)


def _texts(node: ast.AST) -> Iterator[str]:
    for inner in ast.walk(node):
        if isinstance(inner, ast.Constant) and isinstance(inner.value, str):
            yield inner.value


def _defined(body: list[ast.stmt]) -> Iterator[str]:
    for s in body:
        match s:
            case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
                yield name
            case ast.Assign(targets=targets):
                yield from (t.id for t in targets if isinstance(t, ast.Name))
            case ast.AnnAssign(target=ast.Name(id=name)):
                yield name


def _registry(tree: ast.Module, name: str, kin: Kin) -> Registry | None:
    functions: dict[str, ast.FunctionDef] = {}
    for s in tree.body:
        if not isinstance(s, ast.FunctionDef) or not s.decorator_list:
            continue
        told = [ast.unparse(d) for d in s.decorator_list]
        if s.name == name:
            if told not in (["singledispatch"], ["functools.singledispatch"]):
                return None
            functions[""] = s
        for d in s.decorator_list:
            if not ast.unparse(d).startswith(f"{name}.register"):
                continue
            kind = _registered_kind(d, s)
            if not kind or (kind not in kin.classes and _builtin(kind, kin.names) is None) or kind in functions:
                return None
            functions[kind] = s
    if "" not in functions or _is_used_otherwise(tree, name):
        return None
    return Registry(functions, tuple(kin.in_order([k for k in functions if k])))


def _registered_kind(d: ast.expr, s: ast.FunctionDef) -> str:
    match d:
        case ast.Call(args=[ast.Name(id=kind)], keywords=[]):
            return kind
        case ast.Attribute() if s.args.args and isinstance(s.args.args[0].annotation, ast.Name):
            return s.args.args[0].annotation.id
    return ""


def _is_used_otherwise(tree: ast.Module, name: str) -> bool:
    """Whether something else than a decorator may register more."""
    decorators = {n for s in tree.body if isinstance(s, ast.FunctionDef) for d in s.decorator_list for n in ast.walk(d)}
    return any(
        isinstance(n, ast.Attribute) and isinstance(n.value, ast.Name) and n.value.id == name and n not in decorators
        for n in ast.walk(tree)
    )


def _form(s: FunctionNode) -> str:
    match [ast.unparse(d) for d in s.decorator_list]:
        case []:
            return "method"
        case ["property"]:
            return "property"
        case ["staticmethod"]:
            return "static"
        case ["classmethod"]:
            return "class"
        case ["abstractmethod"] | ["abc.abstractmethod"]:
            return "method"
    return ""


def _held(node: ast.ClassDef) -> list[tuple[str, ast.expr | None]] | None:
    is_tuple = [ast.unparse(b) for b in node.bases] in (["NamedTuple"], ["typing.NamedTuple"])
    decorators = [ast.unparse(d.func if isinstance(d, ast.Call) else d) for d in node.decorator_list]
    methods = {s.name for s in node.body if isinstance(s, FunctionNode)}
    if node.keywords or (node.bases and not is_tuple):
        return None
    if is_tuple and not decorators and not any(_is_special(m) for m in methods):
        return _declared(node)
    if len(decorators) == 1 and decorators[0] in _VALUE_HOLDERS and not any(_is_special(m) for m in methods):
        return _declared(node)
    if not decorators and {m for m in methods if _is_special(m)} <= {"__init__"}:
        return _stored(node)
    return None


def _is_special(name: str) -> bool:
    return name.startswith("__") and name.endswith("__")


def _declared(node: ast.ClassDef) -> list[tuple[str, ast.expr | None]] | None:
    found: list[tuple[str, ast.expr | None]] = []
    for s in node.body:
        if isinstance(s, ast.AnnAssign) and isinstance(s.target, ast.Name):
            if s.value is not None and not isinstance(s.value, ast.Constant):
                return None
            found.append((s.target.id, s.value))
    return found


def _stored(node: ast.ClassDef) -> list[tuple[str, ast.expr | None]] | None:
    """`def __init__(self, a, b): self.a = a; self.b = b`, and nothing else."""
    init = next((s for s in node.body if isinstance(s, ast.FunctionDef) and s.name == "__init__"), None)
    if init is None:
        return []
    spec = init.args
    if spec.vararg or spec.kwarg or spec.kwonlyargs or spec.posonlyargs or spec.defaults or init.decorator_list:
        return None
    own, *given = [a.arg for a in spec.args]
    kept = {}
    for s in init.body:
        match s:
            case ast.Expr(value=ast.Constant()):
                continue
            case ast.Assign(targets=[ast.Attribute(value=ast.Name(id=base), attr=attr)], value=ast.Name(id=name)):
                if base != own or name != attr:
                    return None
                kept[attr] = name
            case _:
                return None
    return [(name, None) for name in given] if list(kept) == given else None


def _members(node: ast.ClassDef) -> dict[str, str] | None:
    """The members of a plain enum by name, with their values as code; None for anything less plain."""
    if [ast.unparse(b) for b in node.bases] not in ([name] for name in _PLAIN_ENUM):
        return None
    if node.decorator_list or node.keywords:
        return None
    found: dict[str, object] = {}
    auto = 0
    for s in node.body:
        match s:
            case ast.Assign(targets=[ast.Name(id=name)], value=ast.Constant(value=value)):
                found[name] = value
            case ast.Assign(targets=[ast.Name(id=name)], value=ast.Call(func=ast.Name(id="auto"))):
                auto += 1
                found[name] = ("auto", auto)
            case ast.Expr(value=ast.Constant()):
                continue
            case ast.FunctionDef(name=name) if not _is_special(name):
                continue
            case _:
                return None
    distinct = len(set(found.values())) == len(found) and auto in (0, len(found))
    return {name: repr(value) for name, value in found.items()} if distinct else None


def _makes_classes(node: ast.ClassDef) -> bool:
    """Whether it has a hand in classes that derive from it."""
    return any(
        isinstance(s, ast.FunctionDef) and s.name in ("__init_subclass__", "__class_getitem__") for s in node.body
    )


def _has_enum(names: ModuleNames) -> bool:
    """Whether `Enum` and `enum` are those of the standard library, here and in the files it is linked with."""
    if "Enum" in names.definitions or "enum" in names.definitions:
        return False
    return all(_imports_enum(tree) for tree in (names.tree, *getattr(names, "trees", ())))


@lru_cache(maxsize=128)
def _imports_enum(tree: ast.Module) -> bool:
    for s in ast.walk(tree):
        match s:
            case ast.ImportFrom(module=module, names=names) if (module, s.level) != ("enum", 0):
                if any((a.asname or a.name) == "Enum" for a in names):
                    return False
            case ast.Import(names=names):
                if any(a.asname in ("Enum", "enum") and a.name != "enum" for a in names):
                    return False
            case ast.Name(id="Enum" | "enum", ctx=ast.Store()) | ast.ClassDef(name="Enum" | "enum"):
                return False
    return True


def _builtin(name: str, names: ModuleNames) -> type | None:
    found = getattr(builtins, name, None)
    return found if isinstance(found, type) and names.is_builtin(name) else None


@lru_cache(maxsize=64)
def has_private(node: FunctionNode) -> bool:
    """Whether code speaks of a name that a class makes its own (`self.__x`; language reference, 6.2.1)."""
    for inner in ast.walk(node):
        word = getattr(inner, "attr", None) or getattr(inner, "id", None)
        if isinstance(word, str) and word.startswith("__") and not word.endswith("__"):
            return True
    return False
