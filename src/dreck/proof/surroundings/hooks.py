"""Hooks: methods that code elsewhere may call, because a class there, which theirs derives from, says so.

`_missing_` of an enum, `default` of an encoder, `visit_Call` of a visitor: no function of the file names them.
"""

import ast
import builtins
from collections.abc import Collection, Iterator
from functools import lru_cache

from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.proof.classes.elsewhere import Elsewhere
from dreck.proof.surroundings.inherited import classes_in, opened, other_names, sources
from dreck.source.functions import FunctionNode
from dreck.source.libraries import library_module
from dreck.source.walking import walk

_PLAIN = frozenset({"object", "Protocol", "Generic", "ABC", "TestCase"})
_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)


def hooks_of(node: ast.ClassDef, names: ModuleNames, methods: Collection[str]) -> set[str]:
    """Those of its methods that a class elsewhere may call; all of them below one that cannot be read."""
    return {m for m in methods if not m.startswith("__") and any(_may_call(s, m) for s in _above(node, names))}


def hooks_apart(old: ModuleNames, new: ModuleNames) -> dict[str, str]:
    """`Kind.method` of such as only one of two versions has, with how it is told.

    What only the new version has counts where a class that was found says its name.
    """
    before, after = classes_in(old.tree), classes_in(new.tree)
    found: dict[str, str] = {}
    for kind in before.keys() & after.keys():
        mine, theirs = _methods(before[kind]), _methods(after[kind])
        hooks = hooks_of(before[kind], old, mine - theirs) if mine - theirs else set[str]()
        hooks |= {m for m in theirs - mine if any(_says(s, m) for s in _above(after[kind], new))}
        told = "is there in one version only, and may be called by a class that it derives from"
        found |= {f"{kind}.{method}": told for method in hooks}
    return found


def calls_beyond(node: FunctionNode, functions: Collection[str]) -> bool:
    """Whether a function calls anything but functions of its own file and such of Python as call nothing back."""
    return any(isinstance(n, ast.Call) and _is_beyond(n.func, functions) for n in walk(node))


def _is_beyond(called: ast.expr, functions: Collection[str]) -> bool:
    return not (isinstance(called, ast.Name) and (called.id in functions or called.id in _QUIET))


_QUIET = frozenset({"isinstance", "issubclass", "id", "callable", "super", "type"})


def _may_call(source: str, method: str) -> bool:
    """Whether the class that is imported as `module.name` has the method or says it, or looks methods up by texts."""
    module = library_module(source.rpartition(".")[0])
    return not Elsewhere(method).leaves_alone(source) or (module is not None and _looks_up(module.tree))


def _says(source: str, method: str) -> bool:
    module = library_module(source.rpartition(".")[0])
    return (module is not None and module.says(method)) or Elsewhere(method).has(source)


@lru_cache(maxsize=64)
def _looks_up(tree: ast.Module) -> bool:
    return any(
        isinstance(n, ast.Call)
        and isinstance(n.func, ast.Name)
        and n.func.id == "getattr"
        and len(n.args) > 1
        and not isinstance(n.args[1], ast.Constant)
        for n in every_node(tree)
    )


def _above(node: ast.ClassDef, names: ModuleNames) -> Iterator[str]:
    """Where its bases from elsewhere come from, and its metaclass, as `module.name`; `?` for what nobody can tell."""
    trees = [names.tree, *names.trees]
    classes = [n for tree in trees for n in every_node(tree) if isinstance(n, ast.ClassDef)]
    pending, seen = [*node.bases, *(k.value for k in node.keywords if k.arg == "metaclass")], set[str]()
    while pending:
        base = opened(pending.pop())
        told = ast.unparse(base)
        last = told.rpartition(".")[2]
        if told in seen or last in _PLAIN:
            continue
        seen.add(told)
        known = [n for n in classes if n.name == last and n is not node]
        for one in known:
            pending += one.bases
        further = [e for tree in trees for e in other_names(tree, base)]
        pending += further
        elsewhere = [s for tree in trees for s in sources(tree, told) if _is_source(s, names)]
        yield from elsewhere or (() if known or further else ("?",))


def _is_source(source: str, names: ModuleNames) -> bool:
    module, _, name = source.rpartition(".")
    return hasattr(builtins, name) if module == "builtins" else not names.is_of_project(source)


def _methods(node: ast.ClassDef) -> set[str]:
    return {n.name for n in node.body if isinstance(n, _FUNCTIONS)}
