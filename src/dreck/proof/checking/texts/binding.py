"""What binds the names of a module, read once more for the checker."""

import ast
from collections import Counter
from collections.abc import Iterator

from dreck.model.names.bindings import imported_anywhere, root_of
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.model.names.reaching import hands_setting_on, leading, only_read, opens_modules, set_on_anything
from dreck.source.walking import walk


def bound_in(tree: ast.Module) -> Iterator[str]:
    """Every name the module may bind, once for each place; '*' for what binds names nobody can read."""
    pending: list[tuple[ast.AST, bool]] = [(tree, False)]
    imported = imported_anywhere(tree)
    again, leads = _imported_again(tree), set(leading(tree))
    read = {held for node in every_node(tree) for held in only_read(node)}
    opened = opens_modules(tree)
    if hands_setting_on(tree):
        yield "*"
    while pending:
        node, shut = pending.pop()
        match node:
            case ast.Attribute(value=of, attr=name, ctx=ast.Store() | ast.Del()) if root_of(of) in imported:
                yield from (name, name)  # it may be this module
            case ast.Call(func=ast.Attribute(value=of, attr="__setattr__" | "__delattr__"), args=args) if {
                root_of(of),
                *map(root_of, args[:1]),
            } & imported:
                yield "*"
            case ast.Call(func=ast.Name(id="setattr" | "delattr"), args=[of, told, *_]) if root_of(of) in imported:
                yield from (str(told.value),) * 2 if isinstance(told, ast.Constant) else ("*",)
            case ast.Attribute(value=of, attr="__dict__") | ast.Call(func=ast.Name(id="vars"), args=[of]):
                yield from ("*",) if root_of(of) in imported and node not in read else ()
            case ast.Global(names=names):
                yield from (name for name in names for _ in range(2))
            case ast.Subscript(value=ast.Call(func=ast.Name(id="globals")), slice=index, ctx=ast.Load()):
                pending.append((index, shut))  # only read
                continue
            case ast.Attribute(value=ast.Call(func=ast.Name(id="globals")), attr="get"):
                continue
            case ast.Call(func=ast.Name(id="exec" | "globals")):
                yield "*"
        if node in leads:
            yield "*"
        for parameter in getattr(node, "type_params", ()):
            yield from (parameter.name,) * 2  # what it means is told by where it is read
        if opened:
            yield from (name for name in set_on_anything(node) for _ in range(2))
        if not shut and node not in again:
            yield from bound_at(node)
        inner = shut or isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.Lambda | ast.ClassDef)
        target = node.target if isinstance(node, ast.comprehension) else None
        pending += [(child, inner or child is target) for child in ast.iter_child_nodes(node)]


def _imported_again(tree: ast.Module) -> set[ast.AST]:
    """Imports at the top by which a package comes to the name that it has already: of it, or of a module in it."""
    seen, found = set[str](), set[ast.AST]()
    for alias in (a for s in tree.body if isinstance(s, ast.Import) for a in s.names if a.asname is None):
        package = alias.name.split(".")[0]
        found |= {alias} if package in seen else set()
        seen.add(package)
    return found


def bound_at(node: ast.AST) -> Iterator[str]:
    """The names that a node itself binds."""
    match node:
        case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
            yield name
        case ast.Name(id=name, ctx=ast.Store() | ast.Del()):
            yield name
        case ast.alias(name=name, asname=asname):
            yield "import *" if name == "*" else asname or name.split(".")[0]
        case (
            ast.ExceptHandler(name=str() as name) | ast.MatchAs(name=str() as name) | ast.MatchStar(name=str() as name)
        ):
            yield name


def gives_it_back(decorator: ast.expr) -> bool:
    """A decorator that leaves the name to the class that is written there."""
    called = decorator.func if isinstance(decorator, ast.Call) else decorator
    word = called.attr if isinstance(called, ast.Attribute) else getattr(called, "id", "")
    return word.rpartition(".")[2] in (
        "dataclass",
        "unique",
        "total_ordering",
        "final",
        "runtime_checkable",
        "dataclass_transform",
    )


@once_per_tree
def taken_away(tree: ast.Module) -> frozenset[str]:
    """The words in what a module deletes, anywhere."""
    deleted = (n for n in every_node(tree) if isinstance(n, ast.Delete))
    return frozenset(inner.id for n in deleted for inner in ast.walk(n) if isinstance(inner, ast.Name))


@once_per_tree
def bound_at_the_top(tree: ast.Module) -> dict[str, ast.stmt]:
    """The names that statements of the module itself bind, with these; not those inside `if`, `try` or a loop."""
    plain = (
        ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef | ast.Assign | ast.AnnAssign | ast.Import | ast.ImportFrom
    )
    shut = ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef
    found: dict[str, ast.stmt] = {}
    for s in tree.body:
        if isinstance(s, ast.ImportFrom) and s.names[0].name == "*":
            found.clear()  # it may bind all that was bound before it
        elif isinstance(s, plain):
            found |= {name: s for n in ([s] if isinstance(s, shut) else walk(s)) for name in bound_at(n)}
    return found


@once_per_tree
def counted_in(tree: ast.Module) -> Counter[str]:
    """How often each name of a module may be bound."""
    return Counter(bound_in(tree))
