"""Giving a live function other code: compiled in the same surroundings, without executing its module again."""

import ast
import copy
import types
from collections.abc import Iterator
from contextlib import contextmanager

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk


def code_of(tree: ast.Module, path: str, function: FunctionNode, other: FunctionNode) -> types.CodeType:
    """`other` compiled where `function` stands in `tree`: same class, same future statements, same free names."""
    home = _home(tree, function)
    assert home is not None
    bare = _bare(other)
    if home and _asks_class(function) and not _asks_class(other):
        bare.body = [*bare.body, *ast.parse("if False: __class__").body]  # the live function has a cell for it
    made: ast.stmt = bare
    for kind in reversed(home):
        around = copy.copy(kind)
        around.bases, around.keywords, around.body, around.decorator_list = [], [], [made], []
        made = around
    future = [s for s in tree.body if isinstance(s, ast.ImportFrom) and s.module == "__future__"]
    module = ast.fix_missing_locations(ast.Module([*future, made], []))
    code = compile(module, path, "exec", dont_inherit=True)
    for name in (*(kind.name for kind in home), other.name):
        code = _inside(code, name)
    return code


def _home(body: ast.AST, function: FunctionNode) -> list[ast.ClassDef] | None:
    """The classes around `function`, outermost first."""
    for child in ast.iter_child_nodes(body):
        if child is function:
            return []
        found = _home(child, function) if isinstance(child, ast.stmt | ast.ExceptHandler | ast.match_case) else None
        if found is not None:
            return [child, *found] if isinstance(child, ast.ClassDef) else found
    return None


def _bare(function: FunctionNode) -> FunctionNode:
    """Without decorators, defaults and annotations, which are evaluated once, outside the code."""
    made = copy.copy(function)
    made.decorator_list = []
    made.args = ast.arguments(
        posonlyargs=[ast.arg(a.arg) for a in function.args.posonlyargs],
        args=[ast.arg(a.arg) for a in function.args.args],
        vararg=ast.arg(function.args.vararg.arg) if function.args.vararg else None,
        kwonlyargs=[ast.arg(a.arg) for a in function.args.kwonlyargs],
        kw_defaults=[None for _ in function.args.kwonlyargs],
        kwarg=ast.arg(function.args.kwarg.arg) if function.args.kwarg else None,
        defaults=[],
    )
    made.returns = None
    return ast.copy_location(made, function)


def _asks_class(function: FunctionNode) -> bool:
    return any(isinstance(n, ast.Name) and n.id in ("super", "__class__") for n in walk(function))


def _inside(code: types.CodeType, name: str) -> types.CodeType:
    """The code of a class or function that stands in other code; type parameters have a scope between the two."""
    every = [c for c in code.co_consts if isinstance(c, types.CodeType)]
    found = next((c for c in every if c.co_name == name), None)
    return found or _inside(next(c for c in every if c.co_name == f"<generic parameters of {name}>"), name)


@contextmanager
def swapped(function: types.FunctionType, code: types.CodeType) -> Iterator[None]:
    """`function` runs `code` inside the block."""
    before = function.__code__
    function.__code__ = code
    try:
        yield
    finally:
        function.__code__ = before
