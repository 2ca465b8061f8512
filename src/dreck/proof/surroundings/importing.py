"""What a module does when it is imported, beside binding names: calls, decorators, defaults, bodies of classes."""

import ast
from collections.abc import Iterator

from dreck.model.names.modules import ModuleNames
from dreck.proof.classes.records import Records
from dreck.proof.classes.table import ClassTable
from dreck.source.functions import FunctionNode, blocks_of
from dreck.source.walking import walk

_GENERIC = "functools.singledispatch"
_QUIET_DECORATORS = frozenset(
    {"builtins.staticmethod", "builtins.classmethod", "builtins.property", "functools.lru_cache", "functools.cache",
     "functools.wraps", "functools.cached_property", "functools.total_ordering", "functools.singledispatchmethod",
     "dataclasses.dataclass", "enum.unique", "abc.abstractmethod", "contextlib.contextmanager",
     "contextlib.asynccontextmanager", "typing.overload", "typing.final", "typing.override",
     "typing.runtime_checkable", "typing.no_type_check", _GENERIC}
)  # fmt: skip
"""They make something of a function or class, and tell nobody."""


def effects_of(tree: ast.Module, names: ModuleNames) -> list[str]:
    """What a module does when it is imported beside binding names, statement by statement."""
    records = Records(ClassTable(names), ClassTable(ModuleNames(ast.Module([], []))))
    return [told for s in tree.body for told in _told(s, names, records)]


def registered(tree: ast.Module, names: ModuleNames) -> dict[str, list[str]]:
    """For each generic function of a module, what is registered for it by decorator, in order."""
    functions = [s for s in tree.body if isinstance(s, FunctionNode)]
    found: dict[str, list[str]] = {f.name: [] for f in functions if _is_generic(f, names)}
    for f in functions:
        for name in {_registers(d) for d in f.decorator_list} & found.keys():
            found[name].append(ast.dump(f))
    return found


def _told(s: ast.stmt, names: ModuleNames, records: Records) -> Iterator[str]:
    """The parts of a statement at the top of a module, or of a class, that do something."""
    match s:
        case ast.FunctionDef() | ast.AsyncFunctionDef():
            spec = s.args
            every = (*spec.posonlyargs, *spec.args, *spec.kwonlyargs, spec.vararg, spec.kwarg)
            notes = [a.annotation for a in every if a is not None] + [s.returns]
            defaults = [*spec.defaults, *spec.kw_defaults]
            yield from (ast.dump(d) for d in s.decorator_list if not _is_quiet(d, names, records))
            yield from (ast.dump(e) for e in (*defaults, *notes) if e is not None and _calls(e, names, records))
        case ast.ClassDef():
            above = [*s.bases, *(k.value for k in s.keywords)]
            yield from (ast.dump(d) for d in s.decorator_list if not _is_quiet(d, names, records))
            yield from (ast.dump(e) for e in above if _calls(e, names, records))
            for inner in s.body:
                yield from _told(inner, names, records)
        case _:
            if _acts(s, names, records):
                yield ast.dump(s)


def _is_quiet(d: ast.expr, names: ModuleNames, records: Records) -> bool:
    """Whether a decorator does nothing that another function of the module could notice."""
    called = d.func if isinstance(d, ast.Call) else d
    if isinstance(d, ast.Call) and any(_calls(e, names, records) for e in (*d.args, *(k.value for k in d.keywords))):
        return False
    if isinstance(called, ast.Attribute) and called.attr in ("setter", "deleter", "getter"):
        return isinstance(called.value, ast.Name)
    generic = names.definitions.get(_registers(d))
    registers = isinstance(generic, ast.FunctionDef) and _is_generic(generic, names)
    return registers or names.stands_for(called) in _QUIET_DECORATORS


def _registers(d: ast.expr) -> str:
    """The generic function that a decorator registers something for; '' when it is none."""
    called = d.func if isinstance(d, ast.Call) else d
    match called:
        case ast.Attribute(value=ast.Name(id=name), attr="register"):
            return name
    return ""


def _is_generic(f: FunctionNode, names: ModuleNames) -> bool:
    return [names.stands_for(d) for d in f.decorator_list] == [_GENERIC]


_QUIET_MAKERS = frozenset(
    {"types.MappingProxyType", "re.compile", "collections.namedtuple", "typing.TypeVar", "typing.NewType",
     "typing.NamedTuple", "typing.ParamSpec", "typing.cast", "decimal.Decimal", "fractions.Fraction", "datetime.date",
     "datetime.time", "datetime.datetime", "datetime.timedelta", "logging.getLogger", "pathlib.Path", "enum.auto",
     "functools.partial", "collections.OrderedDict", "collections.defaultdict", "collections.Counter",
     "operator.attrgetter", "operator.itemgetter", "contextvars.ContextVar", "threading.Lock", "threading.local"}
    | {f"builtins.{name}" for name in ("frozenset", "tuple", "dict", "list", "set", "int", "str", "float", "bool",
                                       "range", "sorted", "len", "min", "max", "sum", "abs", "object", "bytes", "zip",
                                       "reversed", "enumerate")}
)  # fmt: skip


_TEXTS = frozenset({"sys.platform", "sys.version", "os.name"})


def _acts(s: ast.stmt, names: ModuleNames, records: Records) -> bool:
    match s:
        case ast.FunctionDef() | ast.AsyncFunctionDef() | ast.ClassDef() | ast.Import() | ast.ImportFrom() | ast.Pass():
            return False
        case ast.Expr(value=ast.Constant()) | ast.AnnAssign(value=None):
            return False
        case ast.Assign(targets=targets):
            if not all(isinstance(n, ast.Name | ast.Tuple | ast.Store | ast.Load) for t in targets for n in walk(t)):
                return True
        case ast.AnnAssign(target=target):
            if not isinstance(target, ast.Name):
                return True
        case ast.If(test=test, orelse=[]) if names.stands_for(test) == "typing.TYPE_CHECKING":
            return False  # nothing of it runs (library reference, typing.TYPE_CHECKING)
        case ast.If() | ast.Try():
            inner = [t for block in blocks_of(s) for t in block]
            if any(_acts(t, names, records) for t in inner):
                return True
            return isinstance(s, ast.If) and _calls(s.test, names, records)
        case _:
            return True
    return s.value is not None and _calls(s.value, names, records)


def _calls(e: ast.expr, names: ModuleNames, records: Records) -> bool:
    """Whether working `e` out may do more than make a value."""
    for n in _worked_out(e):
        match n:
            case ast.Call(func=ast.Name(id=kind)) if kind in records.table.classes:
                if records.fields(kind) is None:
                    return True
            case ast.Call(func=ast.Attribute(value=base)) if names.stands_for(base) in _TEXTS:
                continue  # a method of a text
            case ast.Call(func=called) if names.stands_for(called) not in _QUIET_MAKERS:
                return True
            case ast.NamedExpr() | ast.Await() | ast.Yield() | ast.YieldFrom():
                return True
    return False


def _worked_out(e: ast.expr) -> Iterator[ast.AST]:
    """What runs when an expression is worked out: the body of a lambda does not, its defaults do (6.14 Lambdas)."""
    pending: list[ast.AST] = [e]
    while pending:
        n = pending.pop()
        yield n
        pending += [n.args] if isinstance(n, ast.Lambda) else list(ast.iter_child_nodes(n))
