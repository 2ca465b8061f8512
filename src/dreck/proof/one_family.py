"""Whether objects whose class became one of several can still not be told from what they were.

Understood is a class of the module that stands alone or below plain classes of it, whose constructor keeps the code
first of all, and methods that say nothing of the class they stand in. All that looks at the very class of an object,
makes one past the factory, or sets the code again is refused, wherever an object may come to.
"""

import ast
import builtins
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

from dreck.model.names.bindings import Bindings, bindings_of
from dreck.source.walking import walk


class NotOneFamily(Exception):
    """The new texts cannot be read back; the message says why."""


@dataclass(frozen=True, slots=True)
class Family:
    """The class, the attribute that holds the code, its subclasses by code, the table of them and the factory."""

    base: ast.ClassDef
    attribute: str
    kinds: tuple[tuple[ast.expr, ast.ClassDef], ...]
    table: str
    factory: ast.FunctionDef


_BY_NAME = frozenset({"setattr", "delattr", "vars", "globals", "locals", "exec", "eval", "__import__", "import_module"})
"""What changes an object, or finds a class, under a name that is worked out."""
_LOOKING = frozenset({"pickle", "copyreg", "gc", "inspect", "ctypes", "weakref"})


def check_class(family: Family, tree: ast.Module) -> None:
    """The class and its kinds make the objects that the class alone made."""
    told = {name for _, kind in family.kinds for name in _methods(kind)}
    for s in family.base.body:
        if isinstance(s, ast.FunctionDef):
            _check_method(s, family.base)
            outside: list[ast.AST] = [*s.decorator_list, *s.args.defaults, *filter(None, s.args.kw_defaults)]
        else:
            outside = [s]
        for n in (n for part in outside for n in walk(part)):
            if isinstance(n, ast.Name) and n.id in told:
                raise NotOneFamily(
                    f"{family.base.name} speaks of {n.id} in its body, which its kinds have of their own"
                )
    for name in _bound_in(family.base):
        if name in ("__slots__", "__class__", "__init_subclass__", "__class_getitem__", "__new__", "__getattribute__"):
            raise NotOneFamily(f"{family.base.name} has {name}, which a class below it does not take over as it is")
    _check_above(family.base, tree)
    within = _bound_in(family.base)
    for _, kind in family.kinds:
        for s in _methods(kind).values():
            _check_told(s, kind.name, within, bindings_of(tree))
    _check_keys(family, tree)


def _methods(node: ast.ClassDef) -> dict[str, ast.FunctionDef]:
    return {s.name: s for s in node.body if isinstance(s, ast.FunctionDef)}


def _bound_in(node: ast.ClassDef) -> set[str]:
    found: set[str] = set()
    for s in node.body:
        if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            found.add(s.name)
        else:
            found |= {n.id for n in walk(s) if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load)}
    return found


def _check_method(s: ast.FunctionDef, base: ast.ClassDef) -> None:
    """A method of the class gets no class from Python; it may be static, or a property."""
    if any(getattr(d, "id", "") == "classmethod" for d in s.decorator_list):
        raise NotOneFamily(f"{base.name}.{s.name} gets the class")


def _check_told(s: ast.FunctionDef, kind: str, within: set[str], known: Bindings) -> None:
    """A method reads the same below the class as in it."""
    for n in walk(s):
        words = [str(getattr(n, field, "")) for field in ("id", "attr", "arg")]
        word = next((word for word in words if word.startswith("__") and not word.endswith("__")), "")
        if word:
            raise NotOneFamily(f"{kind}.{s.name} says {word}, which means another name in another class")
    evaluated = [*s.args.defaults, *filter(None, s.args.kw_defaults)]
    steady = {name for name, bound in known.of.items() if len(bound) == 1} - known.rebound - within
    if not all(isinstance(e, ast.Constant) or (isinstance(e, ast.Name) and e.id in steady) for e in evaluated):
        raise NotOneFamily(f"{kind}.{s.name} has a default that is worked out once more")
    noted = [a.annotation for a in walk(s.args) if isinstance(a, ast.arg)]
    for n in (n for e in (*noted, s.returns) if e is not None for n in walk(e)):
        if not isinstance(n, ast.Name | ast.Constant | ast.expr_context) or getattr(n, "id", "") in within:
            raise NotOneFamily(f"an annotation of {kind}.{s.name} is worked out once more")


def _check_above(base: ast.ClassDef, tree: ast.Module) -> None:
    """What the class derives from is plain: nothing there notices that a class is made below it."""
    known = bindings_of(tree)
    for told in base.bases:
        name = getattr(told, "id", "")
        bound = known.of.get(name, [])
        found = bound[0] if len(bound) == 1 and name not in known.rebound else None
        if name == "object" and not bound:
            continue
        if not isinstance(found, ast.ClassDef) or found.keywords or found.decorator_list:
            raise NotOneFamily(f"{base.name} derives from {ast.unparse(told)}, which may notice what is made below it")
        if _bound_in(found) & {"__init_subclass__", "__slots__", "__class__", "__new__", "__getattribute__"}:
            raise NotOneFamily(f"{base.name} derives from {name}, which notices what is made below it")
        _check_above(found, tree)


def _check_keys(family: Family, tree: ast.Module) -> None:
    """A code that is read when the table is made means the same later."""
    known = bindings_of(tree)
    for key, kind in family.kinds:
        root = key
        while isinstance(root, ast.Attribute):
            root = root.value
        if isinstance(root, ast.Constant):
            continue
        name = getattr(root, "id", "")
        if len(known.of.get(name, ())) != 1 or name in known.rebound or known.dynamic:
            raise NotOneFamily(f"{name}, by which {kind.name} is found, may be given another value")
        stored = {n.attr for n in walk(tree) if isinstance(n, ast.Attribute) and not isinstance(n.ctx, ast.Load)}
        if isinstance(key, ast.Attribute) and key.attr in stored:
            raise NotOneFamily(f"{ast.unparse(key)}, by which {kind.name} is found, is set again")


def in_order_asked(family: Family, trees: Mapping[Path, ast.Module]) -> list[tuple[ast.expr, ast.ClassDef]]:
    """The kinds in an order to ask them in: of two codes that are equal the last stands in the table."""
    values = [_value_of(key, trees.values()) for key, _ in family.kinds]
    known = [value for (value,) in filter(None, values)]
    counted = (
        {ast.unparse(key).rpartition(".")[0] for key, _ in family.kinds} if ("auto",) in map(_head, known) else {""}
    )
    apart = len(known) == len(values) == len(set(known)) and len(counted) == 1 and len(set(map(_head, known))) == 1
    return list(family.kinds) if apart else list(reversed(family.kinds))


def _head(value: object) -> tuple[str, ...]:
    return ("auto",) if isinstance(value, tuple) else ()


def _value_of(key: ast.expr, trees: Iterable[ast.Module]) -> tuple[object] | None:
    """The constant that a code is, by itself or by the one statement that binds it; None where that cannot be read."""
    match key:
        case ast.Constant(value=value):
            return (value,)
        case ast.Name(id=name):
            bound = [s for tree in trees for s in bindings_of(tree).of.get(name, []) if isinstance(s, ast.Assign)]
        case ast.Attribute(value=ast.Name(id=of), attr=name):
            kinds = [s for tree in trees for s in tree.body if isinstance(s, ast.ClassDef) and s.name == of]
            bound = [
                s for kind in kinds[:1] for s in kind.body if isinstance(s, ast.Assign) and name in _bound_in(kind)
            ]
            bound = [s for s in bound if name in [getattr(t, "id", "") for t in s.targets]] if len(kinds) == 1 else []
        case _:
            return None
    match [s.value for s in bound]:
        case [ast.Constant(value=value)]:
            return (value,)
        case [ast.Call(func=ast.Name(id="auto") | ast.Attribute(attr="auto"), args=[], keywords=[]) as made]:
            return (("auto", made.lineno),)
    return None


def check_code(family: Family, trees: Mapping[Path, ast.Module]) -> None:
    """The code is set once, before anything could ask for it."""
    setting = _methods(family.base)["__init__"]
    stores = [
        n
        for tree in trees.values()
        for n in walk(tree)
        if isinstance(n, ast.Attribute) and n.attr == family.attribute and not isinstance(n.ctx, ast.Load)
    ]
    if len(stores) != 1:
        raise NotOneFamily(f"{family.attribute} is set in {len(stores)} places")
    names = {name for _, kind in family.kinds for name in _methods(kind)}
    if any(isinstance(n, ast.Attribute) and n.attr in names for n in walk(setting)):
        raise NotOneFamily("the constructor calls what its kinds do in their own way")
    given = {a.arg for a in (*setting.args.args, *setting.args.kwonlyargs)}
    rebound = {n.id for n in walk(setting) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    if given & rebound:
        raise NotOneFamily(f"the constructor changes {min(given & rebound)}")
    _check_order(setting, stores[0])


def _check_order(setting: ast.FunctionDef, store: ast.Attribute) -> None:
    """Until the code is kept, nothing else of the object is asked for, and the constructor cannot end."""
    own = setting.args.args[0].arg
    for s in setting.body:
        nodes = list(walk(s))
        if store in nodes:
            return
        set_here = {n.value for n in nodes if isinstance(n, ast.Attribute) and isinstance(n.ctx, ast.Store)}
        loose = (n for n in nodes if isinstance(n, ast.Name) and n.id in (own, "super") and n not in set_here)
        if any(isinstance(n, ast.Return | ast.Try | ast.Yield) for n in nodes) or any(True for _ in loose):
            raise NotOneFamily(f"the object is asked for something before it has its {store.attr}")


def check_uses(family: Family, tree: ast.Module, path: Path) -> None:
    """Nothing makes an object but the factory, looks at its very class, or speaks of what only the family knows."""
    base = family.base.name
    hidden = {family.table, *(kind.name for _, kind in family.kinds)}
    allowed = _where_allowed(family, tree)
    harmless = set(_harmless(tree, {base, *hidden}))
    for node in walk(tree):
        if node in allowed:
            continue
        where = f"{path.name}, line {getattr(node, 'lineno', 0)}"
        match node:
            case ast.Name(id=word) | ast.Attribute(attr=word) if word == base:
                raise NotOneFamily(f"{where} makes one without the factory, or asks for the very class {base}")
            case ast.Name(id=word) | ast.Attribute(attr=word) | ast.alias(name=word) if word in hidden:
                raise NotOneFamily(f"{where} speaks of {word}, which only the factory should")
            case ast.alias(name=word, asname=str() as other) if word in (base, family.factory.name):
                raise NotOneFamily(f"{where} calls {word} {other}")
            case ast.Name(id=word) | ast.Attribute(attr=word) if word == family.factory.name:
                raise NotOneFamily(f"{where} hands the factory on")
            case ast.Constant(value=str() as word) if word == base or word in hidden:
                raise NotOneFamily(f"{where} speaks of {word} by its name")
            case ast.Attribute(attr=word) if word.startswith("__") and word.endswith("__") and node not in harmless:
                raise NotOneFamily(f"{where} reads {word}, which may tell the class of an object, or change it")
            case ast.Name(id=word) | ast.alias(name=word) if word.partition(".")[0] in _BY_NAME | _LOOKING:
                raise NotOneFamily(f"{where} uses {word}, by which an object may be changed, made or looked into")
            case ast.Name(id="type" | "cls" | "__class__" as word) if node not in harmless:
                raise NotOneFamily(f"{where} uses {word}, by which the class of an object may be told")


def _harmless(tree: ast.Module, family: set[str]) -> Iterator[ast.AST]:
    """What looks at a class and cannot tell one of the family from another: `super().__init__`, `type(x) is int`."""
    known = bindings_of(tree)
    for n in walk(tree):
        match n:
            case ast.Attribute(value=ast.Call(func=ast.Name(id="super")), attr="__init__"):
                yield n
            case ast.Attribute(value=ast.Name(id=of), attr="__name__" | "__doc__" | "__file__") if isinstance(
                _only(known.of.get(of, [])), ast.Import
            ):
                yield n
            case ast.Compare(left=ast.Call(func=ast.Name(id="type") as asked, args=[_]), comparators=[other]) if (
                _is_another_class(other, tree, family)
            ):
                yield asked
            case ast.Call(func=ast.Name(id="type") as asked, args=[ast.Constant()]):
                yield asked
            case ast.arg(annotation=ast.expr() as told):
                yield from walk(told)


def _is_another_class(e: ast.expr, tree: ast.Module, family: set[str]) -> bool:
    known, name = bindings_of(tree), getattr(e, "id", "")
    bound = known.of.get(name, [])
    if not bound:
        return isinstance(getattr(builtins, name, None), type) and not known.stars
    return name not in family | known.rebound and isinstance(_only(bound), ast.ClassDef)


def _only(found: list[ast.stmt]) -> ast.stmt | None:
    return found[0] if len(found) == 1 else None


def _where_allowed(family: Family, tree: ast.Module) -> set[ast.AST]:
    """Places that may name the class: its definition, the factory and its calls, annotations, `isinstance`, imports."""
    names = {family.table, *(kind.name for _, kind in family.kinds)}
    found: set[ast.AST] = set(walk(family.factory))
    for s in tree.body:
        if defines(s, {family.table, "__all__"}):
            found |= set(walk(s))
    for node in walk(tree):
        match node:
            case ast.ClassDef(name=name, bases=bases) if name in names:
                found |= set(bases)
            case ast.arg(annotation=ast.expr() as told) | ast.AnnAssign(annotation=told):
                found |= set(walk(told))
            case ast.FunctionDef(returns=ast.expr() as told) | ast.AsyncFunctionDef(returns=ast.expr() as told):
                found |= set(walk(told))
            case ast.Call(func=ast.Name(id="isinstance"), args=[_, asked]):
                found |= {n for n in walk(asked) if not (isinstance(n, ast.Name) and n.id in names)}
            case ast.Call(func=ast.Name(id=name) | ast.Attribute(attr=name) as called) if name == family.factory.name:
                found.add(called)
    return found


def defines(s: ast.stmt, names: set[str]) -> bool:
    match s:
        case ast.FunctionDef(name=name) | ast.ClassDef(name=name):
            return name in names
        case ast.Assign(targets=[ast.Name(id=name)]) | ast.AnnAssign(target=ast.Name(id=name)):
            return name in names
    return False
