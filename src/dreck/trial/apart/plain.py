"""Plain modules: executed twice in one process they do no more than once. All others get a process for each version."""

import ast
import builtins
from pathlib import Path

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.trial.running.loading.imports import project_of, stands_in, whole_project

_DECORATORS = frozenset(
    {
        "property", "staticmethod", "classmethod", "dataclass", "dataclasses.dataclass", "cache", "lru_cache", "wraps",
        "functools.cache", "functools.lru_cache", "functools.wraps", "functools.cached_property", "cached_property",
        "functools.total_ordering", "total_ordering", "contextmanager", "contextlib.contextmanager", "override",
        "abstractmethod", "abc.abstractmethod", "overload", "typing.overload", "typing.final", "final",
        "asynccontextmanager", "contextlib.asynccontextmanager", "unique", "enum.unique", "runtime_checkable",
        "typing.runtime_checkable", "typing.override",
    }
)  # fmt: skip
_BASES = frozenset(
    {
        "ABC", "abc.ABC", "Enum", "enum.Enum", "IntEnum", "enum.IntEnum", "StrEnum", "enum.StrEnum", "Flag",
        "NamedTuple", "typing.NamedTuple", "Protocol", "typing.Protocol", "TypedDict", "typing.TypedDict", "Generic",
        "typing.Generic", "IntFlag", "enum.IntFlag", "enum.Flag",
    }
)  # fmt: skip
_CALLS = frozenset(
    {
        "re.compile", "frozenset", "set", "dict", "list", "tuple", "object", "namedtuple", "collections.namedtuple",
        "logging.getLogger", "getLogger", "TypeVar", "typing.TypeVar", "ParamSpec", "NewType", "typing.NewType", "Path",
        "pathlib.Path", "range", "len", "sorted", "min", "max", "sum", "int", "float", "str", "bytes", "Decimal",
        "decimal.Decimal", "timedelta", "datetime.timedelta", "datetime.date", "datetime.datetime", "date", "datetime",
        "field", "dataclasses.field", "defaultdict", "collections.defaultdict", "deque", "collections.deque", "Counter",
        "OrderedDict", "collections.OrderedDict", "MappingProxyType", "types.MappingProxyType", "auto", "enum.auto",
        "Fraction", "fractions.Fraction", "compile", "partial", "functools.partial", "itemgetter", "attrgetter",
        "operator.itemgetter", "operator.attrgetter", "threading.Lock", "threading.RLock", "contextvars.ContextVar",
        "ContextVar", "warnings.filterwarnings",
    }
)  # fmt: skip
_METHODS = frozenset(
    {"compile", "format", "join", "split", "keys", "values", "items", "encode", "lower", "upper", "strip", "union",
     "fromkeys", "getLogger"}
)  # fmt: skip


def are_apart(before: tuple[Path, str], after: tuple[Path, str]) -> bool:
    """Whether two versions, each the path and the text of a module, need worlds of their own."""
    trees = ast.parse(before[1]), ast.parse(after[1])
    elsewhere = project_of(before[0]) != project_of(after[0])
    if elsewhere and any(_has_neighbours(tree, path) for tree, (path, _) in zip(trees, (before, after), strict=True)):
        return True
    return not all(map(_is_plain, trees))


def _has_neighbours(tree: ast.Module, path: Path) -> bool:
    """Whether a module imports, or is imported with, others of its project."""
    project, root = project_of(path), whole_project(path)

    def is_there(name: str) -> bool:
        return any(stands_in(place, name.partition(".")[0]) for place in (project, root / "src", root))

    for node in walk(tree):
        match node:
            case ast.Import(names=names) if any(is_there(alias.name) for alias in names):
                return True
            case ast.ImportFrom(level=0, module=str() as name) if is_there(name):
                return True
            case ast.ImportFrom(level=int() as level) if level:
                return True
    return project != path.parent


def _is_plain(tree: ast.Module) -> bool:
    inside = {n.name for n in walk(tree) if isinstance(n, FunctionNode)}
    own = {n.name for n in tree.body if isinstance(n, ast.ClassDef)}
    if inside & _RUN_BY_CLASSES or (own and inside & _RUN_BY_CALLS and _calls_own(tree, own)):
        return False
    return all(_is_quiet(statement, own) for statement in tree.body)


_RUN_BY_CLASSES = frozenset({"__init_subclass__", "__set_name__", "__prepare__"})
_RUN_BY_CALLS = frozenset({"__init__", "__new__", "__post_init__", "__call__", "__getattr__"})


def _calls_own(tree: ast.Module, own: set[str]) -> bool:
    """Whether an object of one of the module's own classes is made while the module is executed."""
    tops = [s for s in tree.body if not isinstance(s, ast.ClassDef | FunctionNode)]
    return any(isinstance(n, ast.Call) and _name(n) in own for s in tops for n in walk(s))


def _is_quiet(statement: ast.AST, own: set[str]) -> bool:
    """Whether a statement of a module, executed once more, leaves no trace outside of its module."""
    match statement:
        case ast.Import() | ast.ImportFrom() | ast.Pass() | ast.Raise() | ast.Assert():
            return True
        case ast.FunctionDef(decorator_list=made, args=args) | ast.AsyncFunctionDef(decorator_list=made, args=args):
            calls = [n for n in walk(args) if isinstance(n, ast.Call)]
            return all(_name(d) in _DECORATORS for d in made) and all(_is_quiet_call(c.func, own) for c in calls)
        case ast.ClassDef(bases=bases, keywords=keywords, body=body, decorator_list=made):
            names = [_name(base.value if isinstance(base, ast.Subscript) else base) for base in bases]
            is_known = not keywords and all(n in _BASES or n in own or _is_builtin_class(n) for n in names)
            return is_known and all(_name(d) in _DECORATORS for d in made) and all(_is_quiet(s, own) for s in body)
        case ast.If(test=test) if _is_main(test):
            return True
        case ast.If() | ast.Try() | ast.With() | ast.For() | ast.While():
            return all(_is_quiet(child, own) for child in ast.iter_child_nodes(statement))
        case ast.Assign(targets=targets) if any(isinstance(t, ast.Attribute | ast.Subscript) for t in targets):
            return False
        case ast.ExceptHandler(body=body):
            return all(_is_quiet(s, own) for s in body)
        case ast.Delete() | ast.AugAssign():  # `+=` changes a list of another module in its place
            return False
    calls = [n for n in walk(statement) if isinstance(n, ast.Call)]
    return all(_is_quiet_call(call.func, own) for call in calls)


def _is_quiet_call(called: ast.expr, own: set[str]) -> bool:
    name = _name(called)
    if name in _CALLS or name in own or _is_builtin_class(name):
        return True
    return isinstance(called, ast.Attribute) and called.attr in _METHODS


def _is_builtin_class(name: str) -> bool:
    return isinstance(getattr(builtins, name, None), type)


def _is_main(test: ast.expr) -> bool:
    return isinstance(test, ast.Compare) and isinstance(test.left, ast.Name) and test.left.id == "__name__"


def _name(code: ast.expr) -> str:
    """The dotted name of a decorator or a base, called or not."""
    if isinstance(code, ast.Call):
        code = code.func
    return ast.unparse(code) if isinstance(code, ast.Name | ast.Attribute) else ""
