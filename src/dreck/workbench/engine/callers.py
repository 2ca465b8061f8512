"""Callers that give a parameter by name: those that surely call one function, and those of which that is not known."""

import ast
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk


@dataclass(frozen=True, slots=True)
class Called:
    """A function by its name, the class it is a method of ('' for none), and the name of its module.

    `places`: names of files and folders of the project, from which it may be imported as well; none where something
    else of the project has that name, too.
    """

    name: str
    owner: str
    module: str
    places: frozenset[str] = frozenset()

    @property
    def word(self) -> str:
        """What a caller says: of a constructor the name of its class."""
        return self.owner if self.name == "__init__" and self.owner else self.name


def sure_callers(tree: ast.Module, called: Called, at_home: bool, alone: bool) -> Iterator[ast.Call]:
    """The calls in a file that surely are of the function; `alone`: no other class has a method of that name."""
    names = _local_names(tree, called, at_home)
    modules = _modules(tree, called.module)
    around = list(_calls_by_class(tree))
    plain = not called.owner or called.word == called.owner
    for kind, call in around:
        match call.func:
            case ast.Name(id=name) if plain and name in names:
                yield call
            case ast.Attribute(value=ast.Name(id=of), attr=word) if plain and of in modules and word == called.word:
                yield call
            case ast.Attribute(value=ast.Call(func=ast.Name(id="super")), attr=word) if word == called.name:
                if _is_below(kind, names) and (alone or word == "__init__"):
                    yield call
            case ast.Attribute(value=of, attr=word) if not plain and alone and word == called.name:
                if _is_of(of, kind, called, names, tree, call):
                    yield call


def _local_names(tree: ast.Module, called: Called, at_home: bool) -> set[str]:
    """Names that stand for the function in a file, or for its class, and for nothing else."""
    wanted = called.owner or called.name
    bound = Counter(_bound(tree))
    if at_home:
        return {wanted} if bound[wanted] == 1 else set()
    found = set()
    for n in walk(tree):
        if isinstance(n, ast.ImportFrom) and _may_lead_to(n, called):
            found |= {a.asname or a.name for a in n.names if a.name == wanted}
    return {name for name in found if bound[name] == 1}


def _may_lead_to(s: ast.ImportFrom, called: Called) -> bool:
    parts = (s.module or "").split(".")
    return parts[-1] == called.module or bool(called.places and (s.level or parts[0] in called.places))


def imported_as(tree: ast.Module, word: str) -> set[str]:
    """The names under which a file imports what is called `word`."""
    imports = (n for n in walk(tree) if isinstance(n, ast.ImportFrom))
    return {a.asname for n in imports for a in n.names if a.name == word and a.asname}


def has_another(tree: ast.Module, name: str) -> bool:
    """Whether objects may have something else under the name of a method: `self.weigh = other`, `weigh = other`."""
    stored = (n for n in walk(tree) if isinstance(n, ast.Name | ast.Attribute) and not isinstance(n.ctx, ast.Load))
    return any(name in (getattr(n, "id", ""), getattr(n, "attr", "")) for n in stored)


def _modules(tree: ast.Module, module: str) -> set[str]:
    """Names that stand for the module in a file, and for nothing else."""
    bound = Counter(_bound(tree))
    found = set()
    for n in walk(tree):
        if isinstance(n, ast.Import):
            found |= {a.asname or a.name for a in n.names if a.name.rpartition(".")[2] == module}
        elif isinstance(n, ast.ImportFrom):
            found |= {a.asname or a.name for a in n.names if a.name == module}
    return {name for name in found if bound[name] == 1}


def _bound(tree: ast.Module) -> Iterator[str]:
    """Every name that is bound anywhere in a file, as often as it is."""
    for n in walk(tree):
        match n:
            case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
                yield name
            case ast.Name(id=name, ctx=ast.Store() | ast.Del()) | ast.arg(arg=name):
                yield name
            case ast.alias(name=name, asname=other):
                yield other or name
            case (
                ast.ExceptHandler(name=str() as name)
                | ast.MatchAs(name=str() as name)
                | ast.MatchStar(name=str() as name)
            ):
                yield name
            case ast.Global(names=names) | ast.Nonlocal(names=names):
                yield from names


def _calls_by_class(tree: ast.Module) -> Iterator[tuple[ast.ClassDef | None, ast.Call]]:
    """Every call with the class whose method it stands in."""
    inside: dict[ast.AST, ast.ClassDef] = {}
    for kind in (n for n in walk(tree) if isinstance(n, ast.ClassDef)):
        for s in (s for s in kind.body if isinstance(s, FunctionNode)):
            inside |= dict.fromkeys(walk(s), kind)
    yield from ((inside.get(n), n) for n in walk(tree) if isinstance(n, ast.Call))


def _is_below(kind: ast.ClassDef | None, names: set[str]) -> bool:
    return kind is not None and any(isinstance(b, ast.Name) and b.id in names for b in kind.bases)


def _is_of(
    of: ast.expr, kind: ast.ClassDef | None, called: Called, names: set[str], tree: ast.Module, call: ast.Call
) -> bool:
    """Whether what a method is called on is of its class: `self` there, what an annotation says, what was made so."""
    match of:
        case ast.Call(func=ast.Name(id=name)) if name in names:
            return True
        case ast.Name(id=name) if name in names:
            return True
        case ast.Name(id="self" | "cls"):
            return kind is not None and (kind.name in names or _is_below(kind, names))
        case ast.Name(id=name):
            function = min(
                (f for f in walk(tree) if isinstance(f, FunctionNode) and call in set(walk(f))),
                key=lambda f: sum(1 for _ in walk(f)),
                default=None,
            )
            return function is not None and _is_made_there(function, name, names)
    return False


def _is_made_there(function: FunctionNode, name: str, names: set[str]) -> bool:
    given = [a for a in walk(function) if isinstance(a, ast.arg) and a.arg == name]
    stores = [n for n in walk(function) if isinstance(n, ast.Name) and n.id == name and not isinstance(n.ctx, ast.Load)]
    if given:  # a lambda inside may have one of its own
        return not stores and len(given) == 1 and getattr(given[0].annotation, "id", "") in names
    made = [n for n in walk(function) if isinstance(n, ast.Assign) and n.targets[0] in stores]
    calls = [n.value.func for n in made if isinstance(n.value, ast.Call)]
    return len(stores) == 1 and any(isinstance(f, ast.Name) and f.id in names for f in calls)
