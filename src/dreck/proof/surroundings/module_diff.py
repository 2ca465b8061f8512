"""Surroundings: what around two versions of a function means something else, so that they cannot be alone the same."""

import ast
import builtins
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import lru_cache

from dreck.model.names.bindings import bound_by, statements_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.model.names.scopes import scope_of
from dreck.model.names.type_parameters import heads_of
from dreck.proof.surroundings.binding_order import moved_across
from dreck.proof.surroundings.bodies import without_bodies
from dreck.proof.surroundings.futures import annotations_apart
from dreck.proof.surroundings.hooks import hooks_apart
from dreck.proof.surroundings.importing import effects_of, is_generic, registers_for
from dreck.proof.surroundings.looked_around import gathered_apart
from dreck.proof.surroundings.reshaped import reshaped
from dreck.source.copying import copied
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_PLAIN_BASES = frozenset({"object", "Protocol", "typing.Protocol"})


@dataclass(frozen=True, slots=True)
class Module:
    """One version of a module, as a tree and as what its names mean."""

    tree: ast.Module
    names: ModuleNames
    functions: frozenset[str]


@dataclass(frozen=True, slots=True)
class Changed:
    """Names that mean something else in the two versions, each with how.

    `always` are those of which any mention counts, `unfolded` constants that a proof may read row by row,
    `attributes` methods that a class has in one version only though both versions speak of them; `everywhere` is
    said when the modules do something else when they are imported.
    """

    always: dict[str, str]
    unfolded: dict[str, str]
    attributes: dict[str, str]
    everywhere: str = ""
    hooks: Mapping[str, str] = field(default_factory=dict)
    """Methods that code elsewhere may call, and that one version only has."""
    specials: Mapping[tuple[str, str], str] = field(default_factory=dict)
    """Special methods that a class may have otherwise: by the class and the name."""


def changed_between(old: Module, new: Module) -> Changed:
    """What differs at the top of the two modules and in their classes; functions are compared one by one."""
    before, after = map(_definitions, without_bodies(old.tree, new.tree))
    always: dict[str, str] = {}
    unfolded: dict[str, str] = {}
    functions = functions_of(old.tree), functions_of(new.tree)
    for name in (before.keys() & functions[1]) | (after.keys() & functions[0]):
        if (name in before, name in functions[0]) != (name in after, name in functions[1]):
            always[name] = "is a function in one version only"
    for name in before.keys() & after.keys():
        if before[name] == after[name] or has_grown(name, old, new):
            continue
        both_read = old.names.tables.get(name) is not None and new.names.tables.get(name) is not None
        (unfolded if both_read else always)[name] = "is defined otherwise"
    generic = registered(old.tree, old.names), registered(new.tree, new.names)
    apart = _methods_apart(old, new)
    for name in generic[0].keys() & generic[1].keys():
        if generic[0][name] != generic[1][name]:
            told = apart if name.startswith(".") else always
            told.setdefault(name.removeprefix("."), "has other functions registered")
    always = {**_bound_apart(old.tree, new.tree), **always}
    for name in (before.keys() | functions[0]) ^ (after.keys() | functions[1]):
        is_function = name in old.functions or name in new.functions
        other = new if name in before or name in functions[0] else old
        if hasattr(builtins, name) or _speaks_of(other.tree, name):
            always[name] = "is a function in one version only" if is_function else "exists in one version only"
    classes = reshaped(old.tree, new.tree, always)
    always = {**classes.above, **always}
    apart = {**classes.attributes, **apart}
    acting = effects_of(old.tree, old.names) != effects_of(new.tree, new.names)
    moved, asked = moved_across((old.tree, old.names), (new.tree, new.names))
    always = {**dict.fromkeys(moved, "stands on the other side of a statement that may bind it"), **always}
    acting = acting or asked
    everywhere = "what the two modules do when they are imported is not the same" if acting else ""
    everywhere = everywhere or annotations_apart(old.tree, new.tree)
    gathered = gathered_apart(old.tree, new.tree)
    always = {**dict.fromkeys(gathered, "is gathered from all that the module holds, which is not the same"), **always}
    hooks = hooks_apart(old.names, new.names)
    return Changed(always, unfolded, apart, everywhere, hooks, classes.specials)


def registered(tree: ast.Module, names: ModuleNames) -> dict[str, list[str]]:
    """For each generic function of a module, what is registered for it by decorator, in order; generic methods have
    a dot before their name, and the functions registered for them are told by name and class."""
    functions = [s for s in tree.body if isinstance(s, FunctionNode)]
    found: dict[str, list[str]] = {f.name: [] for f in functions if is_generic(f, names)}
    for f in functions:
        for name in {registers_for(d) for d in f.decorator_list} & found.keys():
            found[name].append(ast.dump(f))
    for kind in (s for s in tree.body if isinstance(s, ast.ClassDef)):
        methods = [s for s in kind.body if isinstance(s, FunctionNode)]
        generics = {f.name for f in methods if is_generic(f, names)}
        for f in methods:
            for name in {f.name if f.name in generics else "", *map(registers_for, f.decorator_list)} & generics:
                told = [kind.name, f.name, *map(ast.dump, f.decorator_list)]
                found.setdefault(f".{name}", []).append(" ".join(told))
    return found


def defined_otherwise(old: ast.Module, new: ast.Module) -> tuple[str, ...]:
    """Classes and other names of two modules, functions and imports left out, that are not the same in both."""
    before, after = _definitions(old), _definitions(new)
    imported = {
        n.asname or n.name.split(".")[0] for tree in (old, new) for n in every_node(tree) if isinstance(n, ast.alias)
    }
    return tuple(sorted(n for n in before.keys() | after.keys() if before.get(n) != after.get(n) and n not in imported))


def _bound_apart(old: ast.Module, new: ast.Module) -> dict[str, str]:
    """Names that are bound more than once, and not by the same kinds of statements in the same order."""
    mine, theirs = _sequences(old), _sequences(new)
    found: dict[str, str] = {}
    for name in mine.keys() | theirs.keys():
        both = name in mine and name in theirs
        if mine.get(name) != theirs.get(name):
            found[name] = "is bound in another order" if both else "is bound more than once in one version only"
    return found


def _sequences(tree: ast.Module) -> dict[str, list[str]]:
    """For names bound more than once, by what kinds of statements, in order."""
    found: dict[str, list[str]] = {}
    for s in statements_of(tree.body):
        for name in bound_by(s):
            plain = isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef)
            found.setdefault(name, []).append(type(s).__name__ if plain else ast.dump(s))
    return {name: parts for name, parts in found.items() if len(parts) > 1}


def names_in_lazy_code(node: ast.AST) -> set[str]:
    """Names read in code that a proof takes as a whole: comprehensions, lambdas, nested functions."""
    lazy = ast.Lambda | ast.ListComp | ast.SetComp | ast.DictComp | ast.GeneratorExp | ast.FunctionDef | ast.ClassDef
    inner = [n for n in walk(node) if isinstance(n, lazy) and n is not node]
    return {n.id for part in inner for n in walk(part) if isinstance(n, ast.Name)}


def functions_of(tree: ast.Module) -> set[str]:
    """The names of the functions at the top of a module."""
    return {s.name for s in tree.body if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef)}


def hollowed(node: FunctionNode) -> str:
    """A function's code without what stands inside the functions nested in it, but for the names they see."""

    own = scope_of(node).local
    made = copied(node)
    for inner in walk(made):
        if not isinstance(inner, ast.FunctionDef | ast.AsyncFunctionDef) or inner is made:
            continue
        seen = {n.id for n in walk(inner) if isinstance(n, ast.Name)}
        changed = any(isinstance(n, ast.Nonlocal | ast.Global) for n in walk(inner))
        if not changed:
            inner.body = [ast.Expr(ast.Constant(" ".join(sorted(seen & own))))]
    return ast.dump(made)


def _speaks_of(tree: ast.Module, name: str) -> bool:
    return any(isinstance(n, ast.Name) and n.id == name for n in every_node(tree))


def _definitions(tree: ast.Module) -> dict[str, str]:
    found: dict[str, list[str]] = {}
    for s in tree.body:
        match s:
            case ast.FunctionDef() | ast.AsyncFunctionDef():
                continue
            case ast.ClassDef(name=name):
                found.setdefault(name, []).append(_class_shape(s))
            case ast.Import() | ast.ImportFrom():
                for alias in s.names:
                    bound = alias.asname or alias.name.split(".")[0]
                    origin = f"{'.' * s.level}{s.module}" if isinstance(s, ast.ImportFrom) else None
                    found.setdefault(bound, []).append(f"{origin} {alias.name} {alias.asname is None}")
            case _:
                for name in bound_by(s) or _bound_below(s):
                    found.setdefault(name, []).append(ast.dump(s))
    return {name: " | ".join(parts) for name, parts in found.items()}


def _bound_below(s: ast.stmt) -> set[str]:
    return {name for inner in statements_of([s]) for name in bound_by(inner)}


def _class_shape(s: ast.ClassDef) -> str:
    """What a class is apart from its methods: those are compared one by one."""
    plain = ast.FunctionDef | ast.AsyncFunctionDef | ast.Pass
    rest = [ast.dump(n) for n in s.body if not isinstance(n, plain) and not _is_text(n)]
    special = [m for m in _methods(s) if m.startswith("__") and m.endswith("__")]
    told = [*heads_of(s), *map(ast.dump, s.bases), *map(ast.dump, s.keywords), *map(ast.dump, s.decorator_list)]
    return " ".join([*told, *rest, *special, *_bound_again(s)])


def _is_text(s: ast.stmt) -> bool:
    return isinstance(s, ast.Expr) and isinstance(s.value, ast.Constant)


def _bound_again(s: ast.ClassDef) -> list[str]:
    """Of names a class body binds more than once, the order of their bindings: the last one counts."""
    order = [(name, type(n).__name__) for n in s.body for name in sorted(bound_by(n))]
    several = {name for name, count in Counter(name for name, _ in order).items() if count > 1}
    return [f"{name}: {kind}" for name, kind in order if name in several]


def _methods(s: ast.ClassDef) -> list[str]:
    return [n.name for n in s.body if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef)]


# --- classes that have only grown ----------------------------------------------------------------------


def has_grown(name: str, old: Module, new: Module) -> bool:
    """Whether a class differs only by names and bases that the other version never speaks of."""
    one, two = old.names.definitions.get(name), new.names.definitions.get(name)
    if not isinstance(one, ast.ClassDef) or not isinstance(two, ast.ClassDef):
        return False
    return _common(one, old, new) == _common(two, new, old)


def _common(node: ast.ClassDef, mine: Module, other: Module) -> str:
    said = attributes_of(other.tree)
    bases = [b for b in node.bases if not (isinstance(b, ast.Name) and _is_harmless(b.id, mine, other, said))]
    body = [s for s in node.body if not _adds_only(s, said)]
    common = ast.ClassDef(name=node.name, bases=bases, keywords=[], body=body, decorator_list=node.decorator_list)
    return " ".join([_class_shape(common), *map(ast.dump, node.keywords), *heads_of(node)])


def _adds_only(s: ast.stmt, said: set[str]) -> bool:
    match s:
        case ast.Assign(targets=[ast.Name(id=name)]) | ast.AnnAssign(target=ast.Name(id=name), value=ast.expr()):
            return name not in said and not name.startswith("_")
    return False


def _is_harmless(base: str, mine: Module, other: Module, said: set[str]) -> bool:
    """A base that only one version has, with nothing in it that the other version could come upon."""
    node = mine.names.definitions.get(base)
    if base in other.names.definitions or not isinstance(node, ast.ClassDef):
        return False
    told = [*node.keywords, *heads_of(node), *node.decorator_list]
    if told or any(ast.unparse(b) not in _PLAIN_BASES for b in node.bases):
        return False
    return not any(name in said or name.startswith("__") for name in _names_in(node))


def _names_in(node: ast.ClassDef) -> Iterator[str]:
    yield from _methods(node)
    for s in node.body:
        yield from bound_by(s)


def attributes_of(tree: ast.Module) -> set[str]:
    """Every attribute name a module speaks of or defines in a class."""
    classes = (n for n in every_node(tree) if isinstance(n, ast.ClassDef))
    return attributes_said(every_node(tree)).union(*map(_names_in, classes))


def attributes_said(nodes: Iterable[ast.AST]) -> set[str]:
    """The attributes that code speaks of: by reading them, in a pattern, or as a text (`hasattr(load, "wet")`)."""
    found = set[str]()
    for n in nodes:
        match n:
            case ast.Attribute(attr=attr):
                found.add(attr)
            case ast.MatchClass(kwd_attrs=attrs):
                found.update(attrs)
            case ast.Constant(value=str() as text) if len(text) < _LONGEST_NAME:
                found.update(part for part in text.split(".") if part.isidentifier())
    return found


_LONGEST_NAME = 200


def _methods_apart(old: Module, new: Module) -> dict[str, str]:
    one, two = _by_class(old.tree), _by_class(new.tree)
    both = attributes_of(old.tree) & attributes_of(new.tree)
    found = {}
    for name in one.keys() & two.keys():
        for method in (one[name] ^ two[name]) & both:
            found[method] = f"is a method of {name} in one version only"
    return found


def _by_class(tree: ast.Module) -> dict[str, set[str]]:
    return {n.name: set(_methods(n)) for n in every_node(tree) if isinstance(n, ast.ClassDef)}


# --- executing the module ------------------------------------------------------------------------------


@lru_cache(maxsize=8)
def broken_at_import(old: ast.Module, new: ast.Module) -> str:
    """A name that statements only the new module has read before anything binds it; '' when there is none."""
    known = {ast.dump(s) for s in old.body}
    bound = {*dir(builtins), "__name__", "__file__", "__doc__", "__package__", "__spec__", "__loader__", "__path__"}
    lazy_annotations = any(isinstance(s, ast.ImportFrom) and s.module == "__future__" for s in new.body)
    nowhere = {n for s in old.body for n in _read_at_once(s, lazy_annotations)} - {
        n for s in old.body for n in _binds(s)
    }
    for s in new.body:
        if ast.dump(s) not in known:
            missing = sorted(_read_at_once(s, lazy_annotations) - bound - _binds(s) - nowhere)
            if missing:
                return missing[0]
        bound |= _binds(s)
        if any(isinstance(n, ast.ImportFrom) and n.names[0].name == "*" for n in walk(s)):
            return ""
    return ""


def _binds(s: ast.stmt) -> set[str]:
    """Every name a statement may bind at the top of the module."""
    match s:
        case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
            return {name}
        case ast.Import() | ast.ImportFrom():
            return {alias.asname or alias.name.split(".")[0] for alias in s.names}
    found = {n.id for n in walk(s) if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load)}
    for inner in (n for n in walk(s) if isinstance(n, ast.stmt) and n is not s):
        found |= _binds(inner)
    return found


def _read_at_once(s: ast.stmt, lazy_annotations: bool) -> set[str]:
    """Names a statement reads while the module is executed: not those inside functions."""
    found: set[str] = set()
    own: set[str] = set()
    pending: list[ast.AST] = [s]
    while pending:
        node = pending.pop()
        match node:
            case ast.FunctionDef() | ast.AsyncFunctionDef():
                pending += [*node.decorator_list, *node.args.defaults, *(d for d in node.args.kw_defaults if d)]
                every = (*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs)
                if not lazy_annotations:
                    pending += [a.annotation for a in every if a.annotation is not None]
                    pending += [node.returns] if node.returns is not None else []
                own.add(node.name)
            case ast.Lambda():
                pending += [*node.args.defaults, *(d for d in node.args.kw_defaults if d)]
            case ast.ListComp() | ast.SetComp() | ast.DictComp() | ast.GeneratorExp():
                pending.append(node.generators[0].iter)
            case ast.AnnAssign() if lazy_annotations:
                pending += [n for n in (node.target, node.value) if n is not None]
            case ast.Name(id=name, ctx=ast.Load()):
                found.add(name)
            case ast.Name(id=name):
                own.add(name)
            case _:
                pending += list(ast.iter_child_nodes(node))
    return found - own if isinstance(s, ast.ClassDef) else found
