"""The classes of a module that are understood, with their order of resolution (C3; language reference, 3.3.3.1).

A class is understood when every part of its statement is on a list. Everything else is unknown, and so is each class
that derives from it.
"""

import ast
import builtins
from dataclasses import dataclass, field

from dreck.model.names.modules import ModuleNames
from dreck.proof.classes.above import passed_by
from dreck.proof.classes.slots import slots_of
from dreck.source.walking import walk

ROOTS = frozenset({"builtins.object", "enum.Enum", "typing.NamedTuple", "typing.Protocol", "abc.ABC"})
"""Bases from elsewhere that are understood, beside the built-in exceptions."""
OPEN = frozenset({"typing.Protocol", "abc.ABC"})
"""Bases to which classes that do not derive from them may be registered."""
STRANGE = frozenset(
    {
        "__getattribute__", "__getattr__", "__setattr__", "__delattr__", "__class__", "__init_subclass__",
        "__class_getitem__", "__subclasshook__", "__set_name__", "__mro_entries__", "__new__", "__slots__", "__dict__",
        "__instancecheck__", "__subclasscheck__",
    }
)  # fmt: skip
"""Names by which a class has a say in what its attributes, its instances or its subclasses are."""
_KEEPING = frozenset(
    {
        "dataclasses.dataclass", "enum.unique", "functools.total_ordering", "typing.final", "typing.runtime_checkable",
        "typing.dataclass_transform",
    }
)  # fmt: skip
"""Decorators that give back the class they are given."""


@dataclass(slots=True)
class ClassTable:
    """The classes at the top of one version of a module, by name."""

    names: ModuleNames
    _orders: dict[str, tuple[str, ...] | None] = field(default_factory=dict)
    _bindings: dict[str, dict[str, list[ast.stmt]]] = field(default_factory=dict)
    _classes: dict[str, ast.ClassDef] | None = None
    _derived: dict[tuple[str, str], bool] = field(default_factory=dict)
    _above: dict[str, frozenset[str] | None] = field(default_factory=dict)

    @property
    def classes(self) -> dict[str, ast.ClassDef]:
        """Every class bound once at the top of the module, understood or not."""
        if self._classes is None:
            self._classes = {n: d for n, d in self.names.definitions.items() if isinstance(d, ast.ClassDef)}
        return self._classes

    def order(self, kind: str) -> tuple[str, ...] | None:
        """The classes in which attributes of `kind` are looked for, itself first; None when that is not known.

        Bases from elsewhere are told by where they come from: `builtins.ValueError`, `abc.ABC`.
        """
        if kind not in self._orders:
            self._orders[kind] = None  # a class cannot derive from itself
            self._orders[kind] = self._linear(kind)
        return self._orders[kind]

    def _linear(self, kind: str) -> tuple[str, ...] | None:
        node = self.classes.get(kind)
        if node is None or node.keywords or getattr(node, "type_params", None):
            return None
        bases = [self.base(b) for b in node.bases]
        lines: list[list[str]] = []
        for base in bases:
            line = self.order(base) if "." not in base or base in self.classes else _from_elsewhere(base)
            if line is None:
                return None
            lines.append(list(line))
        merged = merge([*lines, bases])
        return None if merged is None else (kind, *merged)

    def base(self, e: ast.expr) -> str:
        """The name of a base: of this module, or `module.name` from elsewhere; '.' for what is not known."""
        if isinstance(e, ast.Name) and self.names.canonical(e.id) in self.classes:
            return self.names.canonical(e.id)
        if isinstance(e, ast.Attribute) and isinstance(e.value, ast.Name):
            foreign = self.names.of_module(e.value.id, e.attr)
            if foreign in self.classes:
                return foreign
        return self.names.stands_for(e) or "."

    def is_understood(self, kind: str) -> bool:
        """Whether all of the class and of its bases is on the list."""
        order = self.order(kind)
        return order is not None and all(self.has_plain_body(name) for name in order if name in self.classes)

    def is_protocol(self, kind: str) -> bool:
        """Whether asking for the class raises, or reads attributes (library reference, `typing.runtime_checkable`)."""
        return any(self.base(b) == "typing.Protocol" for b in self.classes[kind].bases)

    def is_named_as_written(self, kind: str) -> bool:
        """Whether the name means the class of the statement: no decorator may have put another in its place."""
        told = self.classes[kind].decorator_list
        return all(self.names.stands_for(d.func if isinstance(d, ast.Call) else d) in _KEEPING for d in told)

    def has_plain_body(self, kind: str) -> bool:
        """Whether all that stands in the class itself is on the list, whatever its bases are."""
        return self._has_plain_body(kind, STRANGE)

    def _has_plain_body(self, kind: str, strange: frozenset[str]) -> bool:
        node = self.classes[kind]
        return (
            self.is_named_as_written(kind)
            and not getattr(node, "type_params", None)
            and all(self._is_plain_statement(s) for s in node.body)
            and not self.bound_in(kind).keys() & strange
        )

    def tells(self, kind: str, name: str) -> bool:
        """Whether what instances of a class have under a name is told by the bodies of its classes: each is on the
        list but for `__slots__`, and the name is none of those."""
        order = self.order(kind)
        own = [n for n in order or () if n in self.classes]
        if order is None or not all(self._has_plain_body(n, STRANGE - {"__slots__"}) for n in own):
            return False
        kept = [slots_of(self.classes[n], self.names) for n in own]
        return all(slots is not None and name not in slots for slots in kept)

    def _is_plain_statement(self, s: ast.stmt) -> bool:
        match s:
            case ast.Pass() | ast.Expr(value=ast.Constant()) | ast.FunctionDef() | ast.AsyncFunctionDef():
                return True
            case ast.Assign(targets=[ast.Name()]) | ast.AnnAssign(target=ast.Name()):
                return not any(isinstance(n, ast.NamedExpr) for n in walk(s))
        return False

    def bound_in(self, kind: str) -> dict[str, list[ast.stmt]]:
        """The names a class body binds, each with its binding statements in order; those of `__slots__` among them."""
        if kind not in self._bindings:
            found: dict[str, list[ast.stmt]] = {}
            for s in self.classes[kind].body:
                match s:
                    case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
                        found.setdefault(name, []).append(s)
                    case ast.Assign(targets=targets):
                        for target in targets:
                            for n in walk(target):
                                if isinstance(n, ast.Name):
                                    found.setdefault(n.id, []).append(s)
                    case ast.AnnAssign(target=ast.Name(id=name)):
                        found.setdefault(name, []).append(s)
            for name in slots_of(self.classes[kind], self.names) or ():
                found.setdefault(name, []).append(found["__slots__"][0])
            self._bindings[kind] = found
        return self._bindings[kind]

    def may_bind(self, kind: str, name: str) -> bool:
        """Whether a class body has something under the name, or keeps what nobody can read."""
        return name in self.bound_in(kind) or slots_of(self.classes[kind], self.names) is None

    def lineage(self, kind: str) -> tuple[str, ...]:
        """`kind` and its bases in this module in their order; `kind` alone when the order is not known."""
        order = self.order(kind)
        return (kind,) if order is None else tuple(name for name in order if name in self.classes)

    def only_inherits(self, kind: str, name: str) -> bool:
        """Whether a class has a name from its one base, whichever that is: nothing in its statement says otherwise."""
        node = self.classes[kind]
        plain = len(node.bases) < 2 and not node.keywords and self.has_plain_body(kind)
        return plain and name not in self.bound_in(kind)

    def may_derive(self, kind: str, base: str) -> bool:
        """Whether `kind` may derive from `base`: names say so, or a base is an expression that nobody can read."""
        key = kind, base
        if key not in self._derived:
            self._derived[key] = self._may_derive(kind, base)
        return self._derived[key]

    def _may_derive(self, kind: str, base: str) -> bool:
        pending, seen = [kind], set[str]()
        while pending:
            name = pending.pop()
            if name == base:
                return True
            if name in seen or name not in self.classes:
                continue
            seen.add(name)
            pending += [n.id for b in self.classes[name].bases for n in walk(b) if isinstance(n, ast.Name)]
            passed = self._passed(name)
            if passed is None or base.rpartition(".")[2] in passed:
                return True
        return False

    def _passed(self, kind: str) -> frozenset[str] | None:
        """The last words of the classes of the project above a class that does not name them; None: it may be any."""
        if kind not in self._above:
            node = self.classes[kind]
            told = all(self._is_told(b) for b in node.bases)
            self._above[kind] = frozenset() if told else passed_by(node, self.names)
        return self._above[kind]

    def _is_told(self, base: ast.expr) -> bool:
        """Whether a base is a class of the table, or comes from outside of the project."""
        e = base.value if isinstance(base, ast.Subscript) else base
        source = self.base(e)
        return source in self.classes or ("." in source and len(source) > 1 and not self.names.is_of_project(source))

    def below(self, kind: str) -> list[str]:
        """Every class of the module that may derive from `kind`, itself left out."""
        return [name for name in self.classes if name != kind and self.may_derive(name, kind)]

    def roots(self, kind: str) -> frozenset[str]:
        """The bases from elsewhere of an understood class."""
        return frozenset(name for name in self.order(kind) or () if name not in self.classes)

    def builtin(self, name: str) -> type | None:
        """The built-in type that a name surely means."""
        found = getattr(builtins, name, None)
        return found if isinstance(found, type) and self.names.is_builtin(name) else None


def merge(lines: list[list[str]]) -> list[str] | None:
    """The C3 merge of several orders; None when there is none."""
    found: list[str] = []
    left = [list(line) for line in lines if line]
    while left:
        head = next((line[0] for line in left if not any(line[0] in other[1:] for other in left)), None)
        if head is None:
            return None
        found.append(head)
        left = [rest for line in left if (rest := line[1:] if line[0] == head else line)]
    return found


def _from_elsewhere(base: str) -> tuple[str, ...] | None:
    if base in ROOTS:
        return (base,)
    module, _, name = base.rpartition(".")
    kind = getattr(builtins, name, None) if module == "builtins" else None
    if isinstance(kind, type) and issubclass(kind, BaseException):
        return tuple(f"builtins.{k.__name__}" for k in kind.__mro__ if k is not object)
    return None
