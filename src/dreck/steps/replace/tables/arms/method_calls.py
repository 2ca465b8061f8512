"""Method calls: arms that call methods of one object with the same arguments, told apart by the method's name alone."""

import ast
from collections.abc import Sequence
from dataclasses import dataclass

from dreck.source.walking import walk
from dreck.steps.support.chains import Arm, is_plain
from dreck.steps.support.names.wording import is_free
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable


@dataclass(frozen=True, slots=True)
class MethodCalls:
    """The object, the method of each arm, the call's arguments, and what stands before it (`return await `)."""

    receiver: ast.expr
    methods: tuple[ast.expr, ...]
    call: ast.Call
    before: str

    def asked(self, sheet: Sheet, held: str) -> str:
        """The call of what is `held`."""
        whole, function = sheet.of(self.call), sheet.of(self.call.func)
        arguments = sheet.text[function.end : whole.end]
        if "\n" in arguments:
            text = ast.unparse(self.call)
            arguments = text[len(ast.unparse(self.call.func)) :]
        return f"{self.before}{held}{arguments}"


def method_calls(arms: Sequence[Arm]) -> MethodCalls | None:
    """What the arms call, when all of them call a method of one object alike; else None."""
    parts = [_call_in(arm.body) for arm in arms]
    found = [part for part in parts if part is not None]
    if len(found) < len(parts) or len(found) < 2:
        return None
    first, (before, call) = found[0], found[0]
    alike = {(b, _given(c), ast.dump(c.func.value)) for b, c in found if isinstance(c.func, ast.Attribute)}
    if len(alike) != 1 or not isinstance(call.func, ast.Attribute):
        return None
    return MethodCalls(call.func.value, tuple(c.func for _, c in found), first[1], before)


def put_methods(
    scene: Scene, sheet: Sheet, receiver: ast.expr, subjects: Sequence[ast.expr], rows: str, first: int
) -> str:
    """Puts the table into the function, and tells its name: where the object is what it was from the start, before
    the first statement that comes to the chain."""
    asked_for = (ast.unparse(receiver), ", ".join(map(ast.unparse, subjects)))
    wished = next(filter(None, map(scene.wishes.name_for, asked_for)), "")
    taken = scene.all_words()
    names = [wished] if wished else ["actions", "methods", "actions_by_kind"]
    name = next((n for n in names if n and is_free(n, taken)), "")
    if not name:
        raise Untouchable(f"the name '{names[0]}' is taken already")
    line = _place(scene, receiver, first)
    indent, unit = sheet.indent(line), sheet.unit(scene.node)
    table = "".join(f"{indent}{unit}{row}\n" for row in rows.splitlines())
    sheet.insert(line, f"{indent}{name} = {{\n{table}{indent}}}\n")
    return name


def _place(scene: Scene, receiver: ast.expr, first: int) -> int:
    root = receiver
    while isinstance(root, ast.Attribute):
        root = root.value
    names = [n for n in walk(scene.node) if isinstance(n, ast.Name) and isinstance(root, ast.Name) and n.id == root.id]
    if isinstance(receiver, ast.Name) and all(isinstance(n.ctx, ast.Load) for n in names):
        around = [s for s in scene.node.body if s.lineno <= first <= (s.end_lineno or s.lineno)]
        return around[0].lineno if around else first
    return first


def _call_in(body: list[ast.stmt]) -> tuple[str, ast.Call] | None:
    match body:
        case [ast.Return(value=value)] if value is not None:
            before = "return "
        case [ast.Expr(value=value)]:
            before = ""
        case [ast.Assign(targets=[ast.Name(id=name)], value=value)]:
            before = f"{name} = "
        case _:
            return None
    if isinstance(value, ast.Await):
        before, value = f"{before}await ", value.value
    match value:
        case ast.Call(func=ast.Attribute(value=receiver, attr=attr)) if is_plain(receiver):
            private = attr.startswith("__") and not attr.endswith("__")
            binds = any(isinstance(n, ast.NamedExpr | ast.Await | ast.Yield) for n in walk(value))
            return None if private or binds else (before, value)
    return None


def _given(call: ast.Call) -> str:
    return ast.dump(ast.Call(ast.Constant(0), call.args, call.keywords))
