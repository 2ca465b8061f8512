"""What a class has under a name: the last binding in the first class of its order that binds it."""

import ast
from dataclasses import dataclass

from dreck.model.names.modules import ModuleNames
from dreck.model.names.private import means_several
from dreck.proof.classes.table import ClassTable
from dreck.source.functions import FunctionNode

GENERIC = "generic"
"""The form of a `functools.singledispatchmethod`, which is never `Found`: what it runs is told by its argument."""


@dataclass(frozen=True, slots=True)
class Found:
    """What instances of a class have under a name: `form` is method, property, static, class or constant."""

    form: str
    holder: str
    function: FunctionNode | None = None
    value: ast.Constant | None = None


@dataclass(frozen=True, slots=True)
class Members:
    """Looks names up in understood classes. None means unknown, never absent."""

    table: ClassTable

    def found(self, kind: str, name: str) -> Found | None:
        if not self.table.tells(kind, name) or self._means_several(name):
            return None
        for holder in self.table.order(kind) or ():
            if holder not in self.table.classes:
                if _has(holder, name):
                    return None
                continue
            statements = self.table.bound_in(holder).get(name)
            if statements:
                return self._form(holder, name, statements) if len(statements) == 1 else None
        return None

    def _means_several(self, name: str) -> bool:
        names = self.table.names
        return means_several(name, (names.tree, *names.trees, *names.others))

    def may_have(self, holder: str, name: str) -> bool:
        """Whether a class of an order binds a name itself, or comes from elsewhere and may have it."""
        return self.table.may_bind(holder, name) if holder in self.table.classes else _has(holder, name)

    def generic_holder(self, kind: str, name: str) -> str:
        """The class in whose body stands the generic method that instances of `kind` have under `name`; else ''."""
        if not self.table.is_understood(kind) or self._means_several(name):
            return ""
        for holder in self.table.order(kind) or ():
            statements = self.table.bound_in(holder).get(name) if holder in self.table.classes else None
            if statements:
                return holder if len(statements) == 1 and is_generic(statements[0], self.table.names) else ""
            if holder not in self.table.classes and _has(holder, name):
                return ""
        return ""

    def _form(self, holder: str, name: str, statements: list[ast.stmt]) -> Found | None:
        match statements[0]:
            case ast.FunctionDef() | ast.AsyncFunctionDef() as function:
                form = self._function_form(function)
                return Found(form, holder, function) if form else None
            case ast.Assign(value=ast.Constant() as value) | ast.AnnAssign(value=ast.Constant() as value):
                return Found("constant", holder, value=value) if self._is_ordinary(holder) else None
        return None

    def _function_form(self, s: FunctionNode) -> str:
        if not s.decorator_list:
            return "" if s.name in ("__new__", "__init_subclass__", "__class_getitem__") else "method"
        forms = {
            "builtins.property": "property",
            "builtins.staticmethod": "static",
            "builtins.classmethod": "class",
            "abc.abstractmethod": "method",
        }
        return forms.get(self.table.names.stands_for(s.decorator_list[0]), "") if len(s.decorator_list) == 1 else ""

    def _is_ordinary(self, kind: str) -> bool:
        """Whether a name assigned in the class is just that: no field of a data class, no member of an enum."""
        lineage = self.table.lineage(kind)
        plain = not any(self.table.classes[name].decorator_list for name in lineage)
        return plain and not self.table.roots(kind) & {"enum.Enum", "typing.NamedTuple"}

    def takes_back(self, kind: str, special: str) -> bool:
        """Whether a class of the file, or one it derives from, defines `special` itself, or may."""
        order = self.table.order(kind)
        if order is None:
            return True
        return any(special in self.table.bound_in(name) for name in order if name in self.table.classes)


def is_generic(s: ast.stmt, names: ModuleNames) -> bool:
    """Whether a statement of a class makes a generic method: only `@singledispatchmethod` stands on it."""
    told = s.decorator_list if isinstance(s, FunctionNode) else []
    return [names.stands_for(d) for d in told] == ["functools.singledispatchmethod"]


def _has(base: str, name: str) -> bool:
    """Whether a base from elsewhere may have the name."""
    import builtins

    module, _, kind = base.rpartition(".")
    if module == "builtins":
        return hasattr(getattr(builtins, kind), name)
    if base == "typing.NamedTuple":
        return hasattr(tuple, name) or name.startswith("_")
    if base == "enum.Enum":
        return name in ("name", "value") or name.startswith("_")
    return hasattr(object, name)
