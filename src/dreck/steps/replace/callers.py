"""Callers: calls of a function that only hands on to a method become calls of the method, and the function goes."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass, replace

from dreck.source.functions import Function, FunctionNode, functions_in, parse
from dreck.source.walking import walk
from dreck.steps.naming.predicates import first_line
from dreck.steps.support.scene import Plan, Scene
from dreck.steps.support.sheet import Range, Sheet
from dreck.steps.support.trees import Untouchable


@dataclass(frozen=True, slots=True)
class Handed:
    """What the function comes to: the method called on one of its parameters, with others as arguments."""

    function: FunctionNode
    subject: str
    method: str
    given: tuple[str, ...]


def without_function(scene: Scene, plan: Plan) -> Plan:
    """The plan with the function's callers, in every file, calling the method themselves, and the function gone.

    Raises Untouchable where the function is used in another way than by being called.
    """
    if scene.function.owner is not None or scene.function.nested or scene.node.decorator_list:
        raise Untouchable("only a plain function of the module can go; a method or a decorated one stays")
    tree = parse(plan.text, scene.path)
    functions = functions_in(tree, plan.text)
    function = next(f for f in functions if f.name == scene.function.name)
    handed = _handed(function.node)
    sheet = Sheet(plan.text)
    count = _moved(sheet, handed, _uses(tree, scene.node.name, function.node))
    last = function.end
    while last < len(plan.text.splitlines()) and not sheet.line(last + 1).strip():
        last += 1
    _keep_comments(sheet, tree, function, handed.method)
    sheet.remove_lines(function.start, last)
    others = dict(plan.others)
    for path, text, beside in scene.others.importing(scene.path) if scene.others is not None else ():
        told = others.get(path, text)
        changed, more = _elsewhere(scene, handed, told, parse(told, path) if told != text else beside)
        count += more
        if more:
            others[path] = changed
    if not count:
        raise Untouchable(f"nothing in the project calls {scene.node.name}; who does, would die without it")
    reason = f"{plan.reason}; {count} calls go there, and {scene.node.name} is gone"
    return replace(plan, text=sheet.result(), reason=reason, others=others, removed=(*plan.removed, scene.node.name))


def _keep_comments(sheet: Sheet, tree: ast.Module, function: Function, method: str) -> None:
    """What was said in the function is said where the method is declared."""
    place = Range(sheet.line_start(function.start), sheet.line_start(function.end + 1))
    said = [t.string for t in sheet.comments_in(place)]
    classes = [n for n in tree.body if isinstance(n, ast.ClassDef)]
    declared = next((n for c in classes for n in c.body if isinstance(n, ast.FunctionDef) and n.name == method), None)
    if said and declared is not None:
        indent = sheet.indent(declared.lineno)
        sheet.insert(first_line(declared), "".join(f"{indent}{text}\n" for text in said))


def _handed(node: FunctionNode) -> Handed:
    doc = ast.get_docstring(node)
    if doc is not None:
        raise Untouchable("its docstring would go with it; move it to the method first")
    match node.body[-1]:
        case (
            ast.Return(value=ast.Call(func=ast.Attribute(value=ast.Name(id=subject), attr=method), args=args))
            | ast.Expr(value=ast.Call(func=ast.Attribute(value=ast.Name(id=subject), attr=method), args=args))
        ):
            if all(isinstance(a, ast.Name) for a in args):
                return Handed(node, subject, method, tuple(ast.unparse(a) for a in args))
    raise Untouchable("it does more than hand on to the method")


def _uses(tree: ast.Module, name: str, own: FunctionNode | None) -> Iterator[ast.Call]:
    """Every call of the function by its name. Raises Untouchable when it is used otherwise."""
    inside = set(walk(own)) if own is not None else set()
    called = {n.func: n for n in walk(tree) if isinstance(n, ast.Call) and isinstance(n.func, ast.Name)}
    for node in walk(tree):
        match node:
            case ast.Name(id=word) if word == name and node not in inside:
                if node not in called:
                    raise Untouchable(f"line {node.lineno} uses {name} without calling it")
                yield called[node]
            case ast.Constant(value=text) if text == name:
                raise Untouchable(f"line {node.lineno} names {name} in a text")


def _moved(sheet: Sheet, handed: Handed, calls: Iterator[ast.Call]) -> int:
    count = 0
    for call in calls:
        sheet.replace(call, _written(sheet, handed, call))
        count += 1
    return count


def _written(sheet: Sheet, handed: Handed, call: ast.Call) -> str:
    """The call of the method for a call of the function."""
    if any(isinstance(a, ast.Starred) for a in call.args) or any(k.arg is None for k in call.keywords):
        raise Untouchable(f"line {call.lineno} passes arguments that cannot be told apart")
    if sheet.comments_in(sheet.of(call)):
        raise Untouchable(f"line {call.lineno} has a comment among the arguments")
    given = _arguments(handed.function, call)
    for name, value in given.items():
        if name not in (handed.subject, *handed.given) and not isinstance(value, ast.Constant | ast.Name):
            raise Untouchable(f"line {call.lineno} works out {name}, which nothing needs any more")
    receiver = given[handed.subject]
    code = _code(sheet, receiver)
    if not isinstance(receiver, ast.Name | ast.Attribute | ast.Call | ast.Subscript):
        code = f"({code})"
    return f"{code}.{handed.method}({', '.join(_code(sheet, given[name]) for name in handed.given)})"


def _code(sheet: Sheet, e: ast.expr) -> str:
    return sheet.code(e) if hasattr(e, "lineno") else ast.unparse(e)


def _arguments(node: FunctionNode, call: ast.Call) -> dict[str, ast.expr]:
    spec = node.args
    names = [a.arg for a in (*spec.posonlyargs, *spec.args)]
    if spec.vararg or spec.kwarg or len(call.args) > len(names):
        raise Untouchable("it takes any number of arguments")
    found = dict(zip(names, call.args, strict=False)) | {str(k.arg): k.value for k in call.keywords}
    defaults = dict(zip(names[::-1], spec.defaults[::-1], strict=False))
    defaults |= {a.arg: d for a, d in zip(spec.kwonlyargs, spec.kw_defaults, strict=True) if d is not None}
    for name, default in defaults.items():
        if name not in found and not isinstance(default, ast.Constant):
            raise Untouchable(f"line {call.lineno} leaves {name} to its default, which is made once")
        found.setdefault(name, ast.Constant(default.value) if isinstance(default, ast.Constant) else default)
    missing = {*names, *(a.arg for a in spec.kwonlyargs)} - found.keys()
    if missing:
        raise Untouchable(f"line {call.lineno} does not pass {min(missing)}")
    return found


def _elsewhere(scene: Scene, handed: Handed, text: str, tree: ast.Module) -> tuple[str, int]:
    """Callers in a module that imports this one: `from desk import fee_of` and `desk.fee_of(...)`."""
    sheet = Sheet(text)
    stem, name = scene.path.stem, scene.node.name
    count = 0
    imports = [s for s in walk(tree) if isinstance(s, ast.ImportFrom) and (s.module or "").split(".")[-1] == stem]
    for s in imports:
        for alias in s.names:
            if alias.name != name:
                continue
            if alias.asname is not None:
                raise Untouchable(f"a file beside it imports {name} under another name")
            count += _moved(sheet, handed, _uses(tree, name, None))
            _forget(sheet, s, name)
    for node in walk(tree):
        match node:
            case ast.Call(func=ast.Attribute(value=ast.Name(id=module), attr=attr)) if (module, attr) == (stem, name):
                sheet.replace(node, _written(sheet, handed, node))
                count += 1
    return sheet.result(), count


def _forget(sheet: Sheet, s: ast.ImportFrom, name: str) -> None:
    """Takes the name out of an import, and the import away when it was the only one."""
    left = [f"{a.name} as {a.asname}" if a.asname else a.name for a in s.names if a.name != name]
    if sheet.comments_in(sheet.of(s)):
        raise Untouchable(f"a comment stands in the import of {name}")
    if left:
        sheet.replace(s, f"from {'.' * s.level}{s.module or ''} import {', '.join(left)}")
    else:
        sheet.remove_lines(s.lineno, s.end_lineno or s.lineno)
