"""Loading one version of a function to run it: its module is executed with the function's tests watched."""

import ast
import enum
import inspect
import types
import typing
from collections.abc import Callable, Container, Iterator
from dataclasses import InitVar, dataclass, field
from types import FunctionType
from typing import Any

from dreck.model.names.bindings import bindings_of
from dreck.model.names.tables import bound_at_top, changed_in, is_left_alone
from dreck.source.functions import Function, FunctionNode, functions_in
from dreck.source.walking import walk
from dreck.trial.inputs.recipes import Make
from dreck.trial.inputs.specials import specials_asked
from dreck.trial.running.held import is_small
from dreck.trial.running.instrument import WATCHER, Watched, watched
from dreck.trial.running.loading.imports import CannotRun, executed
from dreck.trial.running.loading.nested import CannotLift, lifted
from dreck.trial.running.loading.swap import code_of
from dreck.trial.running.watch import Watcher
from dreck.trial.surely import is_a, is_class


@dataclass(slots=True)
class Version:
    """A function ready to run, with its module's names and the outcomes there are to reach."""

    function: Callable[..., Any]
    namespace: dict[str, Any]
    node: FunctionNode
    watched: Watched
    watcher: Watcher
    owner: type | None
    types: dict[str, Any]
    is_property: bool = False
    varying: tuple[str, ...] = ()
    """Plain names of the module that the function reads and that some function binds anew."""
    methods: dict[str, FunctionNode] = field(default_factory=dict)
    beside: dict[str, FunctionNode] = field(default_factory=dict)
    """The other functions of its module."""
    plain: FunctionType | None = None
    """The function without its watching, where that can be had."""
    free: tuple[str, ...] = ()
    """What a function inside another one reads there."""
    tree: ast.Module = field(default_factory=lambda: ast.Module([], []))
    """The module as it is written, `node` among its statements."""
    filled: tuple[str, ...] = ()
    """Containers of the module that other functions fill or empty."""
    path: str = ""
    lent: tuple[str, ...] = ()
    """Containers of the module that somebody else may come to hold, and change."""
    rebound: frozenset[str] = frozenset()
    """Plain names of the module that some function binds anew, read here or not."""


def load(path: str, text: str, name: str, imported: bool = False) -> Version:
    """Executes `text` as the module at `path` and takes the function `name` out of it.

    `imported`: the way Python imports it, once, for everybody in this process who asks for that module.
    """
    tree = ast.parse(text)
    found = next((f for f in functions_in(tree, text) if f.name == name), None)
    if found is None:
        raise CannotRun(f"there is no function {name} in it")
    if found.nested:
        return _load_nested(path, tree, found, functions_in(tree, text), imported)
    seen = watched(found.node)
    code = code_of(tree, path, found.node, found.node)
    written = _copy_around(tree, found.node)
    _replace(tree, found.node, seen.node)
    watcher = Watcher()
    module = executed(path, tree, {WATCHER: watcher}, imported)
    function, owner, is_property = _taken(module, name.partition("#")[0], seen.node)
    plain = _with_code(function, code)
    rebound = _rebound(tree, module.__dict__)
    names = _read_of(rebound, found.node)
    methods = {n.name: n for n in found.owner.body if isinstance(n, FunctionNode)} if found.owner is not None else {}
    return Version(
        function,
        module.__dict__,
        found.node,
        seen,
        watcher,
        owner,
        _types_of_names(tree, names, module.__dict__) | _types(function) | _types_of_fields(owner, found.node),
        is_property,
        names,
        methods,
        {n.name: n for n in tree.body if isinstance(n, FunctionNode)},
        plain,
        tree=written,
        filled=_filled(tree, found.node, module.__dict__),
        lent=_lent(tree, found.node, module.__dict__),
        path=path,
        rebound=rebound,
    )


def _load_nested(path: str, tree: ast.Module, found: Function, every: list[Function], imported: bool) -> Version:
    """A function inside another one, lifted out of it: what it reads there is handed in."""
    try:
        node, free = lifted(found, every)
    except CannotLift as error:
        raise CannotRun(f"it stands inside a function, and {error}; only a proof can judge it") from None
    watcher, seen = Watcher(), watched(node)
    module = executed(path, tree, {WATCHER: watcher}, imported)
    function = _defined_again(module, seen.node)
    if function is None:
        raise CannotRun("it stands inside a function, and cannot be defined outside of it")
    beside = {n.name: n for n in tree.body if isinstance(n, FunctionNode)}
    rebound = _rebound(tree, module.__dict__)
    names = _read_of(rebound, node)
    return Version(
        function, module.__dict__, node, seen, watcher, None,
        _types_of_names(tree, names, module.__dict__) | _types(function), False, names, {}, beside, free=free,
        tree=ast.Module([*_future(tree), node], []), path=path, rebound=rebound,
    )  # fmt: skip


def _copy_around(tree: ast.Module, node: FunctionNode) -> ast.Module:
    """A copy of what stands around a function: the classes it is in, with the very function in them."""

    def around(part: ast.AST) -> list[ast.stmt]:
        found: list[ast.stmt] = []
        for child in ast.iter_child_nodes(part):
            if child is node:
                found.append(node)
            elif isinstance(child, ast.ClassDef) and (inner := around(child)):
                found.append(ast.ClassDef(child.name, [], [], inner, []))
            elif isinstance(child, ast.stmt | ast.ExceptHandler | ast.match_case):
                found += around(child)
        return found

    return ast.Module([*_future(tree), *around(tree)], [])


def _future(tree: ast.Module) -> list[ast.stmt]:
    return [s for s in tree.body if isinstance(s, ast.ImportFrom) and s.module == "__future__"]


def _rebound(tree: ast.Module, namespace: dict[str, Any]) -> frozenset[str]:
    """Names that functions bind anew, whether they say so (`global`) or go by way of the namespace or the module, and
    that stand for something plain."""
    bound_in = bindings_of(tree)
    let_go = {n.id for s in tree.body if isinstance(s, ast.Delete) for n in walk(s) if isinstance(n, ast.Name)}
    rebound = (bound_in.rebound - let_go) | _said_global(tree) | (bound_in.of.keys() if bound_in.dynamic else set())
    plain = (bool, int, float, str, type(None))
    return frozenset(n for n in rebound if is_a(namespace.get(n, print), *plain))


def _said_global(tree: ast.AST) -> set[str]:
    return {name for n in walk(tree) if isinstance(n, ast.Global) for name in n.names}


def _read_of(rebound: frozenset[str], function: FunctionNode) -> tuple[str, ...]:
    """Those that the function reads."""
    read = {n.id for n in walk(function) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Load)}
    bound = {n.arg for n in walk(function) if isinstance(n, ast.arg)}
    return tuple(sorted(rebound & read - bound))


def vary_alike(
    mine: tuple[str, ...], own: frozenset[str], theirs: tuple[str, ...], rebound: frozenset[str], known: Container[str]
) -> tuple[str, ...]:
    """What is read here and is `rebound` there, too, or not `known` there (what never changes there is no input),
    and what is read there and bound anew here."""
    return tuple(sorted({*(n for n in mine if n in rebound or n not in known), *(n for n in theirs if n in own)}))


def _filled(tree: ast.Module, function: FunctionNode, namespace: dict[str, Any]) -> tuple[str, ...]:
    """Small containers of the module that the function reads, and other functions fill or empty."""
    read = {n.id for n in walk(function) if isinstance(n, ast.Name)}
    own = {n.arg for n in walk(function) if isinstance(n, ast.arg)}
    names = {name for s in _others(tree, function) for n in walk(s) for name in _changed_by(n)}
    names |= {of for alias, of in _aliases(tree) if alias in names} | _said_global(tree)
    names |= {name for s in _others(tree, function) for n in walk(s) for name in _handed_out(n)}
    return tuple(sorted(n for n in names & read - own if is_small(namespace.get(n))))


def _lent(tree: ast.Module, function: FunctionNode, namespace: dict[str, Any]) -> tuple[str, ...]:
    """Small containers of the module that the function reads, and that are not surely what they were made as."""
    own = {n.arg for n in walk(function) if isinstance(n, ast.arg)}
    read = {n.id for n in walk(function) if isinstance(n, ast.Name)} - own
    small = {n: ast.List([], ast.Load()) for n in sorted(read) if is_small(namespace.get(n))}
    changed = changed_in(tree, dict[str, ast.expr](small)) | {n for n, _, alone in bound_at_top(tree) if not alone}
    return tuple(n for n in small if n in changed or not is_left_alone(n))


def _handed_out(n: ast.AST) -> Iterator[str]:
    """Names that others come to hold what stands behind them by; names in capitals are constants, also to them."""
    match n:
        case ast.Return(value=ast.Name(id=name)) | ast.Yield(value=ast.Name(id=name)) if not name.isupper():
            yield name
        case ast.Assign(targets=[ast.Attribute() | ast.Subscript()], value=ast.Name(id=name)) if not name.isupper():
            yield name


def _aliases(tree: ast.Module) -> Iterator[tuple[str, str]]:
    """Names for what another name stands for already."""
    for n in walk(tree):
        match n:
            case ast.Assign(targets=[ast.Name(id=alias)], value=ast.Name(id=name)):
                yield alias, name


def _others(tree: ast.Module, function: FunctionNode) -> Iterator[FunctionNode]:
    """Every function of the module that is not the one meant."""
    for n in walk(tree):
        if isinstance(n, FunctionNode) and (n.name, n.lineno) != (function.name, function.lineno):
            yield n


def _changed_by(n: ast.AST) -> tuple[str, ...]:
    """The names whose content a piece of code changes where it stands: an item set or deleted, a method that does."""
    match n:
        case ast.Subscript(value=ast.Name(id=name), ctx=ast.Store() | ast.Del()):
            return (name,)
        case ast.Call(func=ast.Attribute(value=ast.Name(id=name), attr=attr)) if attr in _CHANGING:
            return (name,)
    return ()


_CHANGING = frozenset(
    {"append", "extend", "insert", "pop", "popitem", "remove", "clear", "update", "add", "discard", "setdefault"}
)


def _with_code(function: Any, code: types.CodeType) -> FunctionType | None:
    if not isinstance(function, FunctionType) or code.co_freevars != function.__code__.co_freevars:
        return None
    made = types.FunctionType(
        code, function.__globals__, function.__name__, function.__defaults__, function.__closure__
    )
    made.__kwdefaults__ = function.__kwdefaults__
    return made


def _replace(tree: ast.AST, old: ast.AST, new: ast.AST) -> None:
    for node in walk(tree):
        for _, value in ast.iter_fields(node):
            if not isinstance(value, list):
                continue
            for index, item in enumerate(value):
                if item is old:
                    value[index] = new
                    return


def _taken(module: types.ModuleType, dotted: str, node: FunctionNode) -> tuple[Callable[..., Any], type | None, bool]:
    holder: Any = module
    *outer, last = dotted.split(".")
    for part in outer:
        holder = getattr(holder, part, None)
    owner = holder if isinstance(holder, type) else None
    if owner is not None and last.startswith("__") and not last.endswith("__"):
        last = f"_{owner.__name__.lstrip('_')}{last}"
    found = inspect.getattr_static(holder, last, None) if holder is not None else None
    is_read = isinstance(found, property)
    if isinstance(found, property) and not _stands_at(_unwrapped(found), node):
        others: list[Any] = [f for f in (found.fset, found.fdel) if _stands_at(_unwrapped(f), node)]
        found, is_read = others[0] if others else found, not others
    function = _unwrapped(found)
    if not outer and (function is None or function.__module__ != module.__name__):
        function = _defined_again(module, node)  # another module's function has taken its name since
    if function is None or function.__code__.co_name != node.name:
        raise CannotRun(f"{dotted} is not there as a plain function once the module is executed")
    if not _stands_at(function, node):
        raise CannotRun(f"{dotted} is another function of that name once the module is executed")
    return function, None if isinstance(found, staticmethod) else owner, is_read


def _stands_at(function: types.FunctionType | None, node: FunctionNode) -> bool:
    """Whether it is the one that stands there, and not another of its name."""
    lines = {node.lineno, *(d.lineno for d in node.decorator_list)}
    return function is not None and function.__code__.co_firstlineno in lines


def _defined_again(module: types.ModuleType, node: FunctionNode) -> types.FunctionType | None:
    """The function as the module writes it, among the names the module has in the end."""
    own: dict[str, Any] = {}
    tree = ast.fix_missing_locations(ast.Module([node], []))
    try:
        exec(compile(tree, str(module.__file__), "exec", dont_inherit=True), module.__dict__, own)
    except Exception:
        return None
    return _unwrapped(own.get(node.name))


def _unwrapped(found: Any) -> types.FunctionType | None:
    for _ in range(10):
        match found:
            case types.FunctionType() if not hasattr(found, "__wrapped__"):
                return found
            case property():
                found = found.fget
            case staticmethod() | classmethod():
                found = found.__func__
            case _ if hasattr(found, "__wrapped__"):
                found = found.__wrapped__
            case _ if hasattr(found, "func"):
                found = found.func
            case _:
                return None
    return None


def _types(function: Callable[..., Any]) -> dict[str, Any]:
    """The annotated types of parameters whose default agrees with them."""
    try:
        hints = typing.get_type_hints(function)
    except Exception:
        return {}
    hints.pop("return", None)
    for name, parameter in inspect.signature(function).parameters.items():
        if parameter.default is None and name in hints:
            hints[name] = typing.Optional[hints[name]]  # noqa: UP045 - hints may be a string alias
        if parameter.kind in (parameter.VAR_POSITIONAL, parameter.VAR_KEYWORD):
            hints.pop(name, None)
    return hints


def _types_of_fields(owner: type | None, node: FunctionNode) -> dict[str, Any]:
    """What a class says of the attributes of its objects, by the path a method has for them: `self.kilos`."""
    own = [*node.args.posonlyargs, *node.args.args][:1]
    if owner is None or not own or any(isinstance(d, ast.Name) and d.id == "classmethod" for d in node.decorator_list):
        return {}
    try:
        hints = typing.get_type_hints(owner)
    except Exception:
        return {}
    of_objects = {
        n: h for n, h in hints.items() if typing.get_origin(h) is not typing.ClassVar and type(h) is not InitVar
    }
    unset = {n for n in of_objects if getattr(owner, n, ...) is None}
    return {f"{own[0].arg}.{n}": typing.Optional[h] if n in unset else h for n, h in of_objects.items()}  # noqa: UP045


def _types_of_names(tree: ast.Module, names: tuple[str, ...], namespace: dict[str, Any]) -> dict[str, Any]:
    """The types of names of the module that hold a number or a text, and are given nothing else by a literal."""
    given: dict[str, set[type]] = {}
    for n in walk(tree):
        if isinstance(n, ast.Assign) and isinstance(n.value, ast.Constant):
            for target in n.targets:
                if isinstance(target, ast.Name):
                    given.setdefault(target.id, set()).add(type(n.value.value))
    plain = (int, float, str)
    return {
        n: type(namespace[n]) for n in names if type(namespace[n]) in plain and given.get(n) == {type(namespace[n])}
    }


def plausible(version: Version) -> dict[str, list[Make]]:
    """What stands at a parameter or a module's name when nobody says otherwise, and `other` beside a `self`."""
    found: dict[str, list[Make]] = {name: [Make("as it is")] for name in version.varying}
    for name, parameter in inspect.signature(version.function).parameters.items():
        default = parameter.default
        if isinstance(default, bool | int | float | str | bytes | tuple | type(None)):
            found.setdefault(name, []).append(Make("value", default))
        if name == "other" and version.owner is not None:
            found.setdefault(name, []).append(Make("class", version.owner))
        if parameter.annotation is parameter.empty and name not in ("self", "cls"):
            asked = specials_asked(version.node, name)
            for kind in _with_a_will_of_their_own(version, asked):
                by_name = any(not word.startswith("__") for word in asked & vars(kind).keys())
                made = Make("class", kind) if by_name or _READ & asked else Make("instance", kind.__qualname__)
                found.setdefault(name, []).append(made)
    return found


_MOST_KINDS = 3
_NO_THINGS = (BaseException, type, enum.Enum)


_READ = frozenset({"__getitem__", "__getattr__", "__getattribute__"})
"""What a thing that says itself how it is read says: such things come first."""


def _with_a_will_of_their_own(version: Version, asked: set[str]) -> list[type]:
    """Classes of the module that say themselves what happens when such a thing is read as the parameter is."""
    own = [kind for kind in version.namespace.values() if is_class(kind)]
    here = [kind for kind in own if kind.__module__ == version.namespace.get("__name__")]
    fits = [kind for kind in dict.fromkeys(here) if asked & vars(kind).keys() and not issubclass(kind, _NO_THINGS)]
    return sorted(fits, key=lambda kind: -len(asked & vars(kind).keys()))[:_MOST_KINDS]
