"""`--name old=new` for a local variable or a parameter of the function that is meant: callers by keyword included."""

import ast
import textwrap
from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path

import libcst as cst

from dreck.errors import DreckError
from dreck.model.names.modules import ModuleNames
from dreck.model.names.scopes import names_bound_inside, scope_of
from dreck.source.functions import Function, FunctionNode, functions_in, parse, segment, splice
from dreck.source.lines import indent_of, split_lines
from dreck.source.walking import walk
from dreck.steps.support.scene import Others
from dreck.steps.support.trees import Tree
from dreck.trial.running.renaming import BY_POSITION
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.engine.callers import Called, has_another, imported_as, sure_callers
from dreck.workbench.engine.reshape import Bench, Change
from dreck.workbench.engine.stage import project_files
from dreck.workbench.judging.by_position import given_by_name, seen_by_decorators
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
    told, others = f"{old} is called {new}", dict[Path, tuple[str, str]]()
    if is_parameter:
        after, others, callers = _for_callers(path, after, function, old, new)
        told += f", by {callers} caller{'' if callers == 1 else 's'}, too" if callers else ""
    wanted = replace(bench.wanted, assume=tuple(DEFAULT_ASSUMPTIONS))
    judged = [after]
    if is_parameter:  # as what is handed over at once, or by its place among the parameters
        by_name = old in {a.arg for a in function.node.args.kwonlyargs}
        judged = [splice(text, function, _handed_over(renamed, old, new)), *([] if by_name else [after])]
    was = Text(path, text, name)
    proofs = (compare_texts(was, Text(path, made, name), replace(wanted, trial=False)).verdict for made in judged)
    verdict = next(filter(None, proofs), None) or compare_texts(was, Text(path, judged[0], name), wanted).verdict
    if not verdict:
        raise DreckError(f"{path}::{name}: with '{new}' for '{old}' it could not be shown to do the same: {verdict}")
    if old in {a.arg for a in (*function.node.args.args, *function.node.args.kwonlyargs)}:
        verdict = replace(verdict, assumptions=tuple(sorted({*verdict.assumptions, BY_POSITION})))
    return Change(name, Taken(STEP, function.node.lineno, told, verdict, (new,)), text, after, others)


def _for_callers(
    path: Path, after: str, function: Function, old: str, new: str
) -> tuple[str, dict[Path, tuple[str, str]], int]:
    """The text with those who give the parameter by name, the other files with theirs, and how many these are.

    Raises DreckError where somebody gives it by name who may call this function or another, or asks for its name.
    """
    owner = function.owner.name if function.owner is not None else ""
    home, beside = parse(after, path), Others(project_files(path))
    called = Called(function.node.name, owner, path.stem if path.stem != "__init__" else path.parent.name)
    importing = {other: (before, tree) for other, before, tree in beside.saying(path, owner or called.name)}
    reached = beside.reached_from(path, home, owner or called.name)
    trees = [home, *reached.values()]
    alone = sum(_made_as(tree, called.name) for tree in trees) == 1 and not any(
        has_another(t, called.name) for t in trees
    )
    if sum(_made_as(tree, owner or called.name) for tree in trees) == 1:
        called = replace(called, places=frozenset(part for file in beside.files for part in (file.stem, *file.parts)))
    after, count = _with_keyword(after, sure_callers(home, called, True, alone), old, new)
    others: dict[Path, tuple[str, str]] = {}
    for other, (before, tree) in importing.items():
        changed, further = _with_keyword(before, sure_callers(tree, called, False, alone), old, new)
        count += further
        if further:
            others[other] = (before, changed)
    places = {path: parse(after, path)}
    places |= {other: parse(others[other][1] if other in others else t, other) for other, (t, _) in importing.items()}
    places |= {other: tree for other, tree in reached.items() if other not in places}
    against = seen_by_decorators(function.node, ModuleNames(home))
    for place, tree in places.items():
        for word in (called.name, *imported_as(tree, called.word)):
            left = given_by_name(word, {old}, ModuleNames(tree), [tree], list(places.values()))
            against = against or (f"{place.name}: {left.replace('of the new version ', '')}" if left else "")
    if against:
        told = f"{against}, and that may be this one or another; give it by position there, or rename it by hand"
        raise DreckError(f"{path}::{function.name}: '{old}' keeps its name: {told}")
    return after, others, count


def _made_as(tree: ast.Module, name: str) -> int:
    """How often a file makes a function or a class of that name."""
    return sum(isinstance(n, FunctionNode | ast.ClassDef) and n.name == name for n in walk(tree))


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


def _with_keyword(text: str, calls: Iterable[ast.Call], old: str, new: str) -> tuple[str, int]:
    """`text` with the keyword `old` of these calls called otherwise, and how many there are."""
    found = [keyword for call in calls for keyword in call.keywords if keyword.arg == old]
    lines = split_lines(text)
    for keyword in sorted(found, key=lambda k: (k.lineno, k.col_offset), reverse=True):
        line = lines[keyword.lineno - 1].encode()
        start = keyword.col_offset
        lines[keyword.lineno - 1] = (line[:start] + new.encode() + line[start + len(old.encode()) :]).decode()
    return "".join(lines), len(found)
