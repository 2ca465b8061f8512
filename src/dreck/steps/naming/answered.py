"""Conditions that have a name already: a function of the module, or a method of the class, answers just that."""

import ast
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from dreck.source.functions import FunctionNode, instance_owner
from dreck.source.walking import walk
from dreck.steps.naming.predicates import conditions
from dreck.steps.support.scene import Plan, Scene
from dreck.steps.support.spelled import as_written


@dataclass(frozen=True, slots=True)
class _Answer:
    """A function that does nothing but answer a condition: its parameters, how it is called, and what it asks."""

    name: str
    parameters: tuple[str, ...]
    asked: ast.expr
    own: str = ""
    """The parameter that is the object itself, of a method."""
    is_property: bool = False

    def call(self, given: Mapping[str, str]) -> str:
        if self.is_property:
            return f"{given[self.own]}.{self.name}"
        told = ", ".join(given[p] for p in self.parameters if p != self.own)
        return f"{given[self.own]}.{self.name}({told})" if self.own else f"{self.name}({told})"


def answered(scene: Scene) -> Iterator[Plan]:
    """One plan for each function that answers conditions of this one."""
    for answer in _answers(scene):
        sheet, lines, put, code = scene.sheet(), list[int](), set[ast.AST](), ""
        for test in _asked(scene):
            given = _fitted(scene, answer, test) if test not in put else None
            if given is None:
                continue
            put.update(walk(test))
            told = {n: sheet.code(e) if hasattr(e, "lineno") else ast.unparse(e) for n, e in given.items()}
            sheet.replace(sheet.in_parentheses(test), answer.call(told))
            lines.append(test.lineno)
            code = code or as_written(scene.text, test)
        if lines:
            places = f", in {len(lines)} places" if len(lines) > 1 else ""
            reason = f"`{code}` is what {answer.name} answers{places}"
            yield Plan(lines[0], reason, sheet.result())


def _asked(scene: Scene) -> Iterator[ast.expr]:
    """The compound conditions of the function, the outermost first; parts of one that was given are left out."""
    for condition in conditions(scene.node):
        for n in walk(condition.test):
            if isinstance(n, ast.expr) and _is_compound(n):
                yield n


def _is_compound(e: ast.expr) -> bool:
    return isinstance(e, ast.BoolOp) or (isinstance(e, ast.Compare) and len(e.ops) > 1)


def _answers(scene: Scene) -> Iterator[_Answer]:
    owner = scene.function.owner if instance_owner(scene.function) else None
    for f in scene.functions:
        if f.node is scene.node or f.nested or isinstance(f.node, ast.AsyncFunctionDef):
            continue
        asked = _asked_by(f.node)
        if asked is None or f.node.name in scene.scope.local:
            continue
        parameters = tuple(a.arg for a in f.node.args.args)
        decorated = [ast.unparse(d) for d in f.node.decorator_list]
        if f.owner is None and not decorated:
            yield _Answer(f.node.name, parameters, asked)
        elif owner is not None and f.owner == owner and parameters and decorated in ([], ["property"]):
            yield _Answer(f.node.name, parameters, asked, parameters[0], bool(decorated))


def _asked_by(node: FunctionNode) -> ast.expr | None:
    spec = node.args
    if spec.posonlyargs or spec.kwonlyargs or spec.vararg or spec.kwarg or spec.defaults:
        return None
    body = [s for s in node.body if not (isinstance(s, ast.Expr) and isinstance(s.value, ast.Constant))]
    match body:
        case [ast.Return(value=ast.expr() as asked)] if _is_compound(asked):
            return asked
    return None


def _fitted(scene: Scene, answer: _Answer, test: ast.expr) -> dict[str, ast.expr] | None:
    """What the parameters stand for where a test asks the same; None where it asks something else."""
    first = scene.node.args.args[0].arg if answer.own else ""
    given: dict[str, ast.expr] = {answer.own: ast.Name(first, ast.Load())} if answer.own else {}
    if not _is_same(scene, answer, answer.asked, test, given) or set(given) != set(answer.parameters):
        return None
    return given


def _is_same(scene: Scene, answer: _Answer, a: object, b: object, given: dict[str, ast.expr]) -> bool:
    if isinstance(a, ast.Name) and a.id in answer.parameters:
        if not isinstance(b, ast.expr) or not _is_plain(b):
            return False
        return ast.dump(given.setdefault(a.id, b)) == ast.dump(b)
    if type(a) is not type(b):
        return False
    if isinstance(a, ast.Name) and a.id in scene.scope.local:
        return False
    if isinstance(a, ast.AST):
        return all(_is_same(scene, answer, getattr(a, f, None), getattr(b, f, None), given) for f in a._fields)
    if isinstance(a, list) and isinstance(b, list):
        return len(a) == len(b) and all(_is_same(scene, answer, x, y, given) for x, y in zip(a, b, strict=True))
    return a == b


def _is_plain(e: ast.expr) -> bool:
    while isinstance(e, ast.Attribute):
        e = e.value
    return isinstance(e, ast.Name)
