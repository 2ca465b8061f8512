"""The classes of one version of a module as a proof may look into them, seen beside the other version.

What one version alone defines (a helper, a method, a small class that only holds values) cannot be met by the other
version as an act; it is looked into instead. That no class outside the module overrides what was looked into is the
assumption `closed-families`.
"""

import ast
from collections import Counter
from dataclasses import dataclass, field

from dreck.model.names.modules import ModuleNames
from dreck.proof.classes.enums import Enums
from dreck.proof.classes.hierarchy import Hierarchy
from dreck.proof.classes.members import Found, Members
from dreck.proof.classes.of_builtins import below_builtin
from dreck.proof.classes.put_later import put_later, specials_put
from dreck.proof.classes.records import Records
from dreck.proof.classes.registries import Registry, registry_of, registry_of_method
from dreck.proof.classes.say.hidden import is_above_hidden, may_override
from dreck.proof.classes.say.inverting import equality_is_a_bool, inverts_equality
from dreck.proof.classes.say.private import is_private_generic, private_method
from dreck.proof.classes.say.speech import Speech, constants_of, is_only_asked_for, setting_by_any_name
from dreck.proof.classes.say.taken_back import TakenBack, reads_of_class_quietly, taken_back_by, taken_back_by_classes
from dreck.proof.classes.shaping import ANYTHING, module_answers, shaped
from dreck.proof.classes.table import ClassTable


@dataclass(slots=True)
class KnownClasses:
    """`apart` are the attributes that of the two functions only this version's speaks of."""

    names: ModuleNames
    other: ModuleNames
    apart: frozenset[str] = frozenset()
    table: ClassTable = field(init=False)
    members: Members = field(init=False)
    hierarchy: Hierarchy = field(init=False)
    enums: Enums = field(init=False)
    records: Records = field(init=False)
    _found: dict[tuple[str, str], Found | None] = field(default_factory=dict)
    _private: dict[tuple[str, str], Found | None] = field(default_factory=dict)
    _generics: dict[tuple[str, str], bool] = field(default_factory=dict)
    _speech: tuple[Speech, Speech] | None = None
    _taken: TakenBack | None = None
    _registries: dict[str, Registry | None] = field(default_factory=dict)

    def __post_init__(self) -> None:
        beside = ClassTable(self.other)
        self.table = ClassTable(self.names)
        self.members = Members(self.table)
        self.hierarchy = Hierarchy(self.table)
        self.enums = Enums(self.table, beside)
        self.records = Records(self.table, beside)

    @property
    def classes(self) -> "dict[str, object]":
        return self.table.classes  # type: ignore[return-value]

    def is_own(self, name: str) -> bool:
        """Whether only this version defines `name` at the top of the module, and it is bound to nothing else there."""
        return name in self.names.definitions and self.other.kind(name) == "unknown"

    def found(self, kind: str, name: str) -> Found | None:
        """What instances of the class `kind` have under `name`; None when that is not known."""
        key = kind, name
        if key not in self._found:
            self._found[key] = self.members.found(kind, name)
        found = self._found[key]
        if found is not None and found.form == "property" and self._catches_missing(kind):
            return None
        return found

    def _catches_missing(self, kind: str) -> bool:
        """Whether an AttributeError inside a property ends in `__getattr__` of a class below instead of going on."""
        below = (kind, *self.table.below(kind))
        hidden = may_override(self.table, kind, "__getattr__")
        return hidden or any(self.members.takes_back(own, "__getattr__") for own in below)

    def is_own_attribute(self, name: str) -> bool:
        """Whether only this version, or its function, speaks of an attribute, and nothing sets it on an object."""
        if self.names is self.other and name not in self.apart:
            return False
        here, there = self._spoken()
        if name not in here.names or here.is_stored(name):
            return False
        return name not in there.names or (name in self.apart and self._is_computed(name))

    @property
    def may_change_classes(self) -> bool:
        """Whether something in the files may give an object another class: `one.__class__ = Wet`."""
        return "__class__" in specials_put(self.names)

    def _is_computed(self, name: str) -> bool:
        """Whether it is a property wherever a class has it: code elsewhere cannot set another in its place."""
        having = [k for k in self.table.classes if any(name in self.table.bound_in(b) for b in self.table.lineage(k))]
        return all((found := self.found(k, name)) is not None and found.form == "property" for k in having)

    @property
    def remakes_functions(self) -> bool:
        return self._spoken()[0].remakes_functions

    def is_stored(self, name: str) -> bool:
        """Whether something may set an attribute `name` on an object."""
        return self._spoken()[0].is_stored(name)

    def members_may_say(self) -> bool:
        """Whether members of enums may get a say in comparing or hashing under a name that nobody can read."""
        return bool({"__eq__", "__hash__", ANYTHING} & shaped(self.names))

    def has_distinct_constants(self, kind: str) -> bool:
        """Whether the constants of a class, members or not, are different ones, and stay what they are."""
        if self.enums.is_valued_or_plain(kind):
            return not self.members_may_say()
        if self.enums.is_valued_or_plain(kind):
            return True
        return not any(map(self.is_stored, self.table.bound_in(kind))) and self.enums.has_distinct_constants(kind)

    def is_private(self, name: str) -> bool:
        """Whether it is a private name that only this version speaks of, and only to call it.

        What sets attributes under names that are worked out must be the same in both: then it was not made for it.
        """
        if not name.startswith("_") or name.startswith("__") or self.names is self.other:
            return False
        here, there = self._spoken()
        mine, theirs = ([n.tree, *getattr(n, "trees", ())] for n in (self.names, self.other))
        setting = [sum(map(setting_by_any_name, trees), Counter()) for trees in (mine, theirs)]
        is_new = name not in there.names and not here.is_stored_by_name(name)
        known = [{c for tree in trees for c in constants_of(tree)} for trees in (mine, theirs)]
        is_alike = setting[0] == setting[1] and known[0] <= known[1]  # nothing new that a name could be made of
        return is_new and is_alike and all(is_only_asked_for(tree, name) for tree in mine)

    def private_method(self, kind: str, name: str) -> Found | None:
        """A private method that only this version has, in a class whose bases are elsewhere; see `private`."""
        key = kind, name
        if key not in self._private:
            self._private[key] = private_method(self.table, kind, name) if self.is_private(name) else None
        return self._private[key]

    def _spoken(self) -> tuple[Speech, Speech]:
        if self._speech is None:
            self._speech = Speech.of(self.names), Speech.of(self.other)
        return self._speech

    def holders(self, name: str) -> list[str] | None:
        """Classes to be told apart to know what `name` is on a value: derived ones before those they derive from.

        None when a class of the module binds the name in a way that is not understood.
        """
        having: list[str] = []
        if self.may_change_classes:
            return None
        for kind in self.table.classes:
            bound = any(name in self.table.bound_in(base) for base in self.table.lineage(kind))
            if bound and (self.found(kind, name) is None or may_override(self.table, kind, name)):
                return None
            if bound and not self.is_own(kind):
                having.append(kind)
        if any(self._may_mix(kind, having) for kind in self.table.classes):
            return None
        apart = [k for k in having if not self._is_inherited(k, having, name)]
        return sorted(apart, key=lambda k: -len(self.table.lineage(k)))

    def _may_mix(self, kind: str, having: list[str]) -> bool:
        """Whether a class whose order is not known may have the name from another base than those of the files."""
        mixed = self.table.order(kind) is None and len(self.table.classes[kind].bases) > 1
        return mixed and any(self.table.may_derive(kind, one) for one in having)

    def _is_inherited(self, kind: str, having: list[str], name: str) -> bool:
        """Whether a class has the same under a name as every class above it that has it."""
        above = [base for base in self.table.lineage(kind)[1:] if base in having]
        found = self.found(kind, name)
        return bool(above) and all(self.found(base, name) == found for base in above)

    def meant(self, kind: str) -> list[str] | None:
        """The classes an `isinstance` with `kind` asks for: a base only this version has stands for those below it."""
        if not self.is_own(kind) or kind not in self.table.classes:
            return [kind]
        if not self.hierarchy.is_known(kind) or is_above_hidden(self.table, kind):
            return None
        return [name for name in self.table.below(kind) if not self.is_own(name)]

    def is_class(self, name: str) -> bool:
        """Whether a name of the module surely means a class whose `isinstance` is the ordinary one."""
        if self.table.builtin(name) is not None:
            return True
        return name in self.table.classes and self.table.is_understood(name) and not self.table.is_protocol(name)

    def is_as_written(self, name: str) -> bool:
        """Whether a name surely means the function or class that the file has under it: a decorator, a metaclass or
        an odd base may have made anything of one."""
        definition = self.names.definitions.get(name)
        if isinstance(definition, ast.ClassDef):
            return self.table.order(name) is not None and self.table.is_named_as_written(name)
        return isinstance(definition, ast.FunctionDef | ast.AsyncFunctionDef) and not definition.decorator_list

    def registry(self, name: str) -> Registry | None:
        """What is registered for a generic function of this version; None when that is not plain to see.

        A generic method is called by its class and its name: `Desk:fee`.
        """
        if name not in self._registries:
            holder, _, method = name.partition(":")
            known = name in self.names.definitions
            found = registry_of(name, self.hierarchy) if known else None
            self._registries[name] = registry_of_method(holder, method, self.hierarchy) if method else found
        return self._registries[name]

    def generic_method(self, kind: str, name: str) -> str:
        """The class that holds the generic method of objects of `kind` and of all classes below it, under a name that
        only this version speaks of; else ''."""
        if kind not in self.table.classes or self.may_change_classes or not self.is_own_attribute(name):
            return ""
        holders = {self.members.generic_holder(k, name) for k in (kind, *self.table.below(kind))}
        return holders.pop() if len(holders) == 1 and not may_override(self.table, kind, name) else ""

    def private_generic(self, kind: str, name: str) -> bool:
        """Whether `kind` itself has a private generic method that only this version has; see `private`."""
        key = kind, name
        if key not in self._generics:
            known = not self.may_change_classes and self.is_private(name)
            self._generics[key] = known and is_private_generic(self.table, kind, name)
        return self._generics[key]

    def inverts_equality(self) -> bool:
        """Whether `!=` is the opposite of `==` for all objects of classes of the files."""
        return inverts_equality(self.names)

    def equality_is_a_bool(self) -> bool:
        """Whether no `__eq__` of the files answers with an object of theirs."""
        return equality_is_a_bool(self.names)

    def taken_back(self) -> TakenBack:
        """What any class of the files takes back from `plain-attributes` and `plain-comparisons`."""
        if self._taken is None:
            self._taken = taken_back_by(self.names)
        return self._taken

    def reads_of_class_quietly(self, kind: str, name: str) -> bool:
        """Whether reading an attribute of a name of the module does no more than that: no metaclass, no descriptor."""
        node = self.table.classes.get(kind)
        if node is None:
            if self.may_change_classes and self.taken_back().attribute(name):
                return False  # a module, too, may have been given another class
            return not (self.names.is_imported(kind) and module_answers(self.names, name))
        if name in put_later(self.names) or {name, ANYTHING} & shaped(self.names) or self.enums.may_be_put(kind):
            return False
        lineage = self.table.lineage(kind)
        above = [name for name in self.table.classes if name != kind and self.table.may_derive(kind, name)]
        if self.table.order(kind) is None and (node.keywords or above):
            return False
        if not all(self.table.is_named_as_written(k) for k in lineage):
            return False
        return all(reads_of_class_quietly(self.table.classes[k], name, self.names) for k in lineage)

    def taken_back_of(self, kind: str) -> TakenBack:
        """The same for objects known to be of `kind`."""
        built_in = self.table.builtin(kind) if kind not in self.table.classes else None
        if built_in is not None:
            return taken_back_by_classes(below_builtin(self.names, built_in), self.names)
        if kind not in self.table.classes or self.table.order(kind) is None:
            return self.taken_back()
        if is_above_hidden(self.table, kind):
            return self.taken_back()
        lines = {name for k in (kind, *self.table.below(kind)) for name in self.table.lineage(k)}
        return taken_back_by_classes([self.table.classes[name] for name in lines], self.names)
