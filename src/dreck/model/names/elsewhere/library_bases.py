"""The built-in types that a class of a library derives from, read in its text; only what has no text is imported."""

import ast
import builtins
import collections.abc
from functools import lru_cache
from importlib import import_module

from dreck.model.names.bindings import bound_by, statements_of
from dreck.source.libraries import LibraryModule, is_compiled, library_module

_KNOWN: dict[str, frozenset[type]] = {
    "collections.OrderedDict": frozenset({dict}), "collections.defaultdict": frozenset({dict}),
    "collections.Counter": frozenset({dict}), "collections.deque": frozenset(), "enum.Enum": frozenset(),
    "enum.Flag": frozenset(), "enum.IntEnum": frozenset({int}), "enum.IntFlag": frozenset({int}),
    "enum.StrEnum": frozenset({str}), "enum.ReprEnum": frozenset(), "typing.NamedTuple": frozenset({tuple}),
    "typing.TypedDict": frozenset({dict}), "typing.Protocol": frozenset(), "typing.Generic": frozenset(),
    "abc.ABC": frozenset(), "typing.List": frozenset({list}), "typing.Dict": frozenset({dict}),
    "typing.DefaultDict": frozenset({dict}), "typing.OrderedDict": frozenset({dict}),
    "typing.Counter": frozenset({dict}), "typing.Set": frozenset({set}), "typing.FrozenSet": frozenset({frozenset}),
    "typing.Tuple": frozenset({tuple}), "typing.Type": frozenset({type}), "types.SimpleNamespace": frozenset(),
    "decimal.Decimal": frozenset(),
}  # fmt: skip
"""Classes that are bound more than once, made by the interpreter, or stand for another (library reference)."""


_ABSTRACT = frozenset(collections.abc.__all__)
"""They are the same under `typing` (library reference, "Aliases to container ABCs in collections.abc")."""
_KEEPING = frozenset({"dataclass", "total_ordering", "final", "runtime_checkable", "unique", "set_module"})


def built_ins_above(source: str) -> frozenset[type] | None:
    """The built-in types, but `object`, above what is imported as `module.name`; None where that is not plain."""
    return _above(source, frozenset())


@lru_cache(maxsize=512)
def _above(source: str, open_: frozenset[str]) -> frozenset[type] | None:
    module, _, name = source.rpartition(".")
    if source in _KNOWN or source in open_ or not module:
        return _KNOWN.get(source)
    if module in ("collections.abc", "typing") and name in _ABSTRACT:
        return frozenset()
    if module == "builtins" or is_compiled(module):
        return built_ins_of(getattr(import_module(module), name, None))
    found = library_module(module)
    bindings = [s for s in statements_of(found.tree.body) if name in bound_by(s)] if found is not None else []
    if found is None or len(bindings) != 1:
        return None
    match bindings[0]:
        case ast.ClassDef(bases=bases, decorator_list=told) if all(_word(d) in _KEEPING for d in told):
            above = [_of_base(found, base, open_ | {source}) for base in bases]
        case ast.ImportFrom(module=of, names=aliases, level=level):
            asked = next((a.name for a in aliases if (a.asname or a.name) == name), "")
            above = [_above(f"{found.absolute(of, level)}.{asked}", open_ | {source})]
        case ast.Assign(targets=[ast.Name()], value=value):
            above = [_of_base(found, value, open_ | {source})]
        case _:
            return None
    return None if None in above else frozenset[type]().union(*filter(None, above))


def _word(e: ast.expr) -> str:
    called = e.func if isinstance(e, ast.Call) else e
    return called.attr if isinstance(called, ast.Attribute) else getattr(called, "id", "")


def built_ins_of(kind: object) -> frozenset[type] | None:
    """The built-in types, but `object`, that a class is or derives from."""
    if not isinstance(kind, type):
        return None
    return frozenset(k for k in kind.__mro__ if k is not object and k.__module__ == "builtins")


def _of_base(module: LibraryModule, base: ast.expr, open_: frozenset[str]) -> frozenset[type] | None:
    e = base.value if isinstance(base, ast.Subscript) else base
    return _above(_source(module, e), open_)


def _source(module: LibraryModule, e: ast.expr) -> str:
    """Where what an expression of a module names comes from, as `module.name`; '' when that is not plain."""
    match e:
        case ast.Name(id=name):
            bound = [s for s in statements_of(module.tree.body) if name in bound_by(s)]
            return f"{module.name}.{name}" if bound else f"builtins.{name}" if hasattr(builtins, name) else ""
        case ast.Attribute(value=ast.Name(id=name), attr=attr):
            bound = [s for s in statements_of(module.tree.body) if name in bound_by(s)]
            match bound:
                case [ast.Import(names=aliases)]:
                    told = (a.name for a in aliases if (a.asname or a.name.partition(".")[0]) == name)
                    return f"{next(told)}.{attr}"
    return ""
