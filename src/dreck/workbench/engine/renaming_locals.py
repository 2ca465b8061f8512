"""`--name old=new` for a local variable or a parameter of the function that is meant: callers by keyword included."""

import ast
import textwrap
from dataclasses import dataclass, replace
from pathlib import Path

import libcst as cst

from dreck.errors import DreckError
from dreck.model.names.scopes import names_bound_inside, scope_of
from dreck.source.functions import Function, FunctionNode, functions_in, parse, segment, splice
from dreck.source.lines import indent_of
from dreck.source.walking import walk
from dreck.steps.support.scene import Others
from dreck.steps.support.trees import Tree
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.engine.reshape import Bench, Change
from dreck.workbench.engine.stage import project_files
from dreck.workbench.judging.judge import DEFAULT_ASSUMPTIONS
from dreck.workbench.results import Taken

STEP = "rename"
_SCOPES = (
    ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda, ast.ClassDef, ast.ListComp, ast.SetComp, ast.DictComp,
    ast.GeneratorExp,
)  # fmt: skip


def renamed_local(bench: Bench, text: str, name: str, old: str, new: str) -> Change | None:
    """The change that renames `old` in the function called `name`; None when it has no such local.

    Raises DreckError where the new name is taken, or where the old one is bound inside of it once more.
    """
    path = bench.file.path
    tree = parse(text, path)
    function = next(f for f in functions_in(tree, text) if f.name == name)
    scope = scope_of(function.node)
    if old not in scope.local:
        return None
    _check(path, function, old, new)
    renamed = _renamed(segment(text, function), old, new)
    after = splice(text, function, renamed)
    is_parameter = old in scope.params
    judged = [after]
    if is_parameter:
        by_keyword = old in {arg.arg for arg in function.node.args.kwonlyargs}
        judged = [splice(text, function, _handed_over(renamed, old, new)), *([] if by_keyword else [after])]
    others: dict[Path, tuple[str, str]] = {}
    told = f"{old} is called {new}"
    if is_parameter:
        after, callers = _callers_renamed(after, function.node.name, old, new)
        for other, before, _ in Others(project_files(path)).importing(path):
            changed, further = _callers_renamed(before, function.node.name, old, new)
            callers += further
            if changed != before:
                others[other] = (before, changed)
        told += f", by {callers} caller{'' if callers == 1 else 's'}, too" if callers else ""
    wanted = replace(bench.wanted, assume=tuple(DEFAULT_ASSUMPTIONS))
    was = Text(path, text, name)
    verdicts = [compare_texts(was, Text(path, made, name), replace(wanted, trial=False)).verdict for made in judged]
    verdict = next((v for v in verdicts if v), None)
    verdict = verdict or compare_texts(was, Text(path, judged[0], name), wanted).verdict
    if not verdict:
        raise DreckError(f"{path}::{name}: with '{new}' for '{old}' it could not be shown to do the same: {verdict}")
    return Change(name, Taken(STEP, function.node.lineno, told, verdict, (new,)), text, after, others)


def _check(path: Path, function: Function, old: str, new: str) -> None:
    words = {getattr(n, "id", getattr(n, "arg", None)) for n in walk(function.node)}
    if new in words or new in names_bound_inside(function.node):
        raise DreckError(f"{path}::{function.name}: '{new}' is taken already; choose another name for '{old}'")
    inner = [n for n in walk(function.node) if isinstance(n, _SCOPES) and n is not function.node]
    again = [n for n in inner if old in _bound_by(n)]
    loops = (ast.ListComp, ast.SetComp, ast.DictComp, ast.GeneratorExp)
    again += [n for n in walk(function.node) if isinstance(n, loops) and old in names_bound_inside(n)]
    if again:
        line = getattr(again[0], "lineno", function.node.lineno)
        raise DreckError(
            f"{path}::{function.name}: line {line} has a '{old}' of its own; rename that one by hand first"
        )


def _bound_by(node: ast.AST) -> set[str]:
    if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
        return set(scope_of(node).local)
    return names_bound_inside(node)


def _renamed(code: str, old: str, new: str) -> str:
    tree = Tree.parse(code)
    module = tree.module.visit(_Renaming(old, new))
    assert isinstance(module, cst.Module)
    return Tree(module, tree.wrapped).code


def _handed_over(code: str, old: str, new: str) -> str:
    """The renamed function, its parameter called as before and handed over at once: what is judged of it."""
    indent = indent_of(code)
    node = ast.parse(textwrap.dedent(code)).body[0]
    assert isinstance(node, FunctionNode)
    spec = node.args
    for arg in (*spec.posonlyargs, *spec.args, *spec.kwonlyargs, spec.vararg, spec.kwarg):
        if arg is not None and arg.arg == new:
            arg.arg = old
    first = 1 if ast.get_docstring(node) is not None else 0
    node.body.insert(first, ast.Assign([ast.Name(new, ast.Store())], ast.Name(old, ast.Load()), lineno=node.lineno))
    return textwrap.indent(ast.unparse(node), indent) + "\n"


@dataclass
class _Renaming(cst.CSTTransformer):
    """Every name that is read or bound; no attribute, and no keyword of a call."""

    old: str
    new: str

    def __post_init__(self) -> None:
        super().__init__()

    def leave_Name(self, original_node: cst.Name, updated_node: cst.Name) -> cst.BaseExpression:
        return updated_node.with_changes(value=self.new) if original_node.value == self.old else updated_node

    def leave_Attribute(self, original_node: cst.Attribute, updated_node: cst.Attribute) -> cst.BaseExpression:
        return updated_node.with_changes(attr=original_node.attr)

    def leave_Arg(self, original_node: cst.Arg, updated_node: cst.Arg) -> cst.Arg:
        return updated_node.with_changes(keyword=original_node.keyword)


def _callers_renamed(text: str, function: str, old: str, new: str) -> tuple[str, int]:
    """`text` with the keyword `old` of calls of the function called otherwise, and how many there are."""
    found = [
        keyword
        for n in walk(ast.parse(text))
        if isinstance(n, ast.Call) and _calls(n.func, function)
        for keyword in n.keywords
        if keyword.arg == old
    ]
    lines = text.splitlines(keepends=True)
    for keyword in sorted(found, key=lambda k: (k.lineno, k.col_offset), reverse=True):
        line = lines[keyword.lineno - 1].encode()
        start = keyword.col_offset
        lines[keyword.lineno - 1] = (line[:start] + new.encode() + line[start + len(old.encode()) :]).decode()
    return "".join(lines), len(found)


def _calls(func: ast.expr, function: str) -> bool:
    return (isinstance(func, ast.Name) and func.id == function) or (
        isinstance(func, ast.Attribute) and func.attr == function
    )
