"""What rests on a name that means something else: constants made of it, classes that hold it, what is made of these."""

import ast
from collections.abc import Iterable, Iterator
from collections.abc import Set as AbstractSet
from dataclasses import replace

from dreck.model.names.bindings import bound_by, statements_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.proof.surroundings.importing import acting, is_for_scripts
from dreck.proof.surroundings.module_diff import Changed, Module
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk


def spread(changed: Changed, old: Module, new: Module, running: bool = True) -> Changed:
    """`changed`, and all that the two modules make of what has changed, written alike or not.

    Tables that both read row by row are unfolded as what they are made of is; all else counts wherever it is named.
    With `running`, statements that do something count for all (not classes and functions, which are what they hold),
    and what is made of names by way of classes, defaults and decorators; else what is plainly made of values.
    """
    read_in = _bound_of if running else assigned_of
    made = _together(read_in(old.tree), read_in(new.tree))
    always, unfolded = dict(changed.always), dict(changed.unfolded)
    grown = bool(always or unfolded)
    while grown:
        grown = False
        for name, reads in made.items():
            hit = reads & (always.keys() | unfolded.keys()) - {name}
            if not hit or name in always:
                continue
            first = min(hit)
            how = f"is made of {first}, which {always.get(first) or unfolded[first]}"
            by_rows = not hit & always.keys() and all(m.names.tables.get(name) is not None for m in (old, new))
            if by_rows and name not in unfolded:
                unfolded[name], grown = how, True
            elif not by_rows:
                always[name], grown = how, True
    everywhere = changed.everywhere
    touched = always.keys() | unfolded.keys()
    if running and not everywhere and any(touched & _read(s) for m in (old, new) for s in _running(m.tree, m.names)):
        everywhere = f"what the two modules do when they are imported reads {min(touched & _all_read(old, new))}"
    return replace(changed, always=always, unfolded=unfolded, everywhere=everywhere)


def assigned_of(tree: ast.Module) -> dict[str, set[str]]:
    """For each name that a module assigns, or whose class holds values, the names that these read."""
    found: dict[str, set[str]] = {}
    plain = ast.Assign | ast.AnnAssign | ast.AugAssign
    for s in tree.body:
        values = [v for v in s.body if isinstance(v, plain)] if isinstance(s, ast.ClassDef) else [s]
        for v in values:
            if isinstance(v, plain):
                for name in {s.name} if isinstance(s, ast.ClassDef) else _touched(s):
                    found.setdefault(name, set()).update(_read(v) - {name})
    return found


def _bound_of(tree: ast.Module) -> dict[str, set[str]]:
    """For each name that statements of the module bind, or set a part of, the names that they read."""
    found: dict[str, set[str]] = {}
    for s in tree.body:
        if not isinstance(s, ast.Import | ast.ImportFrom):
            reads = {name for part in _made_from(s) for name in _read(part)}
            for name in _touched(s):
                found.setdefault(name, set()).update(reads)
    return found


def _made_from(s: ast.stmt, imported: AbstractSet[str] = frozenset()) -> Iterable[ast.AST]:
    """What a statement makes what it binds from: a class of all but the bases that are `imported`, and its methods,
    which are looked at themselves, but for their defaults and what decorates them."""
    if not isinstance(s, ast.ClassDef):
        return [s]
    body = [part for n in s.body for part in (_heads(n) if isinstance(n, FunctionNode) else [n])]
    return (*s.decorator_list, *s.keywords, *body, *(b for b in s.bases if not _names(b) & imported))


def _heads(function: FunctionNode) -> Iterable[ast.AST]:
    return (function.args, *function.decorator_list)


def made_of(tree: ast.Module) -> dict[str, set[str]]:
    """For each name that statements of the module bind or change, the words (`words_of`) that they read.

    A statement that calls something may hand all it names to all it names; functions fill the module's containers
    and bind its names, too.
    """
    found: dict[str, set[str]] = {}
    imported = {name for s in tree.body if isinstance(s, ast.Import | ast.ImportFrom) for name in bound_by(s)}
    for s in tree.body:
        reads = {word for part in _made_from(s, imported) for n in _outside_of_bodies(part) for word in _words(n)}
        for name in _touched(s) | (_read(s) if _may_hand_on(s) else set()):
            found.setdefault(name, set()).update(reads)
    bound = {name for s in statements_of(tree.body) for name in bound_by(s)}
    for outermost in tree.body:
        for name, words in _filled_inside(outermost):
            if name in bound or name.startswith("."):  # of a class: what is decorated by one of its names
                found.setdefault(name, set()).update(words)
    return found


def _filled_inside(outermost: ast.stmt) -> Iterator[tuple[str, set[str]]]:
    """What functions bind in their module, put into its containers, and what decorators are handed."""
    around = {n.name for n in walk(outermost) if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef)}
    for s in walk(outermost):
        match s:
            case ast.FunctionDef() | ast.AsyncFunctionDef() | ast.ClassDef():
                yield from ((n, words_of(s) | {s.name}) for g in walk(s) if isinstance(g, ast.Global) for n in g.names)
                yield from ((n, {s.name}) for d in s.decorator_list for n in _names(d))
                yield from ((f".{n}", {s.name, f".{s.name}"}) for d in s.decorator_list for n in _names(d))
            case (
                ast.Expr(value=ast.Call(func=ast.Attribute() as place)) | ast.Assign(targets=[ast.Subscript() as place])
            ):
                yield from ((n, words_of(s) | around) for n in _names(place.value))


def _names(e: ast.AST) -> set[str]:
    return {n.id for n in walk(e) if isinstance(n, ast.Name)}


_HOLDING = (ast.Name, ast.Attribute, ast.Lambda, ast.Dict, ast.List, ast.Tuple)
"""Values that may hold functions as they are; what a call gives is another matter."""


def held_by(tree: ast.Module) -> dict[str, set[str]]:
    """For each attribute that is set anywhere, in a class or on an object, the words of what it is set to."""
    found: dict[str, set[str]] = {}
    for n in every_node(tree):
        if isinstance(n, ast.ClassDef):
            for s in n.body:
                if not isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
                    words = words_of(s)
                    for name in bound_by(s):  # in a class body a name may be one of its methods
                        found.setdefault(name, set()).update(words, (f".{w}" for w in words if w.isidentifier()))
        elif isinstance(n, ast.Assign | ast.AnnAssign) and isinstance(n.value, _HOLDING):
            for t in n.targets if isinstance(n, ast.Assign) else [n.target]:
                for place in walk(t):
                    if isinstance(place, ast.Attribute):
                        found.setdefault(place.attr, set()).update(words_of(n.value))
    return found


def words_of(node: ast.AST) -> set[str]:
    """What a piece of code speaks of: names, attributes (`.weigh`), those of modules (`@weigh`), texts (`'weigh'`), and
    whether it looks things up by texts: written ones, `any method` of an object, or `any function` of a module."""
    return {word for n in walk(node) for word in _words(n)}


BY_TEXTS = frozenset({"looks up", "any method", "any function"})
"""Words for looking things up by texts: what a function does itself, not what it leads to."""
_BY_TEXT = frozenset({"getattr", "attrgetter", "methodcaller", "__getattribute__"})
_ALL_OF_OBJECTS = frozenset({"vars", "dir", "getmembers", "getmembers_static", "getattr_static", "__dict__"})
_ALL = frozenset({"globals", "locals", "eval", "exec", "__globals__", "f_globals", "modules", "__import__",
                  "import_module", "get_objects"})  # fmt: skip


def _words(n: ast.AST) -> Iterator[str]:
    match n:
        case ast.Name(id=name):
            yield name
            yield from ["any function"] if name in _ALL else ["any method"] if name in _ALL_OF_OBJECTS else []
        case ast.Attribute(value=base, attr=attr):
            yield f".{attr}"
            yield from [f"@{attr}"] if isinstance(base, ast.Name) else []
            own = attr == "__dict__" and isinstance(base, ast.Name) and base.id == "self"
            yield from (
                ["any function"] if attr in _ALL else ["any method"] if attr in _ALL_OF_OBJECTS and not own else []
            )
        case ast.MatchClass(kwd_attrs=attrs):
            yield from (f".{attr}" for attr in attrs)
        case ast.Constant(value=str() as text):
            yield from (f"'{part}'" for part in text.split(".") if part.isidentifier())
        case ast.Call(func=ast.Name(id=called) | ast.Attribute(attr=called), args=args) if called in _BY_TEXT:
            asked = args[1:2] if called == "getattr" else args if called == "attrgetter" else args[:1]
            written = bool(asked) and all(isinstance(a, ast.Constant) for a in asked)
            yield "looks up" if written else "any method"
            yield from ["looks up"] if not written else []


def _together(one: dict[str, set[str]], other: dict[str, set[str]]) -> dict[str, set[str]]:
    return {name: one.get(name, set()) | other.get(name, set()) for name in one.keys() | other.keys()}


def _touched(s: ast.stmt) -> set[str]:
    """Names that a statement, or one inside it, binds; and those whose items and attributes it sets."""
    found = {name for inner in statements_of([s]) for name in bound_by(inner)}
    for n in _outside_of_bodies(s):
        if isinstance(n, ast.Subscript | ast.Attribute) and not isinstance(n.ctx, ast.Load):
            found |= {inner.id for inner in walk(n.value) if isinstance(inner, ast.Name)}
    return found


def _read(s: ast.AST) -> set[str]:
    """Names that a statement reads when it runs, or that a lambda in it reads later; not those of function bodies."""
    return {n.id for n in _outside_of_bodies(s) if isinstance(n, ast.Name)}


def _outside_of_bodies(node: ast.AST) -> Iterator[ast.AST]:
    yield node
    inside: Iterable[ast.AST] = ast.iter_child_nodes(node)
    if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
        inside = (*node.decorator_list, node.args, *filter(None, [node.returns]))
    for child in inside:
        yield from _outside_of_bodies(child)


def _running(tree: ast.Module, names: ModuleNames) -> list[ast.stmt]:
    """The statements of a module that do something when it is imported."""
    shut = ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef
    return [s for s in tree.body if not isinstance(s, shut) and acting(s, tree, names) and not is_for_scripts(s)]


def _may_hand_on(s: ast.stmt) -> bool:
    """Whether a statement at the top of a module calls something for what it does, or does so again and again."""
    plain = ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef | ast.Import | ast.ImportFrom
    if isinstance(s, plain) or is_for_scripts(s):
        return False
    inside = list(_outside_of_bodies(s))
    return any(isinstance(n, ast.Expr) and not isinstance(n.value, ast.Constant) for n in inside) or any(
        isinstance(n, ast.For | ast.While | ast.With) for n in inside
    )


def _all_read(*modules: Module) -> set[str]:
    return {name for m in modules for s in _running(m.tree, m.names) for name in _read(s)}
