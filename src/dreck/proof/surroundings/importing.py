"""What a module does when it is imported, beside binding names: calls, decorators, defaults, bodies of classes."""

import ast
import builtins
import sys
from collections import Counter
from collections.abc import Callable, Collection, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

from dreck.model.names.bindings import bindings_of, bindings_within, bound_by
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.model.names.type_parameters import names_of
from dreck.proof.classes.records import Records
from dreck.proof.classes.table import ClassTable
from dreck.source.functions import FunctionNode, blocks_of
from dreck.source.walking import walk

_GENERIC = "functools.singledispatch"
_OF_PROPERTIES = ("setter", "deleter", "getter")
_QUIET_DECORATORS = frozenset(
    {"builtins.staticmethod", "builtins.classmethod", "builtins.property", "functools.lru_cache", "functools.cache",
     "functools.wraps", "functools.cached_property", "functools.total_ordering", "functools.singledispatchmethod",
     "dataclasses.dataclass", "enum.unique", "abc.abstractmethod", "contextlib.contextmanager",
     "contextlib.asynccontextmanager", "typing.overload", "typing.final", "typing.override",
     "typing.runtime_checkable", "typing.no_type_check", _GENERIC}
)  # fmt: skip
"""They make something of a function or class, and tell nobody."""
_QUIET_MAKERS = frozenset(
    {"types.MappingProxyType", "re.compile", "collections.namedtuple", "typing.TypeVar", "typing.NewType",
     "typing.NamedTuple", "typing.ParamSpec", "typing.cast", "decimal.Decimal", "fractions.Fraction", "datetime.date",
     "datetime.time", "datetime.datetime", "datetime.timedelta", "logging.getLogger", "pathlib.Path", "enum.auto",
     "functools.partial", "collections.OrderedDict", "collections.defaultdict", "collections.Counter",
     "operator.attrgetter", "operator.itemgetter", "contextvars.ContextVar", "threading.Lock", "threading.local",
     "dataclasses.field"}
    | {f"builtins.{name}" for name in ("frozenset", "tuple", "dict", "list", "set", "int", "str", "float", "bool",
                                       "range", "sorted", "len", "min", "max", "sum", "abs", "object", "bytes", "zip",
                                       "reversed", "enumerate", "property", "staticmethod",
                                       "classmethod")}
)  # fmt: skip
_TEXTS = frozenset({"sys.platform", "sys.version", "os.name"})


def effects_of(tree: ast.Module, names: ModuleNames) -> list[str]:
    """What a module does when it is imported beside binding names and importing others, part by part; with each part
    how often the names in it are bound before: another one may have been meant by then (`from beside import *`)."""
    importing = Importing.of(tree, names)
    bound, found, all_bound = Counter[str](), list[str](), Counter(name for s in tree.body for name in bound_by(s))
    opening = [i for i, s in enumerate(tree.body) if isinstance(s, ast.ImportFrom) and s.names[0].name == "*"]
    may_come = _what_may_come(tree, names, opening)
    opened = {name for s in tree.body[: max(opening, default=0)] for name in bound_by(s)}
    again = {name for name, times in all_bound.items() if name in opened or times > 1 or hasattr(builtins, name)}
    for i, s in enumerate(tree.body):
        parts = list(importing.told([s]))
        if parts:
            asked = set(filter(may_come, all_bound)) if i < max(opening, default=0) else again
            read = sorted(led_to(s, importing.bound) & asked)
            found += [*parts, *(f"{name} {bound[name]}" for name in read)]
        bound.update(bound_by(s))
    return found


def _what_may_come(tree: ast.Module, names: ModuleNames, opening: list[int]) -> Callable[[str], bool]:
    """Tells which names `from beside import *` may bind: those with an underscore only where the other text says them
    (language reference, 7.11)."""
    own = names.module_called(names.called(tree)) if names.called(tree) else None
    stars = [s for i in opening if isinstance(s := tree.body[i], ast.ImportFrom)]
    told = [own.absolute(s.module, s.level) if own else "" if s.level else s.module or "" for s in stars]
    found = [names.module_called(name) if name else None for name in told]
    return lambda name: not name.startswith("_") or any(module is None or module.says(name) for module in found)


def led_to(s: ast.stmt, bound: Mapping[str, list[ast.stmt]]) -> set[str]:
    """The names in a statement, and those in the statements of the module that bind them."""
    found, pending = set[str](), list[ast.stmt]([s])
    while pending:
        fresh = _read_in(pending.pop()) - found
        found |= fresh
        pending += [inner for name in fresh for inner in bound.get(name, ())]
    return found


@once_per_tree
def _read_in(s: ast.stmt) -> frozenset[str]:
    return frozenset(n.id for n in walk(s) if isinstance(n, ast.Name))


def acting(s: ast.stmt, tree: ast.Module, names: ModuleNames) -> bool:
    """Whether a statement of a module does more than bind names."""
    return bool(acts_of(s, tree, names))


def acts_of(s: ast.stmt, tree: ast.Module, names: ModuleNames) -> list[str]:
    """What a statement of a module does beside binding names, part by part."""
    return list(importing(tree, names).told([s]))


def is_for_scripts(s: ast.stmt) -> bool:
    """`if __name__ == '__main__':`, which importing leaves out."""
    return isinstance(s, ast.If) and not s.orelse and ast.unparse(s.test) == "__name__ == '__main__'"


@lru_cache(maxsize=8)
def importing(tree: ast.Module, names: ModuleNames) -> "Importing":
    return Importing.of(tree, names)


@dataclass(frozen=True, slots=True)
class Importing:
    """A module on its way in: which parts of it may do more than make a value and bind it.

    An expression is quiet when working it out runs nothing that could be noticed elsewhere; it is plain when the same
    holds of its value being compared, hashed, written out, gone through or asked for an attribute. All else acts.
    """

    names: ModuleNames
    records: Records
    bound: dict[str, list[ast.stmt]]
    annotates: bool
    words: frozenset[str]
    """The names of all functions and methods: special ones give classes a will of their own."""
    generics: frozenset[str] = frozenset()
    """The generic methods of the class that is looked at."""

    @classmethod
    def of(cls, tree: ast.Module, names: ModuleNames) -> "Importing":
        records = Records(ClassTable(names), ClassTable(ModuleNames(ast.Module([], []))))
        future = [s for s in tree.body if isinstance(s, ast.ImportFrom) and s.module == "__future__"]
        lazily = any(alias.name == "annotations" for s in future for alias in s.names)
        words = frozenset(n.name for n in every_node(tree) if isinstance(n, FunctionNode))
        return cls(names, records, bindings_of(tree).of, not lazily, words)

    def told(self, body: list[ast.stmt]) -> Iterator[str]:
        """The parts of a block that act."""
        for s in body:
            match s:
                case ast.FunctionDef() | ast.AsyncFunctionDef():
                    yield from self._of_function(s)
                case ast.ClassDef():
                    yield from self._of_class(s)
                case ast.If() if self._acts(s):
                    yield from ("if", ast.dump(s.test), *self.told(s.body), "else", *self.told(s.orelse), "end")
                case _:
                    if self._acts(s):
                        yield ast.dump(s)

    def _of_function(self, s: FunctionNode) -> Iterator[str]:
        spec = s.args
        every = [*spec.posonlyargs, *spec.args, *spec.kwonlyargs, *filter(None, (spec.vararg, spec.kwarg))]
        notes = [a.annotation for a in every] + [s.returns] if self.annotates else []
        yield from (ast.dump(d) for d in s.decorator_list if not self._decorates_quietly(d))
        at_once = [e for e in (*spec.defaults, *spec.kw_defaults) if not self._is_quiet(e)]
        inside = self._knowing(names_of(s))
        yield from (ast.dump(e) for e in (*at_once, *(n for n in notes if not inside._is_quiet(n))) if e is not None)

    def _of_class(self, s: ast.ClassDef) -> Iterator[str]:
        yield from (ast.dump(d) for d in s.decorator_list if not self._decorates_quietly(d))
        generic = self._knowing(names_of(s))
        yield from (ast.dump(e) for e in (*s.bases, *(k.value for k in s.keywords)) if not generic._is_quiet(e))
        if not self._is_made_quietly(s, set()):
            yield f"class {s.name}"
        yield from generic.inside(s).told(s.body)

    def inside(self, s: ast.ClassDef) -> "Importing":
        """What is known in the body of a class."""
        generics = {f.name for f in s.body if isinstance(f, FunctionNode) and is_generic(f, self.names)}
        bound = {**self.bound, **bindings_within(s).of}
        return replace(self, bound=bound, generics=frozenset(generics))

    def _is_made_quietly(self, s: ast.ClassDef, seen: set[str]) -> bool:
        """Whether no metaclass and no base does anything when the class is made: `__init_subclass__`, registries."""
        metaclasses = [k.value for k in s.keywords if k.arg in ("metaclass", None)]
        if s.name in seen or any(self.names.stands_for(m) != "abc.ABCMeta" for m in metaclasses):
            return False
        for base in s.bases:
            kind = base.value if isinstance(base, ast.Subscript) else base
            own = self.names.definitions.get(kind.id) if isinstance(kind, ast.Name) else None
            if self.names.stands_for(kind).startswith("enum.") and self._works_on_members(s):
                return False
            if isinstance(own, ast.ClassDef):
                if _binds(own, {"__init_subclass__"}) or not self._is_made_quietly(own, seen | {s.name}):
                    return False
            elif self.names.stands_for(kind).partition(".")[0] not in sys.stdlib_module_names:
                return False
        return True

    def _works_on_members(self, s: ast.ClassDef) -> bool:
        """Whether an enum, or one below it, runs code of its own for each member."""
        below = [n for n in self.names.definitions.values() if isinstance(n, ast.ClassDef)]
        return _binds(s, _FOR_MEMBERS) or any(_binds(n, _FOR_MEMBERS) and _names(n, s.name) for n in below)

    def _acts(self, s: ast.stmt) -> bool:
        match s:
            case ast.Import() | ast.ImportFrom() | ast.Pass() | ast.Expr(value=ast.Constant()):
                return False
            case ast.Assign(targets=targets, value=value):
                several = any(not isinstance(t, ast.Name) for t in targets)
                known = all(isinstance(n, ast.Name | ast.Tuple | ast.Store) for t in targets for n in walk(t))
                return not known or not (self._is_plain(value) if several else self._is_quiet(value))
            case ast.AnnAssign(target=ast.Name(), annotation=note, value=value):
                return not (self._is_quiet(value) and (not self.annotates or self._is_quiet(note)))
            case ast.If(test=test, orelse=[]) if self.names.stands_for(test) == "typing.TYPE_CHECKING":
                return False  # nothing of it runs (library reference, typing.TYPE_CHECKING)
            case ast.If() | ast.Try():
                inner = any(True for block in blocks_of(s) for _ in self.told(block))
                return inner or (isinstance(s, ast.If) and not self._is_plain(s.test))
        return True

    def _decorates_quietly(self, d: ast.expr) -> bool:
        """Whether a decorator does nothing that another function of the module could notice."""
        called = d.func if isinstance(d, ast.Call) else d
        if isinstance(d, ast.Call) and not all(map(self._is_quiet, (*d.args, *(k.value for k in d.keywords)))):
            return False
        if isinstance(called, ast.Attribute) and called.attr in _OF_PROPERTIES:
            return isinstance(called.value, ast.Name) and self._is_property(called.value.id)
        generic = self.names.definitions.get(registers_for(d))
        registers = isinstance(generic, FunctionNode) and is_generic(generic, self.names)
        registers = registers or registers_for(d) in self.generics
        return registers or self.names.stands_for(called) in _QUIET_DECORATORS

    def _is_property(self, name: str) -> bool:
        """Whether a name stands for a property: all that binds it makes one, or another of the one before."""
        bound = self.bound.get(name, [])
        made = [s.decorator_list[:1] for s in bound if isinstance(s, FunctionNode)]
        kinds = [self.names.stands_for(d[0]) if d else "" for d in made]
        again = all(d and ast.unparse(d[0]) in {f"{name}.{part}" for part in _OF_PROPERTIES} for d in made[1:])
        return len(made) == len(bound) and kinds[:1] == ["builtins.property"] and again

    def _knowing(self, names: Collection[str]) -> "Importing":
        """With names that stand for something plain."""
        return replace(self, bound=self.bound | {n: [_PLAIN] for n in names}) if names else self

    # --- expressions -------------------------------------------------------------------------------

    def _is_quiet(self, e: ast.expr | None) -> bool:
        match e:
            case None | ast.Name():
                return True
            case ast.Attribute(value=base):
                return self._is_holder(base)
            case ast.Lambda(args=spec):
                return all(map(self._is_quiet, (*spec.defaults, *spec.kw_defaults)))
            case ast.Tuple(elts=parts) | ast.List(elts=parts):
                return all(self._is_plain(p.value) if isinstance(p, ast.Starred) else self._is_quiet(p) for p in parts)
            case ast.Dict(keys=keys, values=values):
                pairs = zip(keys, values, strict=True)
                return all(self._is_plain(v if k is None else k) and self._is_quiet(v) for k, v in pairs)
            case ast.IfExp(test=test, body=one, orelse=other):
                return self._is_plain(test) and self._is_quiet(one) and self._is_quiet(other)
            case ast.BoolOp(values=values):
                return all(map(self._is_plain, values[:-1])) and self._is_quiet(values[-1])
        return self._is_plain(e)

    def _is_plain(self, e: ast.expr | None) -> bool:
        match e:
            case None | ast.Constant() | ast.Lambda():
                return self._is_quiet(e) if isinstance(e, ast.Lambda) else True
            case ast.Name(id=name):
                return self._is_plain_name(name)
            case ast.Attribute(value=base, attr=name):
                return self._is_holder(base) and self._holds_plainly(base, name)
            case ast.Subscript(value=base, slice=key):
                return "__class_getitem__" not in self.words and self._is_holder(base) and self._is_plain(key)
            case ast.Call(func=ast.Name(id="type") as called, args=[one], keywords=[]) if self.names.is_builtin(
                called.id
            ):
                return self._is_plain(one)  # with three it would make a class
            case ast.Call(func=called, args=args, keywords=options):
                given = (*args, *(k.value for k in options))
                runs = any(k.arg == "key" and not self._is_from_elsewhere(k.value) for k in options)
                return self._makes_quietly(called) and not runs and all(map(self._is_plain, given))
            case ast.Compare(left=left, comparators=others):
                return all(map(self._is_plain, (left, *others)))
            case ast.ListComp() | ast.SetComp() | ast.GeneratorExp() | ast.DictComp():
                return self._goes_through_plainly(e)
            case ast.NamedExpr() | ast.Await() | ast.Yield() | ast.YieldFrom():
                return False
        parts = (part for part in ast.iter_child_nodes(e) if isinstance(part, ast.expr))
        return isinstance(e, _OF_ITS_PARTS) and all(map(self._is_plain, parts))

    def _is_plain_name(self, name: str) -> bool:
        """A function, a class, an import, a builtin, what a name before it is bound to, when that is plain."""
        own = name.startswith("__") and name.endswith("__")
        if name in self.names.tables.known or own or self._is_from_elsewhere(ast.Name(name)):
            return True
        match self.names.definitions.get(name):
            case ast.ClassDef() as kind:
                return self._is_made_quietly(kind, set()) and all(map(self._decorates_quietly, kind.decorator_list))
            case ast.FunctionDef() | ast.AsyncFunctionDef() as function:
                return all(map(self._decorates_quietly, function.decorator_list))
        match self.bound.get(name, []):
            case [ast.Assign(targets=[ast.Name()], value=value)]:
                # Names that are made of one another come to an end: what is being looked at is not known.
                return replace(self, bound={**self.bound, name: []})._is_made(value)
        return False

    def _holds_plainly(self, base: ast.expr, name: str) -> bool:
        """Whether what a class of the module has under a name is a constant, or a member that is one."""
        own = self.names.definitions.get(base.id) if isinstance(base, ast.Name) else None
        if not isinstance(own, ast.ClassDef):
            return not isinstance(base, ast.Attribute) or self._is_plain(base)
        given = [s for s in own.body if name in bound_by(s)]
        value = getattr(given[0], "value", None) if len(given) == 1 else None
        return (isinstance(value, ast.Call) or _is_written_out(value)) and not self._acts(given[0])

    def _is_made(self, value: ast.expr) -> bool:
        """Something that is made by what is known; iterators are plain only once, so a name may not stand for one."""
        once = isinstance(value, ast.GeneratorExp) or (
            isinstance(value, ast.Call) and self.names.stands_for(value.func) in _USED_UP
        )
        return not once and self._is_plain(value)

    def _is_holder(self, base: ast.expr) -> bool:
        """Whether reading an attribute or item of it runs nothing: an import, a class without a will of its own."""
        match base:
            case ast.Attribute(value=inner):
                return self._is_holder(inner)
            case ast.Subscript():
                return self._is_plain(base)
            case ast.Constant():
                return True
            case ast.Name(id=name):
                own = self.names.definitions.get(name)
                if isinstance(own, ast.ClassDef):
                    return "__get__" not in self.words and self._is_made_quietly(own, set())
                return name in self.names.tables.known or self._is_from_elsewhere(base)
        return False

    def _is_from_elsewhere(self, e: ast.expr) -> bool:
        """An import or a builtin, or what such a one makes: no code of this module."""
        if isinstance(e, ast.Call):
            return self._makes_quietly(e.func)
        return isinstance(e, ast.Name) and (self.names.is_imported(e.id) or self.names.is_builtin(e.id))

    def _makes_quietly(self, called: ast.expr) -> bool:
        match called:
            case ast.Name(id=kind) if kind in self.records.table.classes:
                return self.records.fields(kind) is not None
            case ast.Attribute(value=ast.Constant()):
                return True
            case ast.Attribute(value=base) if self.names.stands_for(base) in _TEXTS:
                return True
        return self.names.stands_for(called) in _QUIET_MAKERS

    def _goes_through_plainly(self, e: ast.ListComp | ast.SetComp | ast.GeneratorExp | ast.DictComp) -> bool:
        """A comprehension that goes through something plain, and makes plain things of what it finds there."""
        taken = {n.id for g in e.generators for n in walk(g.target) if isinstance(n, ast.Name)}
        made = [e.key, e.value] if isinstance(e, ast.DictComp) else [e.elt]
        parts = [*made, *(i for g in e.generators for i in g.ifs)]
        inside = self._knowing(taken)
        return all(self._is_plain(g.iter) and not g.is_async for g in e.generators) and all(
            map(inside._is_plain, parts)
        )


_OF_ITS_PARTS = (ast.Tuple, ast.List, ast.Set, ast.Dict, ast.Starred, ast.JoinedStr, ast.FormattedValue, ast.BinOp,
                 ast.UnaryOp, ast.BoolOp, ast.IfExp, ast.Slice)  # fmt: skip
"""Plain when all that stands in them is."""
_PLAIN: ast.stmt = ast.Assign([ast.Name("_", ast.Store())], ast.Constant(None))
_USED_UP = frozenset({f"builtins.{name}" for name in ("zip", "reversed", "enumerate", "iter", "map", "filter")})


_FOR_MEMBERS = {"__init__", "__new__", "__set_name__", "_generate_next_value_", "_ignore_", "__prepare__"}


def _binds(s: ast.ClassDef, words: set[str]) -> bool:
    return any(bound_by(inner) & words for inner in s.body)


def _names(s: ast.ClassDef, base: str) -> bool:
    return any(isinstance(b, ast.Name) and b.id == base for b in s.bases)


def registers_for(d: ast.expr) -> str:
    """The generic function that a decorator registers something for; '' when it is none."""
    called = d.func if isinstance(d, ast.Call) else d
    match called:
        case ast.Attribute(value=ast.Name(id=name), attr="register"):
            return name
    return ""


def is_generic(f: FunctionNode, names: ModuleNames) -> bool:
    return [names.stands_for(d) for d in f.decorator_list] in ([_GENERIC], [f"{_GENERIC}method"])


def _is_written_out(e: ast.AST | None) -> bool:
    """A number, also a negative one, a text, or a tuple of such."""
    match e:
        case ast.UnaryOp(op=ast.USub() | ast.UAdd(), operand=ast.Constant(value=int() | float())) | ast.Constant():
            return True
        case ast.Tuple(elts=parts):
            return all(map(_is_written_out, parts))
    return False
